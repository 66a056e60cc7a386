import { IsomericError } from '../../errors.ts';
import { parseDate, parseTimestamp } from '../time.ts';
import { geometryWords, type LiteralTokens, readGeometryLiteral } from './geometry-literal.ts';
import type { Expression, Fold } from './syntax.ts';

interface Token {
  kind: 'number' | 'text' | 'name' | 'quoted' | 'sign' | 'end';
  text: string;
  at: number;
}

const keywords = new Set([
  'and',
  'or',
  'not',
  'in',
  'like',
  'between',
  'is',
  'null',
  'true',
  'false',
  'div',
  'casei',
  'accenti',
  'date',
  'timestamp',
]);
const deepest = 200;
/** Most operations of sums and products: each stands in the one before it, as deep as they are many. */
const mostOperations = 500;

/** An error in an expression that points at its character. */
export function expressionError(
  code: string,
  words: string,
  text: string,
  at: number,
  advice = '',
): IsomericError {
  const from = Math.max(0, at - 30);
  const shown = text.slice(from, at + 30).replace(/\s/g, ' ');
  const pointer = `\n  ${from > 0 ? '…' : ''}${shown}\n  ${' '.repeat(at - from + (from > 0 ? 1 : 0))}^`;
  return new IsomericError(code, `${words} at character ${at + 1}:${pointer}\n`, {
    place: { column: at + 1 },
    advice,
    blame: 'usage',
  });
}

function tokens(text: string): Token[] {
  const list: Token[] = [];
  const pattern =
    /\s+|(?<number>(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?)|(?<name>[\p{L}_][\p{L}\p{N}_.:]*)|'(?<text>(?:[^'\\]|''|\\'|\\)*)'|"(?<quoted>(?:[^"]|"")*)"|(?<sign><>|<=|>=|[-+*/%^=<>(),])/uy;
  let at = 0;
  while (at < text.length) {
    pattern.lastIndex = at;
    const found = pattern.exec(text);
    if (found === null) {
      const open = text[at] === "'" || text[at] === '"';
      throw expressionError(
        'expression-syntax',
        open ? 'A quote is not closed' : `“${text[at]}” means nothing here`,
        text,
        at,
        text[at] === '!'
          ? 'Write <> for “not equal”.'
          : text[at] === '&' || text[at] === '|'
            ? 'Write AND, OR.'
            : '',
      );
    }
    const groups = found.groups!;
    if (groups.number !== undefined) list.push({ kind: 'number', text: groups.number, at });
    else if (groups.name !== undefined) list.push({ kind: 'name', text: groups.name, at });
    else if (groups.text !== undefined)
      list.push({ kind: 'text', text: groups.text.replace(/''|\\'/g, "'"), at });
    else if (groups.quoted !== undefined)
      list.push({ kind: 'quoted', text: groups.quoted.replaceAll('""', '"'), at });
    else if (groups.sign !== undefined) list.push({ kind: 'sign', text: groups.sign, at });
    at = pattern.lastIndex;
  }
  list.push({ kind: 'end', text: '', at: text.length });
  return list;
}

/**
 * Parses CQL2 text: comparisons, AND OR NOT, IN, LIKE, BETWEEN, IS NULL, arithmetic, CASEI, ACCENTI, DATE, TIMESTAMP,
 * geometry literals, parentheses, "quoted names". Errors point at the character.
 */
export function parseExpression(text: string): Expression {
  const list = tokens(text);
  let next = 0;
  let depth = 0;
  let operations = 0;
  const peek = () => list[next];
  const word = (token: Token) => (token.kind === 'name' ? token.text.toLowerCase() : '');
  const isWord = (...words: string[]) => words.includes(word(peek()));
  const isSign = (...signs: string[]) => peek().kind === 'sign' && signs.includes(peek().text);
  const fail = (words: string, token = peek(), advice = ''): never => {
    throw expressionError('expression-syntax', words, text, token.at, advice);
  };
  const sign = (wanted: string) => {
    if (!isSign(wanted))
      fail(
        peek().kind === 'end'
          ? `“${wanted}” is missing at the end`
          : `“${wanted}” is expected, not “${peek().text}”,`,
      );
    next++;
  };
  const deeper = <T>(work: () => T): T => {
    if (++depth > deepest) fail('The expression is nested too deeply');
    const result = work();
    depth--;
    return result;
  };

  const or = (): Expression =>
    deeper(() => {
      const at = peek().at;
      const args = [and()];
      while (isWord('or')) {
        next++;
        args.push(and());
      }
      return args.length === 1 ? args[0] : { op: 'or', args, at };
    });
  const and = (): Expression => {
    const at = peek().at;
    const args = [not()];
    while (isWord('and')) {
      next++;
      args.push(not());
    }
    return args.length === 1 ? args[0] : { op: 'and', args, at };
  };
  const not = (): Expression => {
    if (!isWord('not')) return predicate();
    const { at } = list[next++];
    return { op: 'not', arg: deeper(not), at };
  };
  const predicate = (): Expression => {
    const left = sum();
    const token = peek();
    if (isSign('=', '<>', '<', '>', '<=', '>=')) {
      next++;
      return { op: token.text as '=', left, right: sum(), at: token.at };
    }
    if (isWord('is')) {
      next++;
      const negative = isWord('not');
      if (negative) next++;
      if (!isWord('null')) fail('“NULL” is expected after IS');
      next++;
      const test: Expression = { op: 'isNull', arg: left, at: token.at };
      return negative ? { op: 'not', arg: test, at: token.at } : test;
    }
    const negative = isWord('not');
    if (negative) next++;
    const test = listed(left, token.at);
    if (test === null) return negative ? fail('LIKE, IN or BETWEEN is expected after NOT') : left;
    return negative ? { op: 'not', arg: test, at: token.at } : test;
  };
  const listed = (left: Expression, at: number): Expression | null => {
    if (isWord('like')) {
      next++;
      const folds: Fold[] = [];
      while (isWord('casei', 'accenti')) {
        folds.push(word(list[next++]) as Fold);
        sign('(');
      }
      const pattern = peek();
      if (pattern.kind !== 'text') {
        return fail(
          'A text in single quotes is expected after LIKE',
          pattern,
          "For example: name LIKE 'Upper %'.",
        );
      }
      next++;
      for (const _ of folds) sign(')');
      return { op: 'like', arg: left, pattern: pattern.text, folds, at };
    }
    if (isWord('between')) {
      next++;
      const low = sum();
      if (!isWord('and')) fail('“AND” is expected in BETWEEN');
      next++;
      return { op: 'between', arg: left, low, high: sum(), at };
    }
    if (isWord('in')) {
      next++;
      sign('(');
      const items = [sum()];
      while (isSign(',')) {
        next++;
        items.push(sum());
      }
      sign(')');
      return { op: 'in', arg: left, list: items, at };
    }
    return null;
  };
  const operator = (): Token => {
    if (++operations > mostOperations)
      fail(`The expression has more than ${mostOperations} operations`, peek(), 'Compute parts of it first.');
    return list[next++];
  };
  const sum = (): Expression => {
    let left = product();
    while (isSign('+', '-')) {
      const token = operator();
      left = { op: token.text as '+', left, right: product(), at: token.at };
    }
    return left;
  };
  const product = (): Expression => {
    let left = power();
    while (isSign('*', '/', '%') || isWord('div')) {
      const token = operator();
      left = { op: token.text.toLowerCase() as '*', left, right: power(), at: token.at };
    }
    return left;
  };
  const power = (): Expression => {
    if (isSign('-', '+')) {
      const token = list[next++];
      const arg = deeper(power);
      return token.text === '+' ? arg : { op: 'negate', arg, at: token.at };
    }
    const base = primary();
    if (!isSign('^')) return base;
    const token = list[next++];
    return { op: '^', left: base, right: deeper(power), at: token.at };
  };
  const literalTokens: LiteralTokens = {
    deeper,
    isSign,
    isWord,
    sign,
    number: () => {
      const negative = isSign('-');
      if (isSign('-', '+')) next++;
      if (peek().kind !== 'number') fail('A number is expected');
      const value = Number(list[next++].text);
      return negative ? -value : value;
    },
    skip: () => {
      next++;
    },
    fail,
  };
  const bracketedText = (): Token => {
    sign('(');
    const token = peek();
    if (token.kind !== 'text') fail('A text in single quotes is expected', token);
    next++;
    sign(')');
    return token;
  };
  const call = (token: Token): Expression => {
    const args: Expression[] = [];
    sign('(');
    if (!isSign(')')) {
      args.push(deeper(sum));
      while (isSign(',')) {
        next++;
        args.push(deeper(sum));
      }
    }
    sign(')');
    return { op: 'call', name: token.text, args, at: token.at };
  };
  const primary = (): Expression => {
    const token = list[next];
    const { at } = token;
    switch (token.kind) {
      case 'number':
        next++;
        return { op: 'literal', value: Number(token.text), at };
      case 'text':
        next++;
        return { op: 'literal', value: token.text, at };
      case 'quoted':
        next++;
        return { op: 'property', name: token.text, at };
      case 'sign':
        if (token.text === '(') {
          next++;
          const inner = or();
          sign(')');
          return inner;
        }
        break;
      case 'name': {
        const lower = token.text.toLowerCase();
        if (!keywords.has(lower)) {
          next++;
          const shaped =
            isSign('(') ||
            (isWord('z', 'm', 'zm', 'empty') && ['name', 'sign'].includes(list[next + 1].kind));
          if (geometryWords.has(lower) && shaped)
            return { op: 'geometry', value: deeper(() => readGeometryLiteral(lower, literalTokens)), at };
          if (isSign('(')) return call(token);
          return { op: 'property', name: token.text, at };
        }
        if (lower === 'true' || lower === 'false') {
          next++;
          return { op: 'literal', value: lower === 'true', at };
        }
        if (lower === 'null') {
          next++;
          return { op: 'literal', value: null, at };
        }
        if (lower === 'casei' || lower === 'accenti') {
          next++;
          sign('(');
          const arg = deeper(sum);
          sign(')');
          return { op: lower, arg, at };
        }
        if (lower === 'date' || lower === 'timestamp') {
          next++;
          const given = bracketedText();
          const value = lower === 'date' ? parseDate(given.text) : parseTimestamp(given.text);
          if (Number.isNaN(value))
            fail(
              `“${given.text}” is no ${lower === 'date' ? 'date like 2024-05-01' : 'time like 2024-05-01T10:00:00Z'}`,
              given,
            );
          return { op: 'literal', value, kind: lower, at };
        }
        if (lower === 'not') return not();
      }
    }
    return fail(
      token.kind === 'end' ? 'The expression ends too early' : `“${token.text}” is not expected`,
      token,
    );
  };

  const expression = or();
  if (peek().kind !== 'end')
    fail(`“${peek().text}” is not expected`, peek(), peek().text === '=' ? 'Write = once.' : '');
  return expression;
}
