import { IsomericError } from '../../core/errors.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
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

function dataSetTable(set: JsonObject, structure: JsonObject, name: string, source: ByteSource): Table {
  const atSet = componentsOf(structure, 'dimensions', 'dataSet').concat(
    componentsOf(structure, 'dimensions', 'dataset'),
  );
  const atSeries = componentsOf(structure, 'dimensions', 'series');
  const atObservation = componentsOf(structure, 'dimensions', 'observation');
  const dimensions = [...atSet, ...atSeries, ...atObservation];
  const seriesAttributes = componentsOf(structure, 'attributes', 'series');
  const ownAttributes = componentsOf(structure, 'attributes', 'observation');
  const attributes = [...seriesAttributes, ...ownAttributes];
  const given = componentsOf(structure, 'measures', 'observation');
  const measures = given.length > 0 ? given : [{ id: 'OBS_VALUE', title: undefined, values: [] }];
  if (dimensions.length === 0) return fail(source, 'The structure names no dimensions.');
  const codeAt = (of: Component, place: unknown): string | null => {
    if (place === null || place === undefined) return null;
    const value = of.values[Number(place)];
    if (value !== undefined) return value.id;
    if (of.values.length === 0) return String(place);
    return fail(source, `${of.id} has no value number ${String(place).slice(0, 20)}.`);
  };
  function* rows(): Generator<Row> {
    const own = atSet.map((each) => codeAt(each, 0));
    const observationsOf = function* (
      held: unknown,
      key: readonly (string | null)[],
      keyed: readonly Component[],
      said: readonly (string | null)[],
    ): Generator<Row> {
      if (!isObject(held)) return;
      for (const [place, cells] of Object.entries(held)) {
        const parts = place.split(':');
        if (parts.length !== keyed.length || !Array.isArray(cells))
          fail(
            source,
            `The observation “${place.slice(0, 40)}” does not fit its ${keyed.length} dimensions.`,
          );
        yield {
          dimensions: [...own, ...key, ...keyed.map((each, k) => codeAt(each, parts[k]))],
          measures: measures.map((_, k) => (cells as unknown[])[k]),
          attributes: [
            ...said,
            ...ownAttributes.map((each, k) => codeAt(each, (cells as unknown[])[measures.length + k])),
          ],
        };
      }
    };
    if (isObject(set.series)) {
      for (const [key, series] of Object.entries(set.series)) {
        if (!isObject(series)) continue;
        const parts = key.split(':');
        if (parts.length !== atSeries.length)
          fail(source, `The series “${key.slice(0, 40)}” does not fit its ${atSeries.length} dimensions.`);
        const held = Array.isArray(series.attributes) ? series.attributes : [];
        yield* observationsOf(
          series.observations,
          atSeries.map((each, k) => codeAt(each, parts[k])),
          atObservation,
          seriesAttributes.map((each, k) => codeAt(each, held[k])),
        );
      }
    }
    // Without series, the keys of observations have all dimensions.
    yield* observationsOf(
      set.observations,
      [],
      [...atSeries, ...atObservation],
      seriesAttributes.map(() => null),
    );
  }
  const kinds = measures.map(() => ({ whole: true, number: true, any: false }));
  const used = attributes.map(() => false);
  let count = 0;
  for (const row of rows()) {
    count++;
    row.attributes.forEach((value, k) => {
      if (value !== null) used[k] = true;
    });
    row.measures.forEach((value, k) => {
      const number = numberOf(value);
      if (value === null || value === undefined) return;
      kinds[k].any = true;
      if (number === null) kinds[k].number = false;
      else if (!Number.isSafeInteger(number)) kinds[k].whole = false;
    });
  }
  const coded = (each: Component): Field => {
    const labels = each.values.filter((value) => value.name !== undefined && value.name !== value.id);
    const field: Field = { name: each.id, type: 'text', role: 'code' };
    if (each.title !== undefined && each.title !== each.id) field.title = each.title;
    if (labels.length > 0) field.codes = Object.fromEntries(labels.map((value) => [value.id, value.name!]));
    return field;
  };
  const schema: Field[] = [
    ...dimensions.map(coded),
    ...measures.map(
      (each, k): Field => ({
        name: each.id,
        type:
          kinds[k].number && kinds[k].any
            ? kinds[k].whole
              ? 'integer'
              : 'real'
            : kinds[k].any
              ? 'text'
              : 'real',
        ...(each.title !== undefined && each.title !== each.id ? { title: each.title } : {}),
      }),
    ),
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
      yield* batchesOf(schema, rows(), dimensions.length, measures.length, used);
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
