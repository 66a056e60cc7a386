import { counted, grouped, listed } from '../../core/account.ts';
import { crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Layer, type Table, withoutGeometry } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { suggest } from '../../core/nearest.ts';
import { writingFormatNamed } from '../../formats/writing/register.ts';
import type { Study } from '../file/schema.ts';
import type { Machine } from '../machine.ts';
import { namedCrs, studyGrids } from '../preparing/open-datasets.ts';

/** `Flood refuges on the Ombrey Flats` → `flood-refuges-on-the-ombrey-flats` */
export function slug(title: string): string {
  return (
    title
      .normalize('NFD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .split(/[^a-z0-9]+/)
      .filter((part) => part !== '')
      .join('-') || 'study'
  );
}

/** Layers and tables in the formats that the study asks for; the paths of all files, and a sentence for each format. */
export async function deliverData(
  study: Study,
  all: readonly (Layer | Table)[],
  machine: Machine,
  now: string,
): Promise<string[]> {
  const layers = await inAskedCrs(all.filter(isLayer), study, machine);
  const tables = all.filter((table) => !isLayer(table));
  const wanted = { layers: study.deliver.layers, tables: study.deliver.tables };
  const paths: string[] = [];
  const withTables = wanted.tables.includes('with the layers');
  for (const name of wanted.layers) {
    const format = writingFormatNamed(name);
    const beside = withTables && format.tables ? tables : [];
    paths.push(...(await write(study, name, [...layers, ...beside], machine, now)));
  }
  // Where no format of the layers holds tables, they are delivered all the same.
  const held = withTables && wanted.layers.some((name) => writingFormatNamed(name).tables);
  const formats = wanted.tables.filter((name) => name !== 'with the layers');
  if (withTables && !held && tables.length > 0 && !formats.includes('csv')) formats.push('csv');
  // A format of tables is for people who open no map: rows of layers are among them.
  for (const name of formats)
    paths.push(
      ...(await write(study, name, held || withTables ? tables : all.map(withoutGeometry), machine, now)),
    );
  return paths;
}

/** Layers in the CRS that the study asks for where they are delivered. */
async function inAskedCrs(layers: readonly Layer[], study: Study, machine: Machine): Promise<Layer[]> {
  const asked = study.deliver.crs;
  if (asked === undefined) return [...layers];
  if (typeof asked !== 'string')
    for (const name of Object.keys(asked))
      if (!layers.some((layer) => layer.name === name))
        throw study.written.told(
          new IsomericError('layer-unknown', `There is no prepared layer “${name}” to deliver.`, {
            wrong: name,
            advice: suggest(
              name,
              layers.map((layer) => layer.name),
            ),
            blame: 'usage',
          }),
          ['deliver', 'crs', name],
        );
  const made: Layer[] = [];
  for (const layer of layers) {
    const text = typeof asked === 'string' ? asked : asked[layer.name];
    if (text === undefined) {
      made.push(layer);
      continue;
    }
    const path = typeof asked === 'string' ? ['deliver', 'crs'] : ['deliver', 'crs', layer.name];
    const crs = await study.written.within(path, () => namedCrs(text, machine));
    made.push(
      layer.crs !== null && sameCrs(layer.crs, crs)
        ? layer
        : reprojectLayer(layer, crs, { grids: await studyGrids(study, machine) }),
    );
    machine.reporter.note(`${layer.name} is delivered in ${crsLabel(crs)}.`);
  }
  return made;
}

/** One format: a file of all, or a folder with a file for each where the format holds one. */
async function write(
  study: Study,
  name: string,
  some: readonly (Layer | Table)[],
  machine: Machine,
  now: string,
): Promise<string[]> {
  if (some.length === 0) return [];
  const format = writingFormatNamed(name);
  const [ending] = format.endings;
  if (format.holds === 'several') {
    const { files } = await machine.save(some, `delivered/${slug(study.study)}.${ending}`, now);
    return [...files];
  }
  const paths: string[] = [];
  for (const table of some) {
    const place = `delivered/${name}/${slug(table.name).replaceAll('-', '_')}.${ending}`;
    paths.push(...(await machine.save([table], place, now)).files);
  }
  return paths;
}

/** A ledger may come from anywhere: what it names is removed only where it lies in the folder of results. */
export const isDelivered = (path: string) =>
  path.startsWith('delivered/') && !path.split(/[/\\]/).includes('..');

/** Removes what the last run delivered and this one does not: nobody should find a map that the study no longer makes. */
export async function removeFormer(
  before: readonly string[],
  delivered: readonly string[],
  machine: Machine,
): Promise<void> {
  const kept = new Set(delivered);
  const former: string[] = [];
  for (const path of before) {
    if (kept.has(path) || !isDelivered(path) || (await machine.store.open(path)) === null) continue;
    await machine.store.remove(path);
    former.push(path);
  }
  if (former.length === 0) return;
  machine.reporter.say(
    `Deliver: ${counted(former.length, 'file', 'files')} of the last run ${former.length === 1 ? 'was' : 'were'} removed, since the study no longer makes ${former.length === 1 ? 'it' : 'them'}: ${listed(former)}.`,
  );
}

/** What was delivered, in one sentence. */
export function deliveredWords(
  all: readonly (Layer | Table)[],
  crs: Parameters<typeof crsLabel>[0],
  counts: { maps: number; findings: number; files: number },
): string {
  const total = (some: readonly Table[]) => some.reduce((sum, table) => sum + (table.count ?? 0), 0);
  const withPlace = all.filter(isLayer);
  const tables = all.filter((table) => !isLayer(table));
  const rows =
    tables.length === 0
      ? ''
      : `, ${counted(tables.length, 'table', 'tables')} with ${counted(total(tables), 'row', 'rows')}`;
  return `Deliver: ${counted(withPlace.length, 'layer', 'layers')} with ${counted(total(withPlace), 'feature', 'features')} in ${crsLabel(crs)}${rows}; ${counted(counts.maps, 'map', 'maps')}, ${counted(counts.findings, 'finding', 'findings')}, ${grouped(counts.files)} files in delivered/.`;
}
