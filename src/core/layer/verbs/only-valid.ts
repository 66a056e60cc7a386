import { faultsOf, faultWords } from '../../checks/validity.ts';
import { IsomericError } from '../../errors.ts';
import type { Layer } from '../layer.ts';

/**
 * The same layer, which ends at the first feature that is invalid, with its place, in place of reading it by a fill rule.
 *
 * @throws IsomericError `feature-invalid` while it is read
 */
export function onlyValid(layer: Layer): Layer {
  return {
    ...layer,
    async *batches(options) {
      for await (const batch of layer.batches(options)) {
        for (let i = 0; i < batch.length; i++) {
          const [fault] = faultsOf(batch.geometry!, i);
          if (fault === undefined) continue;
          throw new IsomericError(
            'feature-invalid',
            `Feature ${batch.id(i)} of ${layer.name} is invalid: ${faultWords[fault.code]}, at ${fault.x}, ${fault.y}.`,
            {
              place: { layer: layer.name },
              advice: 'Repair it first (“isomeric repair”, the step “repair: {}”), or leave “strict” away.',
            },
          );
        }
        yield batch;
      }
    },
  };
}
