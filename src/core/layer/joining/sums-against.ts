import { type Account, counted, grouped } from '../../account.ts';
import { fieldIndex, requireField, type Schema } from '../../table/schema.ts';
import type { ReadOptions, Table } from '../layer.ts';

/** Units that are named where sums differ. */
const mostNamed = 5;

/** A table with the figures of the units as somebody else has them, and its field with their keys. */
export interface Against {
  table: Table;
  key: string;
}

/** A sum of parts, and the figure that the unit itself has. */
interface Difference {
  unit: string;
  sum: number;
  told: number;
}

/**
 * Holds sums of parts against the figures that the units themselves have, in fields of the same name. Sums that differ by more than
 * half a unit and a millionth of the figure are findings, the greatest first; units that only one side has are counted.
 *
 * @param sums value of a field for a unit; NaN where it has none
 */
export async function tellAgainst(
  account: Account,
  { table, key }: Against,
  units: ReadonlySet<string>,
  fields: Schema,
  sums: (field: number, unit: string) => number,
  reading: ReadOptions,
): Promise<void> {
  const k = requireField(table.schema, key, table.name);
  const both = fields.flatMap((field, f) => {
    const c = fieldIndex(table.schema, field.name);
    return c < 0 || c === k ? [] : [{ field, f, c, differences: [] as Difference[], held: 0 }];
  });
  const seen = new Set<string>();
  for await (const batch of table.batches(reading))
    for (let i = 0; i < batch.length; i++) {
      const unit = batch.columns[k].text(i);
      if (unit === null || !units.has(unit)) continue;
      seen.add(unit);
      for (const each of both) {
        const told = batch.columns[each.c].number(i);
        const sum = sums(each.f, unit);
        if (Number.isNaN(told) || Number.isNaN(sum)) continue;
        each.held++;
        if (Math.abs(sum - told) > Math.max(0.5, 1e-6 * Math.abs(told)))
          each.differences.push({ unit, sum, told });
      }
    }
  for (const { field, differences, held } of both) {
    if (differences.length === 0) {
      account.notes.push(
        `${field.name}: sums agree with ${table.name} in ${counted(held, 'unit', 'units')}.`,
      );
      continue;
    }
    differences.sort((a, b) => Math.abs(b.sum - b.told) - Math.abs(a.sum - a.told));
    const shown = differences
      .slice(0, mostNamed)
      .map(({ unit, sum, told }) => `${unit} ${figure(sum)} in place of ${figure(told)}`);
    account.findings.push({
      code: 'sum-differs',
      severity: 'warning',
      layer: account.subject,
      words: `${field.name}: the sum of the parts differs from ${table.name} in ${grouped(differences.length)} of ${counted(held, 'unit', 'units')} (${shown.join(', ')}${differences.length > mostNamed ? ' …' : ''}).`,
    });
  }
  if (both.length === 0) account.notes.push(`${table.name} has none of the fields that were carried.`);
  const missing = units.size - seen.size;
  if (missing > 0) account.notes.push(`${counted(missing, 'unit is', 'units are')} not in ${table.name}.`);
}

const figure = (value: number) => grouped(Number(value.toPrecision(9)));
