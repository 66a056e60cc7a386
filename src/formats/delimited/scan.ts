/** Splits delimited text (RFC 4180) into fields, working on bytes; fields may be quoted and hold line ends. */
export class RowScanner {
  private readonly delimiter: number;
  /** Bytes of the fields of the row at hand, one after the other, unquoted. */
  bytes = new Uint8Array(4096);
  /** Field f of the row is `bytes[ends[f − 1] … ends[f]]`. */
  ends = new Uint32Array(256);
  fields = 0;
  /** Number of the line on which the row at hand begins, from 1. */
  line = 1;
  private used = 0;
  private nextLine = 1;
  /** 0 before a field, 1 in a plain one, 2 in a quoted one, 3 after its closing quote. */
  private state = 0;
  private afterReturn = false;

  constructor(delimiter: number) {
    this.delimiter = delimiter;
  }

  /** Goes through a chunk and calls `row` at the end of every row. */
  push(chunk: Uint8Array, row: () => void): void {
    const { delimiter } = this;
    const n = chunk.length;
    let k = 0;
    while (k < n) {
      // At most the rest of the chunk is added before the next look at the room there is.
      if (this.used + (n - k) > this.bytes.length) {
        const larger = new Uint8Array(Math.max(this.bytes.length * 2, this.used + n - k));
        larger.set(this.bytes.subarray(0, this.used));
        this.bytes = larger;
      }
      const { bytes } = this;
      let { used, state } = this;
      let ended = false;
      for (; k < n && !ended; k++) {
        const c = chunk[k];
        if (state === 2) {
          if (c === 34) state = 3;
          else {
            if (c === 10) this.nextLine++;
            bytes[used++] = c;
          }
        } else if (c === delimiter) {
          this.close(used);
          state = 0;
        } else if (c === 10) {
          if (this.afterReturn) {
            this.afterReturn = false;
            continue;
          }
          this.nextLine++;
          ended = true;
        } else if (c === 13) {
          this.nextLine++;
          this.afterReturn = true;
          ended = true;
          continue;
        } else if (c === 34 && state !== 1) {
          // A quote opens a field; a second one right after the closing one stands for a quote.
          if (state === 3) bytes[used++] = 34;
          state = 2;
        } else {
          bytes[used++] = c;
          if (state === 0) state = 1;
        }
        this.afterReturn = false;
      }
      this.used = used;
      this.state = state;
      if (ended) this.endRow(row);
    }
  }

  private close(used: number): void {
    if (this.fields >= this.ends.length) {
      const larger = new Uint32Array(this.ends.length * 2);
      larger.set(this.ends);
      this.ends = larger;
    }
    this.ends[this.fields++] = used;
  }

  private endRow(row: () => void): void {
    this.close(this.used);
    // A line without anything on it, not even quotes, is no row.
    const nothing = this.fields === 1 && this.used === 0 && this.state === 0;
    this.state = 0;
    if (!nothing) row();
    this.used = 0;
    this.fields = 0;
    this.line = this.nextLine;
  }

  /** The last row, when the text does not end with a line end; true when a quote was left open. */
  finish(row: () => void): boolean {
    const open = this.state === 2;
    if (this.used > 0 || this.fields > 0) this.endRow(row);
    return open;
  }

  start(field: number): number {
    return field === 0 ? 0 : this.ends[field - 1];
  }
}

export const delimiters = { ',': 44, ';': 59, '\t': 9, '|': 124 } as const;

/**
 * The delimiter of a text: the one that divides its first rows into the same number of fields, the most of them.
 * Undefined when none divides them.
 */
export function findDelimiter(head: Uint8Array, complete: boolean): number | undefined {
  let best: number | undefined;
  let most = 1;
  for (const delimiter of Object.values(delimiters)) {
    const scanner = new RowScanner(delimiter);
    const widths: number[] = [];
    const row = () => {
      if (widths.length < 50) widths.push(scanner.fields);
    };
    scanner.push(head, row);
    if (complete) scanner.finish(row);
    if (widths.length === 0) continue;
    const first = widths[0];
    const alike = widths.filter((width) => width === first).length;
    if (first > most && alike >= Math.ceil(widths.length * 0.8)) {
      best = delimiter;
      most = first;
    }
  }
  return best;
}
