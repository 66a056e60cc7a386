import {
  type Field,
  type GeometryObject,
  geometryObject,
  isLayer,
  type Layer,
  type Table,
  type Value,
} from '../../src/core/index.ts';
import { partsOf, plainValue } from '../support/saved.ts';

/** What may change between a table and what is read of its saving. */
export const aspects = [
  'order',
  'rows',
  'names',
  'further fields',
  'types',
  'blanks',
  'white space',
  'signs',
  'length of texts',
  'numbers',
  'days and moments',
  'values of several types',
  'marks',
  'titles and units',
  'ids',
  'kinds',
  'empty geometries',
  'missing geometries',
  'heights',
  'measures',
  'coordinates',
  'CRS',
] as const;
export type Aspect = (typeof aspects)[number];

/** Name of the field by which rows are found again, whatever their order. */
export const rowField = 'row_no';

/** One row: its values by field, its geometry and the measures of its vertices. */
interface Row {
  values: Map<string, Value>;
  geometry: GeometryObject | null;
  measures: number[];
  mark: Map<string, string>;
}

/** All rows of tables by their numbers. */
export async function rowsByNumber(tables: readonly Table[]): Promise<Map<number, Row>> {
  const rows = new Map<number, Row>();
  for (const table of tables) {
    const at = table.schema.findIndex(({ name }) => name === rowField);
    if (at < 0) continue;
    for await (const batch of table.batches()) {
      for (let i = 0; i < batch.length; i++) {
        const number = Number(batch.columns[at].text(i));
        if (batch.columns[at].isNull(i) || rows.has(number)) continue;
        const { geometry } = batch;
        const m = geometry?.m ?? null;
        rows.set(number, {
          values: new Map(table.schema.map(({ name }, c) => [name, batch.columns[c].value(i)])),
          mark: new Map(
            table.schema.flatMap(({ name, marks }, c) => {
              const mark = batch.columns[c].marks?.[i] ?? 0;
              return mark === 0 ? [] : [[name, marks![mark - 1].reason] as const];
            }),
          ),
          geometry: geometry === null || !isLayer(table) ? null : geometryObject(geometry, i),
          measures: m === null ? [] : [...m.subarray(geometry!.firstVertex(i), geometry!.endVertex(i))],
        });
      }
    }
  }
  return rows;
}

const isBlank = (value: unknown) => value === null || value === '';
const text = (value: Value) => String(plainValue(value) ?? '');
const plainText = (value: string) => value.replace(/\s+/g, ' ').trim();
// biome-ignore lint/suspicious/noControlCharactersInRegex: these are what some formats cannot hold
const signs = /[\u0000-\u001f\ufffd\ufffe\uffff\ud800-\udfff]+/g;

/** How two values differ; null when they do not. */
function valueAspect(before: Value, after: Value, field: Field): Aspect | null {
  if (JSON.stringify(plainValue(before)) === JSON.stringify(plainValue(after))) return null;
  if (Object.is(before, -0) && after === 0) return 'numbers';
  if (field.type === 'json' && !isBlank(before)) return 'values of several types';
  if (isBlank(before) && isBlank(after)) return 'blanks';
  const [a, b] = [text(before), text(after)];
  if (a === b) return 'types';
  if (typeof before === 'number' || typeof after === 'number') {
    const [x, y] = [Number(before), Number(after)];
    if (x === y) return 'types';
    if (typeof before === 'number' && Math.abs(x - y) <= 1e-9 * Math.abs(x)) return 'numbers';
    if (typeof before === 'number' && !Number.isFinite(before)) return 'numbers';
  }
  if (field.type === 'boolean') return 'types';
  if (field.type === 'date' || field.type === 'timestamp') return 'days and moments';
  if (field.type === 'bytes') return 'types';
  if (a.replace(/\s/g, '') === '' && isBlank(after)) return 'blanks';
  if (plainText(a) === plainText(b)) return 'white space';
  if (plainText(a.replace(signs, '')) === plainText(b.replace(signs, ''))) return 'signs';
  if (b.length > 0 && a.startsWith(b)) return 'length of texts';
  if (b.length > 100 && a.startsWith(b.slice(0, 100))) return 'length of texts';
  return field.type === 'text' ? 'types' : 'numbers';
}

const flat = (value: unknown): number[] =>
  Array.isArray(value) ? value.flatMap(flat) : typeof value === 'number' ? [value] : [];

/** How two geometries differ. @param tolerance of coordinates that went through another CRS */
function geometryAspects(before: Row, after: Row, tolerance: number): Aspect[] {
  const found: Aspect[] = [];
  const [a, b] = [before.geometry, after.geometry];
  if (a === null || b === null) {
    if (a === b) return [];
    const parts = a === null ? [] : (partsOf(a) as unknown[]);
    return [parts.length === 0 ? 'empty geometries' : 'missing geometries'];
  }
  if (a.type !== b.type) found.push('kinds');
  const full = [partsOf(a), partsOf(b)].map((each) => JSON.stringify(each));
  if (full[0] !== full[1]) {
    const planar = [partsOf(a, true), partsOf(b, true)];
    if (JSON.stringify(planar[0]) === JSON.stringify(planar[1])) found.push('heights');
    else if ((planar[0] as unknown[]).length === 0 || (planar[1] as unknown[]).length === 0)
      found.push('empty geometries');
    else {
      const [x, y] = planar.map(flat);
      const near = x.length === y.length && x.every((value, k) => Math.abs(value - y[k]) <= tolerance);
      const all = new Set(sorted(planar[0]));
      // Parts may come apart, or in another order.
      const apart = sorted(planar[1]).every((part) => all.has(part));
      const numbers = [x, y].map((each) => [...each].sort((p, q) => p - q).join());
      if (!near) found.push(apart || alikeRings(numbers[0], numbers[1]) ? 'kinds' : 'coordinates');
      else if (tolerance === 0) found.push('coordinates');
      const heights = [partsOf(a), partsOf(b)].map((each) => flat(each).length);
      if (near && heights[0] !== heights[1]) found.push('heights');
    }
  }
  if (
    JSON.stringify(before.measures) !== JSON.stringify(after.measures) &&
    before.measures.some((m) => !Number.isNaN(m))
  )
    found.push('measures');
  return found;
}

/** Is a name the other one, made fit for a format? */
function alike(before: string, after: string): boolean {
  const plain = (name: string) =>
    name
      .normalize('NFKD')
      .replace(/[^\p{L}\p{N}]/gu, '')
      .toLowerCase();
  const [a, b] = [plain(before), plain(after)];
  if (a === '') return /^(column_\d+|_|field)$/.test(after);
  return b.length > 0 && (a.startsWith(b.slice(0, 6)) || b.startsWith(a));
}

/** The same numbers, but for the ends of rings that repeat their beginnings. */
function alikeRings(a: string, b: string): boolean {
  return new Set(a.split(',')).size === new Set([...a.split(','), ...b.split(',')]).size;
}

const sorted = (parts: unknown) => (parts as unknown[]).map((part) => JSON.stringify(part)).sort();

export interface Difference {
  aspect: Aspect;
  example: string;
}

/** All that differs between a table and the tables that were read of its saving. */
export async function differences(
  before: Table,
  after: readonly Table[],
  reprojected: (layer: Layer, like: Layer) => Layer,
): Promise<Difference[]> {
  const found = new Map<Aspect, string>();
  const tell = (aspect: Aspect, example: string) => {
    if (!found.has(aspect)) found.set(aspect, example.slice(0, 200));
  };
  const whole = after.filter(({ schema }) => schema.some(({ name }) => name === rowField));
  if (whole.length === 0) return [{ aspect: 'rows', example: 'no row came back' }];
  const [first] = whole;
  let source = before;
  let tolerance = 0;
  if (isLayer(before) && isLayer(first)) {
    if (before.crs?.code !== first.crs?.code || (before.crs === null) !== (first.crs === null)) {
      tell('CRS', `${before.crs?.code ?? before.crs?.name} became ${first.crs?.code ?? first.crs?.name}`);
      if (before.crs !== null && first.crs !== null) {
        source = reprojected(before, first);
        tolerance = first.crs.kind === 'geographic' ? 1e-8 : 1e-3;
      }
    }
  } else if (isLayer(before)) tell('missing geometries', 'the geometry was left out');
  const [rows, back] = [await rowsByNumber([source]), await rowsByNumber(whole)];
  const names = new Map<string, string>();
  // What only numbers the rows is no field of its own.
  const afterNames = first.schema
    .filter(({ featureId }) => featureId !== 'numbering')
    .map(({ name }) => name);
  const unmatched = afterNames.filter((name) => !before.schema.some((field) => field.name === name));
  for (const field of before.schema) {
    if (afterNames.includes(field.name)) names.set(field.name, field.name);
    else {
      const at = unmatched.findIndex((name) => alike(field.name, name));
      const other = at < 0 ? undefined : unmatched.splice(at, 1)[0];
      if (field.featureId !== 'numbering') tell('names', `${field.name} became ${other}`);
      if (other !== undefined) names.set(field.name, other);
    }
  }
  if (unmatched.length > 0) tell('further fields', unmatched.join(', '));
  for (const field of before.schema) {
    const other = first.schema.find(({ name }) => name === names.get(field.name));
    if (other === undefined) continue;
    if (field.type !== other.type) tell('types', `${field.name}: ${field.type} became ${other.type}`);
    if (field.featureId === 'given' && other.featureId !== 'given') tell('ids', `${field.name} is a column`);
    if (field.title !== other.title || field.unit !== other.unit || field.description !== other.description)
      if (field.title !== undefined || field.unit !== undefined || field.description !== undefined)
        tell(
          'titles and units',
          `${field.name}: ${field.title} ${field.unit} became ${other.title} ${other.unit}`,
        );
  }
  if (back.size !== rows.size) tell('rows', `${rows.size} rows became ${back.size}`);
  const order = [...rows.keys()].filter((number) => back.has(number));
  if (JSON.stringify(order) !== JSON.stringify([...back.keys()])) tell('order', 'rows come in another order');
  for (const [number, row] of rows) {
    const own = back.get(number);
    if (own === undefined) continue;
    for (const field of before.schema) {
      const name = names.get(field.name);
      if (name === undefined || field.name === rowField) continue;
      const [a, b] = [row.values.get(field.name) ?? null, own.values.get(name) ?? null];
      const aspect = valueAspect(a, b, field);
      if (aspect !== null)
        tell(
          aspect,
          `${field.name} (${field.type}): ${JSON.stringify(plainValue(a))} became ${JSON.stringify(plainValue(b))}`,
        );
      if (row.mark.get(field.name) !== own.mark.get(name))
        tell('marks', `${field.name}: ${row.mark.get(field.name)} became ${own.mark.get(name)}`);
    }
    if (isLayer(before) && isLayer(first))
      for (const aspect of geometryAspects(row, own, tolerance))
        tell(aspect, `row ${number}: ${JSON.stringify(row.geometry)} became ${JSON.stringify(own.geometry)}`);
  }
  return [...found].map(([aspect, example]) => ({ aspect, example }));
}
