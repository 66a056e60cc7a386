import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { compileExpression } from '../../table/cql2/evaluate.ts';
import { type Field, fieldIndex, requireField } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import { isLayer, type Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** A class and what belongs to it: a condition in CQL2, or values of a field. */
export interface ClassRule {
  name: string;
  rule: string | readonly (string | number)[];
}

/** How features are classified. */
export interface ClassifyOptions {
  /** The classes in order: the first whose rule holds is taken. */
  rules: readonly ClassRule[];
  /** Field whose values are listed in the rules, where they are lists. */
  of?: string;
  /** Name of the new field; `class` when left out. */
  as?: string;
  title?: string;
  /** What is called so that no rule holds for; blank when left out. */
  otherwise?: string;
}

/** Features and values that are named where rules do not fit. */
const mostNamed = 10;

interface Rule {
  name: string;
  bind(batch: Batch): (i: number) => boolean;
}

function compiled(table: Table, { name, rule }: ClassRule, of: string | undefined): Rule {
  if (typeof rule !== 'string') {
    if (of === undefined)
      throw new IsomericError(
        'class-values-of',
        `The class “${name}” lists values, but nothing says of which field.`,
        {
          blame: 'usage',
          advice: 'Say the field with “of”.',
        },
      );
    const c = requireField(table.schema, of, table.name);
    const values = new Set(rule.map(String));
    return {
      name,
      bind: ({ columns }) => {
        const column = columns[c];
        return (i) => values.has(column.text(i) ?? '');
      },
    };
  }
  const condition = compileExpression(rule, table.schema, table.name, {
    crs: isLayer(table) ? table.crs : undefined,
  });
  if (condition.kind !== 'boolean')
    throw new IsomericError('expression-type', `The rule of the class “${name}” is no condition: ${rule}.`, {
      blame: 'usage',
      wrong: rule,
      advice: 'Write a comparison, for example: clay >= 40 AND sand < 45.',
    });
  return {
    name,
    bind: (batch) => {
      const read = condition.bind(batch);
      return (i) => read(i) === true;
    },
  };
}

/**
 * Gives each feature the first class whose rule holds. Rules are conditions over the fields, or lists of values of one field. The
 * account tells how many have each class, where several rules hold (they are not disjoint) and where none does (not exhaustive), with
 * the values that have no class.
 *
 * @throws IsomericError `field-unknown`, `expression-type`, `class-values-of`, `class-twice`
 */
export function classifyFeatures<T extends Table>(table: T, options: ClassifyOptions): T {
  const { rules, of, as = 'class', otherwise } = options;
  if (rules.length === 0)
    throw new IsomericError('class-rules-missing', 'Say the classes and their rules.', { blame: 'usage' });
  const compiledRules = rules.map((rule) => compiled(table, rule, of));
  const twice = rules.find(({ name }, k) => rules.findIndex((other) => other.name === name) !== k);
  if (twice !== undefined)
    throw new IsomericError('class-twice', `The class “${twice.name}” has two rules.`, {
      blame: 'usage',
      advice: 'Join them with OR.',
    });
  const field: Field = {
    name: as,
    type: 'text',
    title: options.title,
    description: `classified: ${rules.map(({ name, rule }) => `${name} where ${typeof rule === 'string' ? rule : `${of} is ${rule.join(', ')}`}`).join('; ')}`,
  };
  const at = fieldIndex(table.schema, as);
  const schema = at < 0 ? [...table.schema, field] : table.schema.map((old, c) => (c === at ? field : old));
  const valueColumn = of === undefined ? -1 : requireField(table.schema, of, table.name);
  return applyVerb('Classify', table, {
    schema,
    count: table.count,
    handOn: (reading) => reading,
    async *run(account, source) {
      const seen = new Seen(compiledRules.map(({ name }) => name));
      for await (const batch of source) {
        const bound = compiledRules.map((rule) => rule.bind(batch));
        const builder = new ColumnBuilder('text');
        for (let i = 0; i < batch.length; i++) {
          const k = seen.look(batch, i, bound, valueColumn);
          const name = k < 0 ? otherwise : compiledRules[k].name;
          if (name === undefined) builder.null();
          else builder.text(name);
        }
        const made = builder.finish();
        yield batch.with({
          columns:
            at < 0 ? [...batch.columns, made] : batch.columns.map((column, c) => (c === at ? made : column)),
        });
      }
      seen.close(account, table.name, options);
    },
  });
}

/** How often each class came, and where rules do not fit. */
class Seen {
  private all = 0;
  private readonly counts: number[];
  private none = 0;
  private readonly unclassified = new Map<string, number>();
  private readonly overlaps = new Map<string, { times: number; example: string }>();

  constructor(private readonly names: readonly string[]) {
    this.counts = names.map(() => 0);
  }

  /** Number of the class of a feature; −1 for none. */
  look(batch: Batch, i: number, bound: readonly ((i: number) => boolean)[], valueColumn: number): number {
    this.all++;
    let first = -1;
    for (let k = 0; k < bound.length; k++) {
      if (!bound[k](i)) continue;
      if (first < 0) first = k;
      else this.overlap(first, k, batch.id(i));
    }
    if (first >= 0) this.counts[first]++;
    else {
      this.none++;
      const what = valueColumn < 0 ? String(batch.id(i)) : (batch.columns[valueColumn].text(i) ?? 'blank');
      if (valueColumn >= 0 || this.unclassified.size < mostNamed)
        this.unclassified.set(what, (this.unclassified.get(what) ?? 0) + 1);
    }
    return first;
  }

  private overlap(first: number, second: number, id: string | number): void {
    const pair = `${this.names[first]} and ${this.names[second]}`;
    const known = this.overlaps.get(pair);
    if (known === undefined) this.overlaps.set(pair, { times: 1, example: String(id) });
    else known.times++;
  }

  close(account: Account, layer: string, { of, otherwise }: ClassifyOptions): void {
    const { names, counts, all, none } = this;
    account.counts = { in: all, classified: all - none, unclassified: none };
    account.notes.push(`Classes: ${names.map((name, k) => `${name} ${grouped(counts[k])}`).join(', ')}.`);
    const empty = names.filter((_, k) => counts[k] === 0);
    if (empty.length > 0 && all > 0)
      account.notes.push(`${empty.join(', ')} ${empty.length === 1 ? 'has' : 'have'} no feature.`);
    for (const [pair, { times, example }] of this.overlaps)
      account.findings.push({
        code: 'class-overlap',
        severity: 'warning',
        layer,
        words: `The rules of ${pair} both hold for ${counted(times, 'feature', 'features')} (${example}${times > 1 ? ' …' : ''}): the first one was taken.`,
        repair: 'make the rules exclude each other, or leave them in this order on purpose',
      });
    if (none > 0) {
      const named = [...this.unclassified].sort((a, b) => b[1] - a[1]).slice(0, mostNamed);
      const words =
        of === undefined
          ? named.map(([id]) => id).join(', ')
          : named.map(([value, times]) => `${value} ${grouped(times)}`).join(', ');
      const more = of === undefined ? none - named.length : this.unclassified.size - named.length;
      account.findings.push({
        code: 'class-none',
        severity: 'warning',
        layer,
        words: `No rule holds for ${counted(none, 'feature', 'features')} (${words}${more > 0 ? ` and ${grouped(more)} more` : ''}); ${otherwise === undefined ? 'they have no class' : `they are called ${otherwise}`}.`,
        repair: 'add a rule for them',
      });
    }
    const rest: Count[] = [[all - none, `in ${counted(names.length - empty.length, 'class', 'classes')}`]];
    rest.push([none, otherwise === undefined ? 'without a class' : `called ${otherwise}`]);
    closeAccount(account, [all, `${layer} in`], ...rest);
  }
}
