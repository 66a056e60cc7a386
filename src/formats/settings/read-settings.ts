import { Lexer, LineCounter, Parser, parseDocument } from 'yaml';
import type * as z from 'zod';
import { withoutPrototypes } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import { codeNumbers } from './code-numbers.ts';
import { type Mistake, SettingsError } from './mistake.ts';
import { Places } from './places.ts';
import { schemaMistakes, type Wording } from './schema-mistakes.ts';
import { longest } from './text.ts';
import { type TextMistake, yamlMistakes } from './yaml-mistakes.ts';
import { strangeBlanks, yamlTraps } from './yaml-traps.ts';

/** Lists and maps inside one another: far more than anybody writes, and far less than stops a process. */
const deepest = 100;

/** A kind of file with settings: what it is called in messages and error codes, and how it is built. */
export interface SettingsKind<T> extends Wording {
  /** `study`, `scheme`: error codes begin with it. */
  what: string;
  schema: z.ZodType<T>;
  /** What to do with an empty file. */
  begin: string;
  /** Mistakes that only the whole shows; told together with those of the schema. What has another shape is passed over. */
  also?(value: unknown, places: Places): Mistake[];
}

/**
 * Reads a text of YAML by its schema. All mistakes in it are told at once, each with file, line, column and the right word.
 * `places` finds where each value was written, for mistakes that show later.
 */
export function readSettings<T>(
  text: string,
  file: string,
  kind: SettingsKind<T>,
): { value: T; places: Places } {
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

function settingsIn<T>(text: string, file: string, kind: SettingsKind<T>): { value: T; places: Places } {
  const { what, schema } = kind;
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
    // What it warns of is judged by what comes of it, not printed.
    logLevel: 'error',
    // The parser holds each key against all others; keys that stand twice are found by yaml-traps.ts.
    uniqueKeys: false,
  });
  const places = new Places(file, text, document.contents, lines);
  const asText = (mistakes: readonly TextMistake[]): Mistake[] =>
    mistakes.map(({ at, words, advice }) => ({
      code: `${what}-syntax`,
      words,
      advice,
      place: places.at(at),
      rank: 'text',
    }));
  const stop = (mistakes: readonly Mistake[]): void => {
    // Blanks that only look like some matter where something else is wrong.
    if (mistakes.length === 0) return;
    const blanks = asText(strangeBlanks(text));
    const lines = new Set(blanks.map(({ place }) => place.line));
    const others = mistakes.filter(
      ({ rank, place }) => !(lines.has(place.line) || (rank === 'text' && blanks.length > 0)),
    );
    throw new SettingsError([...blanks, ...others], what);
  };
  stop(asText(yamlMistakes(document, text)));
  stop(asText(yamlTraps(document, text)));
  let value: unknown;
  try {
    value = document.toJS({ maxAliasCount: 100 });
  } catch {
    throw new IsomericError(`${what}-aliases`, 'Its aliases (*name) stand for more than is sensible.', {
      place: { file },
      advice: 'Write out what they stand for.',
      blame: 'usage',
    });
  }
  if (value === null || value === undefined)
    throw new IsomericError(`${what}-syntax`, 'The file is empty.', {
      place: places.at(0),
      advice: kind.begin,
      blame: 'usage',
    });
  if (typeof value !== 'object' || Array.isArray(value))
    throw new IsomericError(
      `${what}-syntax`,
      `A ${what} is made of keys with values, and this is ${Array.isArray(value) ? 'a list' : 'one text'}.`,
      {
        place: places.at(0),
        advice: kind.begin,
        blame: 'usage',
      },
    );
  const result = schema.safeParse(value);
  const shape = result.success ? [] : schemaMistakes(result.error.issues, value, schema, places, kind);
  const numbers = codeNumbers(document, schema, places, kind);
  const also = kind.also?.(value, places) ?? [];
  const taken = new Set([...numbers, ...also].map(({ place }) => `${place.line} ${place.column}`));
  // What is known of a value itself says more than that it has another shape.
  stop([...numbers, ...also, ...shape.filter(({ place }) => !taken.has(`${place.line} ${place.column}`))]);
  return { value: withoutPrototypes(result.data as T), places };
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
