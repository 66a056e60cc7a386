import { grouped } from '../../../core/account.ts';
import { IsomericError } from '../../../core/errors.ts';
import { decodeText } from '../../../core/table/column.ts';
import type { ColumnBuilder } from '../../../core/table/column-builder.ts';
import type { Texts } from './primitives.ts';
import type { MessageReader } from './protobuf.ts';

/** The string table of a block (osmformat.proto, StringTable): texts are made when somebody asks for them. */
export class BlockTexts implements Texts {
  private readonly bytes: Uint8Array;
  private readonly start: Uint32Array;
  private readonly end: Uint32Array;
  private readonly known: (string | undefined)[];
  readonly count: number;

  constructor(table: MessageReader) {
    this.bytes = table.bytes;
    const begin = table.at;
    let count = 0;
    while (table.next()) {
      if (table.field === 1) count++;
      table.skip();
    }
    this.start = new Uint32Array(count);
    this.end = new Uint32Array(count);
    table.at = begin;
    for (let n = 0; table.next(); ) {
      if (table.field !== 1) {
        table.skip();
        continue;
      }
      const end = table.delimited();
      this.start[n] = table.at;
      this.end[n++] = end;
      table.at = end;
    }
    this.count = count;
    this.known = new Array<string | undefined>(count);
  }

  text(index: number): string {
    let text = this.known[index];
    if (text === undefined) {
      if (index >= this.count) throw outside(index, this.count);
      text = decodeText(this.bytes, this.start[index], this.end[index]);
      this.known[index] = text;
    }
    return text;
  }

  put(index: number, column: ColumnBuilder): void {
    if (index >= this.count) throw outside(index, this.count);
    column.raw(this.bytes, this.start[index], this.end[index]);
  }

  /** Refuses numbers of texts that the block does not have; what they stand for is not known. */
  check(numbers: Uint32Array, end = numbers.length): void {
    for (let k = 0; k < end; k++) if (numbers[k] >= this.count) throw outside(numbers[k], this.count);
  }
}

function outside(index: number, count: number): IsomericError {
  return new IsomericError(
    'osm-damaged',
    `A block names its text ${grouped(index + 1)}, but has ${grouped(count)} only.`,
    { advice: 'The file is damaged: get it again.' },
  );
}
