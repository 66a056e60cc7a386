import { type Count, closeAccount, counted } from '../../account.ts';
import { type Crs, crsLabel } from '../../crs/crs.ts';
import { type TransformerOptions, transformer } from '../../crs/transformer.ts';
import { IsomericError } from '../../errors.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { Layer } from '../layer.ts';
import { type Densify, densifier } from './densify.ts';
import { PlaceWatch, remarkFindings } from './reproject-findings.ts';
import { SeamCutter } from './seam.ts';
import { applyVerb } from './verb.ts';

/** How a layer is brought into another CRS. */
export interface ReprojectOptions extends TransformerOptions {
  /** Adds vertices to long edges before they are brought over, so that they keep their course. */
  densify?: Densify;
  /** Tells each step of the way in the account. */
  steps?: boolean;
}

/** First vertex of feature i that had coordinates before and has none now. */
function lostAt(before: GeometryArray, xy: Float64Array, i: number): number {
  for (let v = before.firstVertex(i); v < before.endVertex(i); v++) {
    if (Number.isNaN(xy[2 * v]) && !Number.isNaN(before.xy[2 * v])) return v;
  }
  return -1;
}

/** The same features, those of `lost` without geometry. */
function without(array: GeometryArray, lost: ReadonlySet<number>): GeometryArray {
  const builder = new GeometryMaker(array.vertexCount);
  for (let i = 0; i < array.length; i++) {
    if (lost.has(i)) builder.feature(Kind.None);
    else builder.copy(array, i);
  }
  return builder.finish();
}

/**
 * Brings a layer into another CRS. Features with a point that has no image there are told, and have no geometry there;
 * those that cross the seam of the map (the antimeridian, for most) are cut at it. Where nothing can be brought, it is an
 * error at the end.
 */
export function reprojectLayer(layer: Layer, target: Crs, options: ReprojectOptions = {}): Layer {
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
  const source = layer.crs;
  const through = transformer(source, target, options);
  const seam = through.identity ? null : SeamCutter.between(source, target, options);
  const denser = options.densify === undefined ? null : densifier(source, target, options.densify, options);
  return applyVerb('Reproject', layer, {
    crs: target,
    count: layer.count,
    extent: through.identity ? layer.extent : undefined,
    kinds: seam === null ? layer.kinds : undefined,
    async *run(account, batches) {
      const watch = new PlaceWatch(layer.name, source, target, through);
      let all = 0;
      let shapes = 0;
      let cut = 0;
      let added = 0;
      for await (const batch of batches) {
        all += batch.length;
        let geometry = batch.geometry;
        if (geometry === null) {
          yield batch;
          continue;
        }
        for (let i = 0; i < batch.length; i++) if (!geometry.isEmpty(i)) shapes++;
        if (through.identity) {
          yield batch;
          continue;
        }
        if (denser !== null) {
          const dense = denser(geometry);
          geometry = dense.geometry;
          added += dense.added;
        }
        const xy = geometry.xy.slice();
        const missing = through.transform(xy);
        const torn = seam?.cut(geometry, xy) ?? null;
        const settled = new Set(torn?.cut);
        cut += settled.size;
        const lost = new Set<number>();
        if (missing > 0) {
          for (let i = 0; i < geometry.length; i++) {
            const v = settled.has(i) ? -1 : lostAt(geometry, xy, i);
            if (v < 0) continue;
            lost.add(i);
            watch.without(batch, i, geometry.xy[2 * v], geometry.xy[2 * v + 1]);
          }
        }
        watch.see(batch, geometry, lost);
        const moved = torn?.geometry ?? geometry.withXY(xy);
        yield batch.with({ geometry: lost.size === 0 ? moved : without(moved, lost) });
      }
      account.findings.push(...remarkFindings(source, layer.name), ...watch.findings(all));
      account.counts = { in: all, out: all, withoutImage: watch.lostCount, cutAtSeam: cut };
      account.notes.push(`From ${crsLabel(source)} to ${crsLabel(target)}: ${through.datumWords}.`);
      if (options.steps === true) {
        for (const [k, words] of through.steps.entries()) account.notes.push(`Step ${k + 1}: ${words}.`);
        for (const words of through.datum.alternatives)
          account.notes.push(`Instead there would be: ${words}.`);
      }
      if (denser !== null)
        account.notes.push(
          `${counted(added, 'vertex', 'vertices')} added on long edges (${options.densify!.path}, within ${options.densify!.within} m).`,
        );
      if (cut > 0)
        account.notes.push(
          `${counted(cut, 'feature', 'features')} cut where the map of ${crsLabel(target)} is torn or ends.`,
        );
      const lost = watch.lostCount;
      if (lost > 0 && lost === shapes)
        throw new IsomericError(
          'nothing-brought',
          `Nothing of ${layer.name} could be brought to ${crsLabel(target)}: ${watch.findings(all)[0].words}`,
          {
            place: { layer: layer.name },
            advice: `Say the CRS that its coordinates have (--from, or “crs:” in a study): isomeric locate finds candidates.`,
          },
        );
      const counts: Count[] = [[all - lost, `brought to ${crsLabel(target)}`]];
      if (lost > 0) counts.push([lost, 'with points that have no image there']);
      closeAccount(account, [all, `${layer.name} in`], ...counts);
    },
  });
}
