import { crsLabel } from '../../crs/crs.ts';
import { wgs84 } from '../../crs/registry.ts';
import { transformer } from '../../crs/transformer.ts';
import { intersectsWith } from '../../geometry/intersects.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
import type { Batch } from '../../layer/batch.ts';
import { suggest } from '../../nearest.ts';
import { marginOfProduct, marginOfRatio, marginOfSum } from '../margins.ts';
import { reasons } from '../marks.ts';
import { fieldIndex, type Schema } from '../schema.ts';
import { parseDate, parseTimestamp } from '../time.ts';
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
import { expressionError, parseExpression } from './parse.ts';
import type { Expression, Fold } from './syntax.ts';

/** An expression checked against a schema, ready to be bound to batches. */
export interface Compiled {
  kind: Kind;
  /** True when every result is a whole number. */
  whole: boolean;
  /** Names of the fields it reads. */
  fields: readonly string[];
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

const isTime = (kind: Kind): kind is 'date' | 'timestamp' => kind === 'date' || kind === 'timestamp';

/** Texts as dates or times; blank where they are none. A time counts for its day, a day for its beginning (UTC). */
function asTime(text: Node, kind: 'date' | 'timestamp'): Node {
  return node(kind, (batch) => {
    const read = text.bind(batch);
    return (i) => {
      const value = read(i);
      if (value === null) return null;
      const day = parseDate(String(value));
      const time = Number.isNaN(day) ? parseTimestamp(String(value)) : day * dayLength;
      if (Number.isNaN(time)) return null;
      return kind === 'timestamp' ? time : Math.floor(time / dayLength);
    };
  });
}

const dayLength = 86_400_000;

const collator = new Intl.Collator('en', { sensitivity: 'variant' });

class Compiler {
  private readonly text: string;
  private readonly schema: Schema;
  private readonly of: string;
  private readonly context: ExpressionContext;
  private readonly fields = new Set<string>();

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

  private compile(e: Expression): Node {
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
        return this.logic(
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
        return this.logic('and', [low, high]);
      }
      case 'in': {
        const tests = e.list.map((item) => this.comparison('=', e.arg, item, item.at));
        return this.inList(e) ?? this.logic('or', tests);
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
      this.fail(
        'field-unknown',
        `There is no field “${name}” in ${this.of},`,
        at,
        suggest(
          name,
          this.schema.map((field) => field.name),
        ),
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

  /** S_INTERSECTS of the features with a literal in longitudes and latitudes (CQL2, clause 7.4; CRS84 is the default). */
  private spatial(e: Extract<Expression, { op: 'call' }>): Node {
    const name = e.name.toUpperCase();
    if (name !== 'S_INTERSECTS')
      return this.fail('expression-syntax', `${name} is not known yet,`, e.at, 'S_INTERSECTS is.');
    const own = e.args.findIndex((arg) => this.isGeometry(arg));
    const literal = e.args.find((arg) => arg.op === 'geometry');
    if (e.args.length !== 2 || own < 0 || literal?.op !== 'geometry')
      return this.fail(
        'expression-type',
        `S_INTERSECTS compares the geometry of ${this.of} with a geometry that is written out,`,
        e.at,
        this.context.crs === undefined
          ? `${this.of} has no geometry.`
          : 'Write S_INTERSECTS(geometry, BBOX(west, south, east, north)), in longitudes and latitudes.',
      );
    const { crs } = this.context;
    if (crs === null || crs === undefined)
      return this.fail(
        'crs-missing',
        `${this.of} has no CRS, so longitudes and latitudes cannot be found in it,`,
        e.at,
        'Say which CRS it has first.',
      );
    const shape = geometriesFrom([literal.value]);
    if (transformer(wgs84(), crs).transform(shape.xy) > 0)
      return this.fail(
        'expression-type',
        `The geometry reaches where ${crsLabel(crs)} has no coordinates,`,
        literal.at,
      );
    const test = intersectsWith(shape);
    return node(
      'boolean',
      ({ geometry }) =>
        (i) =>
          geometry === null || geometry.isEmpty(i) ? null : test(geometry, i),
    );
  }

  private call(e: Extract<Expression, { op: 'call' }>): Node {
    if (/^s_/i.test(e.name)) return this.spatial(e);
    const found = expressionFunctions.find((each) => each.name === e.name.toLowerCase());
    const names = ['casei', 'accenti', 'date', 'timestamp', ...expressionFunctions.map((each) => each.name)];
    if (found === undefined)
      return this.fail('expression-syntax', `There is no function “${e.name}”`, e.at, suggest(e.name, names));
    if (e.args.length !== found.takes.length)
      return this.fail(
        'expression-syntax',
        `${found.name} takes ${found.takes.length === 0 ? 'nothing' : found.takes.length} in its brackets, not ${e.args.length},`,
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
      fail: (code, words, advice) => this.fail(code, words, e.at, advice),
    });
  }

  /** Three-valued logic: NULL AND FALSE is FALSE, NULL OR TRUE is TRUE, else NULL stays NULL. */
  private logic(op: 'and' | 'or', args: Node[]): Node {
    const decisive = op === 'or';
    return node('boolean', (batch) => {
      const readers = args.map((arg) => arg.bind(batch));
      return (i) => {
        let unknown = false;
        for (const read of readers) {
          const value = read(i);
          if (value === decisive) return decisive;
          if (value === null) unknown = true;
        }
        return unknown ? null : !decisive;
      };
    });
  }

  private comparison(op: string, leftE: Expression, rightE: Expression, at: number): Node {
    let left = this.compile(leftE);
    let right = this.compile(rightE);
    // Formats without dates hold them as text: beside a date, such a text is read as one.
    if (left.kind === 'text' && isTime(right.kind)) left = asTime(left, right.kind);
    else if (right.kind === 'text' && isTime(left.kind)) right = asTime(right, left.kind);
    if (left.kind !== right.kind && left.kind !== 'null' && right.kind !== 'null') {
      const codeAsNumber =
        (left.kind === 'text' && right.kind === 'number' && rightE.op === 'literal' && rightE) ||
        (right.kind === 'text' && left.kind === 'number' && leftE.op === 'literal' && leftE);
      const advice = codeAsNumber
        ? `Codes are text: write '${String(codeAsNumber.value)}' in single quotes.`
        : '';
      this.fail(
        'expression-type',
        `${kindWords[left.kind]} is compared with ${kindWords[right.kind]}`,
        at,
        advice,
      );
    }
    const text = left.kind === 'text';
    const order: (a: never, b: never) => number =
      text && op !== '=' && op !== '<>'
        ? (collator.compare as never)
        : (a, b) => (a < b ? -1 : a > b ? 1 : 0);
    const test: (c: number) => boolean = {
      '=': (c: number) => c === 0,
      '<>': (c: number) => c !== 0,
      '<': (c: number) => c < 0,
      '>': (c: number) => c > 0,
      '<=': (c: number) => c <= 0,
      '>=': (c: number) => c >= 0,
    }[op]!;
    return node('boolean', (batch) => {
      const a = left.bind(batch);
      const b = right.bind(batch);
      return (i) => {
        const x = a(i);
        const y = b(i);
        return x === null || y === null ? null : test(order(x as never, y as never));
      };
    });
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

  private arithmetic(e: Extract<Expression, { op: '+' | '-' | '*' | '/' | '%' | 'div' | '^' }>): Node {
    const left = this.wanted(e.left, 'number');
    const right = this.wanted(e.right, 'number');
    const operate: (a: number, b: number) => number = {
      '+': (a: number, b: number) => a + b,
      '-': (a: number, b: number) => a - b,
      '*': (a: number, b: number) => a * b,
      '/': (a: number, b: number) => a / b,
      '%': (a: number, b: number) => a % b,
      div: (a: number, b: number) => Math.trunc(a / b),
      '^': (a: number, b: number) => a ** b,
    }[e.op];
    const whole = e.op === 'div' || (e.op !== '/' && e.op !== '^' && left.whole && right.whole);
    return {
      kind: 'number',
      whole,
      margin: this.marginOfArithmetic(e, left, right),
      bind: (batch) => {
        const a = left.bind(batch);
        const b = right.bind(batch);
        return (i) => {
          const x = a(i);
          const y = b(i);
          if (x === null || y === null) return null;
          const value = operate(x as number, y as number);
          // Division by zero and other results that are no number are no value.
          return Number.isFinite(value) ? value : null;
        };
      },
    };
  }

  private marginOfArithmetic(
    e: Extract<Expression, { op: '+' | '-' | '*' | '/' | '%' | 'div' | '^' }>,
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
