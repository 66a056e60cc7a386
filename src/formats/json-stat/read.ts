import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { knownReason, MarkList, reasonFromWords, reasons } from '../../core/table/marks.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { isObject, type JsonObject, labelOf, readJson } from '../json-rows/json.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { baseName } from '../opening/names.ts';

interface Dimension {
  id: string;
  label?: string;
  codes: string[];
  labels: Record<string, string>;
  units: Record<string, string>;
}

function fail(source: ByteSource, words: string): never {
  throw new IsomericError('json-stat-damaged', words, {
    place: { file: source.name },
    advice: 'It is no whole JSON-stat dataset: get it again.',
  });
}

/** Opens a JSON-stat 2.0 dataset or collection of embedded datasets: a row for each value that is given. */
export async function openJsonStat(source: ByteSource): Promise<Table[]> {
  const root = await readJson(source);
  if (!isObject(root)) return fail(source, 'The document is no object.');
  const sets = datasetsOf(root);
  if (sets.length === 0) return fail(source, 'It holds no dataset with values of its own.');
  const names: string[] = [];
  return sets.map((set) => {
    const name =
      sets.length === 1 ? baseName(source.name) : freeName(String(set.label ?? baseName(source.name)), names);
    names.push(name);
    return datasetTable(set, name, source);
  });
}

function datasetsOf(root: JsonObject): JsonObject[] {
  if (root.class === 'collection' && isObject(root.link) && Array.isArray(root.link.item))
    return root.link.item.filter((item): item is JsonObject => isObject(item) && 'value' in item);
  return 'value' in root ? [root] : [];
}

/** Codes of a dimension in their order: an array, an object code → place, or the single code of its labels. */
function dimensionOf(id: string, size: number, given: unknown, source: ByteSource): Dimension {
  const dimension = isObject(given) ? given : {};
  const category = isObject(dimension.category) ? dimension.category : {};
  const labels = isObject(category.label) ? category.label : {};
  let codes: string[];
  if (Array.isArray(category.index)) codes = category.index.map(String);
  else if (isObject(category.index)) {
    codes = [];
    for (const [code, place] of Object.entries(category.index)) {
      if (!Number.isInteger(place) || (place as number) < 0 || (place as number) >= size)
        return fail(
          source,
          `The category ${code} of ${id} has the place ${String(place)}, but there are ${size}.`,
        );
      codes[place as number] = code;
    }
  } else codes = Object.keys(labels);
  if (codes.length !== size || codes.includes(undefined as unknown as string))
    return fail(source, `The dimension ${id} has ${codes.length} categories, where ${size} are announced.`);
  const units = Object.create(null) as Record<string, string>;
  if (isObject(category.unit))
    for (const [code, unit] of Object.entries(category.unit)) {
      const label = isObject(unit) ? (unit.label ?? unit.base ?? unit.symbol) : unit;
      if (label !== undefined) units[code] = String(label);
    }
  return {
    id,
    label: typeof dimension.label === 'string' ? dimension.label : undefined,
    codes,
    labels: Object.fromEntries(Object.entries(labels).map(([code, label]) => [code, String(label)])),
    units,
  };
}

function datasetTable(set: JsonObject, name: string, source: ByteSource): Table {
  if (!Array.isArray(set.id) || !Array.isArray(set.size) || !isObject(set.dimension))
    return fail(source, 'A dataset needs “id”, “size” and “dimension”.');
  if (set.id.length !== set.size.length || set.id.length > 100)
    return fail(source, 'The dataset has not as many sizes as dimensions.');
  const sizes = set.size.map((size) => {
    if (!Number.isSafeInteger(size) || (size as number) < 0 || (size as number) > 1e8)
      return fail(source, `${String(size)} is no size of a dimension.`);
    return size as number;
  });
  const { dimension } = set as { dimension: JsonObject };
  const dimensions = set.id.map((id, k) => dimensionOf(String(id), sizes[k], dimension[String(id)], source));
  const product = sizes.reduce((all, size) => all * size, 1);
  const { value } = set;
  let places: number[] | null = null;
  if (Array.isArray(value)) {
    if (
      value.length > product ||
      (value.length < product && value.length > 0 && product > 0 && value.length !== product)
    )
      return fail(source, `It has ${value.length} values, where its dimensions make ${product}.`);
  } else if (isObject(value)) {
    places = Object.keys(value).map((key) => {
      const place = Number(key);
      if (!Number.isSafeInteger(place) || place < 0 || place >= product)
        return fail(source, `The value ${key.slice(0, 20)} lies outside the ${product} of its dimensions.`);
      return place;
    });
    for (const key of isObject(set.status) ? Object.keys(set.status) : []) {
      if (Object.hasOwn(value, key)) continue;
      const place = Number(key);
      if (!Number.isSafeInteger(place) || place < 0 || place >= product)
        return fail(source, `The status ${key.slice(0, 20)} lies outside the ${product} of its dimensions.`);
      places.push(place);
    }
    places.sort((a, b) => a - b);
  } else return fail(source, 'It holds no values.');
  const count = places?.length ?? (value as unknown[]).length;
  const given = value as Record<number, unknown>;
  const status = (place: number): string | undefined => {
    const state =
      typeof set.status === 'string'
        ? set.status
        : (set.status as Record<number, unknown> | undefined)?.[place];
    return state === undefined || state === null || state === '' ? undefined : String(state);
  };
  const marks = new MarkList();
  const statusLabels =
    isObject(set.extension) && isObject(set.extension.status) ? labelOf(set.extension.status) : {};
  let whole = true;
  let numeric = true;
  for (let k = 0; k < count; k++) {
    const place = places?.[k] ?? k;
    const cell = given[place];
    if (cell === null || cell === undefined) {
      const state = status(place) ?? '';
      if (state !== '') marks.number(state, statusReason(state, statusLabels));
    } else if (typeof cell === 'number') whole &&= Number.isSafeInteger(cell);
    else numeric = false;
  }
  const [single] = dimensions.flatMap((each) => (each.codes.length === 1 ? Object.values(each.units) : []));
  const schema: Field[] = dimensions.map((each): Field => {
    const field: Field = { name: each.id, type: 'text', role: 'code' };
    if (each.label !== undefined) field.title = each.label;
    if (Object.keys(each.labels).length > 0) field.codes = each.labels;
    return field;
  });
  const valueField: Field = {
    name: freeName(
      'value',
      schema.map((field) => field.name),
    ),
    type: numeric ? (whole ? 'integer' : 'real') : 'text',
    title: typeof set.label === 'string' ? set.label : undefined,
  };
  if (single !== undefined) valueField.unit = single;
  if (marks.list.length > 0) valueField.marks = marks.list;
  schema.push(valueField);
  const findings: Finding[] = [];
  return {
    name,
    title: typeof set.label === 'string' ? set.label : undefined,
    notes: Array.isArray(set.note) ? set.note.map(String) : [],
    schema,
    count,
    findings,
    accounts: [],
    async *batches() {
      yield* rows(schema, dimensions, sizes, count, places, given, status, marks);
    },
  };
}

function statusReason(state: string, labels: Record<string, string>): string {
  const said = labels[state];
  return said === undefined
    ? (knownReason(state) ?? (state === 'c' ? reasons.suppressed : reasons.missing))
    : reasonFromWords(said);
}

function* rows(
  schema: readonly Field[],
  dimensions: readonly Dimension[],
  sizes: readonly number[],
  count: number,
  places: readonly number[] | null,
  given: Record<number, unknown>,
  status: (place: number) => string | undefined,
  marks: MarkList,
): Generator<Batch> {
  const maker = new BatchMaker(schema, { geometry: false });
  const last = dimensions.length;
  const value = maker.columns[last];
  for (let k = 0; k < count; k++) {
    const place = places?.[k] ?? k;
    // Row-major order: the last dimension runs fastest (JSON-stat 2.0, “value”).
    let rest = place;
    const at = new Array<number>(last);
    for (let d = last - 1; d >= 0; d--) {
      at[d] = rest % sizes[d];
      rest = Math.floor(rest / sizes[d]);
    }
    for (let d = 0; d < last; d++) maker.columns[d].text(dimensions[d].codes[at[d]]);
    const cell = given[place];
    if (cell === null || cell === undefined) {
      value.null();
      const number = marks.get(status(place) ?? '');
      if (number > 0) value.mark(number);
    } else if (value.type === 'text') value.text(String(cell));
    else value.number(Number(cell));
    maker.end();
    yield* maker.take();
  }
  yield* maker.take(true);
}
