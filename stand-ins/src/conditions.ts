/** A condition over the properties of a feature; null stands for unknown. */
export type Condition = (properties: Record<string, unknown>) => boolean | null;

type Value = string | number | boolean | null;

const like = (pattern: string) =>
  new RegExp(
    `^${pattern
      .split('')
      .map((c) => (c === '%' ? '.*' : c === '_' ? '.' : c.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')))
      .join('')}$`,
    's',
  );

const compare: Record<string, (a: Value, b: Value) => boolean> = {
  '=': (a, b) => a === b,
  '<>': (a, b) => a !== b,
  '<': (a, b) => a! < b!,
  '>': (a, b) => a! > b!,
  '<=': (a, b) => a! <= b!,
  '>=': (a, b) => a! >= b!,
};

export const and =
  (parts: Condition[]): Condition =>
  (p) => {
    const values = parts.map((part) => part(p));
    return values.includes(false) ? false : values.includes(null) ? null : true;
  };
export const or =
  (parts: Condition[]): Condition =>
  (p) => {
    const values = parts.map((part) => part(p));
    return values.includes(true) ? true : values.includes(null) ? null : false;
  };
export const not =
  (part: Condition): Condition =>
  (p) => {
    const value = part(p);
    return value === null ? null : !value;
  };
export const compared =
  (name: string, operator: string, value: Value): Condition =>
  (p) =>
    p[name] == null
      ? null
      : compare[operator](typeof value === 'number' ? Number(p[name]) : (p[name] as Value), value);
export const matching = (name: string, pattern: string): Condition => {
  const expression = like(pattern);
  return (p) => (p[name] == null ? null : expression.test(String(p[name])));
};
export const blank =
  (name: string): Condition =>
  (p) =>
    p[name] == null;

/** Raised for what the simulated services cannot be asked. */
export class ConditionError extends Error {}

/** CQL2 text (OGC 21-065r2), as much as the boundary office promises: comparisons, LIKE, IN, BETWEEN, IS NULL, AND, OR, NOT. */
export function parseCondition(text: string): Condition {
  const tokens = [
    ...text.matchAll(
      /\s*(?:('(?:[^']|'')*')|("(?:[^"]|"")*")|(<=|>=|<>|[=<>(),])|(-?\d+(?:\.\d+)?)|([A-Za-z_][\w.]*))/gy,
    ),
  ].map(([, string, quoted, sign, number, name]) => ({ string, quoted, sign, number, name }));
  let at = 0;
  const word = (wanted: string) => tokens[at]?.name?.toUpperCase() === wanted;
  const sign = (wanted: string) => tokens[at]?.sign === wanted;
  const fail = (): never => {
    throw new ConditionError(`The filter cannot be understood at its part ${at + 1}.`);
  };
  const take = (yes: boolean): boolean => {
    if (!yes) fail();
    at++;
    return true;
  };
  const value = (): Value => {
    const token = tokens[at++] ?? fail();
    if (token.string !== undefined) return token.string.slice(1, -1).replaceAll("''", "'");
    if (token.number !== undefined) return Number(token.number);
    if (/^true$/i.test(token.name ?? '')) return true;
    if (/^false$/i.test(token.name ?? '')) return false;
    return fail();
  };
  const property = (): string => {
    const token = tokens[at++] ?? fail();
    return token.quoted?.slice(1, -1).replaceAll('""', '"') ?? token.name ?? fail();
  };
  const disjunction = (): Condition => {
    const parts = [conjunction()];
    while (word('OR')) {
      at++;
      parts.push(conjunction());
    }
    return or(parts);
  };
  const conjunction = (): Condition => {
    const parts = [negation()];
    while (word('AND')) {
      at++;
      parts.push(negation());
    }
    return and(parts);
  };
  const negation = (): Condition => {
    if (word('NOT')) {
      at++;
      return not(negation());
    }
    if (sign('(')) {
      at++;
      const inner = disjunction();
      take(sign(')'));
      return inner;
    }
    return predicate();
  };
  const predicate = (): Condition => {
    const name = property();
    if (word('IS')) {
      at++;
      const negated = word('NOT') && take(true);
      take(word('NULL'));
      return negated ? not(blank(name)) : blank(name);
    }
    if (word('LIKE')) {
      at++;
      return matching(name, String(value()));
    }
    if (word('BETWEEN')) {
      at++;
      const low = value();
      take(word('AND'));
      return and([compared(name, '>=', low), compared(name, '<=', value())]);
    }
    if (word('IN')) {
      at++;
      take(sign('('));
      const parts = [compared(name, '=', value())];
      while (sign(',')) {
        at++;
        parts.push(compared(name, '=', value()));
      }
      take(sign(')'));
      return or(parts);
    }
    const operator = tokens[at++]?.sign ?? '';
    return operator in compare ? compared(name, operator, value()) : fail();
  };
  const whole = disjunction();
  if (at < tokens.length || text.replace(/\s/g, '') === '') fail();
  return whole;
}
