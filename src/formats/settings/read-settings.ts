import { isMap, isScalar, Lexer, LineCounter, type Node, Parser, parseDocument, type YAMLMap } from 'yaml';
import type * as z from 'zod';
import { withoutPrototypes } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';

/** Most characters of a file that people write by hand. */
const longest = 2_000_000;

/** Lists and maps inside one another: far more than anybody writes, and far less than stops a process. */
const deepest = 100;

/** A kind of file with settings: what it is called in messages and error codes, and how it is built. */
export interface SettingsKind<T> {
  /** `study`, `scheme`: error codes begin with it. */
  what: string;
  schema: z.ZodType<T>;
}

/**
 * Reads a text of YAML by its schema. A mistake in it is told with file, line, column and the nearest right word.
 * `place` finds the line of anything in it, for mistakes that only the whole shows.
 */
export function readSettings<T>(
  text: string,
  file: string,
  kind: SettingsKind<T>,
): { value: T; place: Placer } {
  try {
    return settingsIn(text, file, kind);
  } catch (error) {
    if (error instanceof IsomericError) throw error;
    // Nesting without end, keys that are lists: whatever a parser stumbles over.
    throw new IsomericError(
      `${kind.what}-syntax`,
      `The text cannot be read as a ${kind.what} (${error instanceof Error ? error.message : String(error)}).`,
      { place: { file }, advice: 'Is it damaged, or another file?', blame: 'usage' },
    );
  }
}

function settingsIn<T>(text: string, file: string, kind: SettingsKind<T>): { value: T; place: Placer } {
  const { what } = kind;
  if (text.length > longest)
    throw new IsomericError(`${what}-too-long`, `The file is too long for a ${what}.`, {
      place: { file },
      blame: 'usage',
    });
  refuseDepth(text, file, what);
  const lines = new LineCounter();
  const document = parseDocument(text, {
    lineCounter: lines,
    prettyErrors: false,
    // What it warns of (keys that are lists) is judged by what comes of it, not printed.
    logLevel: 'error',
  });
  const [mistake] = document.errors;
  if (mistake !== undefined) {
    const { line, col } = lines.linePos(mistake.pos[0]);
    throw new IsomericError(
      `${what}-syntax`,
      `The text is not YAML: ${mistake.message.replace(/\.$/, '')}.`,
      {
        place: { file, line, column: col },
        blame: 'usage',
      },
    );
  }
  const place: Placer = (path, key) => {
    const offset = offsetOf(document.contents as Node | null, path, key);
    const { line, col } = lines.linePos(offset);
    return { file, line, column: col };
  };
  let value: unknown;
  try {
    value = document.toJS({ maxAliasCount: 100 }) ?? {};
  } catch {
    throw new IsomericError(`${what}-aliases`, 'Its aliases (*name) stand for more than is sensible.', {
      place: { file },
      advice: 'Write out what they stand for.',
      blame: 'usage',
    });
  }
  const result = kind.schema.safeParse(value);
  if (!result.success) throw describeIssue(result.error.issues[0], value, place, kind);
  return { value: withoutPrototypes(result.data), place };
}

/**
 * What is nested without end exhausts the stack of whoever walks it, and there the process ends where an error could
 * no more be caught. The parser of tokens keeps a stack of its own, which is looked at as it grows.
 */
function refuseDepth(text: string, file: string, what: string): void {
  const parser = new Parser();
  for (const lexeme of new Lexer().lex(text)) {
    for (const _ of parser.next(lexeme));
    // Each list, map and scalar that is open, and the document.
    if (parser.stack.length > deepest + 2)
      throw new IsomericError(
        `${what}-nesting`,
        `Lists and maps stand in one another, more than ${deepest} deep.`,
        {
          place: { file, line: text.slice(0, parser.offset).split('\n').length },
          advice: 'Is it damaged, or another file?',
          blame: 'usage',
        },
      );
  }
}

export type Placer = (
  path: readonly PropertyKey[],
  key?: string,
) => { file: string; line: number; column: number };

/** Character at which the value at a path begins (or the key of that name in the map there). */
function offsetOf(root: Node | null, path: readonly PropertyKey[], key?: string): number {
  let node: unknown = root;
  let offset = root?.range?.[0] ?? 0;
  const keyOf = (map: YAMLMap, name: PropertyKey) =>
    map.items.find((pair) => String(isScalar(pair.key) ? pair.key.value : pair.key) === String(name));
  for (const part of path) {
    if (isMap(node)) {
      const pair = keyOf(node as YAMLMap, part);
      if (pair === undefined) return offset;
      offset = (pair.key as Node).range?.[0] ?? offset;
      node = pair.value;
    } else if (node !== null && typeof node === 'object' && 'items' in node) {
      node = (node as { items: unknown[] }).items[Number(part)];
      offset = (node as Node | undefined)?.range?.[0] ?? offset;
    } else return offset;
  }
  if (key !== undefined && isMap(node))
    return (keyOf(node as YAMLMap, key)?.key as Node | undefined)?.range?.[0] ?? offset;
  return offset;
}

/** Keys that may stand where an issue was found. */
function keysAt(path: readonly PropertyKey[], whole: unknown): string[] {
  let schema: unknown = whole;
  for (const part of path) {
    schema = unwrapped(schema);
    const own = schema as {
      shape?: Record<string, unknown>;
      valueType?: unknown;
      element?: unknown;
      _zod?: { def: { valueType?: unknown } };
    };
    schema =
      own.shape !== undefined
        ? own.shape[String(part)]
        : (own.element ?? own.valueType ?? own._zod?.def.valueType);
  }
  return Object.keys((unwrapped(schema) as { shape?: object } | undefined)?.shape ?? {});
}

function unwrapped(schema: unknown): unknown {
  let inner = schema as { def?: { type?: string; innerType?: unknown; in?: unknown } } | undefined;
  while (inner?.def !== undefined && (inner.def.innerType !== undefined || inner.def.type === 'pipe')) {
    inner = (inner.def.innerType ?? inner.def.in) as typeof inner;
  }
  return inner;
}

function describeIssue(
  issue: z.core.$ZodIssue,
  value: unknown,
  place: Placer,
  { what, schema }: SettingsKind<unknown>,
): IsomericError {
  const where = issue.path.map(String).join(' → ');
  const at = where === '' ? `The ${what}` : `“${where}”`;
  if (issue.code === 'unrecognized_keys') {
    const key = issue.keys[0];
    return new IsomericError(`${what}-unknown-word`, `${at} has no “${key}”.`, {
      place: place(issue.path, key),
      advice: suggest(key, keysAt(issue.path, schema)),
      blame: 'usage',
    });
  }
  const parent = issue.path
    .slice(0, -1)
    .reduce<unknown>((inner, part) => (inner as Record<PropertyKey, unknown> | undefined)?.[part], value);
  const last = issue.path.at(-1);
  const absent =
    last !== undefined && parent !== null && typeof parent === 'object' && !Object.hasOwn(parent, last);
  if (absent) {
    return new IsomericError(`${what}-missing`, `“${where}” is missing.`, {
      place: place(issue.path.slice(0, -1)),
      blame: 'usage',
    });
  }
  if (issue.code === 'invalid_value') {
    const given = issue.path.reduce<unknown>(
      (inner, part) => (inner as Record<PropertyKey, unknown> | undefined)?.[part],
      value,
    );
    return new IsomericError(`${what}-value`, `${at} cannot be “${String(given)}”.`, {
      place: place(issue.path),
      advice: suggest(String(given), issue.values.map(String)),
      blame: 'usage',
    });
  }
  const words =
    issue.code === 'custom' || issue.code === 'invalid_format'
      ? `: ${issue.message.replace(/^Invalid input: /, '')}.`
      : ` is wrong: ${issue.message.replace(/^Invalid input: /, '')}.`;
  return new IsomericError(`${what}-value`, `${at}${words}`, { place: place(issue.path), blame: 'usage' });
}
