import { MemoryScratch, type Scratch } from '../writing/target.ts';

/** Keeps bytes in memory up to a size, then all of them in the scratch that the machine lends (if it lends one). */
export class SpillingScratch implements Scratch {
  private readonly most: number;
  private readonly lend: (() => Scratch) | null;
  private memory: MemoryScratch | null = new MemoryScratch();
  private outside: Scratch | null = null;
  private used = 0;

  constructor(lend: (() => Scratch) | null, most: number) {
    this.lend = lend;
    this.most = most;
  }

  append(bytes: Uint8Array): number {
    if (this.memory !== null && this.lend !== null && this.used + bytes.length > this.most) {
      this.outside = this.lend();
      const step = 1 << 20;
      for (let at = 0; at < this.used; at += step)
        this.outside.append(this.memory.read(at, Math.min(this.used, at + step)));
      this.memory = null;
    }
    const start = this.used;
    this.used += bytes.length;
    (this.outside ?? this.memory!).append(bytes);
    return start;
  }

  read(start: number, end: number): Uint8Array {
    return (this.outside ?? this.memory!).read(start, end);
  }
}
