import { dictionary } from '../../core/dictionary.ts';
import { Batch } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { Column } from '../../core/table/column.ts';
import { type Mark, reasons } from '../../core/table/marks.ts';
import type { Field } from '../../core/table/schema.ts';

/**
 * Observation states that say why a value is absent, or that it cannot be relied on (SDMX cross-domain code list
 * CL_OBS_STATUS). States that do not touch the value (A normal, E estimated, P provisional …) stay in their column.
 */
const states: Readonly<Record<string, string>> = dictionary({
  M: reasons.missing,
  L: reasons.missing,
  H: reasons.missing,
  O: reasons.missing,
  Q: reasons.suppressed,
  C: reasons.suppressed,
  U: reasons.unreliable,
  N: reasons.unreliable,
});

export const stateMarks: readonly Mark[] = Object.entries(states).map(([text, reason]) => ({ text, reason }));
export const stateNumbers: ReadonlyMap<string, number> = new Map(
  stateMarks.map((mark, k) => [mark.text, k + 1]),
);

/** Reasons for every value of `value`, from the state beside it; null when no row has one. */
export function marksFromStates(value: Column, state: Column): Uint8Array | null {
  let any = false;
  const marks = new Uint8Array(value.length);
  for (let i = 0; i < value.length; i++) {
    const number = stateNumbers.get(state.text(i) ?? '');
    if (number === undefined) continue;
    marks[i] = number;
    any = true;
  }
  return any ? marks : null;
}

/** The same table, its observed value with the reasons that the state column gives. */
export function withStates(table: Table, valueName: string, stateName: string): Table {
  const v = table.schema.findIndex((field) => field.name === valueName);
  const s = table.schema.findIndex((field) => field.name === stateName);
  if (v < 0 || s < 0) return table;
  const own = table.schema[v].marks ?? [];
  const marks = [...stateMarks, ...own];
  const schema = table.schema.map((field, c): Field => (c === v ? { ...field, marks } : field));
  return {
    ...table,
    schema,
    async *batches(options) {
      for await (const batch of table.batches(options)) {
        const value = batch.columns[v];
        const found = marksFromStates(value, batch.columns[s]);
        const numbers = new Uint8Array(value.length);
        for (let i = 0; i < value.length; i++) {
          const before = value.marks?.[i] ?? 0;
          numbers[i] = before > 0 ? before + stateMarks.length : (found?.[i] ?? 0);
        }
        yield new Batch({
          length: batch.length,
          first: batch.first,
          geometry: batch.geometry,
          ids: batch.ids,
          columns: batch.columns.map((column, c) =>
            c === v ? new Column({ ...column.buffers(), marks: numbers }) : column,
          ),
        });
      }
    },
  };
}
