import { type Account, closeAccount } from '../../account.ts';
import type { Motion, Positions } from '../../field/motion.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, fieldIndex, freeName } from '../../table/schema.ts';
import { Batch, pieces } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { plainFigure } from './plain-figure.ts';
import { applyVerb } from './verb.ts';

/** What is to be made of positions that were followed. */
export interface MotionShapes {
  layer: Layer;
  /** Fields that part tracks; they stay. */
  tracks: readonly number[];
  segment: number;
  give: 'lines' | 'stops' | 'gaps';
}

/** Positions from one to another of the whole. */
interface Stretch {
  from: number;
  to: number;
}

const times: readonly Field[] = [
  { name: 'begin', type: 'timestamp', title: 'Begin' },
  { name: 'end', type: 'timestamp', title: 'End' },
  { name: 'seconds', type: 'real', title: 'Duration', unit: 's' },
];
const fieldsOf: Readonly<Record<MotionShapes['give'], readonly Field[]>> = {
  lines: [
    { name: 'leg', type: 'integer', title: 'Leg' },
    ...times,
    { name: 'moving', type: 'real', title: 'Duration without stops', unit: 's' },
    { name: 'points', type: 'integer', title: 'Points' },
    { name: 'distance', type: 'real', title: 'Distance', unit: 'm' },
    { name: 'speed_mean', type: 'real', title: 'Mean speed while moving', unit: 'm/s' },
    { name: 'speed_greatest', type: 'real', title: 'Greatest speed', unit: 'm/s' },
    { name: 'climb', type: 'real', title: 'Climb in all', unit: 'm' },
    { name: 'descent', type: 'real', title: 'Descent in all', unit: 'm' },
    { name: 'stops', type: 'integer', title: 'Stops' },
    { name: 'jumps', type: 'integer', title: 'Points that jumped, left out' },
  ],
  stops: [
    { name: 'stop', type: 'integer', title: 'Stop' },
    ...times,
    { name: 'points', type: 'integer', title: 'Points' },
  ],
  gaps: [...times, { name: 'distance', type: 'real', title: 'Distance between its ends', unit: 'm' }],
};

/** Legs as lines, stops as points, gaps as straight lines: one feature each, with its track. */
export function legLines(
  { layer, tracks, segment, give }: MotionShapes,
  work: (account: Account, source: AsyncIterable<Batch>) => Promise<{ read: Positions; motion: Motion }>,
): Layer {
  const names = ['track_name', 'name'].map((name) => fieldIndex(layer.schema, name));
  const carried = [...new Set([...tracks, ...names.slice(0, 1), segment])].filter((c) => c >= 0);
  const taken = carried.map((c) => layer.schema[c].name);
  const own = fieldsOf[give].map((field) => {
    const name = freeName(field.name, taken);
    taken.push(name);
    return { ...field, name };
  });
  return applyVerb('Motion', layer, {
    schema: [...carried.map((c) => asPlainField(layer.schema[c])), ...own],
    kinds: [give === 'stops' ? 'Point' : 'LineString'],
    async *run(account, source) {
      const { read, motion } = await work(account, source);
      const stretches = stretchesOf(give, read, motion);
      const columns = await carriedColumns(layer, carried, stretches);
      const geometry = new GeometryMaker();
      const builders = own.map(({ type }) => new ColumnBuilder(type));
      for (const stretch of stretches) {
        shape(give, stretch, read, motion, geometry);
        valuesOf(give, stretch, read, motion).forEach((value, k) => {
          if (Number.isNaN(value)) builders[k].null();
          else builders[k].number(plainFigure(value));
        });
      }
      account.counts = { in: read.length, made: stretches.length, ...motion.counts };
      closeAccount(
        account,
        [read.length, 'points in'],
        [stretches.length, stretches.length === 1 ? one[give] : give === 'lines' ? 'legs as lines' : give],
        ...(give === 'lines'
          ? [[motion.counts.jumps, motion.counts.jumps === 1 ? 'jump left out' : 'jumps left out'] as const]
          : []),
      );
      if (stretches.length === 0) return;
      yield* pieces(
        new Batch({
          length: stretches.length,
          first: 0,
          geometry: geometry.finish(),
          columns: [...columns, ...builders.map((builder) => builder.finish())],
        }),
        false,
      );
    },
  });
}

const one = { lines: 'leg as a line', stops: 'stop', gaps: 'gap' };

function stretchesOf(give: MotionShapes['give'], read: Positions, motion: Motion): Stretch[] {
  const { leg, stop, jump } = motion;
  const found: Stretch[] = [];
  if (give === 'stops') {
    for (let k = 0; k < read.length; k++) {
      if (stop[k] === 0 || jump[k] === 1) continue;
      const last = found[found.length - 1];
      if (last !== undefined && stop[last.from] === stop[k]) last.to = k;
      else found.push({ from: k, to: k });
    }
    return found;
  }
  for (let k = 0; k < read.length; k++) {
    if (jump[k] === 1) continue;
    const last = found[found.length - 1];
    if (last !== undefined && leg[last.from] === leg[k]) last.to = k;
    else found.push({ from: k, to: k });
  }
  // A leg of one position is no line; it stands among the points.
  if (give === 'lines') return found.filter(({ from, to }) => to > from);
  const gaps: Stretch[] = [];
  for (let k = 1; k < found.length; k++)
    if (read.track[found[k].from] === read.track[found[k - 1].to])
      gaps.push({ from: found[k - 1].to, to: found[k].from });
  return gaps;
}

/** The track of each stretch: values of its first position. */
async function carriedColumns(layer: Layer, carried: readonly number[], stretches: readonly Stretch[]) {
  const builders = carried.map((c) => new ColumnBuilder(layer.schema[c].type));
  let at = 0;
  let next = 0;
  for await (const batch of layer.batches()) {
    for (; next < stretches.length && stretches[next].from < at + batch.length; next++)
      carried.forEach((c, k) => {
        builders[k].copy(batch.columns[c], stretches[next].from - at);
      });
    at += batch.length;
  }
  return builders.map((builder) => builder.finish());
}

function shape(
  give: MotionShapes['give'],
  { from, to }: Stretch,
  read: Positions,
  motion: Motion,
  into: GeometryMaker,
): void {
  const { xy, height } = read;
  into.feature(give === 'stops' ? Kind.Point : Kind.LineString);
  into.part();
  into.ring();
  const put = (x: number, y: number, z: number) => {
    into.vertex(x, y);
    if (!Number.isNaN(z)) into.height(z);
  };
  if (give === 'stops') {
    let [x, y, z, n] = [0, 0, 0, 0];
    for (let k = from; k <= to; k++) {
      if (motion.jump[k] === 1) continue;
      x += xy[2 * k];
      y += xy[2 * k + 1];
      z += height[k];
      n++;
    }
    put(x / n, y / n, z / n);
    return;
  }
  for (let k = from; k <= to; k += give === 'gaps' ? to - from : 1)
    if (motion.jump[k] === 0) put(xy[2 * k], xy[2 * k + 1], height[k]);
}

function valuesOf(
  give: MotionShapes['give'],
  { from, to }: Stretch,
  read: Positions,
  motion: Motion,
): number[] {
  const { time } = read;
  const span = [time[from], time[to], (time[to] - time[from]) / 1000];
  if (give === 'gaps') return [...span, motion.along[to] - motion.along[from]];
  let [points, distance, greatest, climb, descent, standing, stops, jumps] = [
    0,
    0,
    Number.NaN,
    0,
    0,
    0,
    0,
    0,
  ];
  // The stop of the position before, whatever jumped between them.
  let before = 0;
  for (let k = from; k <= to; k++) {
    if (motion.jump[k] === 1) {
      jumps++;
      continue;
    }
    points++;
    const stop = motion.stop[k];
    const goesOn = stop > 0 && stop === before;
    if (stop > 0 && !goesOn) stops++;
    before = stop;
    if (k === from) continue;
    distance += motion.distance[k] || 0;
    if (!(motion.speed[k] <= greatest)) greatest = Number.isNaN(motion.speed[k]) ? greatest : motion.speed[k];
    if (motion.climb[k] > 0) climb += motion.climb[k];
    else if (motion.climb[k] < 0) descent -= motion.climb[k];
    if (goesOn) standing += motion.seconds[k] || 0;
  }
  if (give === 'stops') return [motion.stop[from], ...span, points];
  const moving = span[2] - standing;
  return [
    motion.leg[from],
    ...span,
    moving,
    points,
    distance,
    moving > 0 ? distance / moving : Number.NaN,
    greatest,
    climb,
    descent,
    stops,
    jumps,
  ];
}
