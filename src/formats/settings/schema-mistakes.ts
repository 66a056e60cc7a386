import type * as z from 'zod';
import { nearestWord, suggest } from '../../core/nearest.ts';
import type { Mistake } from './mistake.ts';
import type { Path, Places } from './places.ts';
import { quoted } from './yaml-mistakes.ts';

/** What is said of a file of settings and its parts. */
export interface Wording {
  what: string;
  /** Words of the trade that others use → the one of ours. */
  synonyms?: Readonly<Record<string, string>>;
  /** How a part is called: `prepare → wards → step 2`. */
  partWords?(path: Path): string;
}

interface Inner {
  def?: {
    type?: string;
    innerType?: unknown;
    in?: unknown;
    options?: unknown[];
    entries?: Record<string, unknown>;
    values?: unknown[];
  };
  shape?: Record<string, unknown>;
  element?: unknown;
  valueType?: unknown;
}

function unwrapped(schema: unknown): Inner | undefined {
  let inner = schema as Inner | undefined;
  while (inner?.def !== undefined && (inner.def.innerType !== undefined || inner.def.type === 'pipe'))
    inner = (inner.def.innerType ?? inner.def.in) as Inner;
  return inner;
}

/** All schemas that may hold at a path: several where there is a choice. */
export function schemasAt(path: Path, whole: unknown): Inner[] {
  let schemas = choices(whole);
  for (const part of path)
    schemas = schemas.flatMap((own) =>
      choices(own.shape !== undefined ? own.shape[String(part)] : (own.element ?? own.valueType)),
    );
  return schemas;
}

function choices(schema: unknown): Inner[] {
  const own = unwrapped(schema);
  if (own === undefined) return [];
  return own.def?.type === 'union' ? own.def.options!.flatMap(choices) : [own];
}

const keysAt = (path: Path, whole: unknown) =>
  schemasAt(path, whole).flatMap((own) => Object.keys(own.shape ?? {}));

const kinds: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  boolean: 'true or false',
  array: 'a list',
  object: 'keys with values',
  record: 'keys with values',
};

/** What may stand at a path, in words. */
function expected(path: Path, whole: unknown): { types: Set<string>; words: string } {
  const found = schemasAt(path, whole);
  const types = new Set(found.map((own) => own.def?.type ?? ''));
  const words = found.map((own) => {
    if (own.def?.type === 'literal') return own.def.values!.join(', ');
    if (own.def?.type === 'enum') return Object.keys(own.def.entries!).join(', ');
    return kinds[own.def?.type ?? ''] ?? 'something else';
  });
  return { types, words: [...new Set(words)].join(' or ') };
}

const at = (value: unknown, path: Path) =>
  path.reduce<unknown>(
    (inner, part) => (inner as Record<PropertyKey, unknown> | null | undefined)?.[part],
    value,
  );

/** `“gather → wards → file”`: the parts of a path, entries of lists counted from one. */
export function partName(path: Path, { what, partWords }: Wording): string {
  if (path.length === 0) return `The ${what}`;
  return `“${partWords?.(path) ?? path.map((part) => (typeof part === 'number' ? `entry ${part + 1}` : String(part))).join(' → ')}”`;
}

/** What is wrong by the schema, each told with its place and its cure. */
export function schemaMistakes(
  issues: readonly z.core.$ZodIssue[],
  value: unknown,
  schema: unknown,
  places: Places,
  wording: Wording,
): Mistake[] {
  const unknown = issues.filter((issue) => issue.code === 'unrecognized_keys');
  const read = (issue: z.core.$ZodIssue) => mistakesOf(issue, value, schema, places, wording);
  const strange = unknown.flatMap(read);
  // What is missing is often there under a wrong word: that is told, and not both.
  const meant = new Set(strange.map(({ path, meant }) => JSON.stringify([...path, meant])));
  const parts = new Set(unknown.map(({ path }) => JSON.stringify(path)));
  const others = issues
    .filter((issue) => issue.code !== 'unrecognized_keys')
    .filter(({ code, path }) => !(code === 'custom' && parts.has(JSON.stringify(path))))
    .filter(({ path }) => !meant.has(JSON.stringify(path)))
    .flatMap(read);
  return [...strange, ...others].map(({ mistake }) => mistake);
}

interface Told {
  mistake: Mistake;
  path: Path;
  /** The key that was meant. */
  meant?: string;
}

function mistakesOf(
  issue: z.core.$ZodIssue,
  value: unknown,
  schema: unknown,
  places: Places,
  wording: Wording,
): Told[] {
  const { path } = issue;
  const inner = issue.code === 'invalid_union' ? meantBranch(issue) : null;
  if (inner !== null) return inner.flatMap((each) => mistakesOf(each, value, schema, places, wording));
  if (issue.code === 'unrecognized_keys')
    return unknownKeys(issue.keys, path, at(value, path), schema, places, wording);
  return [{ path, mistake: valueMistake(issue, value, schema, places, wording) }];
}

/** Of several forms of a value, the one that was begun: its mistakes lie deeper than at the value itself. */
function meantBranch(issue: z.core.$ZodIssueInvalidUnion): z.core.$ZodIssue[] | null {
  const branch = issue.errors.find(
    (each) =>
      each.length > 0 && each.every(({ code, path }) => code === 'unrecognized_keys' || path.length > 0),
  );
  return branch?.map((each) => ({ ...each, path: [...issue.path, ...each.path] })) ?? null;
}

/** Keys of one part that are advised on: a file with more of them is another file. */
const mostAdvised = 100;

function unknownKeys(
  keys: readonly string[],
  path: Path,
  part: unknown,
  schema: unknown,
  places: Places,
  wording: Wording,
): Told[] {
  const known = keysAt(path, schema);
  const name = partName(path, wording);
  return keys.map((key, k) =>
    unknownKey(key, path, part, k < mostAdvised ? known : [], name, places, wording),
  );
}

function unknownKey(
  key: string,
  path: Path,
  part: unknown,
  known: readonly string[],
  name: string,
  places: Places,
  wording: Wording,
): Told {
  const plain = key.toLowerCase().replace(/[\s_-]+/gu, ' ');
  const free = known.filter((each) => !Object.hasOwn(part as object, each));
  const other =
    wording.synonyms !== undefined && Object.hasOwn(wording.synonyms, plain)
      ? wording.synonyms[plain]
      : undefined;
  const same =
    known.find((each) => each.toLowerCase().replace(/[\s_-]+/g, ' ') === plain) ??
    (other !== undefined && known.includes(other) ? other : undefined);
  const meant = same ?? nearestWord(key, free) ?? nearestWord(key, known);
  return {
    path,
    meant,
    mistake: {
      code: `${wording.what}-unknown-word`,
      words: `${name} has no “${key}”.`,
      advice: meant === undefined ? suggest(key, known) : `Did you mean “${meant}”?`,
      place: places.key([...path, key]),
      rank: 'word',
    },
  };
}

function valueMistake(
  issue: z.core.$ZodIssue,
  whole: unknown,
  schema: unknown,
  places: Places,
  wording: Wording,
): Mistake {
  const { path } = issue;
  const name = partName(path, wording);
  const code = `${wording.what}-value`;
  const place = places.value(path);
  const told = (words: string, advice = '', more: Partial<Mistake> = {}): Mistake => ({
    code,
    words,
    advice,
    place,
    rank: 'value',
    ...more,
  });
  const parent = at(whole, path.slice(0, -1));
  const last = path.at(-1);
  if (last !== undefined && parent !== null && typeof parent === 'object' && !Object.hasOwn(parent, last))
    return told(`${name} is missing.`, missingAdvice(path, schema), {
      code: `${wording.what}-missing`,
      place: places.key(path.slice(0, -1)),
      rank: 'missing',
    });
  const given = at(whole, path);
  if (issue.code === 'invalid_key')
    return told(`${name} cannot be called so: it ${issue.issues[0]?.message ?? 'is no name'}.`, '', {
      place: places.key(path),
    });
  if (issue.code === 'custom' || issue.code === 'invalid_format') {
    if (given === null || given === undefined) return told(`${name} has no value.`);
    if (typeof given === 'string' && /^[“”„‘’]/.test(given))
      return told(`${name} stands in curly quotes.`, `Write ${quoted(given)}.`);
    // The key itself is wrong, whatever its value.
    if (issue.code === 'custom' && issue.params?.ofKey === true)
      return told(`${partName(path.slice(0, -1), wording)}: ${issue.message}.`, '', {
        place: places.key(path),
      });
    return told(`${name}: ${issue.message}.`);
  }
  const { types, words } = expected(path, schema);
  if (given === null || given === undefined)
    return told(`${name} has no value; ${words} is expected.`, noValueAdvice(places, path));
  if (issue.code === 'invalid_value' || (issue.code === 'invalid_union' && types.has('enum'))) {
    const values = issue.code === 'invalid_value' ? issue.values.map(String) : words.split(', ');
    return told(`${name} cannot be “${String(given)}”.`, suggest(String(given), values));
  }
  if (issue.code === 'too_small' && (issue.origin === 'string' || issue.origin === 'array'))
    return told(`${name} is empty.`);
  if (issue.code === 'too_small')
    return told(
      `${name} is ${String(given)}, and must be ${issue.inclusive ? 'at least' : 'greater than'} ${issue.minimum}.`,
    );
  if (issue.code === 'too_big')
    return told(
      `${name} is ${String(given)}, and must be ${issue.inclusive ? 'at most' : 'less than'} ${issue.maximum}.`,
    );
  if (typeof given === 'number' && (types.has('number') || types.has('int')))
    return told(`${name} is ${given}, and must be a whole number.`);
  return told(
    `${name} must be ${words}, and is ${shown(given)}.`,
    cure(given, types, places.source(path), missingAdvice(path, schema)),
  );
}

function shown(given: unknown): string {
  if (Array.isArray(given)) return 'a list';
  if (given !== null && typeof given === 'object') return 'a part with keys of its own';
  return typeof given === 'string'
    ? `the text “${given}”`
    : typeof given === 'number'
      ? `the number ${given}`
      : `${String(given)}`;
}

function cure(
  given: unknown,
  types: ReadonlySet<string>,
  source: string | undefined,
  description: string,
): string {
  if ((typeof given === 'number' || typeof given === 'boolean') && types.has('string'))
    return `Put it in quotes: '${source ?? String(given)}'.`;
  if (types.has('array') && !Array.isArray(given) && typeof given !== 'object')
    return `Write [${String(given)}].`;
  if (types.has('string') && Array.isArray(given) && given.length === 1)
    return `Write ${String(given[0])} without brackets.`;
  if (
    types.has('number') &&
    typeof given === 'string' &&
    given.trim() !== '' &&
    Number.isFinite(Number(given.replace(/,/g, '')))
  )
    return `Write ${Number(given.replace(/,/g, ''))}.`;
  return description;
}

/** A `#` behind a blank begins a comment: what was meant as a value is none. */
function noValueAdvice(places: Places, path: Path): string {
  const comment = places.commentBehind(path);
  return comment === undefined ? '' : `“#” begins a comment: put the text in quotes: "${comment}".`;
}

function missingAdvice(path: Path, schema: unknown): string {
  const description = schemasAt(path, schema)[0] as { description?: string } | undefined;
  return description?.description ?? '';
}
