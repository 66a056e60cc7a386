import type { Layer, Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { type KeyRepair, repairedKey } from '../../core/table/key-repair.ts';
import type { Field } from '../../core/table/schema.ts';

/** Rows of which keys are looked at; what fits in so many fits. */
const mostRows = 100_000;

/** Fields that may hold keys, of one table, with their values. */
export interface KeyColumn {
  field: string;
  /** Different values. */
  values: Set<string>;
  /** Rows without a value. */
  blank: number;
  rows: number;
}

const mayBeKey = (field: Field) =>
  (field.type === 'text' || field.type === 'integer') &&
  field.featureId !== 'numbering' &&
  field.role !== 'margin';

/** The values of all fields that may hold keys. */
export async function keyColumns(table: Table): Promise<KeyColumn[]> {
  const columns = table.schema.flatMap((field, c) =>
    mayBeKey(field) ? [{ c, field: field.name, values: new Set<string>(), blank: 0, rows: 0 }] : [],
  );
  let rows = 0;
  for await (const batch of table.batches()) {
    for (const each of columns) {
      const column: Column = batch.columns[each.c];
      for (let i = 0; i < batch.length; i++) {
        const text = column.text(i);
        if (text === null || text === '') each.blank++;
        else each.values.add(text);
      }
      each.rows += batch.length;
    }
    rows += batch.length;
    if (rows >= mostRows) break;
  }
  return columns.map(({ c: _, ...each }) => each);
}

/** Fields of a layer and of a table whose values meet. */
export interface KeyMatch {
  layerField: string;
  tableField: string;
  repair: KeyRepair | null;
  /** Keys of the layer that the table has. */
  matched: number;
  /** Keys of the layer. */
  all: number;
}

/** How keys of a table are made to fit: not at all, before they are repaired. */
const repairs: readonly (KeyRepair | null)[] = [null, 'leading zeros', 'long identifiers'];

/** The fields by which a table is best joined to a layer; null when less than a third of the units would find a row. */
export function bestKeys(layer: readonly KeyColumn[], table: readonly KeyColumn[]): KeyMatch | null {
  let best: KeyMatch | null = null;
  for (const own of layer) {
    // What tells features apart has hardly a value twice.
    if (own.values.size < 0.9 * (own.rows - own.blank) || own.values.size < 2) continue;
    const width = commonWidth(own.values);
    for (const other of table)
      for (const repair of repairs) {
        if (repair !== null && width < (repair === 'leading zeros' ? 2 : 4)) continue;
        const keys =
          repair === null
            ? other.values
            : new Set([...other.values].map((value) => repairedKey(repair, value, width)));
        let matched = 0;
        for (const value of own.values) if (keys.has(value)) matched++;
        const match = {
          layerField: own.field,
          tableField: other.field,
          repair,
          matched,
          all: own.values.size,
        };
        if (better(match, best)) best = match;
      }
  }
  return best !== null && best.matched * 3 >= best.all ? best : null;
}

/** More matches count first; among equals what needs no repair, then a code rather than a name. */
function better(match: KeyMatch, best: KeyMatch | null): boolean {
  if (best === null) return match.matched > 0;
  if (match.matched !== best.matched) return match.matched > best.matched;
  if ((match.repair === null) !== (best.repair === null)) return match.repair === null;
  return likelihood(match.layerField) > likelihood(best.layerField);
}

/** How likely a field holds codes, by its name. */
const likelihood = (name: string) =>
  /code|geoid/i.test(name) ? 2 : /(^|_)id$|key|fips|nuts|iso/i.test(name) ? 1 : 0;

/** Digits that all values have; 0 when they differ or are no digits. */
function commonWidth(values: ReadonlySet<string>): number {
  let width = 0;
  for (const value of values) {
    if (!/^\d+$/.test(value) || (width !== 0 && value.length !== width)) return 0;
    width = value.length;
  }
  return width;
}

/** Does a layer consist of areas? */
export const hasAreas = (layer: Layer): boolean => layer.kinds?.some((kind) => /Polygon/.test(kind)) === true;
