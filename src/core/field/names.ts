import { IsomericError } from '../errors.ts';
import { suggest } from '../nearest.ts';

/** One name, or a run of names that differ in one number: `CUL-001 to CUL-048`. */
export interface NameRun {
  /** As it was written. */
  text: string;
  /** What stands before and after the number; null where it is one name. */
  around: { before: string; after: string; from: number; to: number } | null;
}

/** What is chosen by name: all, or some names and runs. */
export type NameChoice = 'all' | readonly NameRun[];

/** Longest run: beyond it the ends are hardly meant. */
const longestRun = 1_000_000;

/** The last number in a name, with what stands around it; null where it has none. */
export function numberIn(name: string): { before: string; digits: string; after: string } | null {
  let end = name.length;
  while (end > 0 && !isDigit(name, end - 1)) end--;
  if (end === 0) return null;
  let start = end;
  while (start > 0 && isDigit(name, start - 1)) start--;
  // Longer ones are no number of a thing, and would not be whole.
  if (end - start > 15) return null;
  return { before: name.slice(0, start), digits: name.slice(start, end), after: name.slice(end) };
}

const isDigit = (text: string, k: number) => text.charCodeAt(k) >= 48 && text.charCodeAt(k) <= 57;

function runFrom(text: string): NameRun {
  const at = text.indexOf(' to ');
  if (at < 0) return { text, around: null };
  const first = numberIn(text.slice(0, at).trim());
  const last = numberIn(text.slice(at + 4).trim());
  // A name may hold the word itself: “Weir to Bridge”.
  if (first === null || last === null || first.before !== last.before || first.after !== last.after)
    return { text, around: null };
  const [from, to] = [Number(first.digits), Number(last.digits)];
  if (from > to || to - from > longestRun)
    throw new IsomericError('name-run', `“${text}” is no run of names: it goes from ${from} to ${to}.`, {
      advice: 'Write the lower number first: “CUL-001 to CUL-048”.',
      blame: 'usage',
      wrong: text,
    });
  return { text, around: { before: first.before, after: first.after, from, to } };
}

/**
 * Names and runs of names as they are written in a study or a command; `all` chooses all.
 *
 * @throws IsomericError `name-run` where a run goes backwards
 */
export function parseNames(written: string | readonly string[]): NameChoice {
  const texts = [written].flat().map((text) => text.trim());
  if (texts.length === 1 && texts[0] === 'all') return 'all';
  return texts.filter((text) => text !== '').map(runFrom);
}

const inRun = ({ text, around }: NameRun, name: string, number: ReturnType<typeof numberIn>): boolean => {
  if (name === text) return true;
  if (around === null || number === null) return false;
  if (number.before !== around.before || number.after !== around.after) return false;
  const value = Number(number.digits);
  return value >= around.from && value <= around.to;
};

/** Is a name chosen? What has no name is chosen only with all. */
export function isNamed(choice: NameChoice, name: string | null): boolean {
  if (choice === 'all') return true;
  if (name === null) return false;
  const number = numberIn(name);
  return choice.some((run) => inRun(run, name, number));
}

/** What a choice names and nobody has: single names, and the numbers that are missing in a run. */
export interface Unmet {
  run: NameRun;
  /** Names of the run that are there. */
  met: number;
  /** Numbers of the run that are not there, the first ones. */
  missing: string[];
  /** How many are not there. */
  missingCount: number;
}

/** Each run or name of a choice of which something is missing. */
export function unmetOf(choice: NameChoice, names: Iterable<string>): Unmet[] {
  if (choice === 'all') return [];
  const all = [...new Set(names)];
  const found: Unmet[] = [];
  for (const run of choice) {
    const met = all.filter((name) => inRun(run, name, numberIn(name)));
    if (run.around === null) {
      if (met.length === 0) found.push({ run, met: 0, missing: [run.text], missingCount: 1 });
      continue;
    }
    const { from, to, before, after } = run.around;
    const numbers = new Set(met.map((name) => Number(numberIn(name)?.digits)));
    const width = run.text.slice(0, run.text.indexOf(' to ')).trim().length - before.length - after.length;
    const missing: string[] = [];
    for (let n = from; n <= to && missing.length < 8; n++)
      if (!numbers.has(n)) missing.push(`${before}${String(n).padStart(width, '0')}${after}`);
    const missingCount = to - from + 1 - numbers.size;
    if (missingCount > 0) found.push({ run, met: met.length, missing, missingCount });
  }
  return found;
}

/**
 * Refuses a choice of which nothing is there.
 *
 * @throws IsomericError `names-unmet` with the nearest names
 */
export function requireMet(choice: NameChoice, names: readonly string[], what: string): void {
  if (choice === 'all') return;
  const unmet = unmetOf(choice, names).filter(({ met }) => met === 0);
  if (unmet.length === 0 || unmet.length < choice.length) return;
  const [{ run }] = unmet;
  throw new IsomericError('names-unmet', `There is no ${what} “${run.text}”.`, {
    advice:
      names.length === 0
        ? `There are no ${what}s at all.`
        : suggest(
            run.text,
            runsOf(names).map(({ words }) => words),
          ),
    blame: 'usage',
    wrong: run.text,
  });
}

/** Names that go on from each other, put together. */
export interface FoundRun {
  /** `CUL-001 to CUL-048`, or the only name. */
  words: string;
  count: number;
  /** Numbers between the first and the last that are not there. */
  missing: number[];
}

/** Names as runs, in the order in which the first of each comes: what a person can read of thousands. */
export function runsOf(names: readonly string[]): FoundRun[] {
  const groups = new Map<string, { names: Map<number, string>; first: string }>();
  const order: string[] = [];
  for (const name of names) {
    const number = numberIn(name);
    const key = number === null ? `= ${name}` : `# ${number.before}\0${number.after}`;
    let group = groups.get(key);
    if (group === undefined) {
      group = { names: new Map(), first: name };
      groups.set(key, group);
      order.push(key);
    }
    if (number !== null) group.names.set(Number(number.digits), name);
  }
  return order.map((key) => {
    const { names: numbered, first } = groups.get(key)!;
    if (numbered.size < 2) return { words: first, count: 1, missing: [] };
    const numbers = [...numbered.keys()].sort((a, b) => a - b);
    const [least, most] = [numbers[0], numbers[numbers.length - 1]];
    const missing: number[] = [];
    for (let k = 1; k < numbers.length && missing.length < 20; k++)
      for (let n = numbers[k - 1] + 1; n < numbers[k] && missing.length < 20; n++) missing.push(n);
    return { words: `${numbered.get(least)} to ${numbered.get(most)}`, count: numbers.length, missing };
  });
}
