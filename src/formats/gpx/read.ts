import { counted, grouped } from '../../core/account.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { dictionary } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind, type KindName } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { FieldType } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { emptyRecord } from '../making/empty-layer.ts';
import { putText, TextFields } from '../making/text-fields.ts';
import { type Attributes, readXml, type XmlHandler } from '../xml/read-xml.ts';
import { valueText } from '../xml/value-text.ts';

/** The layers of a GPX file, with what each is made of. */
const layerNames = ['waypoints', 'routes', 'route_points', 'tracks', 'track_points'] as const;
type LayerName = (typeof layerNames)[number];

/** Types that GPX 1.0 and 1.1 give their elements; all else is text or found from the values. */
const known: Readonly<Record<string, FieldType>> = dictionary({
  time: 'timestamp',
  begin: 'timestamp',
  end: 'timestamp',
  magvar: 'real',
  geoidheight: 'real',
  name: 'text',
  cmt: 'text',
  desc: 'text',
  src: 'text',
  sym: 'text',
  type: 'text',
  fix: 'text',
  link: 'text',
  link_text: 'text',
  sat: 'integer',
  hdop: 'real',
  vdop: 'real',
  pdop: 'real',
  ageofdgpsdata: 'real',
  dgpsid: 'integer',
  number: 'integer',
  speed: 'real',
  course: 'real',
  track: 'integer',
  track_name: 'text',
  route: 'integer',
  route_name: 'text',
  zone: 'text',
  segment: 'integer',
  point: 'integer',
  points: 'integer',
});

interface LayerSeen {
  fields: TextFields;
  count: number;
}

type Values = Map<string, string>;

/** Goes through a GPX document; hands every feature of one layer to a maker, or only looks. */
class GpxReader implements XmlHandler {
  readonly seen: Map<LayerName, LayerSeen>;
  private readonly wanted: LayerName | null;
  private readonly maker: BatchMaker | null;
  private readonly path: string[] = [];
  private point: { lon: number; lat: number; ele: number; values: Values } | null = null;
  private group: {
    kind: 'rte' | 'trk';
    values: Values;
    parts: number[][];
    segment: number;
    points: number;
  } | null = null;
  private counts = { rte: 0, trk: 0 };
  damaged = 0;
  short = 0;
  /** Times without a zone. */
  zoneless = 0;

  constructor(seen: Map<LayerName, LayerSeen>, wanted: LayerName | null, maker: BatchMaker | null) {
    this.seen = seen;
    this.wanted = wanted;
    this.maker = maker;
  }

  open(name: string, attributes: Attributes): void {
    this.path.push(name);
    switch (name) {
      case 'rte':
      case 'trk':
        this.counts[name]++;
        this.group = {
          kind: name,
          values: new Map(),
          parts: name === 'rte' ? [[]] : [],
          segment: 0,
          points: 0,
        };
        return;
      case 'trkseg':
        if (this.group !== null) {
          this.group.segment++;
          this.group.parts.push([]);
        }
        return;
      case 'wpt':
      case 'rtept':
      case 'trkpt':
        this.point = {
          lon: coordinate(attributes.lon),
          lat: coordinate(attributes.lat),
          ele: NaN,
          values: new Map(),
        };
        return;
      case 'link': {
        const values = this.point?.values ?? this.group?.values;
        if (values !== undefined && attributes.href !== undefined && !values.has('link'))
          values.set('link', attributes.href);
      }
    }
  }

  close(name: string, text: string): void {
    this.path.pop();
    const parent = this.path[this.path.length - 1];
    switch (name) {
      case 'wpt':
        this.endPoint('waypoints');
        return;
      case 'rtept':
      case 'trkpt':
        this.endPoint(name === 'rtept' ? 'route_points' : 'track_points');
        return;
      case 'rte':
      case 'trk':
        this.endGroup();
        return;
    }
    const value = valueText(text);
    const values = this.point?.values ?? this.group?.values;
    if (values === undefined || value === '') return;
    const extension = this.path.indexOf('extensions');
    if (name === 'ele' && this.point !== null && extension < 0) {
      this.point.ele = coordinate(value);
      return;
    }
    if (extension >= 0) {
      // Extensions are named by their own element; those nested deeper keep the last name.
      this.add(values, name, value);
      return;
    }
    if (parent === 'link') {
      if (name === 'text') this.add(values, 'link_text', value);
      return;
    }
    if (name === 'url') this.add(values, 'link', value);
    else if (name === 'urlname') this.add(values, 'link_text', value);
    else if (['wpt', 'rtept', 'trkpt', 'rte', 'trk'].includes(parent ?? '')) this.add(values, name, value);
  }

  /** GPX means UTC (GPX 1.1, “time”); an offset from it is kept beside the time, since it says where the clock stood. */
  private addTime(values: Values, text: string): void {
    const zone = /(Z|[+-]\d{2}:?\d{2})$/.exec(text)?.[1];
    if (zone === undefined && /T\d{2}:/.test(text)) {
      this.zoneless++;
      values.set('time', `${text}Z`);
      return;
    }
    values.set('time', text);
    if (zone !== undefined && !/^(Z|[+-]00:?00)$/.test(zone)) values.set('zone', zone);
  }

  private add(values: Values, name: string, value: string): void {
    if (name === 'time' && !values.has('time')) {
      this.addTime(values, value);
      return;
    }
    const before = values.get(name);
    values.set(name, before === undefined ? value : `${before}; ${value}`);
  }

  private endPoint(layer: LayerName): void {
    const { point } = this;
    this.point = null;
    // A point within a point, which there is not: its end was taken for that of the outer one.
    if (point === null || Number.isNaN(point.lon) || Number.isNaN(point.lat)) {
      this.damaged++;
      return;
    }
    const { group } = this;
    if (layer !== 'waypoints' && group !== null) {
      group.points++;
      group.parts[group.parts.length - 1]?.push(point.lon, point.lat, point.ele);
      const time = point.values.get('time');
      if (time !== undefined) {
        if (!group.values.has('begin')) group.values.set('begin', time);
        group.values.set('end', time);
      }
      const own: Values = new Map([
        [layer === 'route_points' ? 'route' : 'track', String(this.counts[group.kind])],
      ]);
      const name = group.values.get('name');
      if (name !== undefined) own.set(layer === 'route_points' ? 'route_name' : 'track_name', name);
      if (layer === 'track_points') own.set('segment', String(group.segment));
      own.set('point', String(group.points));
      point.values = new Map([...own, ...point.values]);
    }
    this.feature(layer, point.values, () => {
      const { geometry } = this.maker!;
      geometry.feature(Kind.Point);
      geometry.part();
      geometry.ring();
      geometry.vertex(point.lon, point.lat);
      if (!Number.isNaN(point.ele)) geometry.height(point.ele);
    });
  }

  private endGroup(): void {
    const { group } = this;
    this.group = null;
    if (group === null) return;
    group.values.set('points', String(group.points));
    this.feature(group.kind === 'rte' ? 'routes' : 'tracks', group.values, () => {
      const { geometry } = this.maker!;
      geometry.feature(group.kind === 'rte' ? Kind.LineString : Kind.MultiLineString);
      for (const part of group.parts) {
        // One position is no line; it stands among the points.
        if (part.length < 6) {
          if (part.length > 0) this.short++;
          continue;
        }
        geometry.part();
        geometry.ring();
        for (let k = 0; k < part.length; k += 3) {
          geometry.vertex(part[k], part[k + 1]);
          if (!Number.isNaN(part[k + 2])) geometry.height(part[k + 2]);
        }
      }
    });
  }

  private feature(layer: LayerName, values: Values, geometry: () => void): void {
    if (this.wanted !== null && layer !== this.wanted) return;
    const seen = this.seen.get(layer)!;
    if (this.maker === null) {
      seen.count++;
      for (const [name, value] of values) {
        if (!seen.fields.has(name) && Object.hasOwn(known, name)) seen.fields.declare(name, known[name]);
        seen.fields.see(seen.fields.find(name), value);
      }
      return;
    }
    geometry();
    for (const [name, value] of values) putText(this.maker.columns[seen.fields.find(name)], value);
    this.maker.end();
  }
}

function coordinate(text: string | undefined): number {
  return text === undefined || text.trim() === '' ? NaN : Number(text);
}

const kindsOf: Record<LayerName, KindName> = {
  waypoints: 'Point',
  routes: 'LineString',
  route_points: 'Point',
  tracks: 'MultiLineString',
  track_points: 'Point',
};

/**
 * Opens GPX 1.0 or 1.1: waypoints, routes and tracks (segments are parts) as layers, and the points of routes and
 * tracks with their own times and values. Elevations are heights. Read twice.
 */
export async function openGpx(source: ByteSource): Promise<Layer[]> {
  const seen = new Map<LayerName, LayerSeen>(
    layerNames.map((name) => [name, { fields: new TextFields(), count: 0 }]),
  );
  let entities = 0;
  const first = new GpxReader(seen, null, null);
  for await (const _ of readXml(
    source,
    first,
    () => [],
    () => entities++,
  ));
  const present = layerNames.filter((name) => seen.get(name)!.count > 0);
  if (present.length === 0 && first.damaged === 0) return [emptyRecord(source.name)];
  if (present.length === 0)
    throw new IsomericError(
      'gpx-damaged',
      `None of its ${grouped(first.damaged)} points has a readable position.`,
      { place: { file: source.name }, advice: 'The file is damaged: get it again.' },
    );
  return present.map((name, k) => {
    const { fields, count } = seen.get(name)!;
    const schema = fields.fields();
    const findings: Finding[] = [];
    if (k === 0 && first.damaged > 0)
      findings.push({
        code: 'coordinates-damaged',
        severity: 'error',
        words: `${source.name}: ${counted(first.damaged, 'point has', 'points have')} no readable position and ${first.damaged === 1 ? 'was' : 'were'} left out.`,
      });
    if (k === 0 && first.zoneless > 0)
      findings.push({
        code: 'times-without-zone',
        severity: 'note',
        words: `${source.name}: ${counted(first.zoneless, 'time says', 'times say')} no zone; GPX means UTC, and so they were read.`,
      });
    if (k === 0 && entities > 0)
      findings.push({
        code: 'entity-kept',
        severity: 'note',
        words: `${source.name}: ${counted(entities, 'entity was', 'entities were')} not expanded and stand as they are.`,
      });
    return {
      name,
      schema,
      crs: wgs84(),
      kinds: [kindsOf[name]],
      count,
      findings,
      accounts: [],
      async *batches() {
        const maker = new BatchMaker(schema);
        const reader = new GpxReader(seen, name, maker);
        yield* readXml(source, reader, () => maker.take());
        yield* maker.take(true);
        if (reader.short > 0 && !findings.some((finding) => finding.code === 'segment-short'))
          findings.push({
            code: 'segment-short',
            severity: 'note',
            words: `${source.name}: ${counted(reader.short, 'segment of one point is', 'segments of one point are')} no line; the points are in ${name === 'routes' ? 'route_points' : 'track_points'}.`,
          });
      },
    };
  });
}
