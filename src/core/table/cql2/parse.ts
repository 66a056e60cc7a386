import { parseDate, parseTimestamp } from '../time.ts';
import { geometryWords, type LiteralTokens, readGeometryLiteral } from './geometry-literal.ts';
import type { Expression, Fold } from './syntax.ts';
import { expressionError, type Token, tokens } from './tokens.ts';

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

const wordOf = (token: Token) => (token.kind === 'name' ? token.text.toLowerCase() : '');

/** Goes along the tokens of one expression; a method for each level of binding, the loosest first (OGC 21-065, annex B). */
class Parser implements LiteralTokens {
  private readonly text: string;
  private readonly list: readonly Token[];
  private next = 0;
  private depth = 0;
  private operations = 0;

  constructor(text: string) {
    this.text = text;
    this.list = tokens(text);
  }

  private peek(): Token {
    return this.list[this.next];
  }

  isWord(...words: string[]): boolean {
    return words.includes(wordOf(this.peek()));
  }

  isSign(...signs: string[]): boolean {
    return this.peek().kind === 'sign' && signs.includes(this.peek().text);
  }

  fail(words: string, token: Token = this.peek(), advice = ''): never {
    throw expressionError('expression-syntax', words, this.text, token.at, advice);
  }

  skip(): void {
    this.next++;
  }

  private take(): Token {
    return this.list[this.next++];
  }

  sign(wanted: string): void {
    if (!this.isSign(wanted)) {
      const { kind, text } = this.peek();
      this.fail(
        kind === 'end' ? `“${wanted}” is missing at the end` : `“${wanted}” is expected, not “${text}”,`,
      );
    }
    this.skip();
  }

  deeper<T>(work: () => T): T {
    if (++this.depth > deepest) this.fail('The expression is nested too deeply');
    const result = work();
    this.depth--;
    return result;
  }

  number(): number {
    const negative = this.isSign('-');
    if (this.isSign('-', '+')) this.skip();
    if (this.peek().kind !== 'number') this.fail('A number is expected');
    const value = Number(this.take().text);
    return negative ? -value : value;
  }

  /** The whole expression. */
  whole(): Expression {
    const expression = this.or();
    const { kind, text } = this.peek();
    if (kind !== 'end')
      this.fail(`“${text}” is not expected`, this.peek(), text === '=' ? 'Write = once.' : '');
    return expression;
  }

  private or(): Expression {
    return this.deeper(() => this.chained('or', () => this.chained('and', () => this.not())));
  }

  private chained(op: 'or' | 'and', part: () => Expression): Expression {
    const at = this.peek().at;
    const args = [part()];
    while (this.isWord(op)) {
      this.skip();
      args.push(part());
    }
    return args.length === 1 ? args[0] : { op, args, at };
  }

  private not(): Expression {
    if (!this.isWord('not')) return this.predicate();
    const { at } = this.take();
    return { op: 'not', arg: this.deeper(() => this.not()), at };
  }

  private predicate(): Expression {
    const left = this.sum();
    const token = this.peek();
    if (this.isSign('=', '<>', '<', '>', '<=', '>=')) {
      this.skip();
      return { op: token.text as '=', left, right: this.sum(), at: token.at };
    }
    if (this.isWord('is')) return this.nullTest(left);
    const negative = this.isWord('not');
    if (negative) this.skip();
    const test = this.listed(left, token.at);
    if (test === null) return negative ? this.fail('LIKE, IN or BETWEEN is expected after NOT') : left;
    return negative ? { op: 'not', arg: test, at: token.at } : test;
  }

  private nullTest(arg: Expression): Expression {
    const { at } = this.take();
    const negative = this.isWord('not');
    if (negative) this.skip();
    if (!this.isWord('null')) this.fail('“NULL” is expected after IS');
    this.skip();
    const test: Expression = { op: 'isNull', arg, at };
    return negative ? { op: 'not', arg: test, at } : test;
  }

  /** LIKE, BETWEEN or IN; null where none of them follows. */
  private listed(arg: Expression, at: number): Expression | null {
    if (this.isWord('like')) return this.like(arg, at);
    if (this.isWord('between')) {
      this.skip();
      const low = this.sum();
      if (!this.isWord('and')) this.fail('“AND” is expected in BETWEEN');
      this.skip();
      return { op: 'between', arg, low, high: this.sum(), at };
    }
    if (!this.isWord('in')) return null;
    this.skip();
    this.sign('(');
    const list = [this.sum(), ...this.further(() => this.sum())];
    this.sign(')');
    return { op: 'in', arg, list, at };
  }

  private like(arg: Expression, at: number): Expression {
    this.skip();
    const folds: Fold[] = [];
    while (this.isWord('casei', 'accenti')) {
      folds.push(wordOf(this.take()) as Fold);
      this.sign('(');
    }
    const pattern = this.peek();
    if (pattern.kind !== 'text')
      this.fail(
        'A text in single quotes is expected after LIKE',
        pattern,
        "For example: name LIKE 'Upper %'.",
      );
    this.skip();
    for (const _ of folds) this.sign(')');
    return { op: 'like', arg, pattern: pattern.text, folds, at };
  }

  /** What follows behind commas. */
  private further(part: () => Expression): Expression[] {
    const parts: Expression[] = [];
    while (this.isSign(',')) {
      this.skip();
      parts.push(part());
    }
    return parts;
  }

  private operator(): Token {
    if (++this.operations > mostOperations)
      this.fail(
        `The expression has more than ${mostOperations} operations`,
        this.peek(),
        'Compute parts of it first.',
      );
    return this.take();
  }

  private sum(): Expression {
    let left = this.product();
    while (this.isSign('+', '-')) {
      const token = this.operator();
      left = { op: token.text as '+', left, right: this.product(), at: token.at };
    }
    return left;
  }

  private product(): Expression {
    let left = this.power();
    while (this.isSign('*', '/', '%') || this.isWord('div')) {
      const token = this.operator();
      left = { op: token.text.toLowerCase() as '*', left, right: this.power(), at: token.at };
    }
    return left;
  }

  private power(): Expression {
    if (this.isSign('-', '+')) {
      const token = this.take();
      const arg = this.deeper(() => this.power());
      return token.text === '+' ? arg : { op: 'negate', arg, at: token.at };
    }
    const base = this.primary();
    if (!this.isSign('^')) return base;
    const token = this.take();
    return { op: '^', left: base, right: this.deeper(() => this.power()), at: token.at };
  }

  private primary(): Expression {
    const token = this.peek();
    const { at } = token;
    switch (token.kind) {
      case 'number':
        this.skip();
        return { op: 'literal', value: Number(token.text), at };
      case 'text':
        this.skip();
        return { op: 'literal', value: token.text, at };
      case 'quoted':
        this.skip();
        return { op: 'property', name: token.text, at };
      case 'sign': {
        if (token.text !== '(') break;
        this.skip();
        const inner = this.or();
        this.sign(')');
        return inner;
      }
      case 'name': {
        const named = this.named(token, token.text.toLowerCase());
        if (named !== null) return named;
      }
    }
    return this.fail(
      token.kind === 'end' ? 'The expression ends too early' : `“${token.text}” is not expected`,
      token,
      token.text === '=' ? 'Write = once.' : '',
    );
  }

  /** What begins with a name: a property, a call, a geometry, a word of the language; null for one that cannot stand here. */
  private named(token: Token, lower: string): Expression | null {
    const { at } = token;
    if (!keywords.has(lower)) return this.property(token, lower);
    switch (lower) {
      case 'true':
      case 'false':
        this.skip();
        return { op: 'literal', value: lower === 'true', at };
      case 'null':
        this.skip();
        return { op: 'literal', value: null, at };
      case 'casei':
      case 'accenti': {
        this.skip();
        this.sign('(');
        const arg = this.deeper(() => this.sum());
        this.sign(')');
        return { op: lower, arg, at };
      }
      case 'date':
      case 'timestamp':
        return this.time(lower, at);
      case 'not':
        return this.not();
      default:
        return null;
    }
  }

  private property(token: Token, lower: string): Expression {
    const { at } = token;
    this.skip();
    const shaped =
      this.isSign('(') ||
      (this.isWord('z', 'm', 'zm', 'empty') && ['name', 'sign'].includes(this.list[this.next + 1].kind));
    if (geometryWords.has(lower) && shaped)
      return { op: 'geometry', value: this.deeper(() => readGeometryLiteral(lower, this)), at };
    return this.isSign('(') ? this.call(token) : { op: 'property', name: token.text, at };
  }

  private call(token: Token): Expression {
    this.sign('(');
    const part = () => this.deeper(() => this.sum());
    const args = this.isSign(')') ? [] : [part(), ...this.further(part)];
    this.sign(')');
    return { op: 'call', name: token.text, args, at: token.at };
  }

  private time(kind: 'date' | 'timestamp', at: number): Expression {
    this.skip();
    this.sign('(');
    const given = this.peek();
    if (given.kind !== 'text') this.fail('A text in single quotes is expected', given);
    this.skip();
    this.sign(')');
    const value = kind === 'date' ? parseDate(given.text) : parseTimestamp(given.text);
    if (Number.isNaN(value))
      this.fail(
        `“${given.text}” is no ${kind === 'date' ? 'date like 2024-05-01' : 'time like 2024-05-01T10:00:00Z'}`,
        given,
      );
    return { op: 'literal', value, kind, at };
  }
}

/**
 * Parses CQL2 text: comparisons, AND OR NOT, IN, LIKE, BETWEEN, IS NULL, arithmetic, CASEI, ACCENTI, DATE, TIMESTAMP,
 * geometry literals, parentheses, "quoted names".
 *
 * @throws IsomericError `expression-syntax`, whose words point at the character
 */
export function parseExpression(text: string): Expression {
  return new Parser(text).whole();
}
