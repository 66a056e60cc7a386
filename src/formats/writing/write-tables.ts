import { type Account, counted, listed } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { withIdsAsColumn } from '../../core/layer/feature-ids.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { freeName } from '../../core/table/schema.ts';
import type { WriteOptions, WritingFormat } from './register.ts';
import type { Target } from './target.ts';

/** Writes tables and layers through a target; what the format cannot take is told first. */
export async function writeTables(
  format: WritingFormat,
  tables: readonly Table[],
  target: Target,
  options: WriteOptions,
): Promise<Account[]> {
  if (tables.length === 0)
    throw new IsomericError('nothing-to-write', 'There is no layer to write.', { blame: 'usage' });
  if (format.holds === 'one' && tables.length > 1) {
    throw new IsomericError(
      'one-layer-only',
      `${target.name} can hold one layer only, not ${tables.length}.`,
      {
        advice: 'Choose one with --layer, or save to a GeoPackage (.gpkg), which holds several.',
        blame: 'usage',
      },
    );
  }
  const bare = format.tables ? undefined : tables.find((table) => !isLayer(table));
  if (bare !== undefined) {
    throw new IsomericError(
      'geometry-missing',
      `${bare.name} has no geometry, so it cannot be saved as ${format.title}.`,
      { advice: 'Save it as .csv.', blame: 'usage' },
    );
  }
  if (options.add === true && format.name !== 'geopackage') {
    throw new IsomericError('add-unsupported', `Nothing can be added to a ${format.title} file.`, {
      place: { file: target.name },
      advice: 'Layers are added to a GeoPackage (.gpkg).',
      blame: 'usage',
    });
  }
  const { tables: ready, notes } = await withIdsFor(format, tables);
  const tallies = ready.map(() => ({ unquoted: 0, marked: 0 }));
  const named =
    format.plainTexts === true
      ? ready.map((table, k) => withPlainTexts(withNames(table), tallies[k]))
      : ready;
  const accounts = await format.write(
    named.map((table, k) => withMarksCounted(table, tallies[k])),
    target,
    options,
  );
  named.forEach((table, k) => {
    const { notes: told } = accounts[Math.min(k, accounts.length - 1)];
    const names = table.schema.flatMap((field, c) =>
      ready[k].schema[c].name === field.name ? [] : [field.name],
    );
    if (names.length > 0)
      told.push(
        `${counted(names.length, 'field without a name is', 'fields without a name are')} called ${listed(names)}.`,
      );
    const { unquoted, marked } = tallies[k];
    const present = new Set(table.schema.map((field) => field.name));
    const kept = table.schema.every(
      (field) => field.marks === undefined || present.has(`${field.name}_reason`),
    );
    if (marked > 0 && !kept)
      told.push(
        `${counted(marked, 'value is', 'values are')} blank, or the bound, where the table has a mark (${listed([...new Set(table.schema.flatMap(({ marks }) => marks?.map(({ reason }) => reason) ?? []))].slice(0, 6))}): no format keeps the reason (--reasons writes it into a column).`,
      );
    if (unquoted > 0)
      told.push(
        `${counted(unquoted, 'text', 'texts')} among values of several types ${unquoted === 1 ? 'is' : 'are'} written as plain text: which of them were texts is not to be seen in the file.`,
      );
  });
  notes.forEach((note, k) => {
    if (note !== undefined) accounts[Math.min(k, accounts.length - 1)]?.notes.push(note);
  });
  return accounts;
}

/** The same table, its fields without a name called by their place. */
function withNames(table: Table): Table {
  if (table.schema.every((field) => field.name.trim() !== '')) return table;
  const names = table.schema.map((field) => field.name);
  const schema = table.schema.map((field, c) =>
    field.name.trim() === '' ? { ...field, name: freeName(`column_${c + 1}`, names) } : field,
  );
  return { ...table, schema };
}

/** The same table, whose values with a mark are counted while they flow. */
function withMarksCounted(table: Table, tally: { marked: number }): Table {
  if (table.schema.every((field) => field.marks === undefined)) return table;
  return {
    ...table,
    async *batches(options) {
      tally.marked = 0;
      for await (const batch of table.batches(options)) {
        for (const { marks } of batch.columns)
          for (let i = 0; marks !== null && i < batch.length; i++) if (marks[i] !== 0) tally.marked++;
        yield batch;
      }
    },
  };
}

/** The same table, whose columns of JSON give texts without quotes. They are counted. */
function withPlainTexts(table: Table, tally: { unquoted: number }): Table {
  const json = table.schema.flatMap((field, c) => (field.type === 'json' ? [c] : []));
  if (json.length === 0) return table;
  return {
    ...table,
    async *batches(options) {
      // A writer may read twice; what is told is of the last time.
      tally.unquoted = 0;
      for await (const batch of table.batches(options)) {
        const columns = [...batch.columns];
        for (const c of json) columns[c] = plainTexts(columns[c], tally);
        yield batch.with({ columns });
      }
    },
  };
}

function plainTexts(column: Column, tally: { unquoted: number }): Column {
  const builder = new ColumnBuilder('json');
  let some = false;
  for (let i = 0; i < column.length; i++) {
    const text = column.text(i);
    if (text === null) builder.null();
    else if (text[0] === '"') {
      some = true;
      tally.unquoted++;
      builder.text(String(JSON.parse(text)));
    } else builder.text(text);
  }
  return some ? builder.finish() : column;
}

/** The tables with their ids where the format keeps them, and what is to be told of it. */
async function withIdsFor(
  format: WritingFormat,
  tables: readonly Table[],
): Promise<{ tables: readonly Table[]; notes: (string | undefined)[] }> {
  switch (format.ids) {
    case 'xml':
      return (await import('./xml-ids.ts')).withXmlIds(tables);
    case 'column': {
      const each = tables.map(withIdsAsColumn);
      return { tables: each.map(({ table }) => table), notes: each.map(({ note }) => note) };
    }
    default:
      // These see to it themselves.
      return { tables, notes: [] };
  }
}
