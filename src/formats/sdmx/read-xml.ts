import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { ValueReader } from '../../core/table/value-reader.ts';
import { fieldOf, plainText, type Reading, ValueSurvey } from '../../core/table/value-survey.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { baseName } from '../opening/names.ts';
import { type Attributes, attribute, localName, readXml, type XmlHandler } from '../xml/read-xml.ts';
import { withStates } from './status.ts';
import { emptyStructures, idOfUrn, type Structures, structureTables } from './structure.ts';

/** Most components of an observation. */
const mostColumns = 500;

/** Roots of the messages (SDMX 2.1 and 3.0, section 3, message namespace; 2.0 calls them much the same). */
const dataRoots = new Set([
  'GenericData',
  'StructureSpecificData',
  'GenericTimeSeriesData',
  'StructureSpecificTimeSeriesData',
  'CompactData',
  'MessageGroup',
]);

export function isSdmxRoot(name: string): boolean {
  return dataRoots.has(name) || name === 'Structure' || name === 'RegistryInterface';
}

/** Attributes of the XML itself, not of the data. */
const plumbing = (whole: string) =>
  /^(xmlns|xsi|xml|ss|common|message)(:|$)/.test(whole) ||
  ['setID', 'action', 'REPORTING_YEAR_START_DAY', 'structureRef', 'dataScope'].includes(whole);

type Observation = Map<string, string>;

/** Turns elements into observations: what its data set, group and series say, and its own. */
class ObservationReader implements XmlHandler {
  readonly ready: Observation[] = [];
  private dimension = 'TIME_PERIOD';
  private series: Observation = new Map();
  private own: Observation | null = null;
  private into: Observation = this.series;
  private path: string[] = [];
  /** Attributes by group key: they hold for all series that agree with it. */
  private readonly groups: { key: Observation; says: Observation }[] = [];
  private group: { key: Observation; says: Observation } | null = null;
  prepared: string | null = null;
  sets = 0;

  open(name: string, attributes: Attributes): void {
    const parent = this.path[this.path.length - 1];
    this.path.push(name);
    switch (name) {
      case 'Structure':
        if (parent === 'Header')
          this.dimension = attribute(attributes, 'dimensionAtObservation') ?? this.dimension;
        return;
      case 'DataSet':
        this.sets++;
        this.series = new Map();
        return;
      case 'Series':
        this.series = new Map();
        this.flat(attributes, this.series);
        this.into = this.series;
        return;
      case 'Group':
        this.group = { key: new Map(), says: new Map() };
        this.flat(attributes, this.group.says);
        return;
      case 'Obs':
        this.own = new Map();
        this.flat(attributes, this.own);
        return;
      case 'GroupKey':
        if (this.group !== null) this.into = this.group.key;
        return;
      case 'SeriesKey':
        this.into = this.series;
        return;
      case 'ObsKey':
        this.into = this.own ?? this.series;
        return;
      case 'Attributes':
        this.into = this.own ?? this.group?.says ?? this.series;
        return;
      case 'Value':
      case 'Comp': {
        const id = attribute(attributes, 'id') ?? attribute(attributes, 'concept');
        const value = attribute(attributes, 'value');
        if (
          id !== undefined &&
          value !== undefined &&
          ['SeriesKey', 'ObsKey', 'GroupKey', 'Attributes'].includes(parent)
        )
          this.into.set(id, value);
        return;
      }
      case 'ObsDimension':
        this.own?.set(attribute(attributes, 'id') ?? this.dimension, attribute(attributes, 'value') ?? '');
        return;
      case 'ObsValue':
        this.own?.set(attribute(attributes, 'id') ?? 'OBS_VALUE', attribute(attributes, 'value') ?? '');
    }
  }

  private flat(attributes: Attributes, into: Observation): void {
    for (const key in attributes) if (!plumbing(key)) into.set(localName(key), attributes[key]);
  }

  close(name: string, text: string): void {
    this.path.pop();
    if (name === 'Time' && this.own !== null) this.own.set('TIME_PERIOD', text.trim());
    if (name === 'Prepared') this.prepared = text.trim();
    if (name === 'Group' && this.group !== null) {
      this.groups.push(this.group);
      this.group = null;
    }
    if (name === 'Obs' && this.own !== null) {
      const whole = new Map(this.series);
      for (const { key, says } of this.groups) {
        if (key.size === 0 || [...key].some(([id, value]) => whole.get(id) !== value)) continue;
        for (const [id, value] of says) if (!whole.has(id)) whole.set(id, value);
      }
      for (const [id, value] of this.own) whole.set(id, value);
      this.ready.push(whole);
      this.own = null;
    }
  }
}

async function* observations(source: ByteSource): AsyncGenerator<Observation> {
  const reader = new ObservationReader();
  yield* readXml(source, reader, () => reader.ready.splice(0));
}

const isMeasure = (id: string) => id === 'OBS_VALUE';

/** Opens an SDMX-ML message: data as a table of observations, structures as tables that describe. */
export async function openSdmxXml(source: ByteSource): Promise<Table[]> {
  const structures = await readStructures(source);
  if (structures !== null) {
    const tables = structureTables(baseName(source.name), structures);
    if (tables.length === 0)
      throw new IsomericError('sdmx-empty', 'The structure message lists no components and no codes.', {
        place: { file: source.name },
      });
    return tables;
  }
  const columns = new Map<string, ValueSurvey>();
  let rows = 0;
  for await (const observation of observations(source)) {
    rows++;
    for (const [id, value] of observation) {
      let survey = columns.get(id);
      if (survey === undefined) {
        if (columns.size >= mostColumns)
          throw new IsomericError(
            'columns-too-many',
            `An observation has more than ${mostColumns} components.`,
            {
              place: { file: source.name },
            },
          );
        survey = new ValueSurvey();
        columns.set(id, survey);
      }
      if (isMeasure(id)) survey.seeText(value);
    }
  }
  const ids = [...columns.keys()];
  const readings = ids.map(
    (id): Reading =>
      isMeasure(id) ? columns.get(id)!.reading().reading : { ...plainText, code: id !== 'OBS_STATUS' },
  );
  const schema = ids.map((id, c) => fieldOf(id, readings[c]));
  const findings: Finding[] = [];
  const table: Table = {
    name: baseName(source.name),
    schema,
    count: rows,
    findings,
    accounts: [],
    batches: () => readObservations(source, ids, readings),
  };
  return [withStates(table, 'OBS_VALUE', 'OBS_STATUS')];
}

async function* readObservations(
  source: ByteSource,
  ids: readonly string[],
  readings: readonly Reading[],
): AsyncGenerator<Batch> {
  const maker = new BatchMaker(
    ids.map((id, c) => ({ name: id, type: readings[c].type })),
    { geometry: false },
  );
  const readers = readings.map((reading) => new ValueReader(reading));
  for await (const observation of observations(source)) {
    for (let c = 0; c < ids.length; c++) {
      const value = observation.get(ids[c]);
      if (value === undefined) maker.columns[c].null();
      else readers[c].putText(maker.columns[c], value);
    }
    maker.end();
    yield* maker.take();
  }
  yield* maker.take(true);
}

/** Structures of a structure message; null when the document is a data message. */
async function readStructures(source: ByteSource): Promise<Structures | null> {
  const found = emptyStructures();
  let root = '';
  const path: { name: string; id: string }[] = [];
  let list = '';
  let code = '';
  let concept = '';
  let structure = '';
  let component: Structures['components'][number] | null = null;
  const english = new Set<string>();
  let language = '';
  const name = (map: Map<string, string>, key: string, text: string) => {
    // Of several languages English, else the first.
    const mark = `${list} ${key}`;
    if (map.has(key) && !(language === 'en' && !english.has(mark))) return;
    if (language === 'en') english.add(mark);
    map.set(key, text);
  };
  const handler: XmlHandler = {
    open(tag, attributes) {
      if (path.length === 0) root = tag;
      const id = attribute(attributes, 'id') ?? '';
      const parent = path[path.length - 1]?.name ?? '';
      path.push({ name: tag, id });
      if (dataRoots.has(root)) return;
      language = tag === 'Name' ? (attribute(attributes, 'lang') ?? '') : language;
      switch (tag) {
        case 'Codelist':
        case 'CodeList':
        case 'GeoCodelist':
          list = id;
          if (!found.codelists.has(list)) found.codelists.set(list, new Map());
          break;
        case 'Code':
        case 'GeoFeatureSetCode':
          code = id || (attribute(attributes, 'value') ?? '');
          break;
        case 'Concept':
          concept = id;
          break;
        case 'DataStructure':
        case 'KeyFamily':
        case 'Dataflow':
          structure = id;
          break;
        case 'Dimension':
        case 'TimeDimension':
        case 'MeasureDimension':
        case 'Attribute':
        case 'PrimaryMeasure':
        case 'Measure':
          component = {
            structure,
            id: id || (attribute(attributes, 'conceptRef') ?? ''),
            concept: attribute(attributes, 'conceptRef') ?? id,
            codelist: attribute(attributes, 'codelist'),
          };
          if (component.id !== '') found.components.push(component);
          break;
        case 'Ref':
          if (component !== null && parent === 'ConceptIdentity') component.concept = id;
          if (component !== null && parent === 'Enumeration') component.codelist = id;
      }
    },
    close(tag, text) {
      path.pop();
      if (dataRoots.has(root)) return;
      const parent = path[path.length - 1]?.name ?? '';
      const words = text.trim();
      if (tag === 'Name' || tag === 'Description') {
        if (parent === 'Code' && code !== '' && (tag === 'Name' || !found.codelists.get(list)?.has(code))) {
          const codes = found.codelists.get(list);
          if (codes !== undefined) name(codes, code, words);
        } else if (tag === 'Name' && parent === 'Concept') name(found.concepts, concept, words);
        else if (tag === 'Name' && (parent === 'Dataflow' || parent === 'DataStructure'))
          name(found.flows, structure, words);
      }
      // Version 3.0 points by URN in the text, 2.1 by a reference element.
      if (component !== null && words !== '') {
        if (tag === 'Enumeration') component.codelist = idOfUrn(words);
        if (tag === 'ConceptIdentity') component.concept = idOfUrn(words);
      }
      if (
        ['Dimension', 'TimeDimension', 'MeasureDimension', 'Attribute', 'PrimaryMeasure', 'Measure'].includes(
          tag,
        )
      )
        component = null;
    },
  };
  for await (const stop of readXml(source, handler, () => (dataRoots.has(root) ? [true] : [])))
    if (stop) return null;
  return found;
}
