import { type Account, closeAccount } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import type { GeometryArray } from '../../geometry/geometry-array.ts';
import { takeGeometries } from '../../geometry/geometry-maker.ts';
import { aggregateNames } from '../../table/aggregates.ts';
import { ColumnBuilder, sliceValues } from '../../table/column-builder.ts';
import { type FigureComputation, FigurePlan } from '../../table/figures-gathered.ts';
import { type Field, requireField } from '../../table/schema.ts';
import { Batch, batchLimit } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import { isLayer, type Table, withoutGeometry } from '../layer.ts';
import { applyVerb, type Plan } from './verb.ts';

/** What makes the groups, and what is computed of each. */
export interface GroupOptions {
  /** Fields whose values make the groups; none: one group of all rows. */
  by: readonly string[];
  /** New fields: name → `sum(households)`, `mean(share, households)`, `count()` … */
  compute: readonly FigureComputation[];
}

/** What is made of the geometries of each group. */
export interface GroupShapes {
  add(group: number, batch: Batch, i: number): void;
  /** Called once, when all have been added. */
  finish(account: Account, groups: number): GeometryArray;
}

/**
 * One row for each group, with sums, means, counts … of its rows. Margins of error go with sums and means. Blanks are
 * left out of sums; the account tells how many groups have some.
 */
export function groupRows(table: Table, options: GroupOptions): Table {
  if (options.compute.length === 0)
    throw new IsomericError('aggregate-missing', 'Say what is to be summed up.', {
      blame: 'usage',
      advice: `For example households = sum(households). There are ${aggregateNames.join(', ')}.`,
    });
  // The result has no geometry: dissolving it is another verb.
  return gatherGroups('Group', table, withoutGeometry(table), options, {}, () => null);
}

/** Gathers rows by groups, and their geometries where `shapes` makes something of them. */
export function gatherGroups<T extends Table>(
  verb: string,
  table: Table,
  onto: T,
  options: GroupOptions,
  plan: Pick<Plan, 'kinds'>,
  shapes: () => GroupShapes | null,
): T {
  const keys = options.by.map((name) => requireField(table.schema, name, table.name));
  const context = { crs: isLayer(table) ? table.crs : undefined };
  const schema: Field[] = keys.map((c) => asPlainField(table.schema[c]));
  const figurePlan = new FigurePlan(
    options.compute,
    table,
    context,
    schema.map((field) => field.name),
  );
  schema.push(...figurePlan.fields);
  return applyVerb(verb, onto, {
    ...plan,
    schema,
    async *run(account, source) {
      const word = verb === 'Group' ? 'group' : 'unit';
      const shape = shapes();
      const figures = figurePlan.start();
      const groups = new Map<string, number>();
      const builders = keys.map((c) => new ColumnBuilder(table.schema[c].type));
      let all = 0;
      for await (const batch of source) {
        figures.bind(batch);
        for (let i = 0; i < batch.length; i++) {
          const key = keyOf(batch, keys, i);
          let group = groups.get(key);
          if (group === undefined) {
            group = groups.size;
            groups.set(key, group);
            keys.forEach((c, k) => {
              builders[k].copy(batch.columns[c], i);
            });
          }
          figures.add(group, i);
          shape?.add(group, batch, i);
        }
        all += batch.length;
      }
      const geometry = shape?.finish(account, groups.size) ?? null;
      const keyColumns = builders.map((builder) => builder.finish());
      for (let first = 0; first < groups.size; first += batchLimit) {
        const length = Math.min(batchLimit, groups.size - first);
        const columns = keyColumns.map((column) => sliceValues(column, first, length));
        columns.push(...figures.columns(first, length));
        yield new Batch({
          length,
          first,
          geometry: geometry === null ? null : takeGeometries(geometry, rangeOf(first, length)),
          columns,
        });
      }
      account.counts = { ...account.counts, in: all, groups: groups.size };
      figures.tellBlanks(account, table.name, word);
      closeAccount(
        account,
        [all, `${table.name} in`],
        [
          groups.size,
          `${word}${groups.size === 1 ? '' : 's'}${options.by.length === 0 ? '' : ` by ${options.by.join(', ')}`}`,
        ],
      );
    },
  });
}

const rangeOf = (first: number, length: number) => Array.from({ length }, (_, k) => first + k);

/** The values of some columns as one text; different values never make the same. */
function keyOf(batch: Batch, columns: readonly number[], i: number): string {
  let key = '';
  for (const c of columns) {
    const text = batch.columns[c].text(i);
    key += text === null ? '\u0000;' : `${text.length}:${text};`;
  }
  return key;
}
