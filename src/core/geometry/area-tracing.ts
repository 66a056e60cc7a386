import type { Arrangement } from './arrangement.ts';
import type { GeometryArray } from './geometry-array.ts';
import { Kind } from './geometry-array.ts';
import type { GeometryMaker } from './geometry-maker.ts';
import type { Labels } from './labelling.ts';
import { ringDoubleArea } from './measures.ts';
import { locateInRing } from './predicates.ts';

interface Ring {
  /** Closed: last vertex = first. */
  xy: Float64Array;
  area: number;
  box: [number, number, number, number];
}

/**
 * Follows the borders of all faces that `keep` says belong to the result, and writes them as one feature: shells
 * counter-clockwise, holes clockwise, rings that touch themselves taken apart at the touching point. The feature is a
 * Polygon, or a MultiPolygon when there are several; returns how many there are and writes nothing when there are none.
 */
export function traceAreas(
  arrangement: Arrangement,
  labels: Labels,
  keep: (a: number, b: number) => boolean,
  builder: GeometryMaker,
): number {
  const halfEdges = labels.leftA.length;
  // 1: border of the result with the result on its left, to be followed; 0: not, or done.
  const border = new Uint8Array(halfEdges);
  const place = new Uint32Array(halfEdges);
  for (let h = 0; h < halfEdges; h++) {
    if (!keep(labels.leftA[h], labels.leftB[h])) continue;
    if (!keep(labels.leftA[h ^ 1], labels.leftB[h ^ 1])) border[h] = 1;
  }
  const isBorder = border.slice();
  for (let s = 0; s < halfEdges; s++) place[labels.around[s]] = s;
  const shells: { shell: Ring; holes: Ring[] }[] = [];
  const looseHoles: Ring[] = [];
  const stack: number[] = [];
  const onStack = new Map<number, number>();

  for (let first = 0; first < halfEdges; first++) {
    if (border[first] === 0) continue;
    let shell: Ring | null = null;
    const holes: Ring[] = [];
    stack.length = 0;
    onStack.clear();
    let h = first;
    // Around one face, cutting off a ring whenever a node is met again.
    do {
      border[h] = 0;
      const origin = arrangement.origin(h);
      const at = onStack.get(origin);
      if (at !== undefined) {
        const ring = makeRing(arrangement, stack, at);
        for (let s = at; s < stack.length; s++) onStack.delete(arrangement.origin(stack[s]));
        stack.length = at;
        if (ring !== null) {
          if (ring.area > 0 && shell === null) shell = ring;
          else if (ring.area > 0) shells.push({ shell: ring, holes: [] });
          else holes.push(ring);
        }
      }
      onStack.set(origin, stack.length);
      stack.push(h);
      h = nextOnFace(arrangement, labels, place, isBorder, h);
      if (border[h] === 0 && h !== first) throw new Error('Overlay: a border runs into another one.');
    } while (h !== first);
    const last = makeRing(arrangement, stack, 0);
    if (last !== null) {
      if (last.area > 0 && shell === null) shell = last;
      else if (last.area > 0) shells.push({ shell: last, holes: [] });
      else holes.push(last);
    }
    if (shell !== null) shells.push({ shell, holes });
    else looseHoles.push(...holes);
  }
  placeHoles(shells, looseHoles);
  if (shells.length === 0) return 0;
  builder.feature(shells.length === 1 ? Kind.Polygon : Kind.MultiPolygon);
  for (const { shell, holes } of shells) {
    builder.part();
    for (const ring of [shell, ...holes]) {
      builder.ring();
      builder.run(ring.xy, 0, ring.xy.length / 2);
    }
  }
  return shells.length;
}

/** The next border half-edge of the same face: the first one clockwise from the way back. */
function nextOnFace(
  arrangement: Arrangement,
  labels: Labels,
  place: Uint32Array,
  isBorder: Uint8Array,
  h: number,
): number {
  const back = h ^ 1;
  const node = arrangement.origin(back);
  const first = labels.start[node];
  const degree = labels.start[node + 1] - first;
  let s = place[back] - first;
  for (let step = 0; step < degree; step++) {
    s = s === 0 ? degree - 1 : s - 1;
    const candidate = labels.around[first + s];
    if (isBorder[candidate] === 1) return candidate;
  }
  throw new Error('Overlay: a border ends in the open; this cannot happen in an exact arrangement.');
}

/** Half-edges `stack[from …]` → a ring; null when it is too thin for its own coordinates to hold. */
function makeRing(arrangement: Arrangement, stack: number[], from: number): Ring | null {
  const xy: number[] = [];
  let x0 = Infinity;
  let y0 = Infinity;
  let x1 = -Infinity;
  let y1 = -Infinity;
  for (let s = from; s < stack.length; s++) {
    const node = arrangement.origin(stack[s]);
    const x = arrangement.nodeX[node];
    const y = arrangement.nodeY[node];
    const n = xy.length;
    if (n > 0 && xy[n - 2] === x && xy[n - 1] === y) continue;
    xy.push(x, y);
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
  }
  while (xy.length > 2 && xy[0] === xy[xy.length - 2] && xy[1] === xy[xy.length - 1]) xy.length -= 2;
  if (xy.length < 6) return null;
  dropStraight(xy);
  if (xy.length < 6) return null;
  xy.push(xy[0], xy[1]);
  let twice = 0;
  let length = 0;
  for (let k = 0; k + 3 < xy.length; k += 2) {
    twice += (xy[k] - xy[0]) * (xy[k + 3] - xy[1]) - (xy[k + 2] - xy[0]) * (xy[k + 1] - xy[1]);
    length += Math.abs(xy[k + 2] - xy[k]) + Math.abs(xy[k + 3] - xy[k + 1]);
  }
  const ulp = 2.3e-16 * Math.max(Math.abs(x0), Math.abs(x1), Math.abs(y0), Math.abs(y1));
  if (Math.abs(twice) <= 2 * ulp * length) return null;
  return { xy: Float64Array.from(xy), area: twice / 2, box: [x0, y0, x1, y1] };
}

/**
 * Takes out spikes that rounding left (a, b, a). Vertices in the middle of straight runs stay: they are the user's, or
 * a neighbour's border ends there.
 */
function dropStraight(xy: number[]): void {
  for (let k = 0; xy.length >= 6 && k < xy.length; k += 2) {
    const n = xy.length;
    const before = (k + n - 2) % n;
    const after = (k + 2) % n;
    if (xy[before] === xy[after] && xy[before + 1] === xy[after + 1]) {
      const cut = Math.max(k, after);
      xy.splice(cut === after && after === 0 ? 0 : k, 2);
      const again = (k >= xy.length ? 0 : k) % xy.length;
      xy.splice(again, 2);
      k = -2;
    }
  }
}

function boxWithin(inner: Ring['box'], outer: Ring['box']): boolean {
  return inner[0] >= outer[0] && inner[1] >= outer[1] && inner[2] <= outer[2] && inner[3] <= outer[3];
}

/** Gives every loose hole to the smallest shell around it. */
function placeHoles(shells: { shell: Ring; holes: Ring[] }[], holes: Ring[]): void {
  if (holes.length === 0) return;
  const bySize = shells.length > 1 ? [...shells].sort((a, b) => a.shell.area - b.shell.area) : shells;
  for (const hole of holes) {
    const home = bySize.find(({ shell }) => {
      if (-hole.area > shell.area || !boxWithin(hole.box, shell.box)) return false;
      // A hole may touch its shell: the first vertex that lies on neither side of the border decides.
      for (let v = 0; v < hole.xy.length; v += 2) {
        const where = locateInRing(hole.xy[v], hole.xy[v + 1], shell.xy, 0, shell.xy.length / 2);
        if (where !== 0) return where > 0;
      }
      return true;
    });
    home?.holes.push(hole);
  }
}

/**
 * Adds the rings of feature i as edges with the winding contribution (a, b) for their own direction. With `oriented`,
 * shells count counter-clockwise and holes clockwise, whatever way they run: then what a feature covers has a winding
 * other than zero, also where its parts overlap or a ring crosses itself.
 */
export function addAreaEdges(
  arrangement: Arrangement,
  array: GeometryArray,
  i: number,
  a: number,
  b: number,
  oriented = false,
): void {
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    if (array.kindOfPart(i, p) !== Kind.Polygon) continue;
    const shell = array.ringStart[p];
    for (let r = shell; r < array.ringStart[p + 1]; r++) {
      let sign = 1;
      if (oriented) {
        const left = ringDoubleArea(array.xy, array.vertexStart[r], array.vertexStart[r + 1]) >= 0;
        if (left !== (r === shell)) sign = -1;
      }
      addRing(arrangement, array, r, sign * a, sign * b);
    }
  }
}

function addRing(arrangement: Arrangement, array: GeometryArray, r: number, a: number, b: number): void {
  const { xy, vertexStart } = array;
  const first = vertexStart[r];
  const end = vertexStart[r + 1];
  if (end - first < 2) return;
  for (let v = first; v < end - 1; v++) {
    arrangement.addEdge(xy[2 * v], xy[2 * v + 1], xy[2 * v + 2], xy[2 * v + 3], a, b);
  }
  // An unclosed ring is closed here; `check` tells of it.
  const last = end - 1;
  arrangement.addEdge(xy[2 * last], xy[2 * last + 1], xy[2 * first], xy[2 * first + 1], a, b);
}
