import { counted } from '../../core/account.ts';
import { type Crs, crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import {
  type Box,
  emptyBox,
  growBox,
  isEmptyBox,
  Kind,
  type KindName,
  kindNames,
} from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { withIdField } from '../../core/layer/feature-ids.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import type { Field } from '../../core/table/schema.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { crsMissing, layerEmpty, tellMixedKinds } from '../making/layer-findings.ts';
import { putText, TextFields } from '../making/text-fields.ts';
import { baseName } from '../opening/names.ts';
import { type Attributes, attribute, readXml, type XmlHandler } from '../xml/read-xml.ts';
import { valueText } from '../xml/value-text.ts';
import { type GeometryTroubles, GmlGeometry, geometryElements } from './geometry.ts';
import { declaredTypes } from './schema.ts';
import {
  axesBorneOut,
  eastNorth,
  followsRegistry,
  type Ordinates,
  readSrsName,
  type SrsRead,
} from './srs.ts';

/** Elements whose children are features. */
const memberElements = new Set(['featureMember', 'featureMembers', 'member']);
/** Properties that GML itself brings and that say nothing of the feature. */
const ofGml = new Set(['boundedBy', 'metaDataProperty', 'location']);

interface FeatureType {
  name: string;
  fields: TextFields;
  count: number;
  kinds: number;
  ids: boolean;
  /** Ids so far only number the features: `wards.1`, `wards.2` … */
  numbered: boolean;
  /** Every srsName that geometries are under, with the box of their ordinates as they stand in the file. */
  srsNames: Map<string, Box>;
  geometryFields: Set<string>;
  repeated: Set<string>;
}

interface Survey {
  types: Map<string, FeatureType>;
  /** Fields by feature type, from a schema beside the file: they go before what values look like. */
  declared: Map<string, Map<string, Field>>;
  troubles: GeometryTroubles;
  entities: number;
  links: number;
}

/** Goes through the features of a document; for one type it fills a maker, for the survey it only looks. */
class Features implements XmlHandler {
  private readonly survey: Survey | null;
  private readonly types: Map<string, FeatureType>;
  private readonly wanted: string | null;
  private readonly maker: BatchMaker | null;
  private readonly ordinatesOf: (srsName: string) => Ordinates;
  private readonly builder: GeometryMaker;
  private readonly geometry: GmlGeometry;
  private readonly path: string[] = [];
  /** Depth of the feature that is open; 0 when none is. */
  private at = 0;
  private type: FeatureType | null = null;
  private values = new Map<string, string>();
  private geometryDone = false;
  private surplus = 0;
  /** srsName and dimension of the collection, for geometries that name none. */
  private outerSrs = '';
  private featureSrs = '';
  private currentSrs = '';
  private nil = false;
  private skipping = 0;
  readonly troubles: GeometryTroubles = { arcs: 0, unsupported: new Map(), damaged: 0 };

  constructor(
    types: Map<string, FeatureType>,
    work: { survey: Survey } | { wanted: string; maker: BatchMaker },
    ordinatesOf: (srsName: string) => Ordinates,
  ) {
    this.types = types;
    this.survey = 'survey' in work ? work.survey : null;
    this.wanted = 'wanted' in work ? work.wanted : null;
    this.maker = 'maker' in work ? work.maker : null;
    this.builder = this.maker?.geometry ?? new GeometryMaker();
    this.ordinatesOf = ordinatesOf;
    this.geometry = new GmlGeometry(this.builder, this.survey?.troubles ?? this.troubles);
  }

  private typeOf(name: string): FeatureType {
    let type = this.types.get(name);
    if (type === undefined) {
      type = {
        name,
        fields: new TextFields(),
        count: 0,
        kinds: 0,
        ids: false,
        numbered: true,
        srsNames: new Map(),
        geometryFields: new Set(),
        repeated: new Set(),
      };
      this.types.set(name, type);
      for (const { name: field, type: declared, ...more } of this.survey?.declared.get(name)?.values() ?? [])
        type.fields.declare(field, declared, more);
    }
    return type;
  }

  /** Name of the outermost element. */
  root = '';

  open(name: string, attributes: Attributes): void {
    const parent = this.path[this.path.length - 1] ?? '';
    if (this.path.length === 0) this.root = name;
    this.path.push(name);
    if (this.skipping > 0) {
      this.skipping++;
      if (name === 'Envelope' || name === 'Box') this.envelope(attributes);
      return;
    }
    if (this.geometry.open) {
      this.geometry.enter(name, attributes);
      return;
    }
    if (this.at === 0) {
      const bare = this.path.length === 1 && name in geometryElements;
      if (bare || (memberElements.has(parent) && !memberElements.has(name)))
        this.startFeature(name, attributes, bare);
      else if (name === 'Envelope' || name === 'Box') this.envelope(attributes);
      return;
    }
    if (ofGml.has(name) && this.path.length === this.at + 1) {
      this.skipping = 1;
      return;
    }
    if (name in geometryElements) {
      this.startGeometry(name, attributes);
      return;
    }
    this.property(attributes);
  }

  private envelope(attributes: Attributes): void {
    if (attributes.srsName === undefined) return;
    if (this.at === 0) this.outerSrs ||= attributes.srsName;
    else this.featureSrs ||= attributes.srsName;
  }

  private startFeature(name: string, attributes: Attributes, bare: boolean): void {
    this.at = this.path.length;
    this.values.clear();
    this.geometryDone = false;
    this.featureSrs = '';
    this.type = this.typeOf(bare ? 'geometry' : name);
    const other = this.wanted !== null && this.type.name !== this.wanted;
    if (!other) {
      const id = attribute(attributes, 'id') ?? attributes.fid;
      if (id !== undefined && !bare) {
        this.type.ids = true;
        if (this.survey !== null) this.type.numbered &&= id === `${this.type.name}.${this.type.count + 1}`;
        this.maker?.ids?.text(id);
      }
    }
    if (bare) this.startGeometry(name, attributes);
  }

  private startGeometry(name: string, attributes: Attributes): void {
    const type = this.type!;
    const other = this.wanted !== null && type.name !== this.wanted;
    const srs = attributes.srsName ?? (this.featureSrs || this.outerSrs);
    if (this.survey !== null) {
      if (this.path.length > this.at) type.geometryFields.add(this.path[this.at] ?? '');
      if (!this.geometryDone && !type.srsNames.has(srs)) type.srsNames.set(srs, emptyBox());
      this.currentSrs = srs;
    }
    if (other || this.geometryDone) {
      if (!other) this.surplus++;
      // Passed over, but its elements must be gone through.
      this.skipping = 1;
      return;
    }
    this.geometryDone = true;
    this.geometry.start(name, attributes, srs === '' ? eastNorth : this.ordinatesOf(srs));
  }

  private property(attributes: Attributes): void {
    this.nil = attribute(attributes, 'nil') === 'true';
    const type = this.type!;
    const href = attribute(attributes, 'href');
    if (href !== undefined && this.survey !== null) this.survey.links++;
    if (attributes.uom !== undefined && this.survey !== null) {
      const field = type.fields.list[type.fields.find(this.fieldName())];
      field.more = { ...field.more, unit: attributes.uom };
    }
    if (href !== undefined) this.put(this.fieldName(), href);
  }

  /** Nested properties are named with dots: `address.street`. */
  private fieldName(): string {
    return this.path.slice(this.at).join('.');
  }

  private put(name: string, value: string): void {
    const before = this.values.get(name);
    if (before !== undefined) this.type!.repeated.add(name);
    this.values.set(name, before === undefined ? value : `${before}; ${value}`);
  }

  close(name: string, text: string): void {
    const depth = this.path.length;
    if (this.skipping > 0) {
      this.skipping--;
      this.path.pop();
      if (depth === this.at) this.endFeature();
      return;
    }
    if (this.geometry.open) {
      const done = this.geometry.leave(name, text);
      this.path.pop();
      if (done) this.endGeometry();
      if (depth === this.at) this.endFeature();
      return;
    }
    if (this.at > 0 && depth > this.at) {
      const trimmed = valueText(text);
      // A property that only held a geometry or other elements has no text of its own.
      if (trimmed !== '' && !this.nil) this.put(this.fieldName(), text === trimmed ? text : trimmed);
      else if (
        this.survey !== null &&
        !this.type!.geometryFields.has(name) &&
        depth === this.at + 1 &&
        trimmed === ''
      )
        this.blank(name);
      this.nil = false;
    }
    this.path.pop();
    if (this.at > 0 && depth === this.at) this.endFeature();
  }

  /** A blank property still is a field, unless others of its name are below it. */
  private blank(name: string): void {
    if (![...this.values.keys()].some((key) => key.startsWith(`${name}.`))) this.type!.fields.find(name);
  }

  private endGeometry(): void {
    if (this.survey === null) return;
    const array = this.builder.finish();
    this.type!.kinds |= 1 << array.kind[0];
    growBox(this.type!.srsNames.get(this.currentSrs)!, array.boxOf(0));
  }

  private endFeature(): void {
    this.at = 0;
    const type = this.type!;
    if (this.wanted !== null && type.name !== this.wanted) return;
    if (this.survey !== null) {
      type.count++;
      for (const [name, value] of this.values) type.fields.see(type.fields.find(name), value);
      return;
    }
    const maker = this.maker!;
    if (!this.geometryDone) maker.geometry.feature(Kind.None);
    for (const [name, value] of this.values) {
      if (type.fields.has(name)) putText(maker.columns[type.fields.find(name)], value);
    }
    maker.end();
  }

  get surplusGeometries(): number {
    return this.surplus;
  }
}

/** Opens GML 2, 3.1 or 3.2 (simple features): one layer or table a feature type. Read twice. */
export async function openGml(
  source: ByteSource,
  around: Surroundings | null,
  path: string,
): Promise<(Layer | Table)[]> {
  const survey: Survey = {
    types: new Map(),
    declared: await declaredTypes(around, path),
    troubles: { arcs: 0, unsupported: new Map(), damaged: 0 },
    entities: 0,
    links: 0,
  };
  const first = new Features(survey.types, { survey }, () => eastNorth);
  for await (const _ of readXml(
    source,
    first,
    () => [],
    () => survey.entities++,
  ));
  if (survey.types.size === 0 && (/collection|layers|dataset/i.test(first.root) || survey.declared.size > 0))
    return [emptyLayer(source, survey)];
  if (survey.types.size === 0) {
    throw new IsomericError('gml-empty', 'It holds no feature.', {
      place: { file: source.name },
      advice: 'GML features stand in featureMember, featureMembers or member.',
    });
  }
  const opened: (Layer | Table)[] = [];
  for (const type of survey.types.values()) {
    const findings: Finding[] = [];
    if (opened.length === 0) tellDocument(findings, source, survey, first.surplusGeometries);
    const schema: Field[] = type.fields.fields();
    const srs = srsOf(type, findings, source.name);
    const ordinates = axesOf(type, findings, source.name);
    const kinds: KindName[] = kindNames.filter((_, k) => k > 0 && (type.kinds & (1 << k)) !== 0);
    tellMixedKinds(kinds, findings);
    if (type.repeated.size > 0)
      findings.push({
        code: 'values-repeated',
        severity: 'note',
        words: `Several values in one feature are joined with “; ”: ${[...type.repeated].join(', ')}.`,
      });
    const geometry = kinds.length > 0;
    const batches = async function* () {
      const maker = new BatchMaker(schema, { ids: type.ids ? 'text' : null, geometry });
      const reader = new Features(
        survey.types,
        { wanted: type.name, maker },
        (name) => ordinates.get(name) ?? eastNorth,
      );
      yield* readXml(source, reader, () => maker.take());
      yield* maker.take(true);
    };
    const common = { name: type.name, schema, count: type.count, findings, accounts: [], batches };
    const ids = type.ids ? ({ type: 'text', numbering: type.numbered } as const) : null;
    opened.push(withIdField(geometry ? { ...common, crs: srs, kinds } : common, ids));
  }
  return opened;
}

/** A collection without features, as services answer where they have none: the fields are those of its schema. */
function emptyLayer(source: ByteSource, { declared }: Survey): Layer {
  const [[name, fields] = [baseName(source.name), new Map<string, Field>()]] =
    declared.size === 1 ? [...declared] : [];
  return {
    name,
    schema: [...fields.values()],
    crs: null,
    kinds: [],
    count: 0,
    findings: [layerEmpty(source.name, name)],
    accounts: [],
    async *batches() {},
  };
}

/** For every srsName of a feature type, how its ordinates stand. What contradicts the name is told. */
function axesOf(type: FeatureType, findings: Finding[], file: string): Map<string, Ordinates> {
  const ordinates = new Map<string, Ordinates>();
  for (const [name, box] of type.srsNames) {
    const read = readSrs(name);
    if (read === null) {
      if (followsRegistry(name))
        findings.push({
          code: 'axis-order-unknown',
          severity: 'warning',
          words: `${file}: the CRS ${name.slice(0, 80)} is not known, so nothing says which ordinate comes first; they were read as east before north.`,
          repair: 'say the CRS, and compare a place with a map',
        });
      continue;
    }
    const borneOut = isEmptyBox(box) ? read.exchanged : axesBorneOut(read, box);
    ordinates.set(name, { exchanged: borneOut, east: read.east, north: read.north });
    if (borneOut === read.exchanged) continue;
    findings.push({
      code: 'axis-order',
      severity: 'warning',
      words: `${file}: under the srsName ${name.slice(0, 80)} coordinates should stand ${read.exchanged ? 'north before east' : 'east before north'}; they were read the other way round, because only so they lie in the area of ${crsLabel(read.crs)}.`,
    });
  }
  return ordinates;
}

/** What an srsName says; null when it says nothing that is known. */
function readSrs(name: string): SrsRead | null {
  try {
    return readSrsName(name);
  } catch (error) {
    if (error instanceof IsomericError) return null;
    throw error;
  }
}

function srsOf(type: FeatureType, findings: Finding[], file: string): Crs | null {
  const names = [...type.srsNames.keys()].filter((name) => name !== '');
  let crs: Crs | null = null;
  for (const name of names) {
    const read = readSrs(name);
    if (read === null || read.crs === null) {
      findings.push({
        code: 'crs-unreadable',
        severity: 'warning',
        words: `${file}: the srsName “${name.slice(0, 80)}” names no CRS that is known.`,
        repair: 'say which CRS it has',
      });
      continue;
    }
    if (crs === null) crs = read.crs;
    else if (!sameCrs(crs, read.crs))
      findings.push({
        code: 'crs-mixed',
        severity: 'error',
        words: `${type.name}: features are in different CRSs, ${crsLabel(crs)} and ${crsLabel(read.crs)}; all were read as in the first.`,
        repair: 'divide the file by CRS',
      });
  }
  if (names.length === 0 && type.kinds > 1)
    findings.push(crsMissing(`${file}: no srsName stands in it, so the CRS of ${type.name} is not known.`));
  return crs;
}

function tellDocument(findings: Finding[], source: ByteSource, survey: Survey, surplus: number): void {
  const tell = (code: string, severity: Finding['severity'], words: string) =>
    findings.push({ code, severity, words: `${source.name}: ${words}` });
  const { troubles } = survey;
  if (troubles.arcs > 0)
    tell(
      'arcs-as-chords',
      'note',
      `${counted(troubles.arcs, 'arc was', 'arcs were')} read as chords of at most 3 degrees.`,
    );
  for (const [name, count] of troubles.unsupported)
    tell('gml-curve-unsupported', 'error', `${counted(count, `${name} is`, `${name}s are`)} not read.`);
  if (troubles.damaged > 0)
    tell(
      'coordinates-damaged',
      'error',
      `${counted(troubles.damaged, 'list of coordinates', 'lists of coordinates')} cannot be read and ${troubles.damaged === 1 ? 'was' : 'were'} left out.`,
    );
  if (surplus > 0)
    tell(
      'geometry-surplus',
      'warning',
      `${counted(surplus, 'feature has', 'features have')} more than one geometry; the first was taken.`,
    );
  if (survey.links > 0)
    tell(
      'links-kept',
      'note',
      `${counted(survey.links, 'link was', 'links were')} kept as text and not followed.`,
    );
  if (survey.entities > 0)
    tell(
      'entity-kept',
      'note',
      `${counted(survey.entities, 'entity was', 'entities were')} not expanded and stand as they are.`,
    );
}
