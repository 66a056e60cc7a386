import { closeAccount } from '../../account.ts';
import { type Crs, crsLabel } from '../../crs/crs.ts';
import { transformer } from '../../crs/transformer.ts';
import { IsomericError } from '../../errors.ts';
import type { Layer } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Brings a layer into another CRS. Features with a point that has no image there are told, and keep no geometry there. */
export function reproject(layer: Layer, target: Crs): Layer {
  if (layer.crs === null) {
    throw new IsomericError(
      'crs-missing',
      `The layer ${layer.name} has no CRS, so it cannot be reprojected.`,
      {
        place: { layer: layer.name },
        advice:
          'Say which one it has (in a study: crs on the layer; on the command line: --from CRS); it is never assumed.',
        blame: 'input',
      },
    );
  }
  const through = transformer(layer.crs, target);
  const source = layer.crs;
  return applyVerb('Reproject', layer, {
    crs: target,
    count: layer.count,
    extent: through.identity ? layer.extent : undefined,
    async *run(account, batches) {
      let all = 0;
      let lostFeatures = 0;
      for await (const batch of batches) {
        all += batch.length;
        const geometry = batch.geometry;
        if (through.identity || geometry === null) {
          yield batch;
          continue;
        }
        const xy = geometry.xy.slice();
        if (through.transform(xy) > 0) {
          for (let i = 0; i < geometry.length; i++) {
            for (let v = geometry.firstVertex(i); v < geometry.endVertex(i); v++) {
              if (!Number.isNaN(xy[2 * v]) || Number.isNaN(geometry.xy[2 * v])) continue;
              lostFeatures++;
              if (account.findings.length < 100) {
                account.findings.push({
                  code: 'outside-projection',
                  severity: 'error',
                  layer: layer.name,
                  feature: batch.id(i),
                  at: [geometry.xy[2 * v], geometry.xy[2 * v + 1]],
                  words: `A point of the feature has no image in ${crsLabel(target)}.`,
                  repair: 'clip the layer to the study area first',
                });
              }
              break;
            }
          }
        }
        yield batch.with({ geometry: geometry.withXY(xy) });
      }
      account.counts = { in: all, out: all, withoutImage: lostFeatures };
      account.notes.push(`From ${crsLabel(source)} to ${crsLabel(target)}: ${through.datumWords}.`);
      if (lostFeatures > 0)
        closeAccount(
          account,
          [all, `${layer.name} in`],
          [all - lostFeatures, `brought to ${crsLabel(target)}`],
          [lostFeatures, 'with points that have no image there'],
        );
      else closeAccount(account, [all, `${layer.name} in`], [all, `brought to ${crsLabel(target)}`]);
    },
  });
}

/** Says which CRS a layer without one (or with a wrong one) has. Coordinates stay as they are. */
export function assignCrs(layer: Layer, crs: Crs): Layer {
  return applyVerb('Assign CRS', layer, {
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
}
