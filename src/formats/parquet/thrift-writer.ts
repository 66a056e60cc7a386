/** Types of the compact protocol (Apache Thrift, “Thrift compact protocol”), as they are written. */
export const Kind = { True: 1, False: 2, I32: 5, I64: 6, Binary: 8, List: 9, Struct: 12 } as const;

const encoder = new TextEncoder();

/** Writes structures of the compact protocol. Fields come in the order of their numbers. */
export class ThriftWriter {
  private bytes = new Uint8Array(1024);
  private used = 0;
  /** Number of the last field of every open structure. */
  private readonly last: number[] = [0];

  private room(count: number): void {
    if (this.used + count <= this.bytes.length) return;
    const larger = new Uint8Array(2 * (this.used + count));
    larger.set(this.bytes.subarray(0, this.used));
    this.bytes = larger;
  }

  private byte(value: number): void {
    this.room(1);
    this.bytes[this.used++] = value;
  }

  private unsigned(value: number): void {
    let rest = value;
    while (rest >= 128) {
      this.byte((rest % 128) | 128);
      rest = Math.floor(rest / 128);
    }
    this.byte(rest);
  }

  private head(field: number, kind: number): void {
    const before = this.last[this.last.length - 1];
    const step = field - before;
    if (step > 0 && step < 16) this.byte((step << 4) | kind);
    else {
      this.byte(kind);
      this.unsigned(2 * field);
    }
    this.last[this.last.length - 1] = field;
  }

  int(field: number, value: number, kind: 5 | 6 = Kind.I32): void {
    this.head(field, kind);
    this.unsigned(value >= 0 ? 2 * value : -2 * value - 1);
  }

  long(field: number, value: number): void {
    this.int(field, value, Kind.I64);
  }

  flag(field: number, value: boolean): void {
    this.head(field, value ? Kind.True : Kind.False);
  }

  raw(field: number, value: Uint8Array): void {
    this.head(field, Kind.Binary);
    this.item(value);
  }

  text(field: number, value: string): void {
    this.raw(field, encoder.encode(value));
  }

  struct(field: number, write: () => void): void {
    this.head(field, Kind.Struct);
    this.inner(write);
  }

  /** A list of texts, whole numbers or structures, which `write` gives one by one. */
  list(field: number, kind: number, count: number, write: (k: number) => void): void {
    this.head(field, Kind.List);
    if (count < 15) this.byte((count << 4) | kind);
    else {
      this.byte(0xf0 | kind);
      this.unsigned(count);
    }
    for (let k = 0; k < count; k++) write(k);
  }

  /** A text or blob of a list. */
  item(value: Uint8Array | string): void {
    const bytes = typeof value === 'string' ? encoder.encode(value) : value;
    this.unsigned(bytes.length);
    this.room(bytes.length);
    this.bytes.set(bytes, this.used);
    this.used += bytes.length;
  }

  number(value: number): void {
    this.unsigned(value >= 0 ? 2 * value : -2 * value - 1);
  }

  /** A structure of a list. */
  inner(write: () => void): void {
    this.last.push(0);
    write();
    this.last.pop();
    this.byte(0);
  }

  /** Ends the outermost structure: all that was written. */
  finish(): Uint8Array {
    this.byte(0);
    return this.bytes.subarray(0, this.used);
  }
}
