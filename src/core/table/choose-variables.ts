import { IsomericError } from '../errors.ts';
import type { Table } from '../layer/layer.ts';
import { suggest } from '../nearest.ts';
import { bareCode, codeBookOfTables, findVariables, readableName } from './code-book.ts';
import { type Field, freeName } from './schema.ts';

/** The columns that words chose, and what is to be told about them. */
export interface ChosenVariables {
  /** Columns for a selection: [name, new name]. */
  columns: [string, string][];
  /** What was chosen for what was asked, in words. */
  notes: string[];
}

/** `no_car = households without a car` → its two parts; a bare text has no name of its own. */
function wantedOf(text: string): { name: string | null; words: string } {
  const found = /^\s*([\p{L}_][\p{L}\p{N}_]*)\s*=\s*(.+)$/su.exec(text);
  return found === null ? { name: null, words: text.trim() } : { name: found[1], words: found[2].trim() };
}

/**
 * Variables of a table by code or by words, with readable names; a name of one's own stands before an equals sign. The
 * columns that name the units come along, and so do margins of error of what is chosen.
 */
export function chooseVariables(table: Table, wanted: readonly string[]): ChosenVariables {
  const book = codeBookOfTables([table], true);
  const byCode = new Map(table.schema.map((field) => [bareCode(field.code ?? field.name), field]));
  const byName = new Map(table.schema.map((field) => [field.name.toLowerCase(), field]));
  const columns: [string, string][] = [];
  const notes: string[] = [];
  const taken: string[] = [];
  const chosen = new Set<string>();
  const add = (field: Field, name: string) => {
    if (chosen.has(field.name)) return;
    chosen.add(field.name);
    const free = freeName(name, taken);
    taken.push(free);
    columns.push([field.name, free]);
  };
  for (const field of table.schema)
    if (field.role === 'code' || (field.type === 'text' && field.role === undefined)) add(field, field.name);
  for (const text of wanted) {
    const { name, words } = wantedOf(text);
    const field =
      byName.get(words.toLowerCase()) ??
      byCode.get(bareCode(words)) ??
      best(table, book, words, byCode, notes);
    const own = name ?? (field.title === undefined ? field.name : readableName(field.title));
    if (chosen.has(field.name)) continue;
    add(field, own);
    const [, called] = columns[columns.length - 1];
    if (field.margin !== undefined) {
      const margin = table.schema.find((each) => each.name === field.margin);
      if (margin !== undefined) add(margin, `${called}_margin`);
    }
    if (called !== field.name || words.toLowerCase() !== field.name.toLowerCase())
      notes.push(
        `${called} is ${field.code ?? field.name}${field.title === undefined ? '' : `, “${field.title}”`}.`,
      );
  }
  return { columns, notes };
}

function best(
  table: Table,
  book: ReturnType<typeof codeBookOfTables>,
  words: string,
  byCode: ReadonlyMap<string, Field>,
  notes: string[],
): Field {
  const found = findVariables(book, words).filter(({ variable }) => {
    const field = byCode.get(bareCode(variable.code));
    return field !== undefined && field.role !== 'margin' && field.type !== 'text';
  });
  if (found.length === 0) {
    throw new IsomericError('variable-unknown', `Nothing in ${table.name} is described by “${words}”.`, {
      blame: 'usage',
      wrong: words,
      advice: suggest(
        words,
        table.schema.map((field) => field.title ?? field.name),
      ),
    });
  }
  const [first, second] = found;
  if (second !== undefined && second.score === first.score) {
    throw new IsomericError(
      'variable-unclear',
      `“${words}” describes several variables of ${table.name} equally well.`,
      {
        blame: 'usage',
        advice: `Say which: ${found
          .filter((each) => each.score === first.score)
          .slice(0, 5)
          .map(({ variable }) => `${variable.code} (${variable.title})`)
          .join(', ')}.`,
      },
    );
  }
  if (second !== undefined && second.score > first.score - 1)
    notes.push(`“${words}” could also be ${second.variable.code}, “${second.variable.title}”.`);
  return byCode.get(bareCode(first.variable.code))!;
}
