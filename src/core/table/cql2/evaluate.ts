import type { Batch } from '../../layer/batch.ts';
import { nearestWord, suggest } from '../../nearest.ts';
import { marginOfProduct, marginOfRatio, marginOfSum } from '../margins.ts';
import { reasons } from '../marks.ts';
import { fieldIndex, type Schema } from '../schema.ts';
import { type ArithmeticOperator, arithmetic } from './arithmetic.ts';
import { alike, comparison, logic } from './comparisons.ts';
import { expressionFunctions } from './functions.ts';
import { likeTest } from './like.ts';
import {
  type Binder,
  type Cell,
  type ExpressionContext,
  type Kind,
  kindOfType,
  kindWords,
  marginFrom,
  type Node,
  node,
  type Reader,
} from './node.ts';
import { parseExpression } from './parse.ts';
import { spatialTest } from './spatial.ts';
import type { Expression, Fold } from './syntax.ts';
import { expressionError } from './tokens.ts';

/** An expression checked against a schema, ready to be bound to batches. */
export interface Compiled {
  kind: Kind;
  /** True when every result is a whole number. */
  whole: boolean;
  /** Names of the fields it reads. */
  fields: readonly string[];
  /** Binds the expression to a batch; what comes back gives the value of row i, null for unknown. */
  bind(batch: Batch): Reader;
  /** Margin of error of the results; null when no operand has one. */
  margin: Binder | null;
}

/** Compiles CQL2 text. Unknown fields and comparisons of unlike things are told with their character. */
export function compileExpression(
  text: string,
  schema: Schema,
  of: string,
  context: ExpressionContext = {},
): Compiled {
  return new Compiler(text, schema, of, context).whole();
}

const folds: Readonly<Record<Fold, (text: string) => string>> = {
  casei: (text) => text.toLowerCase(),
  accenti: (text) => text.normalize('NFD').replace(/\p{M}/gu, ''),
};

function hasFold(e: Expression, name: Fold): boolean {
  if (e.op !== 'casei' && e.op !== 'accenti') return false;
  return e.op === name || hasFold(e.arg, name);
}

/** `code = '0204'` where the codes came as numbers: the other side must be a number too. */
function digitsBesideNumber(left: Node, leftE: Expression, right: Node, rightE: Expression): string {
  const text = left.kind === 'number' ? rightE : right.kind === 'number' ? leftE : null;
  if (text?.op !== 'literal' || typeof text.value !== 'string' || !/^\d+$/.test(text.value)) return '';
  const number = String(Number(text.value));
  return `The column came as numbers: write ${number} without quotes${number === text.value ? '' : ', since the zeros in front are lost in it'}.`;
}

class Compiler {
  private readonly text: string;
  private readonly schema: Schema;
  private readonly of: string;
  private readonly context: ExpressionContext;
  private readonly fields = new Set<string>();
  private readonly compiled = new Map<Expression, Node>();

  constructor(text: string, schema: Schema, of: string, context: ExpressionContext) {
    this.context = context;
    this.text = text;
    this.schema = schema;
    this.of = of;
  }

  whole(): Compiled {
    const node = this.compile(parseExpression(this.text));
    return { ...node, fields: [...this.fields] };
  }

  private fail(code: string, words: string, at: number, advice = ''): never {
    throw expressionError(code, words, this.text, at, advice);
  }

  /** Margins and lists ask for the same part again: each is compiled once, or nesting would double the work. */
  private compile(e: Expression): Node {
    const known = this.compiled.get(e);
    if (known !== undefined) return known;
    const made = this.compileOnce(e);
    this.compiled.set(e, made);
    return made;
  }

  private compileOnce(e: Expression): Node {
    switch (e.op) {
      case 'literal': {
        const { value } = e;
        const kind: Kind =
          e.kind ??
          (value === null ? 'null' : typeof value === 'string' ? 'text' : (typeof value as 'number'));
        return { kind, whole: Number.isInteger(value), bind: () => () => value, margin: null };
      }
      case 'property':
        return this.property(e.name, e.at);
      case 'and':
      case 'or':
        return logic(
          e.op,
          e.args.map((arg) => this.wanted(arg, 'boolean')),
        );
      case 'not': {
        const arg = this.wanted(e.arg, 'boolean');
        return node('boolean', (batch) => {
          const read = arg.bind(batch);
          return (i) => {
            const value = read(i);
            return value === null ? null : !value;
          };
        });
      }
      case 'geometry':
        return this.fail(
          'expression-type',
          'A geometry stands alone here,',
          e.at,
          'Write S_INTERSECTS(geometry, …).',
        );
      case 'isNull': {
        if (this.isGeometry(e.arg))
          return node(
            'boolean',
            ({ geometry }) =>
              (i) =>
                geometry === null || geometry.isEmpty(i),
          );
        const arg = this.compile(e.arg);
        return node('boolean', (batch) => {
          const read = arg.bind(batch);
          return (i) => read(i) === null;
        });
      }
      case '=':
      case '<>':
      case '<':
      case '>':
      case '<=':
      case '>=':
        return this.comparison(e.op, e.left, e.right, e.at);
      case 'between': {
        const low = this.comparison('>=', e.arg, e.low, e.at);
        const high = this.comparison('<=', e.arg, e.high, e.at);
        return logic('and', [low, high]);
      }
      case 'in': {
        const tests = e.list.map((item) => this.comparison('=', e.arg, item, item.at));
        return this.inList(e) ?? logic('or', tests);
      }
      case 'like': {
        const folded = (name: Fold) =>
          e.arg.op === 'casei' || e.arg.op === 'accenti' ? hasFold(e.arg, name) : false;
        const missing = e.folds.find((fold) => !folded(fold));
        // A folded pattern would never match a text that is not.
        const arg = this.wanted(
          missing === undefined ? e.arg : { op: missing, arg: e.arg, at: e.at },
          'text',
        );
        const test = likeTest(e.folds.reduceRight((text, fold) => folds[fold](text), e.pattern));
        return node('boolean', (batch) => {
          const read = arg.bind(batch);
          return (i) => {
            const value = read(i);
            return value === null ? null : test(value as string);
          };
        });
      }
      case 'casei':
      case 'accenti': {
        const arg = this.wanted(e.arg, 'text');
        const fold = folds[e.op];
        return node('text', (batch) => {
          const read = arg.bind(batch);
          return (i) => {
            const value = read(i);
            return value === null ? null : fold(value as string);
          };
        });
      }
      case 'negate': {
        const arg = this.wanted(e.arg, 'number');
        return {
          ...node('number', (batch) => {
            const read = arg.bind(batch);
            return (i) => {
              const value = read(i);
              return value === null ? null : -(value as number);
            };
          }),
          whole: arg.whole,
          margin: arg.margin,
        };
      }
      case 'call':
        return this.call(e);
      default:
        return this.arithmetic(e);
    }
  }

  private wanted(e: Expression, kind: Kind): Node {
    const compiled = this.compile(e);
    if (compiled.kind === kind || compiled.kind === 'null') return compiled;
    return this.fail(
      'expression-type',
      `${kindWords[kind]} is needed, but this is ${kindWords[compiled.kind]},`,
      e.at,
    );
  }

  private property(name: string, at: number): Node {
    const index = fieldIndex(this.schema, name);
    if (index < 0) {
      const names = this.schema.map((field) => field.name);
      this.fail(
        'field-unknown',
        `There is no field “${name}” in ${this.of},`,
        at,
        nearestWord(name, names) === undefined
          ? `A text stands in single quotes: '${name}'. ${suggest(name, names)}`
          : suggest(name, names),
      );
    }
    this.fields.add(name);
    const field = this.schema[index];
    const kind = kindOfType[field.type];
    const whole = field.type === 'integer';
    const margin = this.marginOf(field.margin);
    if (kind === 'text')
      return { kind, whole, bind: (batch) => (i) => batch.columns[index].text(i), margin, field: name };
    if (kind === 'boolean') {
      return {
        kind,
        whole,
        bind: (batch) => {
          const column = batch.columns[index];
          return (i) => (column.isNull(i) ? null : column.numbers![i] === 1);
        },
        margin,
        field: name,
      };
    }
    return {
      kind,
      whole,
      bind: (batch) => {
        const column = batch.columns[index];
        const numbers = column.numbers!;
        if (column.valid === null) return (i) => numbers[i];
        return (i) => (column.isNull(i) ? null : numbers[i]);
      },
      margin,
      field: name,
    };
  }

  /** The margin that stands in another field; one that is marked “no sampling error” is zero. */
  private marginOf(name: string | undefined): Binder | null {
    const c = name === undefined ? -1 : fieldIndex(this.schema, name);
    if (c < 0 || kindOfType[this.schema[c].type] !== 'number') return null;
    const exact = (this.schema[c].marks ?? []).map((mark) => mark.reason === reasons.exact);
    return (batch) => {
      const column = batch.columns[c];
      const { marks } = column;
      return (i) => {
        if (!column.isNull(i)) return column.numbers![i];
        return marks !== null && exact[marks[i] - 1] === true ? 0 : null;
      };
    };
  }

  /** Is it the geometry of the features? A field of that name goes before it. */
  private isGeometry(e: Expression): boolean {
    return (
      e.op === 'property' &&
      e.name.toLowerCase() === 'geometry' &&
      this.context.crs !== undefined &&
      fieldIndex(this.schema, e.name) < 0
    );
  }

  private call(e: Extract<Expression, { op: 'call' }>): Node {
    if (/^s_/i.test(e.name))
      return spatialTest(e, {
        of: this.of,
        crs: this.context.crs,
        isGeometry: (arg) => this.isGeometry(arg),
        fail: (code, words, at, advice) => this.fail(code, words, at, advice),
      });
    const found = expressionFunctions.find((each) => each.name === e.name.toLowerCase());
    const names = ['casei', 'accenti', 'date', 'timestamp', ...expressionFunctions.map((each) => each.name)];
    if (found === undefined)
      return this.fail('expression-syntax', `There is no function “${e.name}”`, e.at, suggest(e.name, names));
    const { optional = 0 } = found;
    const least = found.takes.length - optional;
    if (e.args.length < least || e.args.length > found.takes.length)
      return this.fail(
        'expression-syntax',
        `${found.name} takes ${found.takes.length === 0 ? 'nothing' : optional === 0 ? found.takes.length : `${least === 0 ? 'nothing' : least} or ${found.takes.length}`} in its brackets, not ${e.args.length},`,
        e.at,
        `Write ${found.use}: ${found.words}.`,
      );
    const args = e.args.map((arg, k) => {
      const kind = found.takes[k];
      return kind === 'any' ? this.compile(arg) : this.wanted(arg, kind);
    });
    return found.make(args, {
      schema: this.schema,
      of: this.of,
      context: this.context,
      literals: e.args.map((arg) => (arg.op === 'literal' ? arg.value : undefined)),
      fail: (code, words, advice) => this.fail(code, words, e.at, advice),
    });
  }

  private comparison(op: string, leftE: Expression, rightE: Expression, at: number): Node {
    const [left, right] = alike(this.compile(leftE), this.compile(rightE));
    if (left.kind !== right.kind && left.kind !== 'null' && right.kind !== 'null') {
      const codeAsNumber =
        (left.kind === 'text' && right.kind === 'number' && rightE.op === 'literal' && rightE) ||
        (right.kind === 'text' && left.kind === 'number' && leftE.op === 'literal' && leftE);
      const advice = codeAsNumber
        ? // As it was written: the zeros in front are a part of the code.
          `Codes are text: write '${/^[\d.eE]+/.exec(this.text.slice(codeAsNumber.at))?.[0] ?? String(codeAsNumber.value)}' in single quotes.`
        : digitsBesideNumber(left, leftE, right, rightE);
      this.fail(
        'expression-type',
        `${kindWords[left.kind]} is compared with ${kindWords[right.kind]}`,
        at,
        advice,
      );
    }
    return comparison(op, left, right);
  }

  /** IN over literals of one kind: one look-up in a set. */
  private inList(e: Extract<Expression, { op: 'in' }>): Node | null {
    const values = new Set<Cell>();
    for (const item of e.list) {
      if (item.op !== 'literal' || item.value === null) return null;
      values.add(item.value);
    }
    const arg = this.compile(e.arg);
    return node('boolean', (batch) => {
      const read = arg.bind(batch);
      return (i) => {
        const value = read(i);
        return value === null ? null : values.has(value);
      };
    });
  }

  private arithmetic(e: Extract<Expression, { op: ArithmeticOperator }>): Node {
    const left = this.wanted(e.left, 'number');
    const right = this.wanted(e.right, 'number');
    return { ...arithmetic(e.op, left, right), margin: this.marginOfArithmetic(e, left, right) };
  }

  private marginOfArithmetic(
    e: Extract<Expression, { op: ArithmeticOperator }>,
    left: Node,
    right: Node,
  ): Binder | null {
    switch (e.op) {
      case '+':
      case '-': {
        // Of a + b + c all terms together: of several zeros only one margin counts.
        const terms = this.terms(e);
        return marginFrom(terms, (values, margins) => marginOfSum(margins, values));
      }
      case '*':
        return marginFrom([left, right], ([a, b], [m, n]) => marginOfProduct(a, b, m, n));
      case '/':
        return marginFrom([left, right], ([a, b], [m, n]) => marginOfRatio(a, b, m, n));
      default:
        return null;
    }
  }

  private terms(e: Expression): Node[] {
    if (e.op === '+' || e.op === '-') return [...this.terms(e.left), ...this.terms(e.right)];
    return [this.wanted(e, 'number')];
  }
}
