import { IsomericError } from '../../errors.ts';
import { exactSum } from '../../exact-sum.ts';
import { suggest } from '../../nearest.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { marginOfSum } from '../../table/margins.ts';
import type { Field } from '../../table/schema.ts';
import type { HeldTable } from './held-table.ts';

/** What is made of several rows of one key, by name. */
export const manyRules = [
  'first',
  'last',
  'sum',
  'mean',
  'least',
  'greatest',
  'list',
  'rows',
  'greatest by',
  'mean by',
] as const;

/** What is made of several rows of one key; `by` is the column that weighs them. */
export interface ManyRule {
  rule: (typeof manyRules)[number];
  by?: string;
}

/**
 * `sum`, `rows`, `greatest by share`, `mean by persons`.
 *
 * @throws IsomericError `join-many-unknown`
 */
export function parseMany(text: string): ManyRule {
  const words = text.trim();
  for (const rule of ['greatest by', 'mean by'] as const)
    if (words.startsWith(`${rule} `)) return { rule, by: unquoted(words.slice(rule.length).trim()) };
  const rule = manyRules.find((each) => each === words && !each.endsWith(' by'));
  if (rule !== undefined) return { rule };
  throw new IsomericError('join-many-unknown', `“${text}” says nothing that could be done with many rows.`, {
    blame: 'usage',
    wrong: text,
    advice: suggest(words, [
      ...manyRules.filter((each) => !each.endsWith(' by')),
      'greatest by COLUMN',
      'mean by COLUMN',
    ]),
  });
}

/** A name without the double quotes that it may stand in. */
const unquoted = (name: string) =>
  name.length > 2 && name.startsWith('"') && name.endsWith('"') ? name.slice(1, -1) : name;

const numeric = ({ type }: Field) => type === 'integer' || type === 'real';
const isFigure = (field: Field) => numeric(field) && field.role !== 'code';

/** The field that a brought column becomes where rows of a key are made one. */
export function fieldOfMany(field: Field, { rule }: ManyRule): Field {
  if (rule === 'list') {
    const { unit: _, margin: _m, role: _r, marks: _k, codes: _c, ...plain } = field;
    return { ...plain, type: 'text' };
  }
  return (rule === 'mean' || rule === 'mean by') && isFigure(field) ? { ...field, type: 'real' } : field;
}

/** What was seen while rows were made one, for the account. */
export interface ManySeen {
  /** Values that were left out because they are blank. */
  blanks: number;
  /** Values that are no figures and differ among the rows of a key: they are blank now. */
  unlike: number;
}

/** Makes one row of all rows of a key, column by column. */
export class RowMaker {
  readonly seen: ManySeen = { blanks: 0, unlike: 0 };
  private readonly builders: ColumnBuilder[];
  /** For columns of margins: the column of their estimates. */
  private readonly estimates: (Column | null)[];

  /** @param weight the column behind “by” */
  constructor(
    private readonly held: HeldTable,
    private readonly fields: readonly Field[],
    private readonly rule: ManyRule,
    private readonly weight: Column | null,
  ) {
    this.builders = fields.map((field) => new ColumnBuilder(fieldOfMany(field, rule).type));
    this.estimates = fields.map((field) => {
      const of = fields.findIndex((each) => each.margin !== undefined && each.margin === field.name);
      return field.role === 'margin' && of >= 0 ? held.columns[of] : null;
    });
  }

  /** Adds the row of a key. */
  add(key: number): void {
    const rows = this.held.rowsOf(key);
    const { rule } = this.rule;
    if (rule === 'list') this.lists(rows);
    else if (rule === 'first' || rule === 'last' || rule === 'greatest by') this.copyRow(this.chosen(rows));
    else
      this.builders.forEach((builder, c) => {
        const field = this.fields[c];
        const column = this.held.columns[c];
        if (rows.length === 1 && builder.type === column.type) builder.copy(column, rows[0]);
        else if (isFigure(field)) this.figure(builder, column, rows, c);
        else this.alike(builder, column, rows);
      });
  }

  /** The columns, a row for each key that was added. */
  finish(): Column[] {
    return this.builders.map((builder) => builder.finish());
  }

  private chosen(rows: Uint32Array): number {
    if (this.rule.rule === 'first') return rows[0];
    if (this.rule.rule === 'last') return rows[rows.length - 1];
    let best = rows[0];
    for (const row of rows) {
      const [value, most] = [this.weight!.number(row), this.weight!.number(best)];
      if (value > most || (Number.isNaN(most) && !Number.isNaN(value))) best = row;
    }
    return best;
  }

  private copyRow(row: number): void {
    this.builders.forEach((builder, c) => {
      builder.copy(this.held.columns[c], row);
    });
  }

  private lists(rows: Uint32Array): void {
    this.builders.forEach((builder, c) => {
      const texts = new Set<string>();
      for (const row of rows) {
        const text = this.held.columns[c].text(row);
        if (text !== null && text !== '') texts.add(text);
      }
      if (texts.size === 0) builder.null();
      else builder.text([...texts].join('; '));
    });
  }

  private figure(builder: ColumnBuilder, column: Column, rows: Uint32Array, c: number): void {
    const { rule } = this.rule;
    const values: number[] = [];
    const at: number[] = [];
    for (const row of rows) {
      const value = column.number(row);
      if (Number.isNaN(value) || (rule === 'mean by' && Number.isNaN(this.weight!.number(row))))
        this.seen.blanks++;
      else {
        values.push(value);
        at.push(row);
      }
    }
    const made = values.length === 0 ? Number.NaN : this.settled(values, at, c);
    if (Number.isNaN(made)) builder.null();
    else builder.number(made);
  }

  private settled(values: readonly number[], rows: readonly number[], c: number): number {
    const { rule } = this.rule;
    if (rule === 'least') return values.reduce((a, b) => Math.min(a, b));
    if (rule === 'greatest') return values.reduce((a, b) => Math.max(a, b));
    const estimates = this.estimates[c];
    if (estimates !== null && (rule === 'sum' || rule === 'mean')) {
      const margin = marginOfSum(
        values,
        rows.map((row) => estimates.number(row)),
      );
      return rule === 'sum' ? margin : margin / values.length;
    }
    if (rule === 'mean by') {
      const weights = rows.map((row) => this.weight!.number(row));
      return exactSum(values.map((value, k) => value * weights[k])) / exactSum(weights);
    }
    const sum = exactSum(values);
    return rule === 'mean' ? sum / values.length : sum;
  }

  /** A value that all rows of a key have; blank where they differ. */
  private alike(builder: ColumnBuilder, column: Column, rows: Uint32Array): void {
    const first = column.text(rows[0]);
    for (const row of rows)
      if (column.text(row) !== first) {
        this.seen.unlike++;
        builder.null();
        return;
      }
    builder.copy(column, rows[0]);
  }
}

/** Do all rows of a key say the same in some columns? Then it does not matter which is taken. */
export function rowsAlike(held: HeldTable, rows: Uint32Array): boolean {
  return held.columns.every((column) => {
    const first = column.text(rows[0]);
    for (const row of rows) if (column.text(row) !== first) return false;
    return true;
  });
}
