import { counted, grouped } from '../../account.ts';
import { rulerFor } from '../../geometry/ruler.ts';
import { densifyFeature } from '../../geometry/shape/densify.ts';
import type { Layer } from '../layer.ts';
import { reshapeLayer } from './reshape.ts';

/** Gives lines and areas so many more vertices that no edge is longer than some metres; what was there stays. */
export function densifyLayer(layer: Layer, metres: number): Layer {
  let added = 0;
  return reshapeLayer(layer, {
    verb: 'Densify',
    kinds: layer.kinds,
    single: true,
    async begin() {
      added = 0;
      const ruler = await rulerFor(layer);
      return ({ geometry }, i, builder) => {
        added += densifyFeature(geometry!, i, metres, ruler, builder);
      };
    },
    words: ({ made }) => [[made, `out, with ${counted(added, 'vertex', 'vertices')} more`]],
    notes: () => [`No edge is longer than ${grouped(metres)} m.`],
  });
}
