import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { type Motion, type MotionLimits, motionOf, type Positions, usualLimits } from '../../field/motion.ts';
import { noTimes, requireTimes, timeIn } from '../../field/times.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { rulerFor } from '../../geometry/ruler.ts';
import { Growing } from '../../growing.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, fieldIndex, freeName, requireField } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { legLines, type MotionShapes } from './motion-shapes.ts';
import { plainFigure } from './plain-figure.ts';
import { applyVerb } from './verb.ts';

/** What is made of recorded positions. */
export const motionGives = ['points', 'lines', 'stops', 'gaps'] as const;
/** One of them. */
export type MotionGives = (typeof motionGives)[number];

/** How motion is worked out, and what is given. */
export interface MotionOptions extends Partial<MotionLimits> {
  /** The points with their motion; the legs as lines; where it stood; what lies between legs. */
  give?: MotionGives;
  /** Field with the times; `time` when left out. */
  time?: string;
  /** Fields that part the points into tracks; `file` and `track`, as far as they are there, when left out. */
  tracks?: readonly string[];
  /** Field that parts tracks into runs; `segment` when left out and there. */
  segments?: string;
  /** `drop`: points that jumped are left out; they are marked when left out. */
  jumps?: 'mark' | 'drop';
  /** `drop`: of each stop only its first point stays. */
  stops?: 'mark' | 'drop';
  /** Distances along the ellipsoid also where the CRS is a plane. */
  along?: 'ellipsoid';
}

/** Fields of points, in their order. */
const pointFields: readonly Field[] = [
  { name: 'easting', type: 'real', title: 'Easting', unit: 'm' },
  { name: 'northing', type: 'real', title: 'Northing', unit: 'm' },
  { name: 'leg', type: 'integer', title: 'Leg' },
  { name: 'distance', type: 'real', title: 'From the point before', unit: 'm' },
  { name: 'seconds', type: 'real', title: 'Since the point before', unit: 's' },
  { name: 'speed_made', type: 'real', title: 'Speed made good', unit: 'm/s' },
  { name: 'heading', type: 'real', title: 'Heading', unit: 'degrees' },
  { name: 'climb', type: 'real', title: 'Climb', unit: 'm' },
  { name: 'along', type: 'real', title: 'Along the track', unit: 'm' },
  { name: 'elapsed', type: 'real', title: 'Since the track began', unit: 's' },
  { name: 'stop', type: 'integer', title: 'Stop' },
  { name: 'jump', type: 'boolean', title: 'Jumped' },
];

/**
 * Works out how recorded positions follow each other: distance, time, speed over ground, heading, climb; legs, gaps, stops, jumps.
 * The points come in the order in which they were recorded; all are held as numbers.
 *
 * @throws IsomericError `points-wanted`, `field-unknown`, `motion-limit`
 */
export async function layerMotion(layer: Layer, options: MotionOptions = {}): Promise<Layer> {
  const limits = limitsFrom(options);
  const { give = 'points' } = options;
  const time = requireField(layer.schema, options.time ?? 'time', layer.name);
  requireTimes(layer.schema[time], layer.name);
  const tracks =
    options.tracks === undefined
      ? ['file', 'track'].map((name) => fieldIndex(layer.schema, name)).filter((c) => c >= 0)
      : options.tracks.map((name) => requireField(layer.schema, name, layer.name));
  const segment =
    options.segments === undefined
      ? fieldIndex(layer.schema, 'segment')
      : requireField(layer.schema, options.segments, layer.name);
  const measured = options.along === 'ellipsoid' ? await onEllipsoid(layer) : layer;
  const ruler = await rulerFor(measured);
  const planar = layer.crs?.kind === 'projected';
  const added = pointFields.filter(({ name }) => planar || (name !== 'easting' && name !== 'northing'));
  const taken = layer.schema.map(({ name }) => name);
  const named = added.map((field) => {
    const name = freeName(field.name, taken);
    taken.push(name);
    const unit = field.name === 'easting' || field.name === 'northing' ? unitOf(layer) : field.unit;
    return { ...field, name, unit };
  });
  const work = async (account: Account, source: AsyncIterable<Batch>) => {
    const read = await readPositions(source, { time, tracks, segment }, layer.name);
    const positions = measured === layer ? read : { ...read, xy: (await readPlaces(measured)).xy };
    if (read.length > 0 && read.time.every(Number.isNaN)) throw noTimes(layer.schema[time], layer.name);
    const motion = motionOf(positions, ruler, limits);
    tell(account, motion, limits, layer.name, give === 'points');
    return { read, motion };
  };
  if (give !== 'points') {
    const shapes: MotionShapes = { layer, tracks, segment, give };
    return legLines(shapes, work);
  }
  return applyVerb('Motion', layer, {
    schema: [...layer.schema, ...named],
    kinds: ['Point'],
    async *run(account, source) {
      const { read, motion } = await work(account, source);
      const dropJumps = options.jumps === 'drop';
      const thinStops = options.stops === 'drop';
      let at = 0;
      let kept = 0;
      let thinned = 0;
      // The stop of the position before, whatever jumped between them.
      let before = 0;
      for await (const batch of layer.batches()) {
        const indices: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          const k = at + i;
          if (motion.jump[k] === 1) {
            if (!dropJumps) indices.push(i);
            continue;
          }
          const stands = motion.stop[k] > 0 && motion.stop[k] === before;
          before = motion.stop[k];
          if (thinStops && stands) thinned++;
          else indices.push(i);
        }
        kept += indices.length;
        const columns = added.map(({ name, type }) =>
          pointColumn(name, type, motion, read, at, batch.length),
        );
        const whole = batch.with({ columns: [...batch.columns, ...columns] });
        at += batch.length;
        if (indices.length === batch.length) yield whole;
        else if (indices.length > 0) yield whole.take(indices);
      }
      close(account, motion, read.length, [
        ...(dropJumps ? [[motion.counts.jumps, 'that jumped dropped'] as const] : []),
        ...(thinStops ? [[thinned, 'of stops dropped'] as const] : []),
        [kept, 'kept'],
      ]);
    },
  });
}

function limitsFrom(options: MotionOptions): MotionLimits {
  const limits = { ...usualLimits };
  for (const name of Object.keys(usualLimits) as (keyof MotionLimits)[]) {
    const value = options[name];
    if (value === undefined) continue;
    if (!(value > 0))
      throw new IsomericError('motion-limit', `A limit of ${value} finds nothing: it must be above 0.`, {
        blame: 'usage',
      });
    limits[name] = value;
  }
  return limits;
}

const unitOf = ({ crs }: Layer) => (crs?.kind === 'projected' && crs.unit !== 1 ? crs.unitName : 'm');

/** The same points in degrees on the ellipsoid of their CRS. */
async function onEllipsoid(layer: Layer): Promise<Layer> {
  const { crs } = layer;
  if (crs?.kind !== 'projected') return layer;
  const { reprojectLayer } = await import('./reproject.ts');
  return reprojectLayer(layer, crs.base);
}

interface Places {
  time: number;
  tracks: readonly number[];
  segment: number;
}

async function readPlaces(layer: Layer): Promise<Pick<Positions, 'xy' | 'height' | 'length'>> {
  const xy = new Growing(new Float64Array(1024));
  const height = new Growing(new Float64Array(1024));
  let length = 0;
  for await (const batch of layer.batches()) {
    length += batch.length;
    putPlaces(batch, xy, height, layer.name);
  }
  return { xy: xy.view(), height: height.view(), length };
}

function putPlaces(
  batch: Batch,
  xy: Growing<Float64Array>,
  height: Growing<Float64Array>,
  name: string,
): void {
  const geometry = batch.geometry!;
  for (let i = 0; i < batch.length; i++) {
    if (geometry.kind[i] !== Kind.Point || geometry.isEmpty(i))
      throw new IsomericError(
        'points-wanted',
        `${name} is not all points: motion is worked out from one position to the next.`,
        {
          place: { feature: batch.id(i) },
          advice: 'Take the points of the tracks.',
          blame: 'usage',
        },
      );
    const v = geometry.vertexStart[geometry.ringStart[geometry.partStart[i]]];
    xy.push(geometry.xy[2 * v]);
    xy.push(geometry.xy[2 * v + 1]);
    height.push(geometry.z?.[v] ?? Number.NaN);
  }
}

async function readPositions(
  source: AsyncIterable<Batch>,
  { time, tracks, segment }: Places,
  name: string,
): Promise<Positions> {
  const xy = new Growing(new Float64Array(1024));
  const height = new Growing(new Float64Array(1024));
  const times = new Growing(new Float64Array(1024));
  const runs = new Growing(new Uint32Array(1024));
  const numbers = new Growing(new Uint32Array(1024));
  let length = 0;
  let track = 0;
  let run = 0;
  let lastTrack: string | null = null;
  let lastRun: string | null = null;
  for await (const batch of source) {
    putPlaces(batch, xy, height, name);
    for (let i = 0; i < batch.length; i++) {
      const key = tracks.length === 0 ? '' : tracks.map((c) => batch.columns[c].text(i) ?? '').join('\0');
      const part = segment < 0 ? '' : (batch.columns[segment].text(i) ?? '');
      if (key !== lastTrack) track++;
      if (key !== lastTrack || part !== lastRun) run++;
      lastTrack = key;
      lastRun = part;
      times.push(timeIn(batch.columns[time], i));
      runs.push(run);
      numbers.push(track);
    }
    length += batch.length;
  }
  return {
    length,
    xy: xy.view(),
    height: height.view(),
    time: times.view(),
    run: runs.view(),
    track: numbers.view(),
  };
}

function pointColumn(
  name: string,
  type: Field['type'],
  motion: Motion,
  read: Positions,
  from: number,
  length: number,
): Column {
  const builder = new ColumnBuilder(type);
  const value = (k: number): number => {
    switch (name) {
      case 'easting':
        return read.xy[2 * k];
      case 'northing':
        return read.xy[2 * k + 1];
      case 'leg':
        return motion.leg[k];
      case 'stop':
        return motion.stop[k] === 0 ? Number.NaN : motion.stop[k];
      case 'jump':
        return motion.jump[k];
      case 'speed_made':
        return motion.speed[k];
      default:
        return motion[name as 'distance' | 'seconds' | 'heading' | 'climb' | 'along' | 'elapsed'][k];
    }
  };
  for (let k = from; k < from + length; k++) {
    const found = value(k);
    if (Number.isNaN(found)) builder.null();
    else builder.number(name === 'easting' || name === 'northing' ? found : plainFigure(found));
  }
  return builder.finish();
}

/** What is to be known of how it moved. */
function tell(
  account: Account,
  { counts }: Motion,
  limits: MotionLimits,
  name: string,
  points: boolean,
): void {
  if (counts.backwards > 0)
    account.findings.push({
      code: 'times-backwards',
      severity: 'warning',
      layer: name,
      words: `${counted(counts.backwards, 'point was', 'points were')} recorded before the one that stands before ${counts.backwards === 1 ? 'it' : 'them'}; a leg ends there.`,
      repair: 'look whether the clock was set, or the points stand in another order',
    });
  if (counts.timeless > 0)
    account.findings.push({
      code: 'times-missing',
      severity: 'note',
      layer: name,
      words: `${counted(counts.timeless, 'point has', 'points have')} no time, so no speed.`,
    });
  if (counts.jumps > 0 && points)
    account.notes.push(
      `${counted(counts.jumps, 'point could', 'points could')} be reached only faster than ${grouped(limits.fastest)} m/s: ${counts.jumps === 1 ? 'it is' : 'they are'} no part of distances.`,
    );
  if (counts.stops > 0 && points)
    account.notes.push(
      `A stop is ${grouped(limits.stopFor)} s or longer within ${grouped(limits.stopWithin)} m; a gap is longer than ${grouped(limits.gap)} s, or the end of a segment.`,
    );
}

/** Closes the account of motion. */
export function close(account: Account, { counts, leg }: Motion, all: number, rest: readonly Count[]): void {
  const legs = new Set(leg).size;
  account.counts = { in: all, legs, ...counts };
  closeAccount(
    account,
    [all, 'points in'],
    ...rest,
    [legs, legs === 1 ? 'leg' : 'legs'],
    [counts.stops, counts.stops === 1 ? 'stop' : 'stops'],
    [counts.gaps, counts.gaps === 1 ? 'gap' : 'gaps'],
    [counts.jumps, counts.jumps === 1 ? 'jump' : 'jumps'],
  );
}
