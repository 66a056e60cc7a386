import { type Crs, crsLabel, sameCrs } from '../core/crs/crs.ts';
import { crsFromText } from '../core/crs/registry.ts';
import { IsomericError, placed } from '../core/errors.ts';
import { concatenate } from '../core/layer/concatenate.ts';
import { isLayer, type Layer, type Table } from '../core/layer/layer.ts';
import { filterRows } from '../core/layer/verbs/filter.ts';
import { assignCrs } from '../core/layer/verbs/reproject.ts';
import { suggest } from '../core/nearest.ts';
import { ending } from '../formats/names.ts';
import type { GatheredFiles } from './gather.ts';
import { type Machine, readText } from './machine.ts';
import type { Study } from './schema.ts';

/** A CRS as a study names it: a code, a name, WKT, or a file in the study folder. */
export async function studyCrs(text: string, machine: Machine): Promise<Crs> {
  if (['prj', 'wkt', 'txt'].includes(ending(text))) {
    const content = await readText(machine, text);
    if (content === null)
      throw new IsomericError('file-missing', `There is no file ${text} in the study folder.`, {
        place: { file: text },
        blame: 'usage',
      });
    return placed({ file: text }, async () => crsFromText(content));
  }
  return crsFromText(text);
}

/** Opens one gathered dataset: the pages of a service as one layer, the chosen layer of an archive. */
export async function openDataset(
  name: string,
  study: Study,
  files: GatheredFiles,
  machine: Machine,
): Promise<Layer | Table> {
  const dataset = study.gather[name];
  const paths = files.get(name)!;
  const parts: (Layer | Table)[] = [];
  for (const path of paths) {
    const opened = await machine.open(path);
    if (dataset.layer !== undefined) {
      const chosen = opened.find(({ table }) => table.name === dataset.layer);
      if (chosen === undefined) {
        throw new IsomericError('layer-unknown', `There is no layer “${dataset.layer}” in it.`, {
          place: { file: path },
          advice: suggest(
            dataset.layer,
            opened.map(({ table }) => table.name),
          ),
          blame: 'usage',
        });
      }
      parts.push(chosen.table);
    } else if (opened.length === 1) parts.push(opened[0].table);
    else {
      throw new IsomericError(
        'layer-unclear',
        `There are ${opened.length} layers in it: ${opened.map(({ table }) => table.name).join(', ')}.`,
        {
          place: { file: path },
          advice: `Say which one with “layer:” under gather → ${name}.`,
          blame: 'usage',
        },
      );
    }
  }
  let table: Layer | Table = { ...(parts.length === 1 ? parts[0] : concatenate(name, parts)), name };
  if (dataset.crs !== undefined) {
    if (!isLayer(table))
      throw new IsomericError('geometry-missing', `${name} has no geometry, so it has no CRS.`, {
        blame: 'usage',
      });
    const crs = await studyCrs(dataset.crs, machine);
    if (table.crs !== null && !sameCrs(table.crs, crs))
      machine.reporter.note(
        `${name} says ${crsLabel(table.crs)}, the study says ${crsLabel(crs)}: the study counts.`,
      );
    table = assignCrs(table, crs);
  }
  if (dataset.where !== undefined) table = filterRows(table, dataset.where);
  for (const finding of table.findings)
    machine.reporter.finding({ ...finding, layer: finding.layer ?? name });
  return table;
}
