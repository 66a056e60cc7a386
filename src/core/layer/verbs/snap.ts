import { counted, grouped } from '../../account.ts';
import { sameCrs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { dimensionOf } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { uniteAreas } from '../../geometry/overlay/unite.ts';
import { rulerFor } from '../../geometry/ruler.ts';
import { Snapper } from '../../geometry/shape/snap.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { reprojectLayer } from './reproject.ts';
import { reshapeLayer } from './reshape.ts';

/**
 * Draws the vertices of a layer onto another one, where they lie within some metres of it, so that borders that ran beside
 * each other become the same. Areas come out valid. The other layer is held in memory.
 */
export function snapLayer(layer: Layer, reference: Layer, metres: number): Layer {
  const own = inCrsOf(layer, reference);
  let moved = 0;
  let added = 0;
  let features = 0;
  return reshapeLayer(layer, {
    verb: 'Snap',
    kinds: undefined,
    single: true,
    async begin() {
      moved = 0;
      added = 0;
      features = 0;
      const held = await HeldLayer.of(reference.name, own.batches(), []);
      const snapper = new Snapper(held.geometry, await rulerFor(layer), metres);
      return ({ geometry }, i, builder) => {
        const single = new GeometryMaker();
        const counts = snapper.snap(geometry!, i, single);
        if (counts.moved + counts.added === 0) {
          builder.copy(geometry!, i);
          return;
        }
        moved += counts.moved;
        added += counts.added;
        features++;
        const made = single.finish();
        if (dimensionOf(made.kind[0]) === 2) uniteAreas(made, [0], builder);
        else builder.copy(made, 0);
      };
    },
    words: ({ made, nothing }) => [
      [features, `drawn to ${reference.name} within ${grouped(metres)} m`],
      [made - features, 'kept as they were'],
      ...(nothing > 0 ? [[nothing, 'of which nothing is left dropped'] as const] : []),
    ],
    notes: () => [
      `${counted(moved, 'vertex was', 'vertices were')} moved, ${counted(added, 'vertex', 'vertices')} of ${reference.name} taken in.`,
    ],
  });
}

/** A layer in the CRS of another. */
export function inCrsOf(layer: Pick<Layer, 'name' | 'crs'>, other: Layer): Layer {
  const { crs } = layer;
  if (crs === null ? other.crs !== null : other.crs === null)
    throw new IsomericError(
      'crs-missing',
      `${crs === null ? layer.name : other.name} has no CRS, so what lies where cannot be said.`,
      { blame: 'usage', advice: 'Say which CRS it has first.' },
    );
  return crs === null || sameCrs(crs, other.crs!) ? other : reprojectLayer(other, crs);
}
