import type { ByteSource } from '../bytes/byte-source.ts';
import { JsonBytes, needMore } from './json-bytes.ts';

/** Feeds a source into a JSON cursor. */
export class Feed {
  readonly json: JsonBytes;
  private readonly chunks: AsyncIterator<Uint8Array>;
  constructor(source: ByteSource) {
    this.json = new JsonBytes(source.name);
    this.chunks = source.stream()[Symbol.asyncIterator]();
  }

  /** Appends the next chunk, keeping the window from `keep` on. */
  async more(keep: number): Promise<void> {
    const { json } = this;
    // A feature that is larger than the window: get at least as much again, so that re-reading stays linear.
    const wanted = Math.max(1, json.end - keep);
    let got = 0;
    const parts: Uint8Array[] = [];
    while (got < wanted) {
      const next = await this.chunks.next();
      if (next.done) {
        json.last = true;
        break;
      }
      parts.push(next.value);
      got += next.value.length;
    }
    if (parts.length === 1) json.append(parts[0], keep);
    else {
      const whole = new Uint8Array(got);
      let used = 0;
      for (const part of parts) {
        whole.set(part, used);
        used += part.length;
      }
      json.append(whole, keep);
    }
  }

  /** Runs `step` from the cursor; when the bytes do not suffice, undoes it, gets more, and runs it again. */
  async step<T>(step: () => T, undo: () => void = () => {}): Promise<T> {
    for (;;) {
      const start = this.json.pos;
      try {
        return step();
      } catch (error) {
        if (error !== needMore) throw error;
        undo();
        await this.more(start);
      }
    }
  }

  /** Like `step`, but without waiting when the bytes suffice: undefined means more are needed. */
  try<T>(step: () => T, undo: () => void): T | undefined {
    const start = this.json.pos;
    try {
      return step();
    } catch (error) {
      if (error !== needMore) throw error;
      undo();
      this.json.pos = start;
      return undefined;
    }
  }

  async close(): Promise<void> {
    await this.chunks.return?.();
  }
}
