import { suggest } from '../../core/nearest.ts';
import type { Mistake } from '../../formats/settings/mistake.ts';
import type { Path, Places } from '../../formats/settings/places.ts';
import { quoted } from '../../formats/settings/yaml-mistakes.ts';
import { verbNamed, verbs } from '../../verbs/register.ts';
import { partsOf, type Raw, record, valuesAt } from './raw.ts';
import { namesOf } from './steps.ts';

/** Two layers are made of tracks that are wanted as both. */
export const trackForms = ['points', 'lines'] as const;

/** Names of a study that other parts of it may say. */
interface Known {
  sources: string[];
  gathered: string[];
  prepared: string[];
}

/** Names that the study knows, those included that are made of several levels. */
export function knownNames(study: Raw): Known {
  const gathered = new Set<string>();
  const prepared = new Set<string>();
  const leveled = new Set<string>();
  const both = new Set<string>();
  for (const [name, dataset] of partsOf(study.gather)) {
    const levels = record(dataset)?.levels;
    if (record(dataset)?.as === 'both') {
      both.add(name);
      for (const form of trackForms) {
        gathered.add(`${name}_${form}`);
        if (record(study.prepare)?.[name] !== undefined) prepared.add(`${name}_${form}`);
      }
      continue;
    }
    if (levels === undefined) {
      gathered.add(name);
      continue;
    }
    leveled.add(name);
    for (const [level] of partsOf(levels)) {
      gathered.add(`${name}_${level}`).add(`${name}_${level}_table`);
      prepared.add(`${name}_${level}`);
    }
  }
  for (const [name] of partsOf(study.prepare)) if (!leveled.has(name) && !both.has(name)) prepared.add(name);
  return {
    sources: partsOf(study.sources).map(([name]) => name),
    gathered: [...gathered],
    prepared: [...prepared],
  };
}

/** Names that point at something in the study itself, and do not meet it. */
export function referenceMistakes(study: Raw, places: Places): Mistake[] {
  const known = knownNames(study);
  const gather = record(study.gather) ?? {};
  const mistakes: Mistake[] = [];
  const unknown = (
    kind: string,
    name: string,
    among: readonly string[],
    path: Path,
    advice = '',
    key = false,
  ) => {
    // Where there is none at all, the part itself is wrong, and told.
    if (among.includes(name) || among.length === 0) return;
    mistakes.push({
      code: 'study-unknown-name',
      words: `There is no ${kind} “${name}” in the study.`,
      advice:
        curlyCure(name) ||
        advice ||
        suggest(name, among) ||
        `Name it under “${kind === 'source' ? 'sources' : 'gather'}:”.`,
      place: key ? places.key(path) : places.value(path),
      rank: 'value',
    });
  };
  const each = (pattern: readonly string[], kind: string, among: readonly string[]) => {
    for (const { path, value } of valuesAt(study, pattern))
      if (typeof value === 'string') unknown(kind, value, among, path);
  };
  const isGathered = (name: string) => known.gathered.includes(name);
  const strangeSteps = partsOf(study.prepare).filter(([name]) => !isGathered(name) && !(name in gather));
  /** What is prepared under a misspelt name is not told to be unprepared as well. */
  const unprepared = (name: string, path: Path, key = false) => {
    if (isGathered(name) && strangeSteps.length > 0) return;
    const advice = isGathered(name) ? 'It is gathered, but not prepared: name it under “prepare:”.' : '';
    unknown('prepared layer', name, known.prepared, path, advice, key);
  };
  const layers = known.gathered;
  each(['gather', '*', 'from'], 'source', known.sources);
  each(['gather', '*', 'same as'], 'gathered layer', layers);
  each(['gather', '*', 'levels', '*', 'units'], 'gathered layer', layers);
  for (const way of [['area'], ['area', 'together', '*'], ['area', 'without', '*']])
    for (const key of [['units', 'of'], ['units', 'of', '*'], ['place', 'of'], ['layer']])
      each([...way, ...key], 'gathered layer', layers);
  each(['draw', '*', 'under', '*'], 'layer', layers);
  for (const [name] of strangeSteps)
    unknown('gathered layer', name, [...layers, ...Object.keys(gather)], ['prepare', name], '', true);
  for (const [name] of partsOf(study.check)) unprepared(name, ['check', name], true);
  for (const [name] of partsOf(record(study.deliver)?.crs)) unprepared(name, ['deliver', 'crs', name], true);
  for (const pattern of [
    ['draw', '*', 'layer'],
    ['draw', '*', 'over', '*'],
  ])
    for (const { path, value } of valuesAt(study, pattern))
      if (typeof value === 'string') unprepared(value, path);
  for (const { path, name, kind } of namedInSteps(study)) unknown(`gathered ${kind}`, name, layers, path);
  return [...mistakes, ...circles(study, places)];
}

/** Word processors write other quotes than YAML knows: they become a part of the name. */
const curlyCure = (name: string) =>
  /^[“„‘].*[”“’]$/.test(name) ? `The quotes are curly ones: write ${quoted(name)}.` : '';

/** The datasets that steps name. */
function namedInSteps(study: Raw): { path: Path; name: string; kind: string; waits: boolean }[] {
  return valuesAt(study, ['prepare', '*', '*']).flatMap(({ path, value }) => {
    const step = record(value);
    const verb = step === undefined ? undefined : verbs.find((each) => each.inStudy && each.name in step);
    if (step === undefined || verb === undefined) return [];
    return Object.entries(verbNamed(verb.name)!.options).flatMap(([option, { kind, gathered }]) => {
      // What stands within the verb's name, or beside it.
      const within = verb.own === null ? record(step[verb.name]) : step;
      const key = option === verb.own ? verb.name : option;
      const place = verb.own === null ? [...path, verb.name, key] : [...path, key];
      return namesOf(kind, within?.[key]).map((name, k) => ({
        path: Array.isArray(within?.[key]) ? [...place, k] : place,
        name,
        kind: kind === 'layers' ? 'layer' : kind === 'tables' ? 'table' : kind,
        waits: gathered !== true,
      }));
    });
  });
}

/** Layers that wait for one another: each is joined as it is prepared, and none can be first. */
function circles(study: Raw, places: Places): Mistake[] {
  const prepared = new Set(partsOf(study.prepare).map(([name]) => name));
  const edges = namedInSteps(study).filter(({ name, waits }) => waits && prepared.has(name));
  const from = (name: string) => edges.filter(({ path }) => path[1] === name);
  const mistakes: Mistake[] = [];
  const done = new Set<string>();
  const walk = (name: string, under: readonly string[]): void => {
    for (const { path, name: other } of from(name)) {
      const way = [...under, name];
      if (!way.includes(other)) {
        if (!done.has(other)) walk(other, way);
        continue;
      }
      const circle = [...way.slice(way.indexOf(other)), other];
      mistakes.push({
        code: 'study-circle',
        words: `${circle.join(' waits for ')}: none of them can be prepared first.`,
        advice:
          'Let one of them join a dataset without steps of its own: the same file gathered under another name, with “same as:”.',
        place: places.value(path),
        rank: 'value',
      });
    }
    done.add(name);
  };
  for (const name of prepared) if (!done.has(name)) walk(name, []);
  return mistakes;
}
