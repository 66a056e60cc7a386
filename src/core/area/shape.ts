import { type Crs, crsLabel, geographicOf, sameCrs } from '../crs/crs.ts';
import { type Transformer, type TransformerOptions, transformer } from '../crs/transformer.ts';
import { IsomericError } from '../errors.ts';
import { geodesicRuler } from '../geometry/geodesic-ruler.ts';
import { emptyBox, type GeometryArray, Kind } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import { geometriesFrom } from '../geometry/object-view.ts';
import { overlayAreas } from '../geometry/overlay/overlay.ts';
import { uniteAreas } from '../geometry/overlay/unite.ts';
import { rulerFor } from '../geometry/ruler.ts';
import { bufferFeature } from '../geometry/shape/buffer.ts';
import { roundGround } from '../geometry/shape/ground.ts';
import { buffersOnEllipsoid } from '../layer/verbs/buffer-on-ellipsoid.ts';
import { dividedEdges, mostPieces } from './divided.ts';

/** Pieces of a quarter of a circle around a place: 360 all around, so that the outline leaves out 0.004 % of the radius at most. */
const circleQuarter = 90;
/** Pieces of a quarter around the corners of an area with a margin. */
const cornerQuarter = 32;
/** How far a divided edge may lie beside its course, metres. */
const allowed = 0.0005;

/** Areas in the coordinates of a CRS. */
export interface Shape {
  readonly geometry: GeometryArray;
  readonly crs: Crs;
}

const outside = (crs: Crs, what: string) =>
  new IsomericError('area-outside-crs', `${what} reaches where ${crsLabel(crs)} has no coordinates.`, {
    advice: 'Choose a smaller area, or another CRS.',
    blame: 'usage',
  });

/**
 * The same areas in another CRS, their edges with so many more vertices that they keep their course to half a millimetre.
 *
 * @param what how it is called when it cannot be brought there
 * @throws IsomericError `area-outside-crs`
 */
export async function brought(
  shape: Shape,
  target: Crs,
  what: string,
  options: TransformerOptions = {},
): Promise<Shape> {
  if (sameCrs(shape.crs, target)) return { geometry: shape.geometry, crs: target };
  const through = transformer(shape.crs, target, options);
  const ruler = await rulerFor({ name: what, crs: target });
  const scale = new Float64Array(2);
  const divided = dividedFor(shape.geometry, through, (x, y) => {
    ruler.metresPerUnit(x, y, scale);
    return scale;
  });
  const xy = divided.xy.slice();
  if (through.transform(xy) > 0) throw outside(target, what);
  return { geometry: divided.withXY(xy), crs: target };
}

/** The areas with their edges divided so that each piece is as good as straight on the other side, too. */
function dividedFor(
  array: GeometryArray,
  through: Transformer,
  metresPerUnit: (x: number, y: number) => Float64Array,
): GeometryArray {
  const probe = new Float64Array(6);
  return dividedEdges(array, (ax, ay, bx, by) => {
    probe.set([ax, ay, (ax + bx) / 2, (ay + by) / 2, bx, by]);
    through.transform(probe);
    const scale = metresPerUnit(probe[2], probe[3]);
    const bend = Math.hypot(
      (probe[2] - (probe[0] + probe[4]) / 2) * scale[0],
      (probe[3] - (probe[1] + probe[5]) / 2) * scale[1],
    );
    // A chord leaves its arc with the square of its length; an edge that is torn is divided finely.
    return Number.isFinite(bend) ? Math.ceil(Math.sqrt(bend / allowed)) : mostPieces;
  });
}

/** The half circle of the degrees of a CRS. */
const halfCircle = (crs: Crs) => Math.PI / geographicOf(crs).unit;

/** Longitudes that follow each other without a leap at the antimeridian, ring by ring. */
function unrolled(array: GeometryArray, half: number): GeometryArray {
  const xy = array.xy.slice();
  const rings = array.ringStart[array.partStart[array.length]];
  for (let r = 0; r < rings; r++)
    for (let v = array.vertexStart[r] + 1; v < array.vertexStart[r + 1]; v++)
      xy[2 * v] -= 2 * half * Math.round((xy[2 * v] - xy[2 * v - 2]) / (2 * half));
  return array.withXY(xy);
}

/** Each polygon of areas as a feature of its own. */
export function polygonsOf(array: GeometryArray): GeometryArray {
  const parts = new GeometryMaker(array.vertexCount);
  for (let i = 0; i < array.length; i++)
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== Kind.Polygon) continue;
      parts.feature(Kind.Polygon);
      parts.part();
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        parts.ring();
        for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++)
          parts.vertex(array.xy[2 * v], array.xy[2 * v + 1]);
      }
    }
  return parts.features === 0 ? geometriesFrom([]) : parts.finish();
}

/** Areas that are cut at the antimeridian, put together again beyond it: a margin must not begin at that cut. */
function joinedAtSeam(array: GeometryArray, half: number): GeometryArray {
  const box = array.box();
  if (box[0] !== -half || box[2] !== half) return array;
  const one = emptyBox();
  const apart = polygonsOf(array);
  const xy = apart.xy.slice();
  for (let i = 0; i < apart.length; i++) {
    apart.boxOf(i, one);
    // What goes all around has no other side.
    if (one[2] - one[0] > half) return array;
    if (one[2] <= 0) for (let v = apart.firstVertex(i); v < apart.endVertex(i); v++) xy[2 * v] += 2 * half;
  }
  return united([apart.withXY(xy)]);
}

/**
 * All that lies within a distance of places and areas, measured along geodesics, whatever the CRS. Less than zero: what lies further
 * than that within areas.
 *
 * @param shape in degrees, or in a projected CRS with edges that are straight there
 * @throws IsomericError `area-empty` where nothing is left, `area-outside-crs`
 */
export async function within(
  shape: Shape,
  metres: number,
  what: string,
  quarter = cornerQuarter,
): Promise<Shape> {
  if (metres === 0) return shape;
  const { crs } = shape;
  const one = united([shape.geometry], true);
  const maker = new GeometryMaker();
  let left = 0;
  if (crs.kind === 'geographic') {
    const made = buffersOnEllipsoid(crs);
    const whole = joinedAtSeam(one, halfCircle(crs));
    for (let i = 0; i < whole.length; i++) if (made(whole, i, metres, maker, { quarter })) left++;
  } else {
    const globe = geographicOf(crs);
    const half = halfCircle(crs);
    const round = await brought({ geometry: one, crs }, globe, what);
    const place = transformer(globe, crs);
    const ground = roundGround(geodesicRuler(globe), (xy) => {
      if (place.transform(xy) > 0) throw outside(crs, what);
    });
    const unrolledShape = unrolled(round.geometry, half);
    for (let i = 0; i < unrolledShape.length; i++)
      left += bufferFeature(unrolledShape, i, metres, maker, { quarter, ground });
  }
  if (left === 0)
    throw new IsomericError('area-empty', `Nothing of ${what} is left that far within its border.`, {
      advice: 'Choose a smaller margin.',
      blame: 'usage',
    });
  return { geometry: united([maker.finish()]), crs };
}

/**
 * A disc around a place: all that a geodesic of so many metres reaches, in a CRS.
 *
 * @param at east or longitude, north or latitude, in `from`
 */
export async function disc(
  at: readonly [number, number],
  from: Crs,
  metres: number,
  target: Crs,
  what: string,
  options: TransformerOptions = {},
): Promise<Shape> {
  const globe = geographicOf(target);
  const xy = Float64Array.of(...at);
  if (transformer(from, globe, options).transform(xy) > 0) throw outside(globe, what);
  const point = geometriesFrom([{ type: 'Point', coordinates: [xy[0], xy[1]] }]);
  if (target.kind === 'geographic')
    return within({ geometry: point, crs: target }, metres, what, circleQuarter);
  const place = transformer(globe, target);
  const ground = roundGround(geodesicRuler(globe), (pairs) => {
    if (place.transform(pairs) > 0) throw outside(target, what);
  });
  const maker = new GeometryMaker();
  bufferFeature(point, 0, metres, maker, { quarter: circleQuarter, ground });
  return { geometry: maker.finish(), crs: target };
}

/** All areas as one feature, without inner borders. @param points keeps points, as they are, where there are no areas */
export function united(arrays: readonly GeometryArray[], points = false): GeometryArray {
  const all = new GeometryMaker();
  for (const array of arrays) for (let i = 0; i < array.length; i++) all.copy(array, i);
  if (all.features === 0) return geometriesFrom([]);
  const whole = all.finish();
  if (points && whole.kind.every((kind) => kind === 1)) return whole;
  const made = new GeometryMaker(whole.vertexCount);
  const features = Array.from({ length: whole.length }, (_, i) => i);
  return uniteAreas(whole, features, made) === 0 ? geometriesFrom([]) : made.finish();
}

/**
 * What of one area does not lie in others.
 *
 * @throws IsomericError `area-empty` where nothing is left
 */
export function without(area: GeometryArray, others: readonly GeometryArray[], what: string): GeometryArray {
  const taken = united(others);
  if (taken.length === 0 || area.length === 0) return area;
  const made = new GeometryMaker(area.vertexCount);
  if (overlayAreas('difference', area, 0, taken, 0, made) === 0)
    throw new IsomericError('area-empty', `Nothing of ${what} is left when the others are taken away.`, {
      blame: 'usage',
    });
  return made.finish();
}
