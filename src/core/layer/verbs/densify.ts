import geographiclib from 'geographiclib-geodesic';
import { type Crs, degreesFrame, geographicOf } from '../../crs/crs.ts';
import { type TransformerOptions, transformer } from '../../crs/transformer.ts';
import type { GeometryArray } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { EdgePath } from './edge-paths.ts';

/** How vertices are added to long edges. */
export interface Densify {
  path: EdgePath;
  /** How far the new edges may lie from the true ones, in metres (on the map that the layer is brought to). */
  within: number;
}

/** Halvings of one edge: more than 65,536 pieces are never made of one. */
const deepest = 16;
const degrees = 180 / Math.PI;

/** A share of an edge, and the image there. */
type Ends = readonly [share: number, x: number, y: number];

/** A point at a share of the way between two points of the source CRS; written to `out`. */
type Between = (ax: number, ay: number, bx: number, by: number, share: number, out: Float64Array) => void;

const straight: Between = (ax, ay, bx, by, share, out) => {
  out[0] = ax + (bx - ax) * share;
  out[1] = ay + (by - ay) * share;
};

function onEllipsoid(source: Crs, rhumb: boolean): Between {
  const globe = degreesFrame(source, 'own');
  const there = transformer(source, globe);
  const back = transformer(globe, source);
  const { a, f } = globe.ellipsoid;
  const geodesic = new geographiclib.Geodesic.Geodesic(a, f);
  const e = Math.sqrt(f * (2 - f));
  const isometric = (phi: number) => {
    const s = Math.sin(phi / degrees);
    return Math.atanh(s) - e * Math.atanh(e * s);
  };
  const ends = new Float64Array(4);
  return (ax, ay, bx, by, share, out) => {
    ends[0] = ax;
    ends[1] = ay;
    ends[2] = bx;
    ends[3] = by;
    there.transform(ends);
    const [l0, p0, l1, p1] = ends;
    if (rhumb) {
      // By one bearing λ is linear in the isometric latitude; along a parallel in itself.
      const phi = p0 + (p1 - p0) * share;
      const q0 = isometric(p0);
      const q = isometric(p1) - q0;
      out[0] = l0 + (l1 - l0) * (Math.abs(q) < 1e-9 ? share : (isometric(phi) - q0) / q);
      out[1] = phi;
    } else {
      const { s12 = 0, azi1 = 0 } = geodesic.Inverse(p0, l0, p1, l1);
      const { lat2 = NaN, lon2 = NaN } = geodesic.Direct(p0, l0, azi1, s12 * share);
      // Next to where the edge begins, so that it does not tear at the antimeridian.
      out[0] = lon2 + 360 * Math.round((l0 - lon2) / 360);
      out[1] = lat2;
    }
    back.transform(out, 0, 1);
  };
}

/**
 * The same geometries with so many vertices on their edges that these keep within a tolerance of their true course after a
 * transformation. Vertices that were there stay as they are; heights and measures are divided along each edge.
 */
export function densifier(
  source: Crs,
  target: Crs,
  { path, within }: Densify,
  options: TransformerOptions,
): (array: GeometryArray) => { geometry: GeometryArray; added: number } {
  const between = path === 'straight' ? straight : onEllipsoid(source, path === 'rhumb');
  const through = transformer(source, target, options);
  const globe = geographicOf(target);
  // Distances on a target in degrees are taken on its sphere.
  const perUnit = target.kind === 'projected' ? target.unit : target.unit * globe.ellipsoid.a;
  const image = new Float64Array(2);
  const place = (x: number, y: number) => {
    image[0] = x;
    image[1] = y;
    through.transform(image);
  };
  const point = new Float64Array(2);
  return (array) => {
    const builder = new GeometryMaker(array.vertexCount);
    let added = 0;
    const put = (v: number, next: number, share: number, x: number, y: number) => {
      builder.vertex(x, y);
      if (array.z !== null) builder.height(array.z[v] + (array.z[next] - array.z[v]) * share);
      if (array.m !== null) builder.measure(array.m[v] + (array.m[next] - array.m[v]) * share);
    };
    /** Places the point at share t of edge v, and tells how far its image lies off the chord between two others. */
    const offChord = (v: number, t: number, a: Ends, b: Ends): number => {
      const { xy } = array;
      between(xy[2 * v], xy[2 * v + 1], xy[2 * v + 2], xy[2 * v + 3], t, point);
      place(point[0], point[1]);
      const part = (t - a[0]) / (b[0] - a[0]);
      return (
        Math.hypot(image[0] - a[1] - (b[1] - a[1]) * part, image[1] - a[2] - (b[2] - a[2]) * part) * perUnit
      );
    };
    const split = (v: number, a: Ends, b: Ends, depth: number): void => {
      const width = b[0] - a[0];
      // Looked at in its quarters, since a symmetric bend passes through the middle of its chord.
      const needed =
        offChord(v, a[0] + width / 4, a, b) > within ||
        offChord(v, a[0] + (3 * width) / 4, a, b) > within ||
        offChord(v, a[0] + width / 2, a, b) > within;
      if (!needed || depth >= deepest) return;
      const t = a[0] + width / 2;
      offChord(v, t, a, b);
      const middle: Ends = [t, image[0], image[1]];
      const [x, y] = point;
      split(v, a, middle, depth + 1);
      put(v, v + 1, t, x, y);
      added++;
      split(v, middle, b, depth + 1);
    };
    for (let i = 0; i < array.length; i++) {
      builder.feature(array.kind[i]);
      for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
        builder.part(array.partKind === null ? undefined : array.kindOfPart(i, p));
        for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
          builder.ring();
          for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) {
            put(v, v, 0, array.xy[2 * v], array.xy[2 * v + 1]);
            if (v + 1 === array.vertexStart[r + 1]) continue;
            place(array.xy[2 * v], array.xy[2 * v + 1]);
            const [x0, y0] = image;
            place(array.xy[2 * v + 2], array.xy[2 * v + 3]);
            const [x1, y1] = image;
            if (Number.isFinite(x0) && Number.isFinite(x1)) split(v, [0, x0, y0], [1, x1, y1], 0);
          }
        }
      }
    }
    return { geometry: builder.finish(), added };
  };
}
