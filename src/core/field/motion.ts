import type { Ruler } from '../geometry/ruler.ts';

/** Positions in the order in which they were recorded; times in milliseconds since 1970, NaN where there is none. */
export interface Positions {
  length: number;
  xy: Float64Array;
  /** Metres; NaN where it is not known. */
  height: Float64Array;
  time: Float64Array;
  /** Number of the run (a segment of a track) that each belongs to; the same for those that follow each other in it. */
  run: Uint32Array;
  /** Number of the track that each belongs to. */
  track: Uint32Array;
}

/** What counts as a jump, a stop, a gap. */
export interface MotionLimits {
  /** Metres a second beyond which nobody moved: the position jumped. */
  fastest: number;
  /** A stop: within so many metres for so many seconds. */
  stopWithin: number;
  stopFor: number;
  /** Seconds without a position after which the run is broken. */
  gap: number;
}

/** What is usual: nobody walks or drives faster, a pause is longer than a look at the map. */
export const usualLimits: MotionLimits = { fastest: 50, stopWithin: 15, stopFor: 60, gap: 60 };

/** What was worked out for each position; NaN where there is nothing to say. */
export interface Motion {
  /** From the last position that counts: metres, seconds, metres a second, degrees from north, metres of height. */
  distance: Float64Array;
  seconds: Float64Array;
  speed: Float64Array;
  heading: Float64Array;
  climb: Float64Array;
  /** Since the track began: metres along it (gaps left out), seconds by the clock. */
  along: Float64Array;
  elapsed: Float64Array;
  /** Number of the leg: a stretch without a gap, counted from 1 through the whole. */
  leg: Uint32Array;
  /** Number of the stop that a position belongs to, from 1; 0 where it moved. */
  stop: Uint32Array;
  jump: Uint8Array;
  counts: { jumps: number; stops: number; gaps: number; backwards: number; timeless: number };
}

/** So many positions that agree with each other against what came before are no jump: that is where it went on. */
const agreeing = 3;

/**
 * Works out how positions follow each other. A jump is a position that could be reached only faster than `fastest` while a later one
 * can be reached from before it; what it is measured from is the last position that is none.
 *
 * @param ruler measures in the coordinates of `xy`
 */
export function motionOf(positions: Positions, ruler: Ruler, limits: MotionLimits): Motion {
  const { length } = positions;
  const reals = () => new Float64Array(length).fill(Number.NaN);
  const motion: Motion = {
    distance: reals(),
    seconds: reals(),
    speed: reals(),
    heading: reals(),
    climb: reals(),
    along: reals(),
    elapsed: reals(),
    leg: new Uint32Array(length),
    stop: new Uint32Array(length),
    jump: new Uint8Array(length),
    counts: { jumps: 0, stops: 0, gaps: 0, backwards: 0, timeless: 0 },
  };
  findJumps(positions, ruler, limits, motion);
  follow(positions, ruler, limits, motion);
  findStops(positions, ruler, limits, motion);
  return motion;
}

const pace = ({ xy, time }: Positions, a: number, b: number, ruler: Ruler): number => {
  const seconds = (time[b] - time[a]) / 1000;
  const metres = ruler.distance(xy[2 * a], xy[2 * a + 1], xy[2 * b], xy[2 * b + 1]);
  // Two places at one time: as fast as can be, unless they are one.
  return seconds > 0 ? metres / seconds : metres === 0 ? 0 : Number.POSITIVE_INFINITY;
};

function findJumps(positions: Positions, ruler: Ruler, { fastest }: MotionLimits, motion: Motion): void {
  const { length, run, time } = positions;
  let last = -1;
  for (let i = 0; i < length; i++) {
    if (Number.isNaN(time[i])) continue;
    if (
      last < 0 ||
      run[i] !== run[last] ||
      time[i] < time[last] ||
      !(pace(positions, last, i, ruler) > fastest)
    ) {
      last = i;
      continue;
    }
    if (goesOn(positions, i, ruler, fastest)) {
      // The first position of a run may itself be the one that jumped.
      if (last === 0 || run[last - 1] !== run[last]) {
        motion.jump[last] = 1;
        motion.counts.jumps++;
      }
      last = i;
      continue;
    }
    motion.jump[i] = 1;
    motion.counts.jumps++;
  }
}

/** Do the next positions of the run agree with position i? */
function goesOn(positions: Positions, i: number, ruler: Ruler, fastest: number): boolean {
  const { length, run, time } = positions;
  let before = i;
  let count = 1;
  for (let k = i + 1; k < length && run[k] === run[i] && count < agreeing; k++) {
    if (Number.isNaN(time[k])) continue;
    if (pace(positions, before, k, ruler) > fastest) return false;
    before = k;
    count++;
  }
  return count >= agreeing;
}

function follow(positions: Positions, ruler: Ruler, { gap }: MotionLimits, motion: Motion): void {
  const { length, xy, height, time, run, track } = positions;
  const { counts } = motion;
  const scale = new Float64Array(2);
  let last = -1;
  let leg = 0;
  let along = 0;
  let begin = Number.NaN;
  for (let i = 0; i < length; i++) {
    if (Number.isNaN(time[i])) counts.timeless++;
    if (motion.jump[i] === 1) {
      motion.leg[i] = leg === 0 ? 1 : leg;
      continue;
    }
    const first = last < 0 || track[i] !== track[last];
    const seconds = first ? Number.NaN : (time[i] - time[last]) / 1000;
    if (seconds < 0) counts.backwards++;
    const broken = first || run[i] !== run[last] || seconds > gap || seconds < 0;
    if (first) {
      along = 0;
      begin = time[i];
    }
    if (broken) {
      leg++;
      if (!first) counts.gaps++;
    } else {
      const [ax, ay, bx, by] = [xy[2 * last], xy[2 * last + 1], xy[2 * i], xy[2 * i + 1]];
      const metres = ruler.distance(ax, ay, bx, by);
      motion.distance[i] = metres;
      motion.seconds[i] = seconds;
      motion.climb[i] = height[i] - height[last];
      if (seconds > 0) motion.speed[i] = metres / seconds;
      if (metres > 0) {
        ruler.metresPerUnit((ax + bx) / 2, (ay + by) / 2, scale);
        const turn = (Math.atan2((bx - ax) * scale[0], (by - ay) * scale[1]) * 180) / Math.PI;
        motion.heading[i] = turn < 0 ? turn + 360 : turn;
      }
      along += metres;
    }
    motion.leg[i] = leg;
    motion.along[i] = along;
    motion.elapsed[i] = (time[i] - begin) / 1000;
    last = i;
  }
}

/** Stops: the longest stretches of a leg whose positions stay within a circle around their mean for long enough. */
function findStops(
  positions: Positions,
  ruler: Ruler,
  { stopWithin, stopFor }: MotionLimits,
  motion: Motion,
): void {
  const { length, xy, time } = positions;
  const { leg, stop, jump, counts } = motion;
  let from = 0;
  while (from < length) {
    if (jump[from] === 1 || Number.isNaN(time[from])) {
      from++;
      continue;
    }
    let sumX = xy[2 * from];
    let sumY = xy[2 * from + 1];
    let n = 1;
    let last = from;
    let next = from + 1;
    for (; next < length && leg[next] === leg[from]; next++) {
      if (jump[next] === 1 || Number.isNaN(time[next])) continue;
      const [x, y] = [xy[2 * next], xy[2 * next + 1]];
      if (ruler.distance(sumX / n, sumY / n, x, y) > stopWithin) break;
      sumX += x;
      sumY += y;
      n++;
      last = next;
    }
    if ((time[last] - time[from]) / 1000 < stopFor) {
      from++;
      continue;
    }
    counts.stops++;
    for (let k = from; k <= last; k++) if (jump[k] === 0) stop[k] = counts.stops;
    from = last + 1;
  }
}
