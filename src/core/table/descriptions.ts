import type { Table } from '../layer/layer.ts';
import { rowsOf } from '../layer/layer.ts';
import { type CodeBook, type Variable, withoutGaps } from './code-book.ts';

/** Descriptions of more rows are no descriptions. */
const mostRows = 100_000;

type Part = 'code' | 'title' | 'unit' | 'universe' | 'table' | 'concept' | 'value' | 'label' | 'description';

/** What providers call the columns of their descriptions. The first that fits counts. */
const called: Record<Part, RegExp> = {
  code: /^((variable|column|field|attribute|item|data ?item|header|geo ?field)([ _]?(code|name|id|key|header))?|code|name|short[ _]?name|mnemonic|unique[ _]?id)$/i,
  title:
    /^((variable|column|field|attribute|item|data ?item)[ _]?(title|label|description|text|meaning|long ?name)|title|label|long[ _]?name|(full )?description|meaning|definition|stub|text|explanation)$/i,
  description:
    /^(remarks?|notes?|comment|details?|definition|long[ _]?description|explanation|(full )?description)$/i,
  unit: /^(unit|units|measure|unit of measure(ment)?|measurement[ _]?unit)$/i,
  universe: /^(universe|population|base|applies to|table[ _]?universe)$/i,
  table: /^(table|dataset|file|sheet)([ _]?(code|id|name|number|key))?$/i,
  concept: /^(concept|topic|theme|subject|domain)$/i,
  value: /^(value|values|value ?code|category[ _]?code|category|class)$/i,
  label: /^(value[ _]?label|category[ _]?(label|name)|meaning|label|description)$/i,
};

/** Columns of a sheet that lists tables: what a table is called, and whom it counts. */
const tableTitle = /^((table|dataset)[ _]?(title|name|description)|title|description|label)$/i;

function columnFor(table: Table, part: Part, taken: ReadonlySet<number> = new Set()): number {
  const exact = table.schema.findIndex(
    (field, c) =>
      !taken.has(c) &&
      (called[part].test(field.name.trim()) || called[part].test((field.title ?? '').trim())),
  );
  return exact;
}

export type DescriptionKind = 'variables' | 'tables' | 'codes';

/** What a table that describes others is made of. */
export interface Description {
  kind: DescriptionKind;
  parts: Partial<Record<Part, number>>;
}

/**
 * Does a table describe others, by the names of its columns? `variables`: a code and a title a row; `tables`: a table
 * and its title a row; `codes`: a variable, one of its values and what that means.
 */
export function descriptionOf(table: Table): Description | null {
  if (table.schema.length < 2 || table.schema.length > 24 || (table.count ?? 0) > mostRows) return null;
  // A description is made of words.
  const figures = table.schema.filter((field) => field.type === 'real' || field.type === 'date').length;
  if (figures > 1) return null;
  const code = columnFor(table, 'code');
  const tableColumn = columnFor(table, 'table');
  const taken = new Set([code, tableColumn].filter((c) => c >= 0));
  const value = columnFor(table, 'value', taken);
  if (code >= 0 && value >= 0) {
    const label = columnFor(table, 'label', new Set([...taken, value]));
    if (label >= 0) return { kind: 'codes', parts: { code, value, label } };
  }
  const title = columnFor(table, 'title', taken);
  if (code >= 0 && title >= 0 && code !== title) {
    const parts: Description['parts'] = { code, title };
    const used = new Set([code, title]);
    for (const part of ['unit', 'universe', 'table', 'concept', 'description'] as const) {
      const c = columnFor(table, part, used);
      if (c < 0) continue;
      parts[part] = c;
      used.add(c);
    }
    return { kind: 'variables', parts };
  }
  if (tableColumn >= 0) {
    const own = table.schema.findIndex((field, c) => c !== tableColumn && tableTitle.test(field.name.trim()));
    if (own >= 0) {
      const universe = columnFor(table, 'universe', new Set([tableColumn, own]));
      return {
        kind: 'tables',
        parts: { table: tableColumn, title: own, ...(universe < 0 ? {} : { universe }) },
      };
    }
  }
  return null;
}

/** A table of two columns without telling names may still be a key: a code and a phrase a row. */
export async function looksLikeKey(table: Table, codes: ReadonlySet<string>): Promise<Description | null> {
  if (table.schema.length < 2 || table.schema.length > 6 || (table.count ?? 0) > mostRows) return null;
  if (table.schema.some((field) => field.type !== 'text')) return null;
  const columns = table.schema.length;
  const hits = new Array<number>(columns).fill(0);
  let rows = 0;
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++, rows++)
      for (let c = 0; c < columns; c++) if (codes.has(batch.columns[c].text(i) ?? '')) hits[c]++;
  }
  const code = hits.indexOf(Math.max(...hits));
  if (rows === 0 || hits[code] < 2 || hits[code] * 3 < rows) return null;
  const title = code === 0 ? 1 : 0;
  return { kind: 'variables', parts: { code, title } };
}

/** Reads descriptions into one code book; lists of tables lend their titles and universes to the variables. */
export async function readDescriptions(
  tables: readonly { table: Table; description: Description; source: string }[],
): Promise<CodeBook> {
  const variables: Variable[] = [];
  const titles = new Map<string, { title: string; universe?: string }>();
  const codes = new Map<string, Record<string, string>>();
  for (const { table, description, source } of tables) {
    const name = (part: Part) => {
      const c = description.parts[part];
      return c === undefined ? undefined : table.schema[c].name;
    };
    const of = (row: Record<string, unknown>, part: Part) => {
      const column = name(part);
      const value = column === undefined ? null : row[column];
      return value === null || value === undefined || value === '' ? undefined : String(value).trim();
    };
    // A cell left blank under one that is filled means the same again.
    let lastTable: string | undefined;
    let lastCode: string | undefined;
    for await (const row of rowsOf(table)) {
      if (description.kind === 'tables') {
        const code = of(row, 'table');
        const title = of(row, 'title');
        if (code !== undefined && title !== undefined)
          titles.set(code.toLowerCase(), { title, universe: of(row, 'universe') });
      } else if (description.kind === 'codes') {
        const code = of(row, 'code') ?? lastCode;
        const value = of(row, 'value');
        const label = of(row, 'label');
        if (code === undefined || value === undefined || label === undefined) continue;
        lastCode = code;
        const own = codes.get(code.toLowerCase()) ?? {};
        own[value] = label;
        codes.set(code.toLowerCase(), own);
      } else {
        const code = of(row, 'code');
        const title = of(row, 'title');
        lastTable = of(row, 'table') ?? lastTable;
        if (code === undefined || title === undefined) continue;
        variables.push({
          code,
          title,
          unit: of(row, 'unit'),
          universe: of(row, 'universe'),
          table: lastTable,
          concept: of(row, 'concept'),
          description: of(row, 'description'),
          source,
        });
      }
    }
  }
  for (const variable of variables) {
    const table =
      titles.get((variable.table ?? '').toLowerCase()) ?? titles.get(tableOfCode(variable.code, titles));
    if (table !== undefined) {
      variable.tableTitle = table.title;
      variable.universe ??= table.universe;
    }
    variable.codes = codes.get(variable.code.toLowerCase());
  }
  return { variables: variables.map(withoutGaps) };
}

/** `HOUSING_003` belongs to the table HOUSING when there is one. */
function tableOfCode(code: string, tables: ReadonlyMap<string, unknown>): string {
  const bare = code.toLowerCase();
  let best = '';
  for (const table of tables.keys()) if (bare.startsWith(table) && table.length > best.length) best = table;
  return best;
}
