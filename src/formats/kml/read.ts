import { counted } from '../../core/account.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { dictionary } from '../../core/dictionary.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind, type KindName, kindNames } from '../../core/geometry/geometry-array.ts';
import { withIdField } from '../../core/layer/feature-ids.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { FieldType } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { tellMixedKinds } from '../making/layer-findings.ts';
import { putText, TextFields } from '../making/text-fields.ts';
import { baseName } from '../opening/names.ts';
import { type Attributes, readXml, type XmlHandler } from '../xml/read-xml.ts';
import { valueText } from '../xml/value-text.ts';
import { addCoordinates } from './coordinates.ts';
import { tableRows } from './description-table.ts';

/** Types of SimpleField (OGC 07-147r2, 9.8). */
const simpleTypes: Readonly<Record<string, FieldType>> = dictionary({
  string: 'text',
  int: 'integer',
  uint: 'integer',
  short: 'integer',
  ushort: 'integer',
  float: 'real',
  double: 'real',
  bool: 'boolean',
});

/** Children of a Placemark that become fields as they stand, where any placemark has them. */
const plain: Readonly<Record<string, string>> = dictionary({
  name: 'name',
  description: 'description',
  address: 'address',
  phoneNumber: 'phone',
  visibility: 'visibility',
});

/** Containers that hold no places of their own. */
const passedOver = new Set(['NetworkLink', 'GroundOverlay', 'ScreenOverlay', 'PhotoOverlay', 'Tour']);

interface Seen {
  count: number;
  kinds: number;
  ids: boolean;
  passed: Map<string, number>;
  models: number;
  damaged: number;
  entities: number;
  fromTables: Set<string>;
}

/** Reads placemarks; in the first reading (`maker` null) only fields, kinds and counts. */
class Placemarks implements XmlHandler {
  readonly seen: Seen = {
    count: 0,
    kinds: 0,
    ids: false,
    passed: new Map(),
    models: 0,
    damaged: 0,
    entities: 0,
    fromTables: new Set(),
  };
  private readonly fields: TextFields;
  private readonly maker: BatchMaker | null;
  private readonly path: string[] = [];
  /** Names of the folders that are open; blank until their name has been read. */
  private readonly folders: string[] = [];
  private inPlacemark = false;
  private passing = 0;
  private values = new Map<string, string>();
  private dataName = '';
  /** Kind of the geometry so far; with several, the kinds of its members as bits. */
  private depth = 0;
  private members = 0;
  private memberKinds = 0;
  private track: { when: string[]; positions: number[][] } | null = null;

  constructor(fields: TextFields, maker: BatchMaker | null) {
    this.fields = fields;
    this.maker = maker;
  }

  open(name: string, attributes: Attributes): void {
    const parent = this.path[this.path.length - 1] ?? '';
    this.path.push(name);
    if (this.passing > 0 || passedOver.has(name)) {
      if (this.passing++ === 0) this.seen.passed.set(name, (this.seen.passed.get(name) ?? 0) + 1);
      return;
    }
    if (!this.inPlacemark) {
      if (name === 'Placemark') {
        this.inPlacemark = true;
        this.values.clear();
        this.members = 0;
        this.memberKinds = 0;
        this.depth = 0;
        const id = attributes.id;
        if (id !== undefined) {
          this.seen.ids = true;
          this.maker?.ids?.text(id);
        }
        this.maker?.geometry.feature(Kind.None);
      } else if (name === 'Folder' || name === 'Document') this.folders.push('');
      else if (name === 'SimpleField' && parent === 'Schema' && attributes.name !== undefined)
        this.fields.declare(attributes.name, simpleTypes[attributes.type] ?? 'text');
      return;
    }
    switch (name) {
      case 'Data':
      case 'SimpleData':
        this.dataName = attributes.name ?? '';
        return;
      case 'Point':
      case 'LineString':
      case 'LinearRing':
      case 'Polygon':
        if (name === 'LinearRing' && (parent === 'outerBoundaryIs' || parent === 'innerBoundaryIs')) {
          this.maker?.geometry.ring();
          return;
        }
        this.part(name === 'Point' ? Kind.Point : name === 'Polygon' ? Kind.Polygon : Kind.LineString);
        if (name !== 'Polygon') this.maker?.geometry.ring();
        return;
      case 'MultiGeometry':
      case 'MultiTrack':
        this.depth++;
        return;
      case 'Track':
        this.track = { when: [], positions: [] };
        return;
      case 'Model':
        this.seen.models++;
    }
  }

  private part(kind: number): void {
    this.members++;
    this.memberKinds |= 1 << kind;
    this.maker?.geometry.part(kind);
  }

  close(name: string, text: string): void {
    this.path.pop();
    if (this.passing > 0) {
      this.passing--;
      return;
    }
    const parent = this.path[this.path.length - 1] ?? '';
    if (!this.inPlacemark) {
      // The outermost Document is the file itself: its name says nothing of where in it a place stands.
      const named = parent === 'Folder' || (parent === 'Document' && this.folders.length > 1);
      if (name === 'name' && named) this.folders[this.folders.length - 1] = text.trim();
      else if (name === 'Folder' || name === 'Document') this.folders.pop();
      return;
    }
    switch (name) {
      case 'coordinates':
        this.coordinates(text);
        return;
      case 'when':
        if (this.track !== null) this.track.when.push(text.trim());
        else if (parent === 'TimeStamp') this.values.set('begin', text.trim());
        return;
      case 'begin':
      case 'end':
        if (parent === 'TimeSpan') this.values.set(name, text.trim());
        return;
      case 'coord':
        this.track?.positions.push(text.trim().split(/\s+/).map(Number));
        return;
      case 'Track':
        this.endTrack();
        return;
      case 'value':
        if (parent === 'Data') this.set(this.dataName, text);
        return;
      case 'SimpleData':
        this.set(this.dataName, text);
        return;
      case 'Placemark':
        this.endPlacemark();
        return;
      default:
        if (parent === 'Placemark' && plain[name] !== undefined) this.set(plain[name], text);
    }
  }

  private set(name: string, text: string): void {
    if (name !== '') this.values.set(name, valueText(text));
  }

  private coordinates(text: string): void {
    if (this.maker === null) return;
    const { geometry } = this.maker;
    const before = geometry.mark();
    if (geometry.parts === 0 || addCoordinates(text, geometry) < 0) {
      geometry.back(before);
      this.seen.damaged++;
    }
  }

  private endTrack(): void {
    const { track } = this;
    this.track = null;
    if (track === null || track.positions.length === 0) return;
    this.part(Kind.LineString);
    const geometry = this.maker?.geometry;
    geometry?.ring();
    for (const [x, y, z] of track.positions) {
      if (Number.isNaN(x) || Number.isNaN(y) || y === undefined) {
        this.seen.damaged++;
        continue;
      }
      geometry?.vertex(x, y);
      if (z !== undefined && !Number.isNaN(z)) geometry?.height(z);
    }
    if (track.when.length > 0) {
      if (!this.values.has('begin')) this.values.set('begin', track.when[0]);
      this.values.set('end', track.when[track.when.length - 1]);
    }
  }

  private endPlacemark(): void {
    this.inPlacemark = false;
    this.seen.count++;
    let kind: number = Kind.None;
    if (this.members === 1) kind = this.single();
    else if (this.members > 1) {
      const one = [Kind.Point, Kind.LineString, Kind.Polygon].find((each) => this.memberKinds === 1 << each);
      kind = one === undefined ? Kind.Collection : one + 3;
    }
    this.seen.kinds |= 1 << kind;
    const folder = this.folders.filter((each) => each !== '');
    if (folder.length > 0) this.values.set('folder', folder.join('/'));
    const description = this.values.get('description');
    if (description !== undefined) this.fromTable(description);
    if (this.maker === null) {
      for (const [name, value] of this.values) this.fields.see(this.fields.find(name), value);
      return;
    }
    this.maker.geometry.setKind(kind);
    for (const [name, value] of this.values) putText(this.maker.columns[this.fields.find(name)], value);
    this.maker.end();
  }

  /** A MultiGeometry of one member is the multi-part kind of it. */
  private single(): number {
    const kind = [Kind.Point, Kind.LineString, Kind.Polygon].find((each) => this.memberKinds === 1 << each)!;
    return this.depth > 0 ? kind + 3 : kind;
  }

  private fromTable(description: string): void {
    for (const [name, value] of tableRows(description)) {
      if (this.values.has(name)) continue;
      if (this.maker === null && !this.fields.has(name)) this.seen.fromTables.add(name);
      this.values.set(name, value);
    }
  }
}

/** Opens KML 2.2 (OGC 07-147r2): one layer; the names of nested folders stand in the field `folder`. Read twice. */
export async function openKml(source: ByteSource): Promise<Layer[]> {
  const fields = new TextFields();
  const first = new Placemarks(fields, null);
  for await (const _ of readXml(
    source,
    first,
    () => [],
    () => first.seen.entities++,
  ));
  const { seen } = first;
  const findings: Finding[] = [];
  const note = (code: string, words: string, severity: Finding['severity'] = 'note') =>
    findings.push({ code, severity, words });
  for (const [what, count] of seen.passed)
    note(
      'kml-passed-over',
      `${counted(count, `${what} was`, `${what}s were`)} passed over: nothing outside the file is fetched, and pictures are no features.`,
    );
  if (seen.models > 0)
    note('kml-model', `${counted(seen.models, 'model has', 'models have')} no geometry here.`);
  if (seen.entities > 0)
    note(
      'entity-kept',
      `${counted(seen.entities, 'entity was', 'entities were')} not expanded and stand as they are.`,
    );
  if (seen.fromTables.size > 0)
    note(
      'fields-from-description',
      `Read from tables inside the descriptions: ${[...seen.fromTables].join(', ')}.`,
    );
  const kinds: KindName[] = kindNames.filter((_, k) => k > 0 && (seen.kinds & (1 << k)) !== 0);
  tellMixedKinds(kinds, findings);
  const schema = fields.fields();
  const layer: Layer = {
    name: baseName(source.name),
    schema,
    crs: wgs84(),
    kinds,
    count: seen.count,
    findings,
    accounts: [],
    async *batches() {
      const maker = new BatchMaker(schema, { ids: seen.ids ? 'text' : null });
      const reader = new Placemarks(fields, maker);
      yield* readXml(source, reader, () => maker.take());
      yield* maker.take(true);
      if (reader.seen.damaged > 0 && !findings.some((finding) => finding.code === 'coordinates-damaged'))
        note(
          'coordinates-damaged',
          `${source.name}: ${counted(reader.seen.damaged, 'coordinate text', 'coordinate texts')} cannot be read and ${reader.seen.damaged === 1 ? 'was' : 'were'} left out.`,
          'error',
        );
    },
  };
  return [withIdField(layer, seen.ids ? { type: 'text' } : null)];
}
