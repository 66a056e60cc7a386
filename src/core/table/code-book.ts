import type { Table } from '../layer/layer.ts';
import { bareText, bareWords } from '../plain-text.ts';
import type { Field, Schema } from './schema.ts';

/** One variable as its provider describes it. */
export interface Variable {
  /** What the column is called in the data. */
  code: string;
  title: string;
  description?: string;
  unit?: string;
  universe?: string;
  /** Code of the table that it is in, and what that is called. */
  table?: string;
  tableTitle?: string;
  concept?: string;
  /** Code → meaning, for variables whose values are codes. */
  codes?: Record<string, string>;
  /** Where the description was found. */
  source?: string;
}

/** What providers say of their variables, from whatever it came: key files, workbooks, structures, second header rows. */
export interface CodeBook {
  variables: Variable[];
}

/** Codes are compared without regard to case and to what divides their parts: `H0001_E` and `h0001e`. */
export const bareCode = (code: string) => code.toLowerCase().replace(/[\s_.:-]+/g, '');

/** The part of a code before its number in the table: `H0003E` → `H0003`. */
const stemOf = (code: string) => code.replace(/[EM]$/i, '');

/** Finds a variable for a column: by code, and by the last part of a long name (`Estimate H0003` …). */
export class CodeBookIndex {
  private readonly byCode = new Map<string, Variable>();

  constructor(book: CodeBook) {
    for (const variable of book.variables) {
      const key = bareCode(variable.code);
      if (!this.byCode.has(key)) this.byCode.set(key, variable);
    }
  }

  /** The entry of a code, whatever its case; undefined when there is none. */
  get(code: string): Variable | undefined {
    return this.byCode.get(bareCode(code));
  }

  /** An estimate and its margin often share one description under a code without the last letter. */
  getByStem(code: string): Variable | undefined {
    const stem = stemOf(code);
    return stem === code ? undefined : this.get(stem);
  }
}

/**
 * Gives the fields of a table what the code book says of them. Its titles go before those of a second header row, which
 * are often shortened; a title that says something else stays as the description.
 */
export function describeSchema(schema: Schema, index: CodeBookIndex): { schema: Field[]; described: number } {
  let described = 0;
  const fields = schema.map((field): Field => {
    const code = field.code ?? field.name;
    const variable = index.get(code);
    if (variable === undefined) return field;
    described++;
    const other = field.title !== undefined && field.title !== variable.title ? field.title : undefined;
    return {
      ...field,
      title: variable.title,
      unit: field.unit ?? variable.unit,
      description: field.description ?? variable.description ?? other,
      universe: field.universe ?? variable.universe,
      table: field.table ?? variable.table,
      concept: field.concept ?? variable.concept,
      codes: field.codes ?? variable.codes,
    };
  });
  return { schema: fields.map(withoutGaps), described };
}

/** A field without properties that are undefined: two fields that say the same are equal. */
export function withoutGaps<T extends object>(value: T): T {
  return Object.fromEntries(Object.entries(value).filter(([, each]) => each !== undefined)) as T;
}

/** The variables that tables say of themselves: those with a title, a concept or codes. */
export function codeBookOfTables(tables: readonly Table[], all = false): CodeBook {
  const variables: Variable[] = [];
  for (const table of tables) {
    for (const field of table.schema) {
      if (!all && field.title === undefined && field.concept === undefined && field.codes === undefined)
        continue;
      variables.push(
        withoutGaps({
          code: field.code ?? field.name,
          title: field.title ?? field.name,
          description: field.description,
          unit: field.unit,
          universe: field.universe,
          table: field.table ?? table.name,
          tableTitle: table.title,
          concept: field.concept,
          codes: field.codes,
          source: table.name,
        }),
      );
    }
  }
  return { variables };
}

/** A variable that words found. */
export interface FoundVariable {
  variable: Variable;
  /** Greater fits better. */
  score: number;
}

/** `households` and `household` are one word here, `cars` and `car`. */
function stem(word: string): string {
  if (word.length > 4 && word.endsWith('ies')) return `${word.slice(0, -3)}y`;
  if (word.length > 3 && word.endsWith('s') && !word.endsWith('ss')) return word.slice(0, -1);
  return word;
}

/** Words that say nothing of a variable. */
const idle = new Set([
  'of',
  'the',
  'a',
  'an',
  'by',
  'in',
  'on',
  'and',
  'or',
  'with',
  'for',
  'to',
  'at',
  'per',
  'who',
  'that',
]);

/**
 * Variables that a search finds, the best first. A code finds its variable; words must all occur, in the title, the
 * universe, the table's title, the concept or the codes; the title counts most, and titles with less beside them more.
 */
export function findVariables(book: CodeBook, search: string): FoundVariable[] {
  const asked = bareWords(search)
    .filter((word) => !idle.has(word))
    .map(stem);
  const code = bareCode(search);
  const found: FoundVariable[] = [];
  for (const variable of book.variables) {
    if (bareCode(variable.code) === code && code !== '') {
      found.push({ variable, score: 1000 });
      continue;
    }
    if (asked.length === 0) continue;
    const title = bareWords(variable.title)
      .filter((word) => !idle.has(word))
      .map(stem);
    const rest = bareWords(
      [
        variable.universe,
        variable.tableTitle,
        variable.concept,
        variable.description,
        variable.table,
        variable.unit,
      ]
        .filter((each) => each !== undefined)
        .join(' '),
    ).map(stem);
    const codes =
      variable.codes === undefined
        ? []
        : bareWords(Object.values(variable.codes).slice(0, 200).join(' ')).map(stem);
    let score = 0;
    for (const word of asked) {
      const own = bestOf(word, title);
      const other = own > 0 ? 0 : Math.max(0.4 * bestOf(word, rest), 0.2 * bestOf(word, codes));
      if (own + other === 0) {
        score = 0;
        break;
      }
      score += own + other;
    }
    if (score === 0) continue;
    // Of two titles with all the words, the one with fewer others is meant; the very title is the best.
    const surplus = Math.max(0, title.length - asked.length);
    const exact = title.length === asked.length && title.every((word, k) => word === asked[k]) ? 5 : 0;
    found.push({ variable, score: (10 * score) / asked.length - 0.3 * Math.min(surplus, 20) + exact });
  }
  found.sort((a, b) => b.score - a.score);
  // What fits only by the title of its table is noise beside what fits by its own.
  const best = found[0]?.score ?? 0;
  return found.filter(({ score }) => score >= 0.5 * Math.min(best, 15));
}

/** 1 for the word itself, less for a word that begins with it. */
function bestOf(word: string, words: readonly string[]): number {
  let best = 0;
  for (const each of words) {
    if (each === word) return 1;
    if (word.length >= 3 && each.startsWith(word)) best = Math.max(best, 0.7);
    else if (word.length >= 5 && each.includes(word)) best = Math.max(best, 0.4);
  }
  return best;
}

/** `Households without a car` → `households_without_car`: a field name that can be read aloud. */
export function readableName(title: string, longest = 40): string {
  const words = (bareText(title.replace(/%/g, ' percent ')).match(/[\p{L}\p{N}]+/gu) ?? []).filter(
    (word, k) => k === 0 || !['a', 'an', 'the', 'of'].includes(word),
  );
  let name = '';
  for (const word of words) {
    const longer = name === '' ? word : `${name}_${word}`;
    if (longer.length > longest && name !== '') break;
    name = longer.slice(0, longest);
  }
  if (name === '') return 'field';
  return /^\d/.test(name) ? `n_${name}` : name;
}
