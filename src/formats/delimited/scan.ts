import { IsomericError } from '../../core/errors.ts';

/** A row of more bytes is no row: a quote was opened that nobody closed. */
const longestRow = 1 << 26;

/**
 * Splits delimited text (RFC 4180) into fields, working on bytes; fields may be quoted and hold line ends. The row at
 * hand lies in `bytes`: field f is `bytes[starts[f] … ends[f]]`, unquoted.
 */
export class RowScanner {
  private readonly delimiter: number;
  bytes = new Uint8Array(1 << 17);
  starts = new Uint32Array(64);
  ends = new Uint32Array(64);
  fields = 0;
  /** True when a field of the row is in quotes. */
  quoted = false;
  /** Number of the line on which the row at hand begins, from 1. */
  line = 1;
  private nextLine = 1;
  /** Bytes at hand, and where the row that is not whole yet begins among them. */
  private limit = 0;
  private at = 0;
  /** Nothing is scanned before so many bytes are there: a row that does not end is not gone through again and again. */
  private wanted = 0;
  private afterReturn = false;
  private open = false;
  /** Fields of the row at hand that have quotes inside, still to be taken out. */
  private readonly doubled: number[] = [];

  constructor(delimiter: number) {
    this.delimiter = delimiter;
  }

  /** Goes through a chunk and calls `row` at the end of every row. */
  push(chunk: Uint8Array, row: () => void): void {
    const left = this.limit - this.at;
    const needed = left + chunk.length + 1;
    if (needed > this.bytes.length) {
      const larger = new Uint8Array(Math.max(needed, Math.min(2 * this.bytes.length, needed + (1 << 22))));
      larger.set(this.bytes.subarray(this.at, this.limit));
      this.bytes = larger;
    } else this.bytes.copyWithin(0, this.at, this.limit);
    this.bytes.set(chunk, left);
    this.at = 0;
    this.limit = left + chunk.length;
    if (this.limit < this.wanted) return;
    this.scan(row, false);
    const rest = this.limit - this.at;
    if (rest > longestRow) {
      throw new IsomericError('row-too-long', `A row has more than ${longestRow} bytes.`, {
        place: { line: this.nextLine },
        advice: 'A quote is probably opened there and never closed.',
      });
    }
    this.wanted = rest > chunk.length ? 2 * rest : 0;
  }

  /** The last row, when the text does not end with a line end; true when a quote was left open. */
  finish(row: () => void): boolean {
    this.wanted = 0;
    this.scan(row, true);
    return this.open;
  }

  start(field: number): number {
    return this.starts[field];
  }

  private scan(row: () => void, last: boolean): void {
    const { bytes, delimiter, limit, doubled } = this;
    // A line end behind the last byte: the inner loop needs no other stop.
    bytes[limit] = 10;
    let p = this.at;
    while (p < limit) {
      if (this.afterReturn) {
        this.afterReturn = false;
        if (bytes[p] === 10) {
          this.at = ++p;
          continue;
        }
      }
      let { starts, ends } = this;
      let f = 0;
      let c = 0;
      let lines = 0;
      let quoted = false;
      if (doubled.length > 0) doubled.length = 0;
      for (;;) {
        if (f + 1 >= ends.length) {
          this.starts = larger(starts);
          this.ends = larger(ends);
          ({ starts, ends } = this);
        }
        if (bytes[p] !== 34 || p === limit) {
          starts[f] = p;
          c = bytes[p];
          while (c !== delimiter && c !== 10 && c !== 13) c = bytes[++p];
          ends[f++] = p;
        } else {
          quoted = true;
          const first = p + 1;
          let q = bytes.indexOf(34, first);
          if (q < 0 || q >= limit) q = limit;
          if (q < limit && (bytes[q + 1] === delimiter || bytes[q + 1] === 10 || bytes[q + 1] === 13)) {
            // The plain case: text between two quotes, then the end of the field.
            starts[f] = first;
            ends[f++] = q;
            for (let k = first; k < q; k++) if (bytes[k] === 10) lines++;
            p = q + 1;
          } else {
            const end = this.endOfQuoted(first, limit);
            if ((end < 0 || end >= limit) && !last) return;
            this.open = end < 0;
            p = end < 0 ? limit : end;
            starts[f] = first;
            ends[f] = p;
            doubled.push(f++);
          }
          c = bytes[p];
        }
        if (p >= limit) {
          if (!last) return;
          break;
        }
        if (c !== delimiter) break;
        p++;
      }
      // Only now that the row is whole: one that is not will be gone through again.
      for (const each of doubled) lines += this.unquote(each);
      this.fields = f;
      this.quoted = quoted;
      this.line = this.nextLine;
      this.nextLine += lines + 1;
      // A line without anything on it, not even quotes, is no row.
      if (f > 1 || quoted || ends[0] > starts[0]) row();
      if (p < limit) {
        if (bytes[p] === 13) this.afterReturn = true;
        p++;
      }
      this.at = p;
    }
    this.at = Math.min(p, limit);
  }

  /** Where a field that began with a quote ends: its delimiter or line end; −1 when the quote is not closed. */
  private endOfQuoted(first: number, limit: number): number {
    const { bytes, delimiter } = this;
    let p = first;
    for (;;) {
      const q = bytes.indexOf(34, p);
      if (q < 0 || q >= limit) return -1;
      p = q + 1;
      if (bytes[p] === 34 && p < limit) {
        p++;
        continue;
      }
      // What stands between the closing quote and the delimiter belongs to the field.
      while (p < limit && bytes[p] !== delimiter && bytes[p] !== 10 && bytes[p] !== 13 && bytes[p] !== 34)
        p++;
      if (p >= limit || bytes[p] !== 34) return p;
      p++;
    }
  }

  /** Takes the quotes out of `bytes[first … end]`, in place: two stand for one. Returns the line ends inside. */
  private unquote(f: number): number {
    const { bytes } = this;
    const first = this.starts[f];
    const end = this.ends[f];
    let lines = 0;
    let inside = true;
    let used = first;
    for (let k = first; k < end; k++) {
      const c = bytes[k];
      if (c === 34) {
        if (inside && bytes[k + 1] === 34 && k + 1 < end) bytes[used++] = bytes[k++];
        else inside = !inside;
        continue;
      }
      if (c === 10) lines++;
      bytes[used++] = c;
    }
    this.ends[f] = used;
    return lines;
  }
}

function larger(array: Uint32Array<ArrayBuffer>): Uint32Array<ArrayBuffer> {
  const grown = new Uint32Array(array.length * 2);
  grown.set(array);
  return grown;
}

export const delimiters = { ',': 44, ';': 59, '\t': 9, '|': 124 } as const;

/** The first rows of a text as strings, at most `most` of them. */
export function firstRows(
  head: Uint8Array,
  complete: boolean,
  delimiter: number,
  most: number,
): { rows: string[][]; open: boolean } {
  const scanner = new RowScanner(delimiter);
  const decoder = new TextDecoder();
  const rows: string[][] = [];
  const row = () => {
    if (rows.length >= most) return;
    const cells: string[] = [];
    for (let f = 0; f < scanner.fields; f++)
      cells.push(decoder.decode(scanner.bytes.subarray(scanner.starts[f], scanner.ends[f])));
    rows.push(cells);
  };
  scanner.push(head, row);
  const open = complete && scanner.finish(row);
  return { rows, open };
}

/** Delimiters by what speaks for them when several divide all rows alike: a comma may be a decimal one, or stand in texts. */
const byRank = [delimiters['\t'], delimiters[';'], delimiters['|'], delimiters[',']] as const;

/** How often each delimiter stands outside quotes in each of the first rows, whichever of them it is that divides. */
function countsByRow(head: Uint8Array, complete: boolean, most: number): number[][] {
  const rows: number[][] = [];
  let counts = byRank.map(() => 0);
  let from = 0;
  // A quote counts where a field may begin.
  let begins = true;
  let k = 0;
  const end = () => {
    if (k > from) rows.push(counts);
    counts = byRank.map(() => 0);
    begins = true;
  };
  for (; k < head.length && rows.length < most; k++) {
    const c = head[k];
    if (c === 34 && begins) {
      let q = k + 1;
      for (; q < head.length; q++) if (head[q] === 34 && head[++q] !== 34) break;
      k = Math.min(q, head.length) - 1;
      begins = false;
      continue;
    }
    if (c === 10 || c === 13) {
      end();
      from = k + 1;
      continue;
    }
    const d = byRank.indexOf(c as (typeof byRank)[number]);
    if (d >= 0) counts[d]++;
    begins = d >= 0;
  }
  if (complete && rows.length < most) end();
  return rows;
}

/**
 * The delimiter of a text: the one that divides most of its first rows into the same number of fields, whatever stands
 * in quotes; among several that divide as many, the rarer sign. Titles above and notes below may have fewer. Undefined
 * when none divides them.
 */
export function findDelimiter(head: Uint8Array, complete: boolean): number | undefined {
  const rows = countsByRow(head, complete, 100);
  let best: number | undefined;
  let most = 0;
  byRank.forEach((delimiter, d) => {
    const times = new Map<number, number>();
    for (const counts of rows) times.set(counts[d], (times.get(counts[d]) ?? 0) + 1);
    let alike = 0;
    for (const [count, n] of times) if (count > 0 && n > alike) alike = n;
    // Of short texts nearly all rows must agree; long ones may have titles and notes.
    const needed =
      rows.length < 8
        ? Math.min(Math.ceil(rows.length * 0.8), Math.max(2, rows.length - 4))
        : rows.length * 0.6;
    if (alike >= needed && alike > most) [best, most] = [delimiter, alike];
  });
  return best;
}
