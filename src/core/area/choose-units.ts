import { counted, grouped } from '../account.ts';
import { IsomericError } from '../errors.ts';
import { nearestWord, suggest } from '../nearest.ts';
import { bareWords } from '../plain-text.ts';
import { foldName, type Hierarchy } from './hierarchy.ts';

/** Which units make an area. */
export interface UnitChoice {
  codes?: readonly string[];
  /** `Ombrey`, or `Weir End, Ombrey` with the unit above where several have the name. */
  names?: readonly string[];
  /** Name of the level in which codes and names are looked for; all of them when left out. */
  level?: string;
  /** Name of the level to go down to, or `finest`; the chosen units themselves when left out. */
  downTo?: string;
}

/** What was chosen. */
export interface ChosenUnits {
  /** Numbers of units in the hierarchy. */
  readonly units: readonly number[];
  /** What there is to say of it, in sentences. */
  readonly notes: readonly string[];
  /** True where a level was asked for that is the finest, or where units have none below. */
  readonly finest: boolean;
}

/** Candidates that are named in an error, at most. */
const mostNamed = 8;

/**
 * Picks units by code or name, and what lies below them down to a level.
 *
 * @throws IsomericError `unit-unknown`, `unit-ambiguous`, `level-unknown`
 */
export function chooseUnits(hierarchy: Hierarchy, choice: UnitChoice): ChosenUnits {
  const level = choice.level === undefined ? -1 : levelNamed(hierarchy, choice.level);
  const candidates = level < 0 ? hierarchy.units.map((_, n) => n) : [...hierarchy.ofLevel[level]];
  const picked = new Set<number>();
  const { codes = [], names = [] } = choice;
  for (const n of byCodes(hierarchy, candidates, codes)) picked.add(n);
  for (const name of names) picked.add(byName(hierarchy, candidates, name));
  if (codes.length === 0 && names.length === 0)
    for (const n of hierarchy.ofLevel[Math.max(0, level)]) picked.add(n);
  const chosen = [...picked];
  return choice.downTo === undefined
    ? { units: chosen, notes: [], finest: false }
    : goDown(hierarchy, chosen, choice.downTo);
}

function levelNamed(hierarchy: Hierarchy, name: string): number {
  const names = hierarchy.plan.levels.map((layer) => layer.name);
  const found = names.findIndex((each) => foldName(each) === foldName(name));
  if (found >= 0) return found;
  throw new IsomericError(
    'level-unknown',
    `There is no level “${name}”: the finest is ${names[names.length - 1]}.`,
    {
      advice: `${suggest(name, names)} Name a finer one as the last layer of “of:”.`,
      blame: 'usage',
      wrong: name,
    },
  );
}

function ofWords(hierarchy: Hierarchy, candidates: readonly number[]): string {
  const levels = [...new Set(candidates.map((n) => hierarchy.units[n].level))];
  return levels.map((level) => hierarchy.plan.levels[level].name).join(', ');
}

function byCodes(hierarchy: Hierarchy, candidates: readonly number[], codes: readonly string[]): number[] {
  const known = new Map<string, number[]>();
  for (const n of candidates) {
    const { code } = hierarchy.units[n];
    known.set(code, [...(known.get(code) ?? []), n]);
  }
  const missing = codes.filter((code) => !known.has(code));
  if (missing.length > 0) {
    const key = hierarchy.plan.keys[candidates.length === 0 ? 0 : hierarchy.units[candidates[0]].level];
    throw new IsomericError(
      'unit-unknown',
      `${ofWords(hierarchy, candidates)} ${hierarchy.plan.levels.length === 1 ? 'has' : 'have'} no unit with ${key} ${missing.join(', ')}.`,
      { wrong: missing[0], advice: suggest(missing[0], [...known.keys()]), blame: 'usage' },
    );
  }
  return codes.map((code) => {
    const found = known.get(code)!;
    if (found.length > 1) throw ambiguous(hierarchy, code, found, 'have the code');
    return found[0];
  });
}

function byName(hierarchy: Hierarchy, candidates: readonly number[], name: string): number {
  const called = (wanted: string, among: readonly number[]) =>
    among.filter((n) => foldName(hierarchy.units[n].name) === wanted);
  let found = called(foldName(name), candidates);
  // The unit above stands behind the last comma.
  for (
    let comma = name.lastIndexOf(',');
    found.length === 0 && comma > 0;
    comma = name.lastIndexOf(',', comma - 1)
  ) {
    const above = name.slice(comma + 1).trim();
    found = called(foldName(name.slice(0, comma)), candidates).filter((n) =>
      hierarchy
        .above(n)
        .some(
          (outer) =>
            foldName(hierarchy.units[outer].name) === foldName(above) ||
            hierarchy.units[outer].code === above,
        ),
    );
  }
  if (found.length === 1) return found[0];
  if (found.length > 1) throw ambiguous(hierarchy, name, found, 'are called');
  throw new IsomericError(
    'unit-unknown',
    `No unit of ${ofWords(hierarchy, candidates)} is called “${name}”.`,
    {
      wrong: name,
      advice: nearNames(hierarchy, candidates, name),
      blame: 'usage',
    },
  );
}

/** The names that are nearest to one that there is not. */
function nearNames(hierarchy: Hierarchy, candidates: readonly number[], name: string): string {
  const known = new Map<string, string>();
  for (const n of candidates) {
    const own = hierarchy.units[n].name;
    const plain = bareWords(own).join(' ');
    if (own !== '' && !known.has(plain)) known.set(plain, own);
  }
  if (known.size === 0)
    return 'Its units have no names: say “named by:” which field has them, or choose by code.';
  const words = bareWords(name);
  const wanted = words.join(' ');
  const near = new Set<string>();
  // Names that hold the words first, then those of whose words most are meant, then those that are spelt nearly so.
  for (const [own, shown] of known)
    if (near.size < 4 && wanted.length > 2 && (own.includes(wanted) || wanted.includes(own))) near.add(shown);
  const meant = new Map([...known.keys()].map((own) => [own, meantIn(own.split(' '), words)]));
  const most = Math.max(...meant.values());
  if (2 * most > words.length)
    for (const [own, shown] of known) if (near.size < 4 && meant.get(own) === most) near.add(shown);
  const rest = new Map([...known].filter(([, shown]) => !near.has(shown)));
  while (near.size < 3) {
    const next = nearestWord(wanted, rest.keys());
    if (next === undefined) break;
    near.add(known.get(next)!);
    rest.delete(next);
  }
  if (near.size === 0) return suggest(name, [...known.values()]);
  return `Did you mean ${[...near].map((each) => `“${each}”`).join(' or ')}?`;
}

/** How many of the words are among others, or nearly so. */
const meantIn = (there: readonly string[], words: readonly string[]) =>
  words.filter((word) => there.includes(word) || nearestWord(word, there) !== undefined).length;

function ambiguous(
  hierarchy: Hierarchy,
  wrong: string,
  found: readonly number[],
  verb: string,
): IsomericError {
  const shown = found.slice(0, mostNamed).map((n) => {
    const outer = hierarchy.above(n)[0];
    const level = hierarchy.plan.levels[hierarchy.units[n].level].name;
    return `${hierarchy.units[n].code} of ${level}${outer === undefined ? '' : `, in ${hierarchy.label(outer)}`}`;
  });
  const more = found.length > mostNamed ? `, and ${grouped(found.length - mostNamed)} more` : '';
  const first = found.map((n) => hierarchy.above(n)[0]).find((outer) => outer !== undefined);
  const levels = new Set(found.map((n) => hierarchy.units[n].level));
  const byAbove =
    first === undefined || verb !== 'are called'
      ? ''
      : `, or with the unit above: “${wrong}, ${hierarchy.units[first].name || hierarchy.units[first].code}”`;
  return new IsomericError(
    'unit-ambiguous',
    `${grouped(found.length)} units ${verb} “${wrong}”: ${shown.join('; ')}${more}.`,
    {
      wrong,
      advice: `Say which: ${levels.size > 1 ? 'with “level:”, ' : ''}${verb === 'are called' ? 'by code' : 'by name'}${byAbove}.`,
      blame: 'usage',
    },
  );
}

/** What lies below units, down to a level; what has nothing below stays itself, and is told. */
function goDown(hierarchy: Hierarchy, chosen: readonly number[], downTo: string): ChosenUnits {
  const { levels } = hierarchy.plan;
  const single = levels.length === 1;
  const finest = foldName(downTo) === 'finest';
  const target = finest ? levels.length - 1 : levelNamed(hierarchy, downTo);
  const units = new Set<number>();
  const stayed: number[] = [];
  const walk = (n: number, seen: ReadonlySet<number>): void => {
    const below = hierarchy.children.get(n) ?? [];
    const own = hierarchy.units[n].level;
    if (!single && own >= target) {
      units.add(n);
      return;
    }
    const next = below.filter((each) => !seen.has(each));
    if (next.length === 0) {
      units.add(n);
      if (!single) stayed.push(n);
      return;
    }
    for (const each of next) walk(each, new Set([...seen, n]));
  };
  for (const n of chosen) walk(n, new Set());
  const notes: string[] = [];
  if (stayed.length > 0) {
    const shown = stayed.slice(0, 5).map((n) => hierarchy.label(n));
    const more = stayed.length > 5 ? ` and ${grouped(stayed.length - 5)} more` : '';
    notes.push(
      `${counted(stayed.length, 'unit has', 'units have')} no ${levels[target].name} below, and ${stayed.length === 1 ? 'stands itself' : 'stand themselves'}: ${shown.join(', ')}${more}.`,
    );
  }
  if (finest && !single) notes.push(`Nothing finer than ${levels[target].name} is there.`);
  return { units: [...units], notes, finest: target === levels.length - 1 };
}
