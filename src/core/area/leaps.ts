import type { Crs } from '../crs/crs.ts';
import { emptyBox, type GeometryArray, Kind } from '../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../geometry/geometry-maker.ts';
import { planarArea } from '../geometry/measures.ts';
import { Batch } from '../layer/batch.ts';
import { type Layer, layerOf } from '../layer/layer.ts';
import { cutAtAntimeridian } from '../layer/verbs/antimeridian.ts';
import { polygonsOf, united } from './shape.ts';

/** An edge that spans more of the circle than this runs from one edge of the map to the other. */
const leap = 5 / 6;

/**
 * Does a polygon have an edge that leaps across the antimeridian; or one from edge to edge of the map, that may be a side of a belt? A
 * ring that goes around a pole leaps once, and comes back to where it began on the other side: it is none.
 */
function leaps(array: GeometryArray, i: number, circle: number): 'surely' | 'maybe' | 'no' {
  let found: 'surely' | 'maybe' | 'no' = 'no';
  for (let r = array.ringStart[array.partStart[i]]; r < array.ringStart[array.partStart[i + 1]]; r++) {
    let turns = 0;
    let leapt = false;
    for (let v = array.vertexStart[r] + 1; v < array.vertexStart[r + 1]; v++) {
      const step = array.xy[2 * v] - array.xy[2 * v - 2];
      if (Math.abs(step) <= leap * circle) continue;
      turns += Math.sign(step);
      if (Math.abs(step) < circle) leapt = true;
      else if (found === 'no') found = 'maybe';
    }
    if (turns !== 0) return 'no';
    if (leapt) found = 'surely';
  }
  return found;
}

/**
 * The polygons of an array, rings that go around a pole closed at it: where such a ring leaps from one edge of the map to the other, it
 * is led along that edge to the pole, and back along the other one (RFC 7946 knows no other way to draw it).
 *
 * @returns how many were closed
 */
function closedAtPoles(array: GeometryArray, circle: number): { geometry: GeometryArray; closed: number } {
  const maker = new GeometryMaker(array.vertexCount + 16);
  let closed = 0;
  for (let i = 0; i < array.length; i++) {
    maker.feature(array.kind[i]);
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      maker.part();
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        maker.ring();
        const [first, end] = [array.vertexStart[r], array.vertexStart[r + 1]];
        const { xy } = array;
        let at = -1;
        let jumps = 0;
        let sum = 0;
        for (let v = first; v < end; v++) {
          sum += xy[2 * v + 1];
          if (v === first || Math.abs(xy[2 * v] - xy[2 * v - 2]) <= leap * circle) continue;
          // What runs along the pole already is closed.
          if (Math.abs(xy[2 * v + 1]) > 0.249 * circle) continue;
          jumps++;
          at = v;
        }
        const pole = sum < 0 ? -circle / 4 : circle / 4;
        for (let v = first; v < end; v++) {
          if (jumps === 1 && v === at) {
            const side = xy[2 * v - 2] < 0 ? -circle / 2 : circle / 2;
            const middle = (xy[2 * v - 1] + xy[2 * v + 1]) / 2;
            maker.vertex(side, middle);
            maker.vertex(side, pole);
            maker.vertex(-side, pole);
            maker.vertex(-side, middle);
            closed++;
          }
          maker.vertex(xy[2 * v], xy[2 * v + 1]);
        }
      }
    }
  }
  return { geometry: maker.finish(), closed };
}

/**
 * Areas in degrees whose edges leap from one edge of the map to the other, cut at the antimeridian: such an edge is taken the short way.
 * One from edge to edge exactly is so only where that makes the area smaller by half, and leaves something of it: it may be a side of a
 * belt around the globe. Rings around a pole are closed at it. Others, and those of projected CRSs, stay as they are.
 *
 * @returns the areas, each polygon by itself where some of them may leap, and how many were cut
 */
export async function withoutLeaps(
  given: GeometryArray,
  crs: Crs,
): Promise<{ geometry: GeometryArray; cut: number }> {
  if (crs.kind !== 'geographic' || given.length === 0) return { geometry: given, cut: 0 };
  const half = Math.PI / crs.unit;
  const box = given.box();
  if (box[2] - box[0] <= half) return { geometry: given, cut: 0 };
  const polygons = polygonsOf(given);
  if (polygons.length === 0) return { geometry: given, cut: 0 };
  const { geometry, closed } = closedAtPoles(polygons, 2 * half);
  const batch = new Batch({ length: geometry.length, first: 0, geometry, columns: [] });
  const layer = layerOf({ name: 'areas', schema: [], crs, batches: [batch] });
  const maker = new GeometryMaker(geometry.vertexCount);
  let cut = closed;
  let i = 0;
  for await (const made of cutAtAntimeridian(layer, true).batches())
    for (let k = 0; k < made.length; k++, i++) {
      const [before, after] = [planarArea(geometry, i), planarArea(made.geometry!, k)];
      const how = leaps(geometry, i, 2 * half);
      const smaller = how === 'surely' || (how === 'maybe' && 2 * after < before);
      if (made.geometry!.kind[k] !== Kind.None && after > 0 && smaller) {
        maker.copy(made.geometry!, k);
        cut++;
      } else maker.copy(geometry, i);
    }
  return { geometry: maker.finish(), cut };
}

/** A layer whose areas have no edges that leap across the antimeridian; of a projected CRS as it is. */
export function layerWithoutLeaps(layer: Layer): Layer {
  const { crs } = layer;
  if (crs === null || crs.kind !== 'geographic') return layer;
  const half = Math.PI / crs.unit;
  return {
    ...layer,
    async *batches(options) {
      const box = emptyBox();
      for await (const batch of layer.batches(options)) {
        const { geometry } = batch;
        const wide = new Map<number, GeometryArray>();
        for (let i = 0; geometry !== null && i < batch.length; i++) {
          geometry.boxOf(i, box);
          if (box[2] - box[0] <= half) continue;
          const own = await withoutLeaps(takeGeometries(geometry, [i]), crs);
          if (own.cut > 0) wide.set(i, united([own.geometry]));
        }
        if (wide.size === 0) {
          yield batch;
          continue;
        }
        const maker = new GeometryMaker(geometry!.vertexCount);
        for (let i = 0; i < batch.length; i++) maker.copy(wide.get(i) ?? geometry!, wide.has(i) ? 0 : i);
        yield batch.with({ geometry: maker.finish() });
      }
    },
  };
}
