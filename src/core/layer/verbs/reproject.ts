import { closeAccount } from '../../account.ts';
import { type Crs, crsLabel } from '../../crs/crs.ts';
import { transformer } from '../../crs/transformer.ts';
import { IsomericError } from '../../errors.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryBuilder } from '../../geometry/geometry-builder.ts';
import type { Layer } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Most features without an image that are told singly; all are counted. */
const mostFindings = 100;

/** First vertex of feature i that had coordinates before and has none now. */
function lostAt(before: GeometryArray, xy: Float64Array, i: number): number {
  for (let v = before.firstVertex(i); v < before.endVertex(i); v++) {
    if (Number.isNaN(xy[2 * v]) && !Number.isNaN(before.xy[2 * v])) return v;
  }
  return -1;
}

function lostIn(before: GeometryArray, xy: Float64Array): number[] {
  const lost: number[] = [];
  for (let i = 0; i < before.length; i++) if (lostAt(before, xy, i) >= 0) lost.push(i);
  return lost;
}

function lostVertex(before: GeometryArray, xy: Float64Array, i: number): [number, number] {
  const v = lostAt(before, xy, i);
  return [before.xy[2 * v], before.xy[2 * v + 1]];
}

/** The same features, those of `lost` without geometry. */
function without(array: GeometryArray, lost: readonly number[]): GeometryArray {
  const builder = new GeometryBuilder(array.vertexCount);
  const gone = new Set(lost);
  for (let i = 0; i < array.length; i++) {
    if (gone.has(i)) builder.feature(Kind.None);
    else builder.copy(array, i);
  }
  return builder.finish();
}

/** Brings a layer into another CRS. Features with a point that has no image there are told, and have no geometry there. */
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
        const lost: number[] = through.transform(xy) > 0 ? lostIn(geometry, xy) : [];
        lostFeatures += lost.length;
        for (const i of lost) {
          if (account.findings.length >= mostFindings) break;
          account.findings.push({
            code: 'outside-projection',
            severity: 'error',
            layer: layer.name,
            feature: batch.id(i),
            at: lostVertex(geometry, xy, i),
            words: `A point of the feature has no image in ${crsLabel(target)}; it has no geometry there.`,
            repair: 'clip the layer to the study area first',
          });
        }
        const moved = geometry.withXY(xy);
        yield batch.with({ geometry: lost.length === 0 ? moved : without(moved, lost) });
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
