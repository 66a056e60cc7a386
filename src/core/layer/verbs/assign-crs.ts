import { closeAccount } from '../../account.ts';
import { type Crs, crsLabel } from '../../crs/crs.ts';
import type { Layer } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Says which CRS a layer without one (or with a wrong one) has. Coordinates stay as they are. */
export function assignCrs(layer: Layer, crs: Crs): Layer {
  const told = applyVerb('Assign CRS', layer, {
    crs,
    count: layer.count,
    extent: layer.extent,
    handOn: (options) => options,
    async *run(account, batches) {
      let all = 0;
      for await (const batch of batches) {
        all += batch.length;
        yield batch;
      }
      account.counts = { in: all };
      closeAccount(
        account,
        [all, `${layer.name} in`],
        [all, `read as ${crsLabel(crs)} instead of ${crsLabel(layer.crs)}`],
      );
    },
  });
  // Cells are where they were: what was said of them is said of their grid.
  return layer.grid === undefined ? told : { ...told, grid: layer.grid };
}
