import { IsomericError } from '../../core/errors.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { type Field, type FieldType, freeName } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { isObject, type JsonObject, readJson } from '../json-rows/json.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { baseName } from '../opening/names.ts';
import { withStates } from './status.ts';
import { emptyStructures, idOfUrn, structureTables } from './structure.ts';

interface Component {
  id: string;
  title: string | undefined;
  values: { id: string; name: string | undefined }[];
}

function fail(source: ByteSource, words: string): never {
  throw new IsomericError('sdmx-json-damaged', words, {
    place: { file: source.name },
    advice: 'It is no whole SDMX-JSON message: get it again.',
  });
}

const objects = (value: unknown): JsonObject[] => (Array.isArray(value) ? value.filter(isObject) : []);

/** The English name, else the first: `name` is one language, `names` are several (SDMX-JSON 1.0 and 2.0). */
function nameOf(value: JsonObject): string | undefined {
  const all = isObject(value.names) ? value.names : {};
  const name = all.en ?? value.name ?? Object.values(all)[0];
  return typeof name === 'string' ? name : undefined;
}

function component(given: JsonObject): Component {
  return {
    id: String(given.id ?? ''),
    title: nameOf(given),
    values: objects(given.values).map((value) => ({
      id: String(value.id ?? value.value ?? nameOf(value) ?? ''),
      name: nameOf(value),
    })),
  };
}

const componentsOf = (
  structure: JsonObject,
  what: 'dimensions' | 'attributes' | 'measures',
  level: string,
) => (isObject(structure[what]) ? objects((structure[what] as JsonObject)[level]).map(component) : []);

/** Opens an SDMX-JSON message, 1.0 or 2.0: each data set a table of observations; structures as tables that describe. */
export async function openSdmxJson(source: ByteSource): Promise<Table[]> {
  const root = await readJson(source);
  if (!isObject(root)) return fail(source, 'The document is no object.');
  const data = isObject(root.data) ? root.data : root;
  const sets = objects(data.dataSets);
  if (sets.length === 0) {
    const tables = structureTables(baseName(source.name), structuresOf(data));
    if (tables.length === 0) return fail(source, 'It holds neither data sets nor structures.');
    return tables;
  }
  const structures = [...objects(data.structures), ...(isObject(data.structure) ? [data.structure] : [])];
  const names: string[] = [];
  return sets.map((set, k) => {
    const number = typeof set.structure === 'number' ? set.structure : 0;
    const structure = structures[number];
    if (structure === undefined) return fail(source, `Data set ${k + 1} has no structure.`);
    const name = freeName(baseName(source.name), names);
    names.push(name);
    return dataSetTable(set, structure, name, source);
  });
}

/** A row: codes of the dimensions by place, the measures, attributes by place. */
interface Row {
  dimensions: (string | null)[];
  measures: unknown[];
  attributes: (string | null)[];
}

/** The components of a data set by where their values stand. */
interface Components {
  atSet: readonly Component[];
  atSeries: readonly Component[];
  atObservation: readonly Component[];
  measures: readonly Component[];
  seriesAttributes: readonly Component[];
  ownAttributes: readonly Component[];
}

function componentsIn(structure: JsonObject): Components {
  const measures = componentsOf(structure, 'measures', 'observation');
  return {
    atSet: [
      ...componentsOf(structure, 'dimensions', 'dataSet'),
      ...componentsOf(structure, 'dimensions', 'dataset'),
    ],
    atSeries: componentsOf(structure, 'dimensions', 'series'),
    atObservation: componentsOf(structure, 'dimensions', 'observation'),
    measures: measures.length > 0 ? measures : [{ id: 'OBS_VALUE', title: undefined, values: [] }],
    seriesAttributes: componentsOf(structure, 'attributes', 'series'),
    ownAttributes: componentsOf(structure, 'attributes', 'observation'),
  };
}

/** Codes of a key (`0:3:1`) or of a list of attributes, by their places in the components. */
type Codes = (string | null)[];

/** The observations of a data set, one after the other (SDMX-JSON 1.0 and 2.0, data message: series and observations). */
class Observations {
  private readonly set: JsonObject;
  private readonly parts: Components;
  private readonly source: ByteSource;
  private readonly own: Codes;

  constructor(set: JsonObject, parts: Components, source: ByteSource) {
    this.set = set;
    this.parts = parts;
    this.source = source;
    this.own = parts.atSet.map((each) => this.codeAt(each, 0));
  }

  *rows(): Generator<Row> {
    const { atSeries, atObservation, seriesAttributes } = this.parts;
    if (isObject(this.set.series))
      for (const [key, series] of Object.entries(this.set.series)) {
        if (!isObject(series)) continue;
        const held = Array.isArray(series.attributes) ? series.attributes : [];
        yield* this.under(
          series.observations,
          this.codesOf(key, 'series', atSeries),
          atObservation,
          seriesAttributes.map((each, k) => this.codeAt(each, held[k])),
        );
      }
    // Without series, the keys of observations have all dimensions.
    const none = seriesAttributes.map(() => null);
    yield* this.under(this.set.observations, [], [...atSeries, ...atObservation], none);
  }

  private *under(held: unknown, key: Codes, keyed: readonly Component[], said: Codes): Generator<Row> {
    if (!isObject(held)) return;
    const { measures, ownAttributes } = this.parts;
    for (const [place, cells] of Object.entries(held)) {
      const codes = this.codesOf(place, 'observation', keyed);
      if (!Array.isArray(cells)) this.unfit(place, 'observation', keyed.length);
      yield {
        dimensions: [...this.own, ...key, ...codes],
        measures: measures.map((_, k) => cells[k]),
        attributes: [
          ...said,
          ...ownAttributes.map((each, k) => this.codeAt(each, cells[measures.length + k])),
        ],
      };
    }
  }

  private codesOf(key: string, what: string, components: readonly Component[]): Codes {
    const parts = key.split(':');
    if (parts.length !== components.length) this.unfit(key, what, components.length);
    return components.map((each, k) => this.codeAt(each, parts[k]));
  }

  private unfit(key: string, what: string, dimensions: number): never {
    return fail(this.source, `The ${what} “${key.slice(0, 40)}” does not fit its ${dimensions} dimensions.`);
  }

  private codeAt(of: Component, place: unknown): string | null {
    if (place === null || place === undefined) return null;
    const value = of.values[Number(place)];
    if (value !== undefined) return value.id;
    if (of.values.length === 0) return String(place);
    return fail(this.source, `${of.id} has no value number ${String(place).slice(0, 20)}.`);
  }
}

/** What the values of measures are, which attributes have any, and how many rows there are. */
function surveyOf(observations: Observations, measures: number, attributes: number) {
  const kinds = Array.from({ length: measures }, () => ({ whole: true, number: true, any: false }));
  const used = new Array<boolean>(attributes).fill(false);
  let count = 0;
  for (const row of observations.rows()) {
    count++;
    row.attributes.forEach((value, k) => {
      if (value !== null) used[k] = true;
    });
    row.measures.forEach((value, k) => {
      if (value === null || value === undefined) return;
      const number = numberOf(value);
      kinds[k].any = true;
      if (number === null) kinds[k].number = false;
      else if (!Number.isSafeInteger(number)) kinds[k].whole = false;
    });
  }
  const types = kinds.map(({ whole, number, any }): FieldType => {
    if (!any) return 'real';
    return number ? (whole ? 'integer' : 'real') : 'text';
  });
  return { types, used, count };
}

const titleOf = ({ id, title }: Component) => (title !== undefined && title !== id ? { title } : {});

/** A field of codes, with their labels. */
function coded(each: Component): Field {
  const labels = each.values.filter((value) => value.name !== undefined && value.name !== value.id);
  return {
    name: each.id,
    type: 'text',
    role: 'code',
    ...titleOf(each),
    ...(labels.length === 0
      ? {}
      : { codes: Object.fromEntries(labels.map((value) => [value.id, value.name!])) }),
  };
}

function dataSetTable(set: JsonObject, structure: JsonObject, name: string, source: ByteSource): Table {
  const parts = componentsIn(structure);
  const { measures } = parts;
  const dimensions = [...parts.atSet, ...parts.atSeries, ...parts.atObservation];
  const attributes = [...parts.seriesAttributes, ...parts.ownAttributes];
  if (dimensions.length === 0) return fail(source, 'The structure names no dimensions.');
  const observations = new Observations(set, parts, source);
  const { types, used, count } = surveyOf(observations, measures.length, attributes.length);
  const schema: Field[] = [
    ...dimensions.map(coded),
    ...measures.map((each, k): Field => ({ name: each.id, type: types[k], ...titleOf(each) })),
    ...attributes.filter((_, k) => used[k]).map(coded),
  ];
  const table: Table = {
    name,
    title: nameOf(structure),
    schema,
    count,
    findings: [],
    accounts: [],
    async *batches() {
      yield* batchesOf(schema, observations.rows(), dimensions.length, measures.length, used);
    },
  };
  return withStates(table, 'OBS_VALUE', 'OBS_STATUS');
}

function numberOf(value: unknown): number | null {
  if (typeof value === 'number') return value;
  return typeof value === 'string' && value.trim() !== '' && Number.isFinite(Number(value))
    ? Number(value)
    : null;
}

function* batchesOf(
  schema: readonly Field[],
  rows: Iterable<Row>,
  dimensions: number,
  measures: number,
  used: readonly boolean[],
): Generator<Batch> {
  const maker = new BatchMaker(schema, { geometry: false });
  for (const row of rows) {
    for (let d = 0; d < dimensions; d++) putText(maker, d, row.dimensions[d]);
    for (let m = 0; m < measures; m++) {
      const column = maker.columns[dimensions + m];
      const value = row.measures[m];
      if (value === null || value === undefined) column.null();
      else if (column.type === 'text') column.text(String(value));
      else column.number(numberOf(value) ?? NaN);
    }
    let c = dimensions + measures;
    for (let a = 0; a < used.length; a++) if (used[a]) putText(maker, c++, row.attributes[a]);
    maker.end();
    yield* maker.take();
  }
  yield* maker.take(true);
}

function putText(maker: BatchMaker, column: number, text: string | null): void {
  if (text === null) maker.columns[column].null();
  else maker.columns[column].text(text);
}

/** Code lists, concepts and components of a structure message in JSON. */
function structuresOf(data: JsonObject) {
  const found = emptyStructures();
  for (const list of objects(data.codelists))
    found.codelists.set(
      String(list.id),
      new Map(objects(list.codes).map((code) => [String(code.id), nameOf(code) ?? String(code.id)])),
    );
  for (const scheme of objects(data.conceptSchemes))
    for (const concept of objects(scheme.concepts))
      found.concepts.set(String(concept.id), nameOf(concept) ?? String(concept.id));
  for (const flow of objects(data.dataflows))
    found.flows.set(String(flow.id), nameOf(flow) ?? String(flow.id));
  for (const structure of objects(data.dataStructures)) {
    const parts = isObject(structure.dataStructureComponents) ? structure.dataStructureComponents : {};
    for (const [list, kinds] of [
      ['dimensionList', ['dimensions', 'timeDimension', 'timeDimensions']],
      ['measureList', ['measures', 'primaryMeasure']],
      ['attributeList', ['attributes']],
    ] as const) {
      const held = isObject(parts[list]) ? parts[list] : {};
      for (const kind of kinds) {
        const items = isObject(held[kind]) ? [held[kind]] : objects(held[kind]);
        for (const item of items) {
          const local = isObject(item.localRepresentation) ? item.localRepresentation : {};
          found.components.push({
            structure: String(structure.id),
            id: String(item.id),
            concept: idOfUrn(String(item.conceptIdentity ?? item.id)),
            codelist: typeof local.enumeration === 'string' ? idOfUrn(local.enumeration) : undefined,
          });
        }
      }
    }
  }
  return found;
}
