import type { Crs } from '../../crs/crs.ts';
import { emptyBox, GeometryArray, type GeometryBuffers } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import type { ThreadTask } from '../threads.ts';
import { cutOne } from './cut-one.ts';
import { measureFor } from './intersect-task.ts';
import { hasArea, shareLeft, sliver } from './slivers.ts';

/** What is left of a feature that reached the border. */
export const Left = { Nothing: 0, Whole: 1, Cut: 2, Dropped: 3 } as const;

/** What the features that reach the border of an area are cut by. */
export interface CutSetup {
  /** The area, normalised: one feature. */
  area: GeometryBuffers;
  outside: boolean;
  /** Per cent of itself that a feature must keep. */
  least: number;
  rule: FillRule | undefined;
  /** Whose shares are wanted, by area (length for lines, on the ellipsoid where coordinates are degrees); null: none are. */
  shares: { crs: Crs | null } | null;
}

/**
 * Cuts features that may reach the border. Gives the shapes of those that were cut, and for each feature what is left (`Left`),
 * whether its fill rule mattered (1) and it is a sliver (2), and, where shares are wanted, the share of it that is left.
 */
export const cutTask: ThreadTask<CutSetup> = {
  name: 'cut',
  async begin({ area: buffers, outside, least, rule, shares: wanted }) {
    const area = AreaIndex.ofNormalised(new GeometryArray(buffers));
    const measure = wanted === null ? null : await measureFor(wanted.crs);
    const box = emptyBox();
    return ({ geometry }) => {
      const left = new Uint8Array(geometry.length);
      const marks = new Uint8Array(geometry.length);
      const shares = measure === null ? null : new Float64Array(geometry.length).fill(1);
      const shapes = new GeometryMaker();
      for (let i = 0; i < geometry.length; i++) {
        const piece = new GeometryMaker(32);
        let ruled = false;
        const fate = cutOne(geometry, i, geometry.boxOf(i, box), area, piece, {
          rule,
          outside,
          onRule: () => {
            ruled = true;
          },
        });
        if (fate === Clipped.Outside) continue;
        if (ruled) marks[i] |= 1;
        if (fate === Clipped.Whole) {
          left[i] = Left.Whole;
          continue;
        }
        const shape = piece.finish();
        const share = shareLeft(shape, geometry, i);
        if (share < least / 100) {
          left[i] = Left.Dropped;
          continue;
        }
        left[i] = Left.Cut;
        if (share < sliver && hasArea(geometry, i)) marks[i] |= 2;
        if (measure !== null) {
          const whole = measure(geometry, i);
          if (whole > 0) shares![i] = measure(shape, 0) / whole;
        }
        shapes.copy(shape, 0);
      }
      return {
        geometry: shapes.features === 0 ? null : shapes.finish(),
        arrays: shares === null ? [left, marks] : [left, marks, shares],
      };
    };
  },
};
