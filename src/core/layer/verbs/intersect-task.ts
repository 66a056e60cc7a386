import type { Crs } from '../../crs/crs.ts';
import { dimensionOf, emptyBox, GeometryArray, type GeometryBuffers } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { planarArea, planarLength } from '../../geometry/measures.ts';
import { AreaSet } from '../../geometry/overlay/area-set.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import type { ThreadTask } from '../threads.ts';

/** What became of a given feature. */
export const Fate = { Outside: 0, Inside: 1, Cut: 2 } as const;

/** What features are cut by. */
export interface IntersectSetup {
  /** The areas, each normalised. */
  areas: GeometryBuffers;
  crs: Crs | null;
  /** Only pieces of both; else what of a feature lies outside of all areas comes too. */
  bothOnly: boolean;
  rule: FillRule | undefined;
}

/**
 * Cuts features by areas. Gives the pieces; of each its feature, its area (−1: outside of all), its share of the feature and of the
 * area (NaN: there is none); and what became of each feature (`Fate`).
 */
export const intersectTask: ThreadTask<IntersectSetup> = {
  name: 'intersect',
  async begin({ areas: buffers, crs, bothOnly, rule }) {
    const areas = AreaSet.ofNormalised(new GeometryArray(buffers));
    const measure = await measureFor(crs);
    return ({ geometry }) => {
      const builder = new GeometryMaker(geometry.vertexCount);
      const given: number[] = [];
      const others: number[] = [];
      const shares: number[] = [];
      const otherShares: number[] = [];
      const fates = new Uint8Array(geometry.length);
      const box = emptyBox();
      for (let i = 0; i < geometry.length; i++) {
        const whole = measure(geometry, i);
        const areal = dimensionOf(geometry.kind[i]) === 2;
        let fully = false;
        const first = shares.length;
        let measured = 0;
        let drawn = 0;
        const take = (piece: GeometryArray) => {
          const size = measure(piece, 0);
          measured += size;
          drawn += planar(piece, 0);
          return size;
        };
        const add = (j: number, piece: GeometryArray) => {
          const size = take(piece);
          const area = j < 0 || !areal ? 0 : measure(areas.areas, j);
          builder.copy(piece, 0);
          given.push(i);
          others.push(j);
          shares.push(size);
          otherShares.push(area > 0 ? size / area : Number.NaN);
        };
        const met: number[] = [];
        for (const j of areas.near(geometry.boxOf(i, box))) {
          const piece = new GeometryMaker(32);
          const fate = areas.cut(geometry, i, [j], piece, { rule });
          if (fate === Clipped.Outside) continue;
          met.push(j);
          if (fate === Clipped.Whole) fully = true;
          add(j, piece.finish());
        }
        fates[i] = met.length === 0 ? Fate.Outside : fully ? Fate.Inside : Fate.Cut;
        if (!fully) {
          const piece = new GeometryMaker(32);
          if (areas.cut(geometry, i, met, piece, { rule, outside: true }) !== Clipped.Outside) {
            if (bothOnly) take(piece.finish());
            else add(-1, piece.finish());
          }
        }
        // Edges that a cut makes are straight in the CRS and measured along the ground: pieces miss their whole by a trifle. Their
        // shares are of what they are together, so that they sum to one; where areas overlap, of the whole.
        const own = planar(geometry, i);
        const all = Math.abs(drawn - own) <= 1e-6 * own ? measured : whole;
        for (let k = first; k < shares.length; k++) shares[k] = all > 0 ? shares[k] / all : 1;
      }
      return {
        geometry: builder.features === 0 ? null : builder.finish(),
        arrays: [
          fates,
          Int32Array.from(given),
          Int32Array.from(others),
          Float64Array.from(shares),
          Float64Array.from(otherShares),
        ],
      };
    };
  },
};

type Sized = (array: GeometryArray, i: number) => number;

/** Area of areas, length of lines, nothing of points. */
const pick =
  (area: Sized, length: Sized): Sized =>
  (array, i) => {
    const dimension = dimensionOf(array.kind[i]);
    return dimension === 2 ? area(array, i) : dimension === 1 ? length(array, i) : 0;
  };

const planar = pick(planarArea, planarLength);

/** Area or length of a feature, by its kind; on the ellipsoid where coordinates are degrees. */
export async function measureFor(crs: Crs | null): Promise<Sized> {
  if (crs?.kind !== 'geographic') return planar;
  const { geodesicMeasure } = await import('../../geometry/geodesic.ts');
  const measure = geodesicMeasure(crs);
  return pick(
    (array, i) => measure.area(array, i),
    (array, i) => measure.length(array, i),
  );
}
