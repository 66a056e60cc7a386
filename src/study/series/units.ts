import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Layer } from '../../core/layer/layer.ts';
import { innerPoints } from '../../core/layer/verbs/inner-points.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { suggest } from '../../core/nearest.ts';
import { fieldIndex, requireField } from '../../core/table/schema.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Machine } from '../machine.ts';
import type { StudyArea } from '../preparing/area.ts';
import { openDataset, studyGrids, withCrs } from '../preparing/open-datasets.ts';

/** One unit that the study is run for. */
export interface SeriesUnit {
  code: string;
  name: string;
}

/** The units of a layer that lie in the study area, and the layer itself in the CRS of the study. */
export interface SeriesUnits {
  units: SeriesUnit[];
  layer: Layer;
  /** Field with the codes. */
  by: string;
}

/** The field that tells units apart: as asked, as the area says it, `code`, or one that is known to hold codes. */
function codeField(layer: Layer, study: Study, asked: string | undefined): number {
  if (asked !== undefined) return requireField(layer.schema, asked, layer.name);
  const said = study.area.units?.by;
  for (const name of [...(typeof said === 'string' ? [said] : []), 'code']) {
    const c = fieldIndex(layer.schema, name);
    if (c >= 0) return c;
  }
  const coded = layer.schema.findIndex(({ role, featureId }) => role === 'code' || featureId === 'given');
  if (coded >= 0) return coded;
  throw new IsomericError('series-key', `Which field tells the units of ${layer.name} apart?`, {
    advice: `Say it with --by: ${layer.schema.map(({ name }) => name).join(', ')}.`,
    blame: 'usage',
  });
}

/**
 * The units of a gathered layer whose inside lies in the study area, each once, in the order of their codes.
 *
 * @throws IsomericError `dataset-unknown`, `series-empty`, `series-key`
 */
export async function seriesUnits(
  name: string,
  by: string | undefined,
  parts: { study: Study; area: StudyArea; files: GatheredFiles; machine: Machine },
): Promise<SeriesUnits> {
  const { study, area, files, machine } = parts;
  if (study.gather[name] === undefined)
    throw new IsomericError('dataset-unknown', `There is no dataset “${name}” in the study.`, {
      wrong: name,
      advice: suggest(name, Object.keys(study.gather)),
      blame: 'usage',
    });
  const opened = await openDataset(name, study, files, machine);
  if (!isLayer(opened))
    throw new IsomericError('geometry-missing', `${name} has no geometry, so it has no units.`, {
      blame: 'usage',
    });
  const layer = reprojectLayer(withCrs(opened, study), area.crs, { grids: await studyGrids(study, machine) });
  const c = codeField(layer, study, by);
  const named = fieldIndex(layer.schema, 'name');
  const found = new Map<string, SeriesUnit>();
  for await (const batch of innerPoints(layer).batches())
    for (let i = 0; i < batch.length; i++) {
      const geometry = batch.geometry!;
      if (geometry.isEmpty(i)) continue;
      const v = geometry.vertexStart[geometry.ringStart[geometry.partStart[i]]];
      if (area.core.locate(geometry.xy[2 * v], geometry.xy[2 * v + 1]) < 0) continue;
      const code = batch.columns[c].text(i);
      if (code !== null && !found.has(code))
        found.set(code, { code, name: named < 0 ? code : (batch.columns[named].text(i) ?? code) });
    }
  if (found.size === 0)
    throw new IsomericError('series-empty', `No unit of ${name} lies in the study area.`, {
      advice: 'Name a layer of units that the area is made of.',
      blame: 'usage',
    });
  const units = [...found.values()].sort((a, b) => (a.code < b.code ? -1 : 1));
  return { units, layer, by: layer.schema[c].name };
}
