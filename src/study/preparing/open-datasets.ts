import { type CrsPurpose, purposeFromText } from '../../core/crs/best-crs.ts';
import { type Crs, crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { type GridShift, readNtv2 } from '../../core/crs/ntv2.ts';
import { IsomericError, placed } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { concatenate } from '../../core/layer/concatenate.ts';
import { exchangeAxes } from '../../core/layer/exchange-axes.ts';
import { idFieldIndex } from '../../core/layer/feature-ids.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { sideBySide } from '../../core/layer/side-by-side.ts';
import { assignCrs } from '../../core/layer/verbs/assign-crs.ts';
import { filterRows } from '../../core/layer/verbs/filter.ts';
import { mergeLayers } from '../../core/layer/verbs/merge.ts';
import { onceAcross } from '../../core/layer/verbs/once-across.ts';
import { onlyLevel, withoutTotals } from '../../core/layer/verbs/rows.ts';
import { selectColumns } from '../../core/layer/verbs/select.ts';
import { onceById } from '../../core/layer/verbs/unique.ts';
import { suggest } from '../../core/nearest.ts';
import { chooseVariables } from '../../core/table/choose-variables.ts';
import { recogniseRows, rowFindings } from '../../core/table/row-kinds.ts';
import { readSrsName } from '../../formats/gml/srs.ts';
import type { Opened } from '../../formats/opening/contents.ts';
import type { Study } from '../file/schema.ts';
import { isCrsFile } from '../file/values.ts';
import { withKeptSchema } from '../gathering/empty-answers.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import { type Machine, readText } from '../machine.ts';

/** Where the prepared layers lie in the study folder. */
export const preparedPath = 'prepared/layers.gpkg';

/** Gives fields the titles and units that the study has for them. */
export function titled<T extends Table>(table: T, study: Study): T {
  return {
    ...table,
    schema: table.schema.map((field) => {
      const told = study.titles[field.name];
      return told === undefined
        ? field
        : { ...field, title: told.title, ...(told.unit === undefined ? {} : { unit: told.unit }) };
    }),
  };
}

/** The CRS of a study: a definite one, or the best for its area, which must be known first. */
export type StudyCrs = Crs | { best: CrsPurpose };

export async function studyCrs(text: string, machine: Machine): Promise<StudyCrs> {
  const purpose = purposeFromText(text);
  return purpose === null ? namedCrs(text, machine) : { best: purpose };
}

/** A CRS as a study names it: a code, a name, WKT, or a file in the study folder. */
export async function namedCrs(text: string, machine: Machine): Promise<Crs> {
  if (!isCrsFile(text)) return crsFromText(text);
  const content = await readText(machine, text);
  if (content === null) throw fileMissing(text);
  return placed({ file: text }, async () => crsFromText(content));
}

const fileMissing = (path: string) =>
  new IsomericError('file-missing', `There is no file ${path} in the study folder.`, {
    place: { file: path },
    blame: 'usage',
  });

/** A layer that says its CRS, or that the study says the CRS of. */
export function withCrs(layer: Layer, study: Study): Layer {
  if (layer.crs !== null) return layer;
  throw study.written.told(
    new IsomericError('crs-missing', `${layer.name} has no CRS, and one is never assumed.`, {
      place: { layer: layer.name },
      advice: `Say it with “crs:” under gather → ${layer.name}; “isomeric locate” helps to find it.`,
      blame: 'usage',
    }),
    ['gather', layer.name],
  );
}

/** The grids of datum shifts that the study names, read once a machine. */
const readGrids = new WeakMap<Machine, Promise<GridShift[]>>();

export function studyGrids(study: Study, machine: Machine): Promise<GridShift[]> {
  let grids = readGrids.get(machine);
  if (grids === undefined) {
    grids = Promise.all(
      study['datum grids'].map(async (path) => {
        const source = await machine.store.open(path);
        if (source === null) throw fileMissing(path);
        return readNtv2(await source.bytes(0, source.size), path);
      }),
    );
    readGrids.set(machine, grids);
  }
  return grids;
}

/** Datasets that were opened from the files of one gathering: several steps may need the same. */
const openDatasets = new WeakMap<GatheredFiles, Map<string, Promise<Layer | Table>>>();
/** What was found when each of them was opened. */
const foundOpening = new WeakMap<GatheredFiles, Map<string, Finding[]>>();

/** What was found when a dataset was opened; nothing where it was not. */
export function findingsOfOpening(name: string, files: GatheredFiles): readonly Finding[] {
  return foundOpening.get(files)?.get(name) ?? [];
}

/** A machine whose findings are kept as well as told. */
function keepingFindings(name: string, files: GatheredFiles, machine: Machine): Machine {
  let all = foundOpening.get(files);
  if (all === undefined) {
    all = new Map();
    foundOpening.set(files, all);
  }
  const own: Finding[] = [];
  all.set(name, own);
  const { reporter } = machine;
  return {
    ...machine,
    reporter: {
      stage: (words) => reporter.stage(words),
      say: (words) => reporter.say(words),
      note: (words) => reporter.note(words),
      progress: (what, meter) => reporter.progress(what, meter),
      finding(finding) {
        own.push(finding);
        reporter.finding(finding);
      },
    },
  };
}

/** Opens one gathered dataset, once: the pages of a service as one layer, the chosen layer of an archive. */
export function openDataset(
  name: string,
  study: Study,
  files: GatheredFiles,
  machine: Machine,
): Promise<Layer | Table> {
  if (files.missing.has(name))
    return Promise.reject(
      new IsomericError('not-gathered', `${name} has not been gathered yet.`, {
        advice: 'Run the study without --only, or with --only gather first.',
        blame: 'usage',
      }),
    );
  let known = openDatasets.get(files);
  if (known === undefined) {
    known = new Map();
    openDatasets.set(files, known);
  }
  let dataset = known.get(name);
  if (dataset === undefined) {
    const keeping = keepingFindings(name, files, machine);
    dataset = study.written.within(['gather', name], () => openAnew(name, study, files, keeping));
    known.set(name, dataset);
  }
  return dataset;
}

async function openAnew(
  name: string,
  study: Study,
  files: GatheredFiles,
  machine: Machine,
): Promise<Layer | Table> {
  const dataset = study.gather[name];
  if (dataset.class !== undefined) {
    const { openClass } = await import('./map-features.ts');
    return withFilters({ ...(await openClass(name, study, files, machine)), name }, dataset, name, machine);
  }
  let table = together(name, study, await partsOf(name, study, files, machine));
  const told = files.findings.get(dataset['same as'] ?? name) ?? [];
  if (told.length > 0) table = { ...table, findings: [...told, ...table.findings] };
  if (dataset.crs !== undefined) {
    if (!isLayer(table))
      throw new IsomericError('geometry-missing', `${name} has no geometry, so it has no CRS.`, {
        blame: 'usage',
      });
    const named = dataset.crs;
    const crs = await study.written.within(['gather', name, 'crs'], () => namedCrs(named, machine));
    if (table.crs !== null && !sameCrs(table.crs, crs))
      machine.reporter.note(
        `${name} says ${crsLabel(table.crs)}, the study says ${crsLabel(crs)}: the study counts.`,
      );
    table = assignCrs(table, crs);
  }
  if (!isLayer(table)) table = await withChosenRows(table, dataset, machine);
  return withFilters(table, dataset, name, machine);
}

/** The source that the files of a dataset came from, also of one that reads those of another. */
export function sourceOf(name: string, study: Study): Study['sources'][string] | undefined {
  const { from, 'same as': same } = study.gather[name];
  const source = from ?? (same === undefined ? undefined : study.gather[same].from);
  return source === undefined ? undefined : study.sources[source];
}

/** The layers or tables that the files of a dataset hold, one a file. */
export async function partsOf(
  name: string,
  study: Study,
  files: GatheredFiles,
  machine: Machine,
): Promise<(Layer | Table)[]> {
  const dataset = study.gather[name];
  const reading = {
    marks: Object.entries(dataset.marks ?? {}).map(([text, reason]) => ({ text, reason })),
    rowsAt: dataset['rows at'],
    headerRows: dataset['header rows'],
  };
  const paths = files.get(name)!;
  if (sourceOf(name, study)?.kind === 'receiver') return [await openRecord(name, study, paths, machine)];
  // A structure beside the figures says what their codes mean: then the whole folder is opened.
  const [first] = paths;
  const folder = first.slice(0, Math.max(0, first.lastIndexOf('/')));
  if (sourceOf(name, study)?.kind === 'sdmx') {
    const opened = (await machine.open(folder, reading)).filter((each) => each.describes !== true);
    return opened.map(({ table }) => table);
  }
  const parts: (Layer | Table)[] = [];
  for (const path of paths) {
    const opened = (await machine.open(path, reading)).filter((each) => each.describes !== true);
    parts.push(withAxes(chosenLayer(name, path, dataset, opened), files.crs.get(path)));
  }
  // A page without features says nothing of their fields and CRS.
  const filled = parts.filter((part) => part.count !== 0);
  if (filled.length > 0) return filled;
  return [await withKeptSchema(parts[0], folder, machine)];
}

/** What is chosen of a receiver's files, in the CRS that it records in. */
async function openRecord(
  name: string,
  study: Study,
  paths: readonly string[],
  machine: Machine,
): Promise<Layer> {
  const [{ openRecordFile }, { listRecord }, { choiceFrom }, { recordLayer }] = await Promise.all([
    import('../../formats/field-record/files.ts'),
    import('../../formats/field-record/survey.ts'),
    import('../../formats/field-record/choose.ts'),
    import('../../formats/field-record/layers.ts'),
  ]);
  const dataset = study.gather[name];
  const files = [];
  for (const path of paths) {
    const source = await machine.store.open(path);
    if (source === null) throw fileMissing(path);
    const file = await openRecordFile(source, path.split('/').slice(2).join('/'));
    if (file !== null) files.push(file);
  }
  const choice = choiceFrom(dataset);
  if (choice === null)
    throw new IsomericError('receiver-choice', `${name}: what of the receiver is wanted?`, {
      blame: 'usage',
    });
  return recordLayer(name, files, await listRecord(files), choice, {
    lines: dataset.as === 'lines',
    rangeError: dataset['range error'],
  });
}

function chosenLayer(
  name: string,
  path: string,
  dataset: Study['gather'][string],
  opened: readonly Opened[],
): Layer | Table {
  const names = opened.map(({ table }) => table.name);
  if (dataset.layer !== undefined) {
    const chosen = opened.find(({ table }) => table.name === dataset.layer);
    if (chosen !== undefined) return chosen.table;
    throw new IsomericError('layer-unknown', `There is no layer “${dataset.layer}” in it.`, {
      place: { file: path },
      wrong: dataset.layer,
      advice: suggest(dataset.layer, names),
      blame: 'usage',
    });
  }
  if (opened.length === 1) return opened[0].table;
  throw new IsomericError('layer-unclear', `There are ${opened.length} layers in it: ${names.join(', ')}.`, {
    place: { file: path },
    advice: `Say which one with “layer:” under gather → ${name}.`,
    blame: 'usage',
  });
}

/** Coordinates whose CRS the service told beside the file, in the axis order of that CRS (OGC 18-058r1, clause 6.5). */
function withAxes(table: Layer | Table, told: string | undefined): Layer | Table {
  if (told === undefined || !isLayer(table)) return table;
  const { crs, exchanged, east, north } = readSrsName(told);
  if (crs === null) return table;
  return assignCrs(
    exchanged || east < 0 || north < 0 ? exchangeAxes(table, { exchanged, east, north }) : table,
    crs,
  );
}

/** One table of the parts: one after the other, each feature once; or side by side, where columns came in pieces. */
function together(name: string, study: Study, parts: readonly (Layer | Table)[]): Layer | Table {
  if (parts.length === 1) return { ...parts[0], name };
  const source = sourceOf(name, study);
  const sheets = study.gather[name]['by sheet'];
  if (sheets !== undefined && parts.every((part) => isLayer(part))) {
    const [first, ...others] = parts as Layer[];
    const { join, by, within } = sheets;
    return { ...mergeLayers({ ...first, name }, others, { join, by, within }), name };
  }
  if (source?.kind === 'rows') return sideBySide(name, parts, source['key columns'] ?? []);
  if (source?.kind === 'orders' && parts.every((part) => idFieldIndex(part.schema) < 0))
    return onceAcross(name, parts);
  return onceById({ ...concatenate(name, parts), name });
}

/** The rows and columns that are wanted; what was found out while opening is told. */
function withFilters(
  source: Layer | Table,
  dataset: Study['gather'][string],
  name: string,
  machine: Machine,
): Layer | Table {
  let table = source;
  if (dataset.where !== undefined) table = filterRows(table, dataset.where);
  if (dataset.variables !== undefined) {
    const { columns, notes } = chooseVariables(table, dataset.variables);
    table = selectColumns(table, columns);
    for (const note of notes) machine.reporter.note(`${name}: ${note}`);
  }
  for (const finding of table.findings)
    machine.reporter.finding({ ...finding, layer: finding.layer ?? name });
  return table;
}

/** Totals, levels: what the study says of them is done, what it does not say is told. */
async function withChosenRows(
  table: Table,
  dataset: Study['gather'][string],
  machine: Machine,
): Promise<Table> {
  const kinds = await recogniseRows(table);
  let result = table;
  if (dataset.rows === 'without totals') result = withoutTotals(result, kinds);
  if (dataset.level !== undefined) result = onlyLevel(result, kinds, dataset.level);
  const settled = new Set([
    ...(dataset.rows === undefined ? [] : ['row-total', 'dimension-total']),
    ...(dataset.level === undefined ? [] : ['levels-several', 'row-total']),
  ]);
  for (const finding of rowFindings(table, kinds))
    if (settled.has(finding.code)) machine.reporter.note(`${finding.words} The study has settled this.`);
    else result = { ...result, findings: [...result.findings, finding] };
  return result;
}
