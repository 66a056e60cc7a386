import { closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { smooth } from '../../geometry/shape/smooth.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/** Rounds of cutting, at most: each one doubles the vertices. */
const mostRounds = 6;

/**
 * Cuts the corners of all lines and areas of a layer together, so that borders that features share stay the same on both
 * sides. The layer is held in memory.
 *
 * @param rounds how often; 2 when left out
 */
export function smoothLayer(layer: Layer, rounds = 2): Layer {
  if (!Number.isInteger(rounds) || rounds < 1 || rounds > mostRounds)
    throw new IsomericError(
      'smooth-rounds',
      `Corners are cut 1 to ${mostRounds} times, not ${rounds} times.`,
      {
        blame: 'usage',
        advice: 'Each time doubles the vertices; 2 or 3 look smooth.',
      },
    );
  return applyVerb('Smooth', layer, {
    async *run(account, source) {
      const whole = await HeldLayer.of(layer.name, source, account.findings);
      const { geometry, held } = smooth(whole.geometry, rounds);
      account.counts = {
        in: whole.all,
        smoothed: whole.length,
        verticesBefore: whole.geometry.vertexCount,
        verticesAfter: geometry.vertexCount,
        held,
      };
      if (held > 0)
        account.notes.push(
          `${counted(held, 'corner stays', 'corners stay')} as ${held === 1 ? 'it is' : 'they are'}: something lies within.`,
        );
      closeAccount(
        account,
        [whole.all, `${layer.name} in`],
        [
          whole.length,
          `smoothed, with ${counted(geometry.vertexCount, 'vertex', 'vertices')} for ${grouped(whole.geometry.vertexCount)}`,
        ],
        ...whole.leftOut(),
      );
      yield* whole.rows(layer.schema, rangeOf(whole.length), geometry, [], true);
    },
  });
}

const rangeOf = (length: number) => Uint32Array.from({ length }, (_, k) => k);
