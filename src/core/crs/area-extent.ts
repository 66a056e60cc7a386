import { type Box, boxOfPositions } from '../geometry/geometry-array.ts';
import type { AreaIndex } from '../geometry/overlay/area-index.ts';
import type { Crs } from './crs.ts';
import { wgs84 } from './registry.ts';
import { type Transformer, transformer } from './transformer.ts';

/** An edge longer than this part of the area's larger side is looked at in between: it may bend in another CRS. */
const finest = 64;
/** What a bend may reach beyond the points that were looked at, as a part of the box's larger side. */
const reach = 1e-4;

/**
 * A box in degrees may cross the antimeridian: then its west is greater than its east, as in RFC 7946, section 5.2, and in
 * OGC API – Features. These are the one or two boxes that cover it and do not cross.
 */
export function plainBoxes(box: Box): Box[] {
  const [west, south, east, north] = box;
  if (west <= east) return [box];
  return [
    [west, south, 180, north],
    [-180, south, east, north],
  ];
}

/** The ring of a box, its sides divided so that they bend with the CRS that they are brought to. */
export function boxRing([west, south, east, north]: Box): [number, number][] {
  const ring: [number, number][] = [];
  const side = (x0: number, y0: number, x1: number, y1: number) => {
    for (let k = 0; k < finest; k++)
      ring.push([x0 + ((x1 - x0) * k) / finest, y0 + ((y1 - y0) * k) / finest]);
  };
  side(west, south, east, south);
  side(east, south, east, north);
  side(east, north, west, north);
  side(west, north, west, south);
  ring.push(ring[0]);
  return ring;
}

/** Points along all edges of an area, transformed; those without an image are NaN. */
function borderThrough(area: AreaIndex, through: Transformer): Float64Array {
  const { ends, box } = area;
  const longest = Math.max(box[2] - box[0], box[3] - box[1]) / finest;
  const points: number[] = [];
  for (let k = 0; k < ends.length; k += 4) {
    const length = Math.hypot(ends[k + 2] - ends[k], ends[k + 3] - ends[k + 1]);
    const steps = Math.max(1, Math.min(4 * finest, Math.ceil(length / longest)));
    for (let s = 0; s < steps; s++)
      points.push(
        ends[k] + ((ends[k + 2] - ends[k]) * s) / steps,
        ends[k + 1] + ((ends[k + 3] - ends[k + 1]) * s) / steps,
      );
  }
  const xy = Float64Array.from(points);
  through.transform(xy);
  return xy;
}

/** West and east of longitudes: what is left when the widest gap between them is left out. */
function longitudesOf(values: Float64Array): [west: number, east: number] {
  const sorted = values.sort();
  const last = sorted.length - 1;
  let gap = sorted[0] + 360 - sorted[last];
  let after = 0;
  for (let k = 1; k <= last; k++) {
    if (sorted[k] - sorted[k - 1] <= gap) continue;
    gap = sorted[k] - sorted[k - 1];
    after = k;
  }
  // Nothing but small gaps: it goes all around.
  if (gap <= (1.01 * 360) / finest) return [-180, 180];
  return [sorted[after], after === 0 ? sorted[last] : sorted[after - 1]];
}

/**
 * Box of an area in longitudes and latitudes on WGS 84, west greater than east where it crosses the antimeridian; an area
 * around a pole reaches all around. A little larger than the area, never beyond the globe.
 */
export function degreesOfArea(area: AreaIndex, crs: Crs): Box {
  const globe = wgs84();
  const xy = borderThrough(area, transformer(crs, globe));
  const longitudes: number[] = [];
  let south = Infinity;
  let north = -Infinity;
  for (let k = 0; k < xy.length; k += 2) {
    if (Number.isNaN(xy[k])) continue;
    // Degrees beyond the half circle name the same places.
    const longitude = xy[k] - 360 * Math.round(xy[k] / 360);
    longitudes.push(Math.abs(xy[k]) === 180 ? xy[k] : longitude);
    south = Math.min(south, xy[k + 1]);
    north = Math.max(north, xy[k + 1]);
  }
  if (longitudes.length === 0) return [-180, -90, 180, 90];
  let [west, east] = longitudesOf(Float64Array.from(longitudes));
  if (crs.kind === 'projected') {
    const back = transformer(globe, crs);
    for (const pole of [-90, 90]) {
      const at = Float64Array.of(0, pole);
      back.transform(at);
      if (!Number.isFinite(at[0]) || area.locate(at[0], at[1]) < 0) continue;
      [west, east] = [-180, 180];
      if (pole < 0) south = -90;
      else north = 90;
    }
  }
  const width = west <= east ? east - west : east - west + 360;
  const margin = reach * Math.max(width, north - south);
  const around = width + 2 * margin >= 360;
  const turned = (longitude: number) =>
    longitude < -180 ? longitude + 360 : longitude > 180 ? longitude - 360 : longitude;
  return [
    around ? -180 : west <= -180 ? -180 : turned(west - margin),
    Math.max(-90, south - margin),
    around ? 180 : east >= 180 ? 180 : turned(east + margin),
    Math.min(90, north + margin),
  ];
}

/** Box of an area in another projected CRS, a little larger. */
export function boxOfAreaIn(area: AreaIndex, crs: Crs, other: Crs): Box {
  const box = boxOfPositions(borderThrough(area, transformer(crs, other)));
  const margin = reach * Math.max(box[2] - box[0], box[3] - box[1]);
  return [box[0] - margin, box[1] - margin, box[2] + margin, box[3] + margin];
}
