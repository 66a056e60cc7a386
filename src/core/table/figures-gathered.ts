import { type Account, counted, grouped } from '../account.ts';
import type { Batch } from '../layer/batch.ts';
import { type Aggregate, aggregateType, parseAggregate } from './aggregates.ts';
import type { Column } from './column.ts';
import { ColumnBuilder } from './column-builder.ts';
import type { ExpressionContext } from './cql2/node.ts';
import { Gatherer } from './gatherer.ts';
import { type Field, freeName, type Schema } from './schema.ts';

/** A new field: name → `sum(households)`, `mean(share, households)`, `count()` … */
export interface FigureComputation {
  name: string;
  expression: string;
  title?: string;
  unit?: string;
}

interface Planned {
  field: Field;
  /** The field of its margin of error, where its value has one. */
  margin: Field | null;
  aggregate: Aggregate;
}

/** Plans figures of groups of rows: parses them once, knows their fields, makes gatherers for each reading. */
export class FigurePlan {
  private readonly planned: Planned[];

  /**
   * @param taken names that the result has already
   * @throws IsomericError `aggregate-syntax`, `expression-type`, `field-unknown`
   */
  constructor(
    computations: readonly FigureComputation[],
    rows: { schema: Schema; name: string },
    context: ExpressionContext,
    taken: readonly string[],
  ) {
    const names = [...taken];
    const named = (wanted: string) => {
      const name = freeName(wanted, names);
      names.push(name);
      return name;
    };
    this.planned = computations.map(({ name, expression, title, unit }): Planned => {
      const aggregate = parseAggregate(expression, rows.schema, rows.name, context);
      const field: Field = {
        name: named(name),
        type: aggregateType(aggregate),
        title,
        unit,
        description: `computed: ${expression}`,
      };
      if (!new Gatherer(aggregate).hasMargin) return { field, margin: null, aggregate };
      field.margin = named(`${name}_margin`);
      return { field, margin: { name: field.margin, type: 'real', role: 'margin' }, aggregate };
    });
  }

  /** The fields of the figures, each followed by that of its margin. */
  get fields(): Field[] {
    return this.planned.flatMap(({ field, margin }) => (margin === null ? [field] : [field, margin]));
  }

  /** @param empties groups may have no rows, and sums over nothing are 0 */
  start(empties = false): Figures {
    return new Figures(this.planned, empties);
  }
}

/** The figures of all groups while rows come. */
export class Figures {
  private readonly gatherers: Gatherer[];

  constructor(
    private readonly planned: readonly Planned[],
    empties: boolean,
  ) {
    this.gatherers = planned.map(({ aggregate }) => {
      const gatherer = new Gatherer(aggregate);
      gatherer.empties = empties;
      return gatherer;
    });
  }

  bind(batch: Batch): void {
    for (const gatherer of this.gatherers) gatherer.bind(batch);
  }

  add(group: number, i: number, share = 1): void {
    for (const gatherer of this.gatherers) gatherer.add(group, i, share);
  }

  /** The columns of some groups. */
  columns(first: number, length: number): Column[] {
    const columns: Column[] = [];
    this.planned.forEach(({ field, margin, aggregate }, k) => {
      const builder = new ColumnBuilder(aggregateType(aggregate));
      const margins = new ColumnBuilder('real');
      for (let group = first; group < first + length; group++) {
        put(builder, this.gatherers[k].result(group));
        if (margin !== null) put(margins, this.gatherers[k].margin(group));
      }
      columns.push(builder.finish());
      if (field.margin !== undefined) columns.push(margins.finish());
    });
    return columns;
  }

  /** Which figures leave out rows that have none. */
  tellBlanks(account: Account, table: string, word: string): void {
    this.gatherers.forEach((gatherer, k) => {
      const short = gatherer.blanks.filter((n) => n > 0).length;
      if (short === 0) return;
      const { field, aggregate } = this.planned[k];
      const rows = gatherer.blanks.reduce((sum, n) => sum + n, 0);
      account.findings.push({
        code: 'group-incomplete',
        severity: 'warning',
        layer: table,
        words: `${field.name}: ${counted(short, `${word} has`, `${word}s have`)} ${grouped(rows)} rows without a value (blank, suppressed or missing), which ${aggregate.text} leaves out.`,
        repair: 'count them with count(), or fill the blanks first',
      });
    });
  }
}

function put(into: ColumnBuilder, value: number | string | null): void {
  if (value === null) into.null();
  else if (typeof value === 'number') into.number(value);
  else into.text(value);
}
