import type { Layer, Table } from '../../core/layer/layer.ts';
import { searchKeys } from '../../core/table/keys/doctor/search-tables.ts';

/** Fields of a layer and of a table whose values meet. */
export interface KeyMatch {
  layerField: string;
  tableField: string;
  repair: string | null;
  /** Keys of the layer that the table has. */
  matched: number;
  /** Keys of the layer. */
  all: number;
  /** Has the table several rows of one key? */
  many: boolean;
}

/** The fields by which a table is best joined to a layer; null when less than a third of the units would find a row. */
export async function bestKeys(layer: Table, table: Table): Promise<KeyMatch | null> {
  const { advices } = await searchKeys(layer, table, { most: 6 });
  // What tells features apart has hardly a value twice, and a study of two steps needs one field on each side.
  const found = advices.find(
    ({ on, remedy, layerKeys, layerRows, doubtful }) =>
      on.length === 1 &&
      on[0].own.length === 1 &&
      on[0].other.length === 1 &&
      layerKeys >= 0.9 * layerRows &&
      3 * remedy.met >= layerKeys &&
      !(doubtful && remedy.mends.length > 0 && remedy.oneToOne < remedy.met) &&
      !remedy.mends.some(({ kind }) => kind === 'first signs' || kind === 'near names'),
  );
  if (found === undefined) return null;
  const { on, remedy, layerKeys, many } = found;
  return {
    layerField: on[0].own[0].name,
    tableField: on[0].other[0].name,
    repair: remedy.text === '' ? null : remedy.text,
    matched: remedy.met,
    all: layerKeys,
    many,
  };
}

/** Does a layer consist of areas? */
export const hasAreas = (layer: Layer): boolean => layer.kinds?.some((kind) => /Polygon/.test(kind)) === true;
