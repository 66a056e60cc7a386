import type { Column } from '../../table/column.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { KeyIndex } from '../../table/keys/key-index.ts';
import type { KeyReader } from '../../table/keys/key-reader.ts';
import type { Schema } from '../../table/schema.ts';
import type { ReadOptions, Table } from '../layer.ts';

/** Rows of a table in memory, by their keys: only the columns that are asked for. */
export class HeldTable {
  private starts: Uint32Array | null = null;
  private order: Uint32Array | null = null;

  private constructor(
    readonly index: KeyIndex,
    /** Key of each row; −1: blank. */
    readonly keyOf: Int32Array,
    /** The columns that were asked for, of all rows. */
    readonly columns: readonly Column[],
    readonly rows: number,
    readonly blankKeys: number,
  ) {}

  /** Reads a table once. @param chosen places of the columns to hold */
  static async of(
    table: { schema: Schema; batches(options?: ReadOptions): ReturnType<Table['batches']> },
    reader: KeyReader,
    chosen: readonly number[],
    reading: ReadOptions,
  ): Promise<HeldTable> {
    const index = new KeyIndex();
    const builders = chosen.map((c) => new ColumnBuilder(table.schema[c].type));
    let keyOf = new Int32Array(1024);
    let rows = 0;
    let blank = 0;
    for await (const batch of table.batches(reading)) {
      if (rows + batch.length > keyOf.length) {
        const larger = new Int32Array(Math.max(2 * keyOf.length, rows + batch.length));
        larger.set(keyOf);
        keyOf = larger;
      }
      reader.each(batch, (row, bytes, start, end) => {
        if (bytes === null || start === end) {
          blank++;
          keyOf[rows + row] = -1;
        } else keyOf[rows + row] = index.add(bytes, start, end, rows + row);
      });
      chosen.forEach((c, n) => {
        builders[n].copyAll(batch.columns[c]);
      });
      rows += batch.length;
    }
    return new HeldTable(
      index,
      keyOf.subarray(0, rows),
      builders.map((builder) => builder.finish()),
      rows,
      blank,
    );
  }

  /** Has a key more than one row? */
  several(key: number): boolean {
    return this.index.times[key] > 1;
  }

  /** All rows of a key, in the order of the table. */
  rowsOf(key: number): Uint32Array {
    if (this.starts === null || this.order === null) {
      // Counting sort: rows of one key stand together, in their order.
      const starts = new Uint32Array(this.index.size + 1);
      for (let k = 0; k < this.index.size; k++) starts[k + 1] = starts[k] + this.index.times[k];
      const next = starts.slice();
      const order = new Uint32Array(starts[this.index.size]);
      for (let row = 0; row < this.rows; row++)
        if (this.keyOf[row] >= 0) order[next[this.keyOf[row]]++] = row;
      this.starts = starts;
      this.order = order;
    }
    return this.order.subarray(this.starts[key], this.starts[key + 1]);
  }
}
