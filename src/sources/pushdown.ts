import { fieldsIn } from '../core/table/cql2/needs.ts';
import { parseExpression } from '../core/table/cql2/parse.ts';
import type { Expression } from '../core/table/cql2/syntax.ts';

/** What a service can be asked about: properties with the kind of their values. */
export type Queryables = ReadonlyMap<string, 'text' | 'number' | 'boolean' | 'date' | 'other'>;

/** Groups of comparisons that a service may or may not know. */
export interface FilterAbility {
  /** LIKE, BETWEEN, IN (CQL2, advanced comparison operators). */
  advanced: boolean;
}

const comparisons = new Set(['=', '<>', '<', '>', '<=', '>=']);

function literalKind(e: Expression): string | null {
  if (e.op === 'negate') return literalKind(e.arg);
  // Dates are compared here: services differ in how they take them.
  if (e.op !== 'literal' || e.value === null || e.kind !== undefined) return null;
  return typeof e.value === 'string' ? 'text' : typeof e.value;
}

/** A property beside literals of the same kind: codes that are numbers there and text here are compared here. */
function comparable(property: Expression, literals: readonly Expression[], queryables: Queryables): boolean {
  if (property.op !== 'property') return false;
  const kind = queryables.get(property.name);
  return kind !== undefined && literals.every((each) => literalKind(each) === kind);
}

function sendable(e: Expression, queryables: Queryables, ability: FilterAbility): boolean {
  if (comparisons.has(e.op) && 'left' in e)
    return comparable(e.left, [e.right], queryables) || comparable(e.right, [e.left], queryables);
  switch (e.op) {
    case 'and':
    case 'or':
      return e.args.every((arg) => sendable(arg, queryables, ability));
    case 'not':
      return sendable(e.arg, queryables, ability);
    case 'isNull':
      return e.arg.op === 'property' && queryables.has(e.arg.name);
    case 'like':
      return (
        ability.advanced &&
        e.folds.length === 0 &&
        e.arg.op === 'property' &&
        queryables.get(e.arg.name) === 'text'
      );
    case 'between':
      return ability.advanced && comparable(e.arg, [e.low, e.high], queryables);
    case 'in':
      return ability.advanced && comparable(e.arg, e.list, queryables);
    default:
      return false;
  }
}

/**
 * The part of a condition that a service can be asked: all of it, or those of its parts joined by AND that it knows. What
 * comes is filtered here all the same, so nothing hangs on the service's idea of a comparison. Null when there is none.
 */
export function sendablePart(
  where: string,
  queryables: Queryables,
  ability: FilterAbility,
): Expression | null {
  const whole = parseExpression(where);
  if (sendable(whole, queryables, ability)) return whole;
  if (whole.op !== 'and') return null;
  const args = whole.args.filter((arg) => sendable(arg, queryables, ability));
  if (args.length === 0) return null;
  return args.length === 1 ? args[0] : { op: 'and', args, at: whole.at };
}

/** Fields that a condition reads. */
export const fieldsOf = (where: string): string[] => [...fieldsIn(parseExpression(where))];

const quoted = (text: string) => `'${text.replaceAll("'", "''")}'`;
const reserved =
  /^(and|or|not|in|like|between|is|null|true|false|div|casei|accenti|date|timestamp|interval)$/i;
const named = (name: string) =>
  /^[A-Za-z_][\w.]*$/.test(name) && !reserved.test(name) ? name : `"${name.replaceAll('"', '""')}"`;

function literalText(e: Extract<Expression, { op: 'literal' }>): string {
  if (e.value === null) return 'NULL';
  return typeof e.value === 'string' ? quoted(e.value) : String(e.value).toUpperCase();
}

/** CQL2 text (OGC 21-065r2, annex B) of what can be sent. */
export function cql2Text(e: Expression): string {
  switch (e.op) {
    case 'literal':
      return literalText(e);
    case 'property':
      return named(e.name);
    case 'and':
    case 'or':
      return e.args.map((arg) => `(${cql2Text(arg)})`).join(` ${e.op.toUpperCase()} `);
    case 'not':
      return `NOT (${cql2Text(e.arg)})`;
    case 'isNull':
      return `${cql2Text(e.arg)} IS NULL`;
    case 'like':
      return `${cql2Text(e.arg)} LIKE ${quoted(e.pattern)}`;
    case 'between':
      return `${cql2Text(e.arg)} BETWEEN ${cql2Text(e.low)} AND ${cql2Text(e.high)}`;
    case 'in':
      return `${cql2Text(e.arg)} IN (${e.list.map(cql2Text).join(', ')})`;
    case 'negate':
      return `-${cql2Text(e.arg)}`;
    default:
      if ('left' in e) return `${cql2Text(e.left)} ${e.op} ${cql2Text(e.right)}`;
      throw new Error(`${e.op} is not sent to services`);
  }
}
