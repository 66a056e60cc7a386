import { counted } from '../../core/account.ts';
import type { ClassScheme, SchemeClass } from '../../core/class-scheme/scheme.ts';
import { IsomericError, placed } from '../../core/errors.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { loadScheme, thematicScheme } from '../../formats/class-scheme/load.ts';
import { type TakenApart, takeApart } from '../../formats/osm/classes/take-apart.ts';
import { mergedExtract } from '../../formats/osm/reading/merged.ts';
import type { MapExtract } from '../../formats/osm/reading/primitives.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import { type Machine, readText } from '../machine.ts';

/** Extracts that were taken apart for one gathering: all classes that the study wants of one come out together. */
const takenApart = new WeakMap<GatheredFiles, Map<string, Promise<TakenApart>>>();

const extractOf = (name: string, study: Study, files: GatheredFiles) =>
  `${files.get(name)!.join(' ')}\n${study.gather[name].scheme ?? ''}`;

/** The features of one class of an extract. */
export async function openClass(
  name: string,
  study: Study,
  files: GatheredFiles,
  machine: Machine,
): Promise<Layer> {
  const dataset = study.gather[name];
  let all = takenApart.get(files);
  if (all === undefined) {
    all = new Map();
    takenApart.set(files, all);
  }
  // What is gathered by now: the layer of the study area comes before the others.
  const extract = extractOf(name, study, files);
  const together = Object.keys(study.gather).filter(
    (other) =>
      study.gather[other].class !== undefined &&
      files.has(other) &&
      extractOf(other, study, files) === extract,
  );
  const key = `${extract}\n${together.join(' ')}`;
  let taken = all.get(key);
  if (taken === undefined) {
    taken = takeFor(name, together, study, files, machine);
    all.set(key, taken);
  }
  const wanted = dataset.class!;
  const { layers } = await taken;
  const own = layers.filter((layer) =>
    [wanted, `${wanted}_points`, `${wanted}_lines`, `${wanted}_areas`].includes(layer.name),
  );
  const ofShape =
    dataset.geometry === undefined
      ? own
      : own.filter(({ kinds }) => kinds?.some((kind) => shapeOf(kind) === dataset.geometry));
  if (ofShape.length === 1) return ofShape[0];
  const file = files.get(name)!.join(', ');
  if (ofShape.length === 0) {
    throw new IsomericError(
      'nothing-found',
      `There is no feature of class ${wanted}${dataset.geometry === undefined ? '' : ` with ${dataset.geometry}`} in it.`,
      { place: { file }, advice: `See what it holds with “isomeric features ${file}”.` },
    );
  }
  throw new IsomericError('layer-unclear', `${wanted} has ${own.map((layer) => layer.name).join(' and ')}.`, {
    place: { file },
    advice: `Say which with “geometry: points, lines or areas” under gather → ${name}.`,
    blame: 'usage',
  });
}

function shapeOf(kind: string): 'points' | 'lines' | 'areas' {
  return /Point/.test(kind) ? 'points' : /Line/.test(kind) ? 'lines' : 'areas';
}

/** Takes the extract apart for every dataset that is a class of it. */
async function takeFor(
  name: string,
  together: readonly string[],
  study: Study,
  files: GatheredFiles,
  machine: Machine,
): Promise<TakenApart> {
  const paths = files.get(name)!;
  const { scheme: schemePath } = study.gather[name];
  const scheme = await schemeAt(schemePath, machine);
  const [path] = paths;
  const tags = new Set(together.flatMap((each) => study.gather[each].tags ?? []));
  const taken = await placed({ file: path }, async () =>
    takeApart(await extractOfPieces(paths, machine), scheme, {
      classes: [...new Set(together.map((each) => study.gather[each].class!))],
      tags: [...tags].map((tag) => ({ name: tag.replace(/[^\p{L}\p{N}_]+/gu, '_'), tag, kind: 'text' })),
      scratch: machine.scratch,
    }),
  );
  const label =
    paths.length === 1
      ? path.slice(path.lastIndexOf('/') + 1)
      : `${paths.length} pieces of ${study.gather[name].from}`;
  machine.reporter.say(taken.account.sentence);
  for (const note of taken.account.notes) machine.reporter.note(note);
  const words = together.map((each) => {
    const own = study.gather[each].class!;
    return `${each} is its class ${own}, ${features(taken, own)}`;
  });
  machine.reporter.note(`${label}: ${words.join('; ')}.`);
  for (const finding of taken.findings)
    machine.reporter.finding({ ...finding, layer: finding.layer ?? label });
  return taken;
}

/** The pieces in which an area came, as one extract. */
async function extractOfPieces(paths: readonly string[], machine: Machine): Promise<MapExtract> {
  const parts = await Promise.all(paths.map((path) => machine.extract(path)));
  return mergedExtract(paths[0], parts);
}

function features(taken: TakenApart, name: string): string {
  const total = taken.classCounts
    .filter((each) => each.class === name)
    .reduce((sum, each) => sum + each.count, 0);
  return counted(total, 'feature', 'features');
}

/** The class scheme of a study folder, or the one that comes with Isomeric. */
async function schemeAt(path: string | undefined, machine: Machine): Promise<ClassScheme> {
  return path === undefined ? thematicScheme() : loadScheme(await schemeText(path, machine), path);
}

/** The class that a dataset is of; null when it is no class of an extract. */
export async function classOfDataset(
  name: string,
  study: Study,
  machine: Machine,
): Promise<SchemeClass | null> {
  const dataset = study.gather[name];
  if (dataset?.class === undefined) return null;
  const scheme = await schemeAt(dataset.scheme, machine);
  return scheme.classes.find((each) => each.name === dataset.class) ?? null;
}

async function schemeText(path: string, machine: Machine): Promise<string> {
  const text = await readText(machine, path);
  if (text !== null) return text;
  throw new IsomericError('file-missing', `There is no file ${path} in the study folder.`, {
    place: { file: path },
    advice: `Make one with “isomeric scheme --out ${path}”.`,
    blame: 'usage',
  });
}
