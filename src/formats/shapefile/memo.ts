import type { ByteSource } from '../bytes/byte-source.ts';

/** Longest text that is believed. */
const longest = 16 * 2 ** 20;

interface MemoField {
  at: number;
  width: number;
}

/** The long texts of one record at a time, read from the memo file as records go by. */
export interface MemoTexts {
  /** Fetches the texts of the record that begins at byte `from`. */
  load(record: Uint8Array, from: number): Promise<void>;
  /** Bytes of the text of the field at a place in the record; null when it has none. */
  text(fieldAt: number): Uint8Array | null;
}

/** Number of the block that a field names: ten digits, or four bytes in later programs; 0 for none. */
function blockOf(record: Uint8Array, start: number, width: number): number {
  if (width === 4) return new DataView(record.buffer, record.byteOffset + start, 4).getUint32(0, true);
  let number = 0;
  for (let k = start; k < start + width; k++) {
    const c = record[k];
    if (c >= 48 && c <= 57) number = number * 10 + (c - 48);
    else if (c !== 32 && c !== 0) return 0;
  }
  return number;
}

/**
 * Opens a memo file. Three layouts: dBASE III (.dbt, blocks of 512 bytes, texts end with 1A 1A), dBASE IV (.dbt, texts
 * begin with FF FF 08 00 and their length), and .fpt (block size in the header, big-endian type and length).
 */
export async function openMemo(source: ByteSource, fields: readonly MemoField[]): Promise<MemoTexts> {
  const head = await source.bytes(0, 24);
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const later = /\.fpt$/i.test(source.name);
  let block = 512;
  if (later && head.length >= 8) block = view.getUint16(6) || 512;
  else if (head.length >= 22 && view.getUint16(20, true) >= 64) block = view.getUint16(20, true);
  const texts = new Map<number, Uint8Array | null>();
  const read = async (number: number): Promise<Uint8Array | null> => {
    const start = number * block;
    if (number === 0 || start >= source.size) return null;
    const first = await source.bytes(start, start + 8);
    if (first.length < 8) return first;
    const at = new DataView(first.buffer, first.byteOffset, 8);
    if (later) {
      const length = at.getUint32(4);
      return length > longest || start + 8 + length > source.size
        ? null
        : source.bytes(start + 8, start + 8 + length);
    }
    if (at.getUint32(0, true) === 0x0008ffff) {
      const length = at.getUint32(4, true) - 8;
      return length < 0 || length > longest || start + 8 + length > source.size
        ? null
        : source.bytes(start + 8, start + 8 + length);
    }
    for (let length = 4096; ; length *= 4) {
      const bytes = await source.bytes(start, start + length);
      const end = bytes.indexOf(0x1a);
      if (end >= 0) return bytes.subarray(0, end);
      if (start + length >= source.size || length > longest) return bytes;
    }
  };
  return {
    async load(record, from) {
      for (const field of fields)
        texts.set(field.at, await read(blockOf(record, from + field.at, field.width)));
    },
    text: (fieldAt) => texts.get(fieldAt) ?? null,
  };
}
