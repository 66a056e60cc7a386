import { IsomericError } from '../../core/errors.ts';

/** Numbers of sectors that mean none ([MS-CFB], section 2.1): free, end of a chain, … */
const lastSector = 0xfffffffa;

function damaged(words: string): IsomericError {
  return new IsomericError('workbook-damaged', words, {
    advice: 'Get it again, or open it in an office program and save it anew.',
  });
}

/** A compound file ([MS-CFB] version 3 or 4): streams in chains of sectors. Chains that run in circles are told. */
export class CompoundFile {
  private readonly bytes: Uint8Array;
  private readonly view: DataView;
  private readonly shift: number;
  private readonly fat: Uint32Array;

  constructor(bytes: Uint8Array) {
    if (bytes.length < 512) throw damaged('It has less bytes than a header.');
    this.bytes = bytes;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.shift = this.view.getUint16(30, true);
    if (this.shift !== 9 && this.shift !== 12)
      throw damaged('The size of its sectors is none that there is.');
    this.fat = this.allocation();
  }

  private sector(number: number): Uint8Array {
    const at = (number + 1) * 2 ** this.shift;
    if (at >= this.bytes.length) throw damaged('A sector lies behind the end of the file.');
    return this.bytes.subarray(at, at + 2 ** this.shift);
  }

  /** The table that says which sector follows which: its sectors stand in the header and in a chain of their own. */
  private allocation(): Uint32Array {
    const { view } = this;
    const size = 2 ** this.shift / 4;
    const most = Math.ceil(this.bytes.length / 2 ** this.shift);
    const numbers: number[] = [];
    for (let k = 0; k < 109; k++) numbers.push(view.getUint32(76 + 4 * k, true));
    let next = view.getUint32(68, true);
    for (let n = 0; next < lastSector && n < most; n++) {
      const part = words(this.sector(next));
      numbers.push(...part.subarray(0, size - 1));
      next = part[size - 1];
    }
    const used = numbers.filter((number) => number < lastSector).slice(0, most);
    const fat = new Uint32Array(used.length * size);
    used.forEach((number, k) => {
      fat.set(words(this.sector(number)), k * size);
    });
    return fat;
  }

  private chain(start: number, table: Uint32Array): number[] {
    const numbers: number[] = [];
    for (let next = start; next < lastSector; next = table[next] ?? lastSector) {
      if (numbers.length > table.length) throw damaged('Its sectors follow each other in a circle.');
      numbers.push(next);
    }
    return numbers;
  }

  private stream(start: number): Uint8Array {
    const parts = this.chain(start, this.fat).map((number) => this.sector(number));
    const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
    let at = 0;
    for (const part of parts) {
      whole.set(part, at);
      at += part.length;
    }
    return whole;
  }

  /** The stream of one of these names; null when there is none. */
  find(...names: string[]): Uint8Array | null {
    const directory = this.stream(this.view.getUint32(48, true));
    const view = new DataView(directory.buffer);
    const cutoff = this.view.getUint32(56, true);
    let root = -1;
    for (let p = 0; p + 128 <= directory.length; p += 128) {
      if (directory[p + 66] === 5) root = view.getUint32(p + 116, true);
      if (directory[p + 66] !== 2) continue;
      const length = Math.min(64, view.getUint16(p + 64, true));
      const name = new TextDecoder('utf-16le').decode(directory.subarray(p, p + Math.max(0, length - 2)));
      if (!names.some((each) => each.toLowerCase() === name.toLowerCase())) continue;
      const start = view.getUint32(p + 116, true);
      const size = view.getUint32(p + 120, true);
      const whole = size < cutoff && root >= 0 ? this.small(start, root) : this.stream(start);
      return whole.subarray(0, size);
    }
    return null;
  }

  /** Streams below a limit lie in small sectors within the stream of the root. */
  private small(start: number, root: number): Uint8Array {
    const size = 2 ** this.view.getUint16(32, true);
    const table = words(this.stream(this.view.getUint32(60, true)));
    const held = this.stream(root);
    const numbers = this.chain(start, table);
    if (size > 4096 || numbers.length * size > held.length + size)
      throw damaged('Its small sectors are too many.');
    const whole = new Uint8Array(numbers.length * size);
    numbers.forEach((number, k) => {
      whole.set(held.subarray(number * size, (number + 1) * size), k * size);
    });
    return whole;
  }
}

/** Little-endian words of 32 bits, wherever the bytes lie. */
function words(bytes: Uint8Array): Uint32Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const found = new Uint32Array(bytes.length >> 2);
  for (let k = 0; k < found.length; k++) found[k] = view.getUint32(4 * k, true);
  return found;
}
