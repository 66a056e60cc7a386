import { grouped } from '../../core/account.ts';
import { isLayer, rowsOf, type Table } from '../../core/layer/layer.ts';
import {
  bareCode,
  type CodeBook,
  CodeBookIndex,
  codeBookOfTables,
  describeSchema,
} from '../../core/table/code-book.ts';
import {
  type Description,
  descriptionOf,
  looksLikeKey,
  readDescriptions,
} from '../../core/table/descriptions.ts';
import { pairMargins } from '../../core/table/margin-fields.ts';
import type { Contents, Opened } from './contents.ts';

/** Files of more tables are not searched for descriptions. */
const mostTables = 2000;

interface Candidate {
  opened: Opened;
  description: Description;
}

/** Codes of a description's rows that are columns of other tables. */
async function hits(candidate: Candidate, columns: ReadonlySet<string>): Promise<number> {
  const { table } = candidate.opened;
  const { parts, kind } = candidate.description;
  const c = kind === 'tables' ? parts.table : parts.code;
  if (c === undefined) return 0;
  const name = table.schema[c].name;
  let found = 0;
  for await (const row of rowsOf(table)) if (columns.has(bareCode(String(row[name] ?? '')))) found++;
  return found;
}

/**
 * Tables that describe others (key files, sheets that list tables and columns, structure messages) are told apart from
 * data, and what they say goes to the fields of the tables that they describe. Which table describes is proved by its
 * codes: they must be columns of others.
 */
export async function describeContents(contents: Contents): Promise<Contents> {
  const described = await withDescriptions(contents);
  return {
    ...described,
    layers: described.layers.map((opened) => {
      const schema = pairMargins(opened.table.schema);
      return schema.some((field) => field.margin !== undefined)
        ? { ...opened, table: { ...opened.table, schema } }
        : opened;
    }),
  };
}

async function withDescriptions(contents: Contents): Promise<Contents> {
  const { layers } = contents;
  if (layers.length < 2 || layers.length > mostTables) return contents;
  const candidates: Candidate[] = [];
  const plain: Opened[] = [];
  for (const opened of layers) {
    const description = isLayer(opened.table) ? null : descriptionOf(opened.table);
    if (description === null) plain.push(opened);
    else candidates.push({ opened, description });
  }
  const columns = new Set(
    plain.flatMap(({ table }) => table.schema.map((field) => bareCode(field.code ?? field.name))),
  );
  const tableNames = new Set(plain.map(({ table }) => bareCode(table.name)));
  const proved: Candidate[] = [];
  for (const candidate of candidates)
    if ((await hits(candidate, candidate.description.kind === 'tables' ? tableNames : columns)) > 0)
      proved.push(candidate);
  const names = new Set(plain.flatMap(({ table }) => table.schema.map((field) => field.name)));
  for (const opened of plain) {
    if (isLayer(opened.table)) continue;
    const own = new Set(opened.table.schema.map((field) => field.name));
    const others = new Set([...names].filter((name) => !own.has(name)));
    const description = others.size === 0 ? null : await looksLikeKey(opened.table, others);
    if (description !== null) proved.push({ opened, description });
  }
  if (!proved.some(({ description }) => description.kind !== 'tables')) return contents;
  const describing = new Set(proved.map(({ opened }) => opened));
  const book = await readDescriptions(
    proved.map(({ opened, description }) => ({
      table: opened.table,
      description,
      source: opened.within || opened.table.name,
    })),
  );
  return { ...contents, layers: applyCodeBook(layers, describing, book) };
}

function applyCodeBook(layers: readonly Opened[], describing: ReadonlySet<Opened>, book: CodeBook): Opened[] {
  const index = new CodeBookIndex(book);
  const titles = new Map(
    book.variables.flatMap((variable) =>
      variable.table === undefined || variable.tableTitle === undefined
        ? []
        : [[bareCode(variable.table), variable.tableTitle] as const],
    ),
  );
  return layers.map((opened): Opened => {
    if (describing.has(opened)) return { ...opened, describes: true };
    const { table } = opened;
    const { schema, described } = describeSchema(table.schema, index);
    const title = titles.get(bareCode(table.name)) ?? table.title;
    if (described === 0 && title === table.title) return opened;
    const sources = [
      ...new Set(
        book.variables.flatMap((variable) => (variable.source === undefined ? [] : [variable.source])),
      ),
    ];
    return {
      ...opened,
      table: {
        ...table,
        schema,
        title,
        findings: [
          ...table.findings,
          {
            code: 'fields-described',
            severity: 'note',
            words: `${grouped(described)} of ${grouped(schema.length)} columns are described in ${sources.slice(0, 3).join(', ')}.`,
          },
        ],
      } as Table,
    };
  });
}

/** The code book of all that was opened: what descriptions say, and what tables say of themselves. */
export async function codeBookOf(layers: readonly Opened[]): Promise<CodeBook> {
  const candidates = layers.map((opened) => ({
    opened,
    description: isLayer(opened.table) ? null : descriptionOf(opened.table),
  }));
  // Descriptions without the data that they describe are read for what they say all the same.
  const alone = candidates.every(({ description }) => description !== null);
  const describing = candidates.filter(
    ({ opened, description }) => description !== null && (alone || opened.describes === true),
  );
  const described = await readDescriptions(
    describing.map(({ opened, description }) => ({
      table: opened.table,
      description: description!,
      source: opened.within || opened.table.name,
    })),
  );
  if (alone && described.variables.length > 0) return described;
  const data = layers.filter((opened) => opened.describes !== true);
  const said = codeBookOfTables(
    data.map(({ table }) => table),
    true,
  );
  // Variables that a description lists but no table here has: they are elsewhere, and found all the same.
  const known = new Set(said.variables.map((variable) => bareCode(variable.code)));
  return {
    variables: [
      ...said.variables,
      ...described.variables.filter((variable) => !known.has(bareCode(variable.code))),
    ],
  };
}
