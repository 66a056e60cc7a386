import { geodesicMeasure } from '../../geometry/geodesic.ts';
import { areaUnits, lengthUnits } from '../../geometry/measure/units.ts';
import { coefficientOfVariation, marginOfRatio, marginOfShare } from '../margins.ts';
import { dividedBits, numberBits, numberFromText, Reads } from '../number-text.ts';
import { requireField, type Schema } from '../schema.ts';
import { type ExpressionContext, type Kind, marginFrom, type Node, node, numberFromNumbers } from './node.ts';

/** A function that expressions may call (CQL2, clause 6.9: functions are the implementation's own). */
export interface ExpressionFunction {
  name: string;
  /** Kinds of its arguments; `any` takes all. */
  takes: readonly (Kind | 'any')[];
  /** How many of its last arguments may be left out. */
  optional?: number;
  gives: Kind;
  /** For the list of functions: `share(part, whole)`. */
  use: string;
  words: string;
  make(args: readonly Node[], about: About): Node;
}

export interface About {
  schema: Schema;
  of: string;
  context: ExpressionContext;
  /** Values of the arguments that are written out; undefined for others. */
  literals: readonly unknown[];
  /** Raises an error that points at the call. */
  fail(code: string, words: string, advice?: string): never;
}

function shareLike(factor: (extra: number) => number) {
  return (args: readonly Node[]): Node => ({
    ...node(
      'number',
      numberFromNumbers(args, (part, whole, extra) => (factor(extra) * part) / whole),
    ),
    margin: marginFrom(
      args,
      ([part, whole, extra], [a, b]) => factor(extra) * marginOfShare(part, whole, a, b),
    ),
  });
}

type Measured = 'area' | 'length' | 'perimeter';

/** A measure of each feature on the ellipsoid, in metres or square metres, and what is made of it with a value. */
function measured(
  about: About,
  kind: Measured,
  use: (measure: number, value: number) => number,
  value: Node | null,
): Node {
  const { crs } = about.context;
  if (crs === undefined)
    return about.fail('geometry-missing', `${about.of} has no geometry that could be measured,`);
  if (crs === null)
    return about.fail(
      'crs-missing',
      `${about.of} has no CRS, so it cannot be measured on the ellipsoid,`,
      'Say which CRS it has first.',
    );
  const geodesic = geodesicMeasure(crs);
  const bindTo = (bind: Node['bind']) => (batch: Parameters<Node['bind']>[0]) => {
    const read = bind(batch);
    const { geometry } = batch;
    return (i: number) => {
      const own = read(i);
      if (own === null || geometry === null || geometry.isEmpty(i)) return null;
      const result = use(geodesic[kind](geometry, i), own as number);
      return Number.isFinite(result) ? result : null;
    };
  };
  return {
    ...node('number', bindTo(value === null ? () => () => 0 : value.bind)),
    margin: value?.margin == null ? null : bindTo(value.margin),
  };
}

/** A measure in a named unit, that of a metre or square metre where none is named. */
function inUnit(name: Measured, words: string): ExpressionFunction {
  const units = name === 'area' ? areaUnits : lengthUnits;
  const usual = name === 'area' ? 'm2' : 'm';
  return {
    name,
    takes: ['text'],
    optional: 1,
    gives: 'number',
    use: `${name}('${name === 'area' ? 'ha' : 'km'}')`,
    words: `${words} on the ellipsoid in ${Object.keys(units).join(', ')}; in ${usual} when nothing is named`,
    make(args, about) {
      const unit = args.length === 0 ? usual : about.literals[0];
      if (typeof unit !== 'string' || !Object.hasOwn(units, unit.replace('²', '2')))
        return about.fail(
          'unit-unknown',
          `${typeof unit === 'string' ? `“${unit}” is no unit that is known here` : 'The unit must be written out'},`,
          `There are ${Object.keys(units).join(', ')}.`,
        );
      const per = units[unit.replace('²', '2')];
      return measured(about, name, (size) => size / per, null);
    },
  };
}

/** All functions. A new one is one entry here. */
export const expressionFunctions: readonly ExpressionFunction[] = [
  {
    name: 'share',
    takes: ['number', 'number'],
    gives: 'number',
    use: 'share(part, whole)',
    words: 'part of whole in per cent; blank where whole is 0',
    make: shareLike(() => 100),
  },
  {
    name: 'rate',
    takes: ['number', 'number', 'number'],
    gives: 'number',
    use: 'rate(count, base, 1000)',
    words: 'count for every so many of base; blank where base is 0',
    make: shareLike((per) => per),
  },
  {
    name: 'change',
    takes: ['number', 'number'],
    gives: 'number',
    use: 'change(later, earlier)',
    words: 'change from earlier to later in per cent of earlier; blank where earlier is 0',
    make: (args) => ({
      ...node(
        'number',
        numberFromNumbers(args, (later, earlier) => (100 * (later - earlier)) / Math.abs(earlier)),
      ),
      margin: marginFrom(args, ([later, earlier], [a, b]) => 100 * marginOfRatio(later, earlier, a, b)),
    }),
  },
  {
    name: 'density',
    takes: ['number'],
    gives: 'number',
    use: 'density(count)',
    words: 'count per square kilometre on the ellipsoid',
    make: (args, about) => measured(about, 'area', (area, value) => value / (area / 1e6), args[0]),
  },
  {
    name: 'area_km2',
    takes: [],
    gives: 'number',
    use: 'area_km2()',
    words: 'area on the ellipsoid in square kilometres',
    make: (_, about) => measured(about, 'area', (area) => area / 1e6, null),
  },
  {
    name: 'length_km',
    takes: [],
    gives: 'number',
    use: 'length_km()',
    words: 'length on the ellipsoid in kilometres',
    make: (_, about) => measured(about, 'length', (length) => length / 1e3, null),
  },
  inUnit('area', 'area'),
  inUnit('length', 'length of lines'),
  inUnit('perimeter', 'length of borders'),
  {
    name: 'number',
    takes: ['text'],
    gives: 'number',
    use: 'number(text)',
    words: 'the number that a text spells; blank where it spells none',
    make: ([arg]) =>
      node('number', (batch) => {
        const read = arg.bind(batch);
        return (i) => {
          const text = read(i);
          return text === null ? null : numberOf(String(text).trim());
        };
      }),
  },
  {
    name: 'tag',
    takes: ['text'],
    gives: 'text',
    use: "tag('key')",
    words: 'value of a tag that has no column of its own, from the field “tags” of map features',
    make: ([arg], about) => {
      const c = requireField(about.schema, 'tags', about.of);
      return node('text', (batch) => {
        const key = arg.bind(batch);
        const column = batch.columns[c];
        return (i) => {
          const [wanted, text] = [key(i), column.text(i)];
          if (wanted === null || text === null) return null;
          return tagIn(text, String(wanted));
        };
      });
    },
  },
  {
    name: 'cv',
    takes: ['number'],
    gives: 'number',
    use: 'cv(estimate)',
    words: 'coefficient of variation in per cent, from the margin of error',
    make: ([arg], about) => {
      const { margin } = arg;
      if (margin === null)
        return about.fail(
          'margin-missing',
          'There is no margin of error to work with,',
          'Fields with margins are marked in “isomeric look”.',
        );
      const { confidence } = about.context;
      return node('number', (batch) => {
        const value = arg.bind(batch);
        const error = margin(batch);
        return (i) => {
          const [x, m] = [value(i), error(i)];
          if (x === null || m === null) return null;
          const result = coefficientOfVariation(x as number, m as number, confidence);
          return Number.isFinite(result) ? result : null;
        };
      });
    },
  },
  {
    name: 'margin',
    takes: ['number'],
    gives: 'number',
    use: 'margin(estimate)',
    words: 'margin of error of an estimate, also of a computed one',
    make: ([arg], about) =>
      arg.margin === null
        ? about.fail(
            'margin-missing',
            'There is no margin of error to work with,',
            'Fields with margins are marked in “isomeric look”.',
          )
        : node('number', arg.margin),
  },
  {
    name: 'reason',
    takes: ['any'],
    gives: 'text',
    use: 'reason(field)',
    words:
      'why a value is blank or a bound: suppressed, missing, at least …; blank where it is an ordinary value',
    make: ([arg], about) => {
      const { field } = arg;
      if (field === undefined) return about.fail('expression-type', 'A field is needed here,');
      const c = requireField(about.schema, field, about.of);
      const marks = about.schema[c].marks ?? [];
      return node('text', (batch) => {
        const own = batch.columns[c].marks;
        return (i) => (own === null || own[i] === 0 ? null : (marks[own[i] - 1]?.reason ?? null));
      });
    },
  },
];

/** A member of a JSON object whose values are texts; blank where it has none, or where the text is no such object. */
function tagIn(json: string, key: string): string | null {
  try {
    const tags = JSON.parse(json) as Record<string, unknown> | null;
    const value = tags !== null && typeof tags === 'object' && Object.hasOwn(tags, key) ? tags[key] : null;
    return typeof value === 'string' ? value : null;
  } catch {
    return null;
  }
}

function numberOf(text: string): number | null {
  const bytes = new TextEncoder().encode(text);
  const bits = numberBits(bytes, 0, bytes.length) || dividedBits(text);
  if (bits === 0) {
    // Zeros in front make a code elsewhere; here a number was asked for.
    const value = /^[-+]?\d+(\.\d+)?$/.test(text) ? Number(text) : NaN;
    return Number.isFinite(value) ? value : null;
  }
  return numberFromText(text, (bits & Reads.Point) === 0);
}
