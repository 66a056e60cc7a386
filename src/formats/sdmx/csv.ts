import type { Finding } from '../../core/findings.ts';
import type { Table } from '../../core/layer/layer.ts';
import { selectColumns } from '../../core/layer/verbs/select.ts';
import type { Column } from '../../core/table/column.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field } from '../../core/table/schema.ts';
import { withStates } from './status.ts';

/** Labels kept of one column. */
const mostLabels = 20_000;

/** Columns that say what the message is about and are no data (SDMX-CSV 1.0, section 2; 2.0, section 3). */
const messageColumns = ['DATAFLOW', 'STRUCTURE', 'STRUCTURE_ID', 'STRUCTURE_NAME', 'ACTION'];

const bareName = (name: string) => name.split(': ')[0].trim();

/** Is delimited text an SDMX-CSV message, by the names of its columns? */
export function isSdmxCsv(names: readonly string[]): boolean {
  const [first] = names;
  if (first === undefined) return false;
  const bare = names.map(bareName);
  return (bare[0] === 'DATAFLOW' || bare[0] === 'STRUCTURE') && bare.includes('OBS_VALUE');
}

/** Columns of an SDMX-CSV message that name things: all dimensions, whatever their codes look like. */
export function sdmxCodeColumns(names: readonly string[]): boolean[] {
  const value = names.findIndex((name) => bareName(name) === 'OBS_VALUE');
  return names.map((_, c) => c < value || bareName(names[c]) === 'OBS_STATUS');
}

/** Splits `F: Female` into code and label; the whole is the code when there is no label. */
function split(text: string): [code: string, label: string | undefined] {
  const at = text.indexOf(': ');
  return at < 0 ? [text, undefined] : [text.slice(0, at), text.slice(at + 2)];
}

/** Values of all columns that occur, up to a limit; for labels and for columns that say the same in every row. */
async function distinct(table: Table): Promise<Set<string>[]> {
  const seen = table.schema.map(() => new Set<string>());
  for await (const batch of table.batches())
    batch.columns.forEach((column, c) => {
      if (table.schema[c].type !== 'text' || seen[c].size >= mostLabels) return;
      for (let i = 0; i < batch.length && seen[c].size < mostLabels; i++) seen[c].add(column.text(i) ?? '');
    });
  return seen;
}

/**
 * The columns of an SDMX-CSV message (1.0 or 2.0) as data: what the message says of itself left out, codes and labels
 * taken apart, the state of an observation as the reason beside its value.
 */
export async function asObservations(table: Table): Promise<Table> {
  const names = table.schema.map((field) => field.name);
  const bare = names.map(bareName);
  const seen = await distinct(table);
  const labelled = names.map((name) => name.includes(': '));
  const findings: Finding[] = [...table.findings];
  const schema = table.schema.map((field, c): Field => {
    const own: Field = { ...field, name: bare[c] };
    const label = split(names[c])[1];
    if (label !== undefined) own.title = label;
    if (labelled[c] && field.type === 'text') {
      const codes = [...seen[c]].map(split).filter((each): each is [string, string] => each[1] !== undefined);
      if (codes.length > 0) own.codes = Object.fromEntries(codes);
    }
    return own;
  });
  let result: Table = {
    ...table,
    schema,
    async *batches(options) {
      for await (const batch of table.batches(options))
        yield batch.with({
          columns: batch.columns.map((column, c) =>
            labelled[c] && schema[c].codes ? codesOf(column) : column,
          ),
        });
    },
  };
  const action = bare.indexOf('ACTION');
  if (action >= 0) {
    const other = [...seen[action]].filter((each) => !['I', 'A', 'M', 'R', ''].includes(each));
    if (other.length > 0)
      findings.push({
        code: 'sdmx-deletions',
        severity: 'warning',
        words: `${table.name}: rows with ACTION ${other.join(', ')} are to be deleted by whoever keeps the data; here they are rows like all others.`,
        repair: `filter with "ACTION <> '${other[0]}'"`,
      });
  }
  result = withStates({ ...result, findings }, 'OBS_VALUE', 'OBS_STATUS');
  const constant = messageColumns.filter((name) => {
    const c = bare.indexOf(name);
    return c >= 0 && seen[c].size <= 1;
  });
  const flow = ['STRUCTURE_ID', 'DATAFLOW']
    .map((name) => bare.indexOf(name))
    .find((c) => c >= 0 && seen[c].size === 1);
  const title = flow === undefined ? table.title : [...seen[flow]][0];
  if (constant.length === 0) return { ...result, title };
  const kept = selectColumns(
    result,
    schema.filter((field) => !constant.includes(field.name)).map((field) => field.name),
  );
  return { ...kept, title, accounts: [] };
}

function codesOf(column: Column): Column {
  const builder = new ColumnBuilder('text');
  for (let i = 0; i < column.length; i++) {
    const text = column.text(i);
    if (text === null) builder.null();
    else builder.text(split(text)[0]);
  }
  return builder.finish();
}
