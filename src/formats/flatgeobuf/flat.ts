import { IsomericError } from '../../core/errors.ts';

/** A cursor over one FlatBuffers message (flatbuffers.dev, internals) that checks every offset before it is used. */
export class Flat {
  readonly bytes: Uint8Array;
  readonly view: DataView;
  private readonly what: string;

  /** @param what what it is, for errors */
  constructor(bytes: Uint8Array, what: string) {
    this.bytes = bytes;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.what = what;
  }

  damaged(at: number): never {
    throw new IsomericError('flatgeobuf-damaged', `${this.what} is damaged: an offset points outside it.`, {
      place: { byte: at },
      advice: 'The file is damaged or was cut short: get it again.',
    });
  }

  private need(at: number, length: number): void {
    if (!(at >= 0 && length >= 0 && at + length <= this.bytes.length)) this.damaged(at);
  }

  uint32(at: number): number {
    this.need(at, 4);
    return this.view.getUint32(at, true);
  }

  /** Where the root table stands. */
  root(): number {
    const at = this.uint32(0);
    this.need(at, 4);
    return at;
  }

  /** Where field number `field` of a table stands; 0 when it has none. */
  field(table: number, field: number): number {
    this.need(table, 4);
    const vtable = table - this.view.getInt32(table, true);
    this.need(vtable, 4);
    const slot = 4 + 2 * field;
    if (slot + 2 > this.view.getUint16(vtable, true)) return 0;
    this.need(vtable + slot, 2);
    const offset = this.view.getUint16(vtable + slot, true);
    if (offset === 0) return 0;
    this.need(table + offset, 1);
    return table + offset;
  }

  byte(table: number, field: number, missing: number): number {
    const at = this.field(table, field);
    return at === 0 ? missing : this.bytes[at];
  }

  int32(table: number, field: number, missing: number): number {
    const at = this.field(table, field);
    if (at === 0) return missing;
    this.need(at, 4);
    return this.view.getInt32(at, true);
  }

  uint16(table: number, field: number, missing: number): number {
    const at = this.field(table, field);
    if (at === 0) return missing;
    this.need(at, 2);
    return this.view.getUint16(at, true);
  }

  /** A 64-bit count; one that no double holds exactly is damage. */
  uint64(table: number, field: number): number {
    const at = this.field(table, field);
    if (at === 0) return 0;
    this.need(at, 8);
    const value = Number(this.view.getBigUint64(at, true));
    return Number.isSafeInteger(value) ? value : this.damaged(at);
  }

  /** Where what an offset field points to stands; 0 when there is none. */
  private follow(table: number, field: number): number {
    const at = this.field(table, field);
    if (at === 0) return 0;
    const target = at + this.uint32(at);
    this.need(target, 4);
    return target;
  }

  table(table: number, field: number): number {
    return this.follow(table, field);
  }

  text(table: number, field: number): string | undefined {
    const at = this.follow(table, field);
    if (at === 0) return undefined;
    const length = this.uint32(at);
    this.need(at + 4, length);
    return new TextDecoder().decode(this.bytes.subarray(at + 4, at + 4 + length));
  }

  /** A vector as its first byte and its length, whose elements of `size` bytes are all there. */
  vector(table: number, field: number, size: number): { at: number; length: number } {
    const at = this.follow(table, field);
    if (at === 0) return { at: 0, length: 0 };
    const length = this.uint32(at);
    this.need(at + 4, length * size);
    return { at: at + 4, length };
  }

  /** Table k of a vector of tables. */
  element(vector: { at: number }, k: number): number {
    const at = vector.at + 4 * k;
    const target = at + this.uint32(at);
    this.need(target, 4);
    return target;
  }
}
