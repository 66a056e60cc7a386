import { IsomericError } from '../errors.ts';
import { type Compiled, compileExpression } from './cql2/evaluate.ts';
import type { ExpressionContext } from './cql2/node.ts';
import type { Schema } from './schema.ts';

/** What an aggregate is: how many parts stand in its brackets, what kind of value it needs, what it gives. */
interface AggregateKind {
  parts: readonly number[];
  /** Only numbers, only conditions, or any value. */
  takes: 'number' | 'boolean' | 'any';
  /** `like`: a whole number where all values are. */
  gives: 'integer' | 'real' | 'text' | 'like';
}

const kinds = {
  count: { parts: [0, 1], takes: 'any', gives: 'integer' },
  sum: { parts: [1], takes: 'number', gives: 'like' },
  mean: { parts: [1, 2], takes: 'number', gives: 'real' },
  least: { parts: [1], takes: 'number', gives: 'like' },
  greatest: { parts: [1], takes: 'number', gives: 'like' },
  median: { parts: [1], takes: 'number', gives: 'real' },
  deviation: { parts: [1], takes: 'number', gives: 'real' },
  list: { parts: [1], takes: 'any', gives: 'text' },
  distinct: { parts: [1], takes: 'any', gives: 'integer' },
  commonest: { parts: [1], takes: 'any', gives: 'text' },
  share: { parts: [1, 2], takes: 'boolean', gives: 'real' },
} as const satisfies Record<string, AggregateKind>;

type AggregateName = keyof typeof kinds;
/** Names of the aggregates that `groupRows` computes. */
export const aggregateNames = Object.keys(kinds) as AggregateName[];

/** `sum(households)`, `mean(age, persons)` (weighted), `share(floor = 0, households)`, `count()`. */
export interface Aggregate {
  name: AggregateName;
  value: Compiled | null;
  weight: Compiled | null;
  text: string;
}

/** Type of the results of an aggregate. */
export function aggregateType({ name, value }: Aggregate): 'integer' | 'real' | 'text' {
  const { gives } = kinds[name];
  return gives !== 'like' ? gives : value?.whole === true ? 'integer' : 'real';
}

/** Parses an aggregate; its arguments are CQL2 expressions over the rows. */
export function parseAggregate(
  text: string,
  schema: Schema,
  of: string,
  context: ExpressionContext = {},
): Aggregate {
  const found = /^\s*([a-z]+)\s*\(([\s\S]*)\)\s*$/i.exec(text);
  const name = found?.[1].toLowerCase() as AggregateName;
  if (found === null || !aggregateNames.includes(name)) {
    throw new IsomericError('aggregate-syntax', `“${text}” sums nothing up.`, {
      blame: 'usage',
      advice: `Write one of ${aggregateNames.map((each) => `${each}(…)`).join(', ')}, for example sum(households), or mean(share, households) for a weighted mean.`,
    });
  }
  const { parts: wanted, takes }: AggregateKind = kinds[name];
  const parts = splitAtCommas(found[2]);
  if (!wanted.includes(parts.length))
    throw new IsomericError(
      'aggregate-syntax',
      `${name} cannot have ${parts.length} parts in its brackets.`,
      {
        blame: 'usage',
      },
    );
  const [value, weight] = parts.map((part) => compileExpression(part, schema, of, context));
  const needs = (part: Compiled | undefined, kind: string) => {
    if (part === undefined || kind === 'any' || part.kind === kind) return;
    const words = kind === 'boolean' ? 'a condition' : 'a number';
    throw new IsomericError('expression-type', `${text}: ${words} is needed, not ${part.kind}.`, {
      blame: 'usage',
    });
  };
  needs(value, takes);
  needs(weight, 'number');
  return { name, value: value ?? null, weight: weight ?? null, text };
}

/** The expressions in the brackets of an aggregate; null for a text that is none. */
export function aggregateParts(text: string): string[] | null {
  const found = /^\s*([a-z]+)\s*\(([\s\S]*)\)\s*$/i.exec(text);
  const known = found !== null && aggregateNames.some((name) => name === found[1].toLowerCase());
  return known ? splitAtCommas(found[2]) : null;
}

/** Splits at commas outside brackets and quotes. */
function splitAtCommas(text: string): string[] {
  if (text.trim() === '') return [];
  const parts: string[] = [];
  let depth = 0;
  let quote = '';
  let from = 0;
  for (let k = 0; k < text.length; k++) {
    const c = text[k];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if (c === "'" || c === '"') quote = c;
    else if (c === '(') depth++;
    else if (c === ')') depth--;
    else if (c === ',' && depth === 0) {
      parts.push(text.slice(from, k));
      from = k + 1;
    }
  }
  parts.push(text.slice(from));
  return parts;
}
