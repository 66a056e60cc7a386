import { type Count, closeAccount } from '../../account.ts';
import { sameCrs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { zoneAhead } from '../../field/days.ts';
import { noTimes, requireTimes, timeIn } from '../../field/times.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { rulerFor } from '../../geometry/ruler.ts';
import { Growing } from '../../growing.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, fieldIndex, freeName, requireField } from '../../table/schema.ts';
import { parseTimestamp } from '../../table/time.ts';
import type { Batch } from '../batch.ts';
import { isLayer, type Layer, type Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** How rows are matched to a track by time. */
export interface AlongOptions {
  /** Field of the rows, and of the track, with the times; `time` when left out. */
  time?: string;
  trackTime?: string;
  /** Most seconds between the two positions that a time lies between. */
  within?: number;
  /** Seconds by which the clock of the rows is ahead of that of the track; negative where it is behind. */
  ahead?: number;
  /** Zone of times that say none, in the field `clock`: `-02:00`. */
  zone?: string;
  /** Fields of the track's point nearest in time that come along. */
  columns?: readonly string[];
}

/** Usual longest time between two positions that a third is put between. */
export const usualWithin = 120;

/** Positions of a track in the order of their times. */
interface TimedTrack {
  time: Float64Array;
  xy: Float64Array;
  height: Float64Array;
  /** Batch and row of each, for the fields that come along. */
  batch: Uint32Array;
  row: Uint32Array;
  batches: readonly Batch[];
}

/**
 * Gives rows with times the place on a track where it was at that time; what has a place of its own keeps it, and is told how far
 * that is from the track. Between two positions of the track the place is put in proportion to time.
 */
export async function placeAlong(rows: Table, track: Layer, options: AlongOptions = {}): Promise<Layer> {
  const { within = usualWithin, ahead = 0, columns = [] } = options;
  const time = requireField(rows.schema, options.time ?? 'time', rows.name);
  const trackTime = requireField(track.schema, options.trackTime ?? 'time', track.name);
  const clock = options.zone === undefined ? -1 : fieldIndex(rows.schema, 'clock');
  const zone = options.zone === undefined ? 0 : zoneAhead(options.zone);
  if (Number.isNaN(zone))
    throw new IsomericError('zone-unclear', `“${options.zone}” is no zone.`, {
      advice: 'Write how far it is from UTC: “-02:00”.',
      blame: 'usage',
      wrong: options.zone,
    });
  requireTimes(rows.schema[time], rows.name);
  requireTimes(track.schema[trackTime], track.name);
  const brought = columns.map((name) => requireField(track.schema, name, track.name));
  const crs = isLayer(rows) && rows.crs !== null ? rows.crs : track.crs;
  const placed =
    crs !== null && track.crs !== null && !sameCrs(crs, track.crs)
      ? (await import('./reproject.ts')).reprojectLayer(track, crs)
      : track;
  const ruler = await rulerFor({ name: rows.name, crs });
  const taken = rows.schema.map(({ name }) => name);
  const added = [
    ...brought.map((c) => track.schema[c]),
    { name: 'placed', type: 'text', title: 'Where its place is from' },
    {
      name: 'track_seconds',
      type: 'real',
      title: 'From the nearest position of the track in time',
      unit: 's',
    },
    { name: 'track_metres', type: 'real', title: 'From where the track was', unit: 'm' },
  ].map((field) => {
    const name = freeName(field.name, taken);
    taken.push(name);
    return { ...field, name } as Field;
  });
  const base: Layer = { ...rows, crs, kinds: ['Point'] };
  return applyVerb('Along', base, {
    schema: [...rows.schema, ...added],
    crs,
    kinds: ['Point'],
    count: rows.count,
    async *run(account, source) {
      const held = await readTrack(placed, trackTime);
      if (held.time.length === 0) throw noTimes(track.schema[trackTime], track.name);
      const counts = { in: 0, own: 0, track: 0, outside: 0, timeless: 0 };
      const place = new Float64Array(3);
      for await (const batch of source) {
        const maker = new GeometryMaker();
        const builders = added.map(({ type }) => new ColumnBuilder(type));
        const [word, seconds, metres] = builders.slice(brought.length);
        const { geometry } = batch;
        for (let i = 0; i < batch.length; i++) {
          counts.in++;
          const own = geometry !== null && geometry.kind[i] !== Kind.None && !geometry.isEmpty(i);
          const when = timeOf(batch, i, time, clock, zone) - ahead * 1000;
          const near = Number.isNaN(when) ? -1 : placeAt(held, when, within * 1000, place);
          if (own) {
            maker.copy(geometry, i);
            counts.own++;
          } else if (near >= 0) {
            maker.feature(Kind.Point);
            maker.part();
            maker.ring();
            maker.vertex(place[0], place[1]);
            if (!Number.isNaN(place[2])) maker.height(place[2]);
            counts.track++;
          } else {
            maker.feature(Kind.None);
            if (Number.isNaN(when)) counts.timeless++;
            else counts.outside++;
          }
          brought.forEach((c, k) => {
            if (near < 0) builders[k].null();
            else builders[k].copy(held.batches[held.batch[near]].columns[c], held.row[near]);
          });
          if (own) word.text('its own');
          else if (near >= 0) word.text('the track');
          else word.null();
          if (near < 0) seconds.null();
          else seconds.number(Math.abs(held.time[near] - when) / 1000);
          if (near < 0 || !own) metres.null();
          else {
            const v = geometry.vertexStart[geometry.ringStart[geometry.partStart[i]]];
            metres.number(ruler.distance(place[0], place[1], geometry.xy[2 * v], geometry.xy[2 * v + 1]));
          }
        }
        yield batch.with({
          geometry: maker.finish(),
          columns: [...batch.columns, ...builders.map((builder) => builder.finish())],
        });
      }
      if (counts.timeless > 0 && options.zone === undefined && fieldIndex(rows.schema, 'clock') >= 0)
        account.notes.push(
          'Clocks that say no zone tell no time: name it with “zone” (-02:00), and their rows are placed too.',
        );
      account.counts = { ...counts };
      const rest: Count[] = [
        [counts.own, 'with a place of their own'],
        [counts.track, `placed on ${track.name} by time`],
      ];
      if (counts.outside > 0) rest.push([counts.outside, `taken when ${track.name} was not recorded`]);
      if (counts.timeless > 0) rest.push([counts.timeless, 'without a time']);
      closeAccount(account, [counts.in, `${rows.name} in`], ...rest);
    },
  });
}

function timeOf(batch: Batch, i: number, time: number, clock: number, zone: number): number {
  const told = timeIn(batch.columns[time], i);
  if (!Number.isNaN(told) || clock < 0) return told;
  const text = batch.columns[clock].text(i);
  return text === null ? Number.NaN : parseTimestamp(`${text}Z`) - zone;
}

async function readTrack(track: Layer, time: number): Promise<TimedTrack> {
  const times = new Growing(new Float64Array(1024));
  const xy = new Growing(new Float64Array(2048));
  const height = new Growing(new Float64Array(1024));
  const batchOf = new Growing(new Uint32Array(1024));
  const rowOf = new Growing(new Uint32Array(1024));
  const batches: Batch[] = [];
  for await (const batch of track.batches()) {
    const geometry = batch.geometry!;
    for (let i = 0; i < batch.length; i++) {
      const when = timeIn(batch.columns[time], i);
      if (Number.isNaN(when) || geometry.kind[i] !== Kind.Point || geometry.isEmpty(i)) continue;
      const v = geometry.vertexStart[geometry.ringStart[geometry.partStart[i]]];
      times.push(when);
      xy.push(geometry.xy[2 * v]);
      xy.push(geometry.xy[2 * v + 1]);
      height.push(geometry.z?.[v] ?? Number.NaN);
      batchOf.push(batches.length);
      rowOf.push(i);
    }
    batches.push(batch.with({ geometry: null }));
  }
  const order = Uint32Array.from({ length: times.length }, (_, k) => k).sort(
    (a, b) => times.at(a) - times.at(b) || a - b,
  );
  const sorted: TimedTrack = {
    time: new Float64Array(order.length),
    xy: new Float64Array(2 * order.length),
    height: new Float64Array(order.length),
    batch: new Uint32Array(order.length),
    row: new Uint32Array(order.length),
    batches,
  };
  order.forEach((from, k) => {
    sorted.time[k] = times.at(from);
    sorted.xy[2 * k] = xy.at(2 * from);
    sorted.xy[2 * k + 1] = xy.at(2 * from + 1);
    sorted.height[k] = height.at(from);
    sorted.batch[k] = batchOf.at(from);
    sorted.row[k] = rowOf.at(from);
  });
  return sorted;
}

/**
 * Where the track was at a time, written into `into` (east, north, height). Returns the position nearest in time, or -1 where the
 * track was not recorded then.
 */
function placeAt({ time, xy, height }: TimedTrack, when: number, within: number, into: Float64Array): number {
  let low = 0;
  let high = time.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (time[middle] < when) low = middle + 1;
    else high = middle;
  }
  const exact = low < time.length && time[low] === when;
  if (!exact && (low === 0 || low === time.length || time[low] - time[low - 1] > within)) return -1;
  const [a, b] = exact ? [low, low] : [low - 1, low];
  const share = exact ? 0 : (when - time[a]) / (time[b] - time[a]);
  into[0] = xy[2 * a] + share * (xy[2 * b] - xy[2 * a]);
  into[1] = xy[2 * a + 1] + share * (xy[2 * b + 1] - xy[2 * a + 1]);
  into[2] = height[a] + share * (height[b] - height[a]);
  return share <= 0.5 ? a : b;
}
