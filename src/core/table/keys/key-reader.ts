import type { Column } from '../column.ts';
import { decodeText } from '../column.ts';
import { requireField, type Schema } from '../schema.ts';
import { eachKey, KeyIndex, type UseKey } from './key-index.ts';
import type { JoinKeys, KeyField } from './key-pairs.ts';

/** Stands between the parts of a key of several pairs; no text that people write has it. */
const between = '\u001f';
const encoder = new TextEncoder();

/** Rows with their columns, as a batch has them. */
export interface Rows {
  readonly length: number;
  readonly columns: readonly Column[];
}

/** A key of several pairs, as it is shown: its parts with a comma. */
export const shownKey = (key: string): string => key.split(between).join(', ');

/** Reads the keys of one side, row by row: of one field, of fields put together, of several pairs; changed or as they are. */
export class KeyReader {
  private constructor(
    /** Places of the fields, by pairs. */
    private readonly places: readonly (readonly { c: number; width: number | undefined }[])[],
    private readonly change: ((key: string) => string) | null,
  ) {}

  /** @throws IsomericError `field-unknown` */
  static of(schema: Schema, of: string, keys: JoinKeys, side: 'own' | 'other'): KeyReader {
    const places = keys.map((pair) =>
      pair[side].map(({ name, width }: KeyField) => ({ c: requireField(schema, name, of), width })),
    );
    return new KeyReader(places, null);
  }

  /** The columns that the keys are made of. */
  get columns(): number[] {
    return this.places.flat().map(({ c }) => c);
  }

  /** The same keys, changed. */
  changed(change: ((key: string) => string) | null): KeyReader {
    return new KeyReader(this.places, change);
  }

  /** Calls `use` with the bytes of the key of every row, or with null where a part of it is blank. */
  each(rows: Rows, use: UseKey): void {
    const { places, change } = this;
    const [[first]] = places;
    if (places.length === 1 && places[0].length === 1 && first.width === undefined) {
      const column = rows.columns[first.c];
      if (change === null) eachKey(column, use);
      else eachChanged(column, change, use);
      return;
    }
    for (let i = 0; i < rows.length; i++) {
      const key = this.text(rows, i);
      if (key === null) use(i, null, 0, 0);
      else {
        const bytes = encoder.encode(key);
        use(i, bytes, 0, bytes.length);
      }
    }
  }

  /** The key of a row as text; null where a part of it is blank. */
  private text(rows: Rows, i: number): string | null {
    const { change } = this;
    const parts: string[] = [];
    for (const pair of this.places) {
      let part = '';
      for (const { c, width } of pair) {
        const text = rows.columns[c].text(i);
        if (text === null || text === '') return null;
        part += width === undefined ? text : text.trim().padStart(width, '0');
      }
      parts.push(change === null ? part : change(part));
    }
    return parts.join(between);
  }
}

/** Keys of one column, each changed; the change of what recurs is made once while it comes again. */
function eachChanged(column: Column, change: (key: string) => string, use: UseKey): void {
  let lastText = '';
  let bytes = new Uint8Array(0);
  eachKey(column, (i, source, start, end) => {
    if (source === null || start === end) {
      use(i, null, 0, 0);
      return;
    }
    const text = decodeText(source, start, end);
    if (text !== lastText) {
      lastText = text;
      bytes = encoder.encode(change(text));
    }
    use(i, bytes.length === 0 ? null : bytes, 0, bytes.length);
  });
}

/** All different keys of a table, and how many of its rows have none. */
export async function keysOfTable(
  batches: AsyncIterable<Rows>,
  reader: KeyReader,
): Promise<{ index: KeyIndex; blank: number; rows: number }> {
  const index = new KeyIndex();
  let blank = 0;
  let rows = 0;
  for await (const batch of batches) {
    reader.each(batch, (row, bytes, start, end) => {
      if (bytes === null || start === end) blank++;
      else index.add(bytes, start, end, rows + row);
    });
    rows += batch.length;
  }
  return { index, blank, rows };
}
