import { dictionary } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import { percentDecoded } from '../../core/percent-encoding.ts';
import { knownReason, type Mark, marksFromText, reasons } from '../../core/table/marks.ts';
import type { FieldType } from '../../core/table/schema.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { isObject, type JsonObject, readJson } from '../json-rows/json.ts';
import { besideOf } from '../opening/beside.ts';

/** What CSVW metadata says of one column (W3C, Metadata Vocabulary for Tabular Data, section 5.6). */
export interface DescribedColumn {
  name?: string;
  titles: string[];
  type?: FieldType;
  /** `string` was declared: digits are no number. */
  text: boolean;
  description?: string;
  unit?: string;
  virtual: boolean;
}

export interface TableDescription {
  /** Path of the metadata. */
  source: string;
  title?: string;
  delimiter?: string;
  encoding?: string;
  columns: DescribedColumn[];
  marks: Mark[];
}

/** Where metadata of a table is looked for (Model for Tabular Data, section 5.2): beside it, then in its folder. */
export async function findMetadata(
  around: Surroundings,
  path: string,
): Promise<{ source: ByteSource; path: string } | null> {
  const beside = await besideOf(around);
  const folder = path.includes('/') ? path.slice(0, path.lastIndexOf('/') + 1) : '';
  for (const candidate of [`${path}-metadata.json`, `${folder}csv-metadata.json`])
    if (beside.named(candidate) === candidate)
      return { source: await around.open(candidate), path: candidate };
  return null;
}

const types: Readonly<Record<string, FieldType>> = dictionary({
  integer: 'integer',
  int: 'integer',
  long: 'integer',
  short: 'integer',
  byte: 'integer',
  nonNegativeInteger: 'integer',
  positiveInteger: 'integer',
  nonPositiveInteger: 'integer',
  negativeInteger: 'integer',
  unsignedInt: 'integer',
  unsignedLong: 'integer',
  unsignedShort: 'integer',
  number: 'real',
  decimal: 'real',
  double: 'real',
  float: 'real',
  boolean: 'boolean',
  date: 'date',
  datetime: 'timestamp',
  dateTime: 'timestamp',
  dateTimeStamp: 'timestamp',
});

/** A text in one language or several: English, else the first. */
function words(value: unknown): string[] {
  if (typeof value === 'string') return [value];
  if (Array.isArray(value)) return value.flatMap(words);
  if (!isObject(value)) return [];
  if ('@value' in value) return words(value['@value']);
  return words(value.en ?? Object.values(value)[0]);
}

/** What the metadata beside a table says of it; null when there is none, or when it is of other tables. */
export async function describedBy(
  around: Surroundings | null,
  path: string,
): Promise<TableDescription | null> {
  if (around === null) return null;
  const found = await findMetadata(around, path);
  if (found === null) return null;
  const root = await readJson(found.source);
  if (!isObject(root))
    throw new IsomericError('csvw-damaged', 'The metadata is no object.', { place: { file: found.path } });
  const name = path.slice(path.lastIndexOf('/') + 1);
  const tables = Array.isArray(root.tables) ? root.tables.filter(isObject) : [root];
  const table = tables.find(
    (each) =>
      typeof each.url === 'string' && percentDecoded(each.url.slice(each.url.lastIndexOf('/') + 1)) === name,
  );
  if (table === undefined) return null;
  return read(table, root, found.path);
}

function read(table: JsonObject, group: JsonObject, source: string): TableDescription {
  const dialect = isObject(table.dialect) ? table.dialect : isObject(group.dialect) ? group.dialect : {};
  const schema = isObject(table.tableSchema)
    ? table.tableSchema
    : isObject(group.tableSchema)
      ? group.tableSchema
      : {};
  const marks = new Map<string, string>();
  const nulls = (value: unknown) => {
    for (const text of Array.isArray(value) ? value.map(String) : value === undefined ? [] : [String(value)])
      if (text !== '' && !marks.has(text)) marks.set(text, knownReason(text) ?? reasons.missing);
  };
  nulls(table.null ?? group.null);
  const columns = (Array.isArray(schema.columns) ? schema.columns.filter(isObject) : []).map(
    (column): DescribedColumn => {
      nulls(column.null);
      for (const note of words(column['skos:note']))
        for (const mark of marksFromText(note)) marks.set(mark.text, mark.reason);
      const given = isObject(column.datatype) ? (column.datatype.base ?? 'string') : column.datatype;
      const [description] = words(
        column['dc:description'] ?? column['rdfs:comment'] ?? column['schema:description'],
      );
      const [unit] = words(column['schema:unitText'] ?? column['qudt:unit']);
      return {
        name: typeof column.name === 'string' ? percentDecoded(column.name) : undefined,
        titles: words(column.titles),
        type: typeof given === 'string' ? types[given] : undefined,
        text: given === 'string',
        description,
        unit,
        virtual: column.virtual === true,
      };
    },
  );
  const [title] = words(table['dc:title'] ?? group['dc:title']);
  return {
    source,
    title,
    delimiter: typeof dialect.delimiter === 'string' ? dialect.delimiter : undefined,
    encoding: typeof dialect.encoding === 'string' ? dialect.encoding : undefined,
    columns: columns.filter((column) => !column.virtual),
    marks: [...marks].map(([text, reason]) => ({ text, reason })),
  };
}
