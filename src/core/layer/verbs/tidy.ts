import { IsomericError } from '../../errors.ts';
import { planarRuler, rulerFor } from '../../geometry/ruler.ts';
import { tidyFeature } from '../../geometry/shape/tidy.ts';
import type { Layer } from '../layer.ts';
import { reshapeLayer } from './reshape.ts';

/**
 * Takes vertices out that repeat the one before, and spikes, at which a path turns back along itself. What is left of nothing is
 * dropped and counted.
 *
 * @param within metres up to which vertices count as repeated and spikes as closed; 0 when left out: only what is exact
 */
export function tidyLayer(layer: Layer, within = 0): Layer {
  if (!(within >= 0) || !Number.isFinite(within))
    throw new IsomericError('tidy-within', `“${within}” is no number of metres.`, { blame: 'usage' });
  let repeated = 0;
  let spikes = 0;
  return reshapeLayer(layer, {
    verb: 'Tidy',
    kinds: layer.kinds,
    single: true,
    async begin() {
      repeated = 0;
      spikes = 0;
      const ruler = within === 0 ? planarRuler() : await rulerFor(layer);
      return ({ geometry }, i, builder) => {
        const out = tidyFeature(geometry!, i, within, ruler, builder);
        repeated += out.repeated;
        spikes += out.spikes;
      };
    },
    words: ({ made, nothing }) => [
      [made, 'out'],
      [repeated, repeated === 1 ? 'repeated vertex' : 'repeated vertices'],
      [spikes, `${spikes === 1 ? 'spike' : 'spikes'} taken out`],
      ...(nothing > 0 ? [[nothing, 'of which nothing is left dropped'] as const] : []),
    ],
  });
}
