import { counted, grouped, listed } from '../../core/account.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind, type KindName } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import { timestampText } from '../../core/table/time.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { emptyRecord } from '../making/empty-layer.ts';
import { type Fix, type FixNumber, fixNumbers, type RecordHandler, SentenceRecord } from './record.ts';
import { SentenceReader } from './sentences.ts';

const dayLength = 86_400_000;
/** Without a position for longer, a segment ends; for longer still, the track. Milliseconds. */
const segmentBreak = 60_000;
const trackBreak = 1_800_000;

const layerNames = ['waypoints', 'routes', 'tracks', 'track_points'] as const;
type LayerName = (typeof layerNames)[number];

const kindsOf: Record<LayerName, KindName> = {
  waypoints: 'Point',
  routes: 'LineString',
  tracks: 'MultiLineString',
  track_points: 'Point',
};

const field = (name: string, type: FieldType, title: string, unit?: string): Field => ({
  name,
  type,
  title,
  ...(unit === undefined ? {} : { unit }),
});

/** What the figures of a position are, in words. */
const numberFields: Record<FixNumber, Field> = {
  sat: field('sat', 'integer', 'Satellites'),
  hdop: field('hdop', 'real', 'Horizontal dilution of precision'),
  vdop: field('vdop', 'real', 'Vertical dilution of precision'),
  pdop: field('pdop', 'real', 'Dilution of precision in space'),
  geoidheight: field('geoidheight', 'real', 'Geoid above the ellipsoid', 'm'),
  ageofdgpsdata: field('ageofdgpsdata', 'real', 'Age of differential data', 's'),
  dgpsid: field('dgpsid', 'integer', 'Differential station'),
  speed: field('speed', 'real', 'Speed over ground', 'm/s'),
  course: field('course', 'real', 'Course over ground', 'degrees'),
  magvar: field('magvar', 'real', 'Magnetic variation', 'degrees'),
  error_east: field('error_east', 'real', 'Standard error to the east', 'm'),
  error_north: field('error_north', 'real', 'Standard error to the north', 'm'),
  error_height: field('error_height', 'real', 'Standard error of the height', 'm'),
};

/** What the first reading found, which the readings of the layers rest on. */
interface Survey {
  counts: Record<LayerName, number>;
  /** Figures that some position has. */
  numbers: Set<FixNumber>;
  quality: boolean;
  fix: boolean;
  times: boolean;
  lost: number;
  firstDay: number;
  zone: string | null;
  sentences: SentenceReader['counts'];
}

/** A run of positions that belongs together. */
interface Track {
  number: number;
  name: string;
  begin: number;
  end: number;
  segment: number;
  points: number;
  /** East, north, height of the positions of each segment; only where lines are wanted. */
  parts: number[][];
}

/** Time of a position, milliseconds since 1970; NaN where nobody told the date. */
const timeOf = ({ day, clock }: Fix) => day * dayLength + clock;

/** Parts positions into tracks and segments: where the receiver lost its position, or stood still in time. */
class Tracks {
  current: Track | null = null;
  private last = Number.NaN;
  private broken = true;
  private count = 0;
  private readonly ended: (track: Track) => void;

  constructor(ended: (track: Track) => void) {
    this.ended = ended;
  }

  lost(): void {
    this.broken = true;
  }

  position(fix: Fix, keep: boolean): Track {
    const time = timeOf(fix);
    const now = Number.isNaN(time) ? fix.clock : time;
    const pause = now - this.last;
    if (this.current === null || pause > trackBreak || pause < -segmentBreak) {
      this.end();
      this.count++;
      const name = Number.isNaN(time) ? `track ${this.count}` : `${timestampText(time).slice(0, 16)}Z`;
      this.current = { number: this.count, name, begin: time, end: time, segment: 0, points: 0, parts: [] };
      this.broken = true;
    }
    const track = this.current;
    if (this.broken || pause > segmentBreak || pause < 0) {
      track.segment++;
      if (keep) track.parts.push([]);
    }
    this.broken = false;
    this.last = now;
    track.points++;
    track.end = time;
    if (keep) track.parts[track.parts.length - 1].push(fix.lon, fix.lat, fix.height);
    return track;
  }

  end(): void {
    if (this.current !== null) this.ended(this.current);
    this.current = null;
  }
}

async function survey(source: ByteSource): Promise<Survey> {
  const counts: Survey['counts'] = { waypoints: 0, routes: 0, tracks: 0, track_points: 0 };
  const found: Survey = {
    counts,
    numbers: new Set(),
    quality: false,
    fix: false,
    times: false,
    lost: 0,
    firstDay: Number.NaN,
    zone: null,
    sentences: { all: 0, checksum: 0, cut: 0, value: 0, unchecked: 0 },
  };
  const tracks = new Tracks(() => counts.tracks++);
  const record = new SentenceRecord({
    position(fix) {
      counts.track_points++;
      tracks.position(fix, false);
      found.quality ||= fix.quality !== null;
      found.fix ||= fix.fix !== null;
      if (found.numbers.size < fixNumbers.length)
        for (const name of fixNumbers) if (!Number.isNaN(fix.numbers[name])) found.numbers.add(name);
    },
    lost() {
      found.lost++;
      tracks.lost();
    },
    waypoint: () => counts.waypoints++,
    route: () => counts.routes++,
  });
  const reader = new SentenceReader((formatter, fields) => record.take(formatter, fields));
  for await (const chunk of source.stream()) reader.push(chunk);
  reader.end();
  record.end();
  tracks.end();
  found.firstDay = record.firstDay;
  found.times = !Number.isNaN(record.firstDay);
  found.zone = record.zone;
  found.sentences = reader.counts;
  return found;
}

function schemaOf(layer: LayerName, { numbers, quality, fix, times, zone }: Survey): Field[] {
  const time = (name: string, title: string) => (times ? [field(name, 'timestamp', title)] : []);
  const zones = zone === null ? [] : [field('zone', 'text', 'Zone that the receiver was set to')];
  switch (layer) {
    case 'waypoints':
      return [field('name', 'text', 'Name')];
    case 'routes':
      return [field('name', 'text', 'Name'), field('points', 'integer', 'Points')];
    case 'tracks':
      return [
        field('name', 'text', 'Name'),
        ...time('begin', 'Begin'),
        ...time('end', 'End'),
        ...zones,
        field('segments', 'integer', 'Segments'),
        field('points', 'integer', 'Points'),
      ];
    default:
      return [
        field('track', 'integer', 'Number of the track'),
        field('track_name', 'text', 'Track'),
        field('segment', 'integer', 'Segment'),
        field('point', 'integer', 'Point'),
        ...(times ? time('time', 'Time') : [field('clock', 'text', 'Time of day, UTC')]),
        ...zones,
        ...(quality ? [field('quality', 'text', 'Kind of position')] : []),
        ...(fix ? [field('fix', 'text', 'Fix')] : []),
        ...fixNumbers.filter((name) => numbers.has(name)).map((name) => numberFields[name]),
      ];
  }
}

/** Puts features of one layer into batches. */
function filler(
  layer: LayerName,
  schema: readonly Field[],
  found: Survey,
  maker: BatchMaker,
  told: Told,
): {
  handler: RecordHandler;
  end(): void;
} {
  const { geometry } = maker;
  const put = (values: Readonly<Record<string, string | number | null>>) => {
    schema.forEach(({ name, type }, c) => {
      const value = values[name];
      if (value === null || value === undefined || Number.isNaN(value)) maker.columns[c].null();
      else if (type === 'text') maker.columns[c].text(String(value));
      else maker.columns[c].number(Number(value));
    });
    maker.end();
  };
  const point = (lon: number, lat: number, height: number) => {
    geometry.feature(Kind.Point);
    geometry.part();
    geometry.ring();
    geometry.vertex(lon, lat);
    if (!Number.isNaN(height)) geometry.height(height);
  };
  const places = new Map<string, readonly [number, number]>();
  const tracks = new Tracks((track) => {
    if (layer !== 'tracks') return;
    geometry.feature(Kind.MultiLineString);
    for (const part of track.parts) {
      if (part.length < 6) {
        told.short++;
        continue;
      }
      geometry.part();
      geometry.ring();
      for (let k = 0; k < part.length; k += 3) {
        geometry.vertex(part[k], part[k + 1]);
        if (!Number.isNaN(part[k + 2])) geometry.height(part[k + 2]);
      }
    }
    const { name, begin, end, segment, points } = track;
    put({ name, begin, end, zone: found.zone, segments: segment, points });
  });
  const handler: RecordHandler = {
    position(fix) {
      if (layer !== 'tracks' && layer !== 'track_points') return;
      const track = tracks.position(fix, layer === 'tracks');
      if (layer !== 'track_points') return;
      point(fix.lon, fix.lat, fix.height);
      const { quality, fix: kind, clock, numbers } = fix;
      put({
        track: track.number,
        track_name: track.name,
        segment: track.segment,
        point: track.points,
        time: timeOf(fix),
        clock: timestampText(clock).slice(11),
        zone: found.zone,
        quality,
        fix: kind,
        ...numbers,
      });
    },
    lost: () => tracks.lost(),
    waypoint(name, lon, lat) {
      places.set(name, [lon, lat]);
      if (layer !== 'waypoints') return;
      point(lon, lat, Number.NaN);
      put({ name });
    },
    route(name, points) {
      if (layer !== 'routes') return;
      const known = points.map((each) => places.get(each)).filter((place) => place !== undefined);
      told.unknown += points.length - known.length;
      geometry.feature(Kind.LineString);
      if (known.length > 1) {
        geometry.part();
        geometry.ring();
        for (const [lon, lat] of known) geometry.vertex(lon, lat);
      }
      put({ name, points: points.length });
    },
  };
  return { handler, end: () => tracks.end() };
}

/** What shows only while a layer is read. */
interface Told {
  short: number;
  unknown: number;
}

/**
 * Opens a record of NMEA 0183 sentences as a position receiver sends them: waypoints (WPL), routes (RTE), and the positions that
 * it told (GGA, GNS, RMC, GLL with GSA, GST, VTG, ZDA) as points and as tracks. Checksums are verified; what is broken is counted
 * and left out. Times are UTC, heights are above mean sea level, speeds in metres a second. Read twice.
 */
export async function openSentences(source: ByteSource): Promise<Layer[]> {
  const found = await survey(source);
  const findings = findingsOf(source.name, found);
  const present = layerNames.filter((name) => found.counts[name] > 0);
  const { sentences } = found;
  if (present.length === 0 && sentences.all > 0 && brokenOf(found) === sentences.all)
    throw new IsomericError(
      'sentences-damaged',
      `None of its ${grouped(sentences.all)} sentences is whole.`,
      {
        place: { file: source.name },
        advice: 'Look whether the speed of the line is that of the receiver (4800 bits a second is usual).',
      },
    );
  if (present.length === 0) return [emptyRecord(source.name, findings)];
  return present.map((name, k) => {
    const schema = schemaOf(name, found);
    const own = k === 0 ? findings : [];
    return {
      name,
      schema,
      crs: wgs84(),
      kinds: [kindsOf[name]],
      count: found.counts[name],
      findings: own,
      accounts: [],
      async *batches() {
        const maker = new BatchMaker(schema);
        const told: Told = { short: 0, unknown: 0 };
        const { handler, end } = filler(name, schema, found, maker, told);
        const record = new SentenceRecord(handler, found.firstDay);
        const reader = new SentenceReader((formatter, fields) => record.take(formatter, fields));
        for await (const chunk of source.stream()) {
          reader.push(chunk);
          if (maker.full) yield* maker.take();
        }
        reader.end();
        record.end();
        end();
        yield* maker.take(true);
        tellReading(source.name, told, own);
      },
    };
  });
}

function tellReading(file: string, { short, unknown }: Told, findings: Finding[]): void {
  const once = (finding: Finding) => {
    if (!findings.some(({ code }) => code === finding.code)) findings.push(finding);
  };
  if (short > 0)
    once({
      code: 'segment-short',
      severity: 'note',
      words: `${file}: ${counted(short, 'segment of one point is', 'segments of one point are')} no line; the points are in track_points.`,
    });
  if (unknown > 0)
    once({
      code: 'route-points-unknown',
      severity: 'warning',
      words: `${file}: ${counted(unknown, 'point of a route names', 'points of routes name')} a waypoint that was not sent, and ${unknown === 1 ? 'is' : 'are'} missing in the line.`,
    });
}

const brokenOf = ({ sentences: { checksum, cut, value } }: Survey) => checksum + cut + value;

function findingsOf(file: string, found: Survey): Finding[] {
  const { all, checksum, cut, value, unchecked } = found.sentences;
  const findings: Finding[] = [];
  const broken = brokenOf(found);
  if (broken > 0)
    findings.push({
      code: 'sentences-broken',
      severity: 'warning',
      words: `${file}: ${grouped(broken)} of ${counted(all, 'sentence', 'sentences')} ${broken === 1 ? 'is' : 'are'} broken and ${broken === 1 ? 'was' : 'were'} left out: ${listed(
        [
          [checksum, 'with a wrong checksum'],
          [cut, 'cut short'],
          [value, 'with values that cannot be'],
        ]
          .filter(([count]) => count !== 0)
          .map(([count, words]) => `${grouped(count as number)} ${words}`),
      )}.`,
    });
  if (unchecked > 0)
    findings.push({
      code: 'sentences-unchecked',
      severity: 'note',
      words: `${file}: ${counted(unchecked, 'sentence has', 'sentences have')} no checksum; nothing says that ${unchecked === 1 ? 'it is' : 'they are'} whole.`,
    });
  if (found.lost > 0)
    findings.push({
      code: 'positions-lost',
      severity: 'note',
      words: `${file}: at ${counted(found.lost, 'moment', 'moments')} the receiver had no position; segments end there.`,
    });
  if (found.counts.track_points > 0 && !found.times)
    findings.push({
      code: 'date-missing',
      severity: 'warning',
      words: `${file}: no sentence tells the date, so positions have a time of day only.`,
    });
  return findings;
}
