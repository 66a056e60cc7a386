import { idFieldIndex, withIdsAsColumn, withOwnIds } from '../../core/layer/feature-ids.ts';
import type { Table } from '../../core/layer/layer.ts';
import { KeyIndex } from '../../core/table/keys/key-index.ts';
import { isXmlName } from '../xml/write-xml.ts';

const encoder = new TextEncoder();

/** May all ids of a table stand as xsd:ID in one document: XML names, none twice, none that stands there already? */
async function areXmlIds(table: Table, seen: KeyIndex): Promise<boolean> {
  const at = idFieldIndex(table.schema);
  if (at < 0 || table.schema[at].type !== 'text') return false;
  let rows = 0;
  const before = seen.size;
  for await (const batch of table.batches()) {
    const column = batch.columns[at];
    for (let i = 0; i < batch.length; i++) {
      const id = column.text(i);
      if (id === null || !isXmlName(id)) return false;
      const bytes = encoder.encode(id);
      seen.add(bytes, 0, bytes.length, rows);
      rows++;
    }
  }
  return seen.size === before + rows;
}

/**
 * Tables for formats whose ids must be XML names, each once in the document: ids that can become the features' own;
 * other ids stay a column. Ids are read once before anything is written.
 *
 * @returns the tables as they are to be written, and what is to be told of each
 */
export async function withXmlIds<T extends Table>(
  tables: readonly T[],
): Promise<{ tables: T[]; notes: (string | undefined)[] }> {
  const seen = new KeyIndex();
  const ready: T[] = [];
  const notes: (string | undefined)[] = [];
  for (const table of tables) {
    if (await areXmlIds(table, seen)) {
      ready.push(withOwnIds(table));
      notes.push(undefined);
      continue;
    }
    const { table: plain, note } = withIdsAsColumn(table);
    // What only numbers rows in memory is no id for a file.
    ready.push({
      ...plain,
      async *batches(options) {
        for await (const batch of plain.batches(options)) yield batch.with({ ids: null });
      },
    });
    notes.push(note);
  }
  return { tables: ready, notes };
}
