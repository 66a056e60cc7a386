import type { Table } from '../../core/layer/layer.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { withoutGaps } from '../../core/table/code-book.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';

const datatypes: Record<FieldType, string> = {
  integer: 'integer',
  real: 'number',
  text: 'string',
  boolean: 'boolean',
  date: 'date',
  timestamp: 'dateTimeStamp',
  bytes: 'hexBinary',
  json: 'json',
};

/** Do fields say more than names and types? Then a table that is saved as text is described beside it. */
export function hasDescriptions(table: Table): boolean {
  return table.schema.some(
    (field) =>
      field.title !== undefined ||
      field.unit !== undefined ||
      field.description !== undefined ||
      field.codes !== undefined ||
      field.universe !== undefined,
  );
}

function column(field: Field): Record<string, unknown> {
  const codes = field.codes === undefined ? [] : Object.entries(field.codes).slice(0, 1000);
  return withoutGaps({
    name: percentEncoded(field.name).replace(
      /[!'()*-]/g,
      (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`,
    ),
    titles: [field.name, ...(field.title !== undefined && field.title !== field.name ? [field.title] : [])],
    datatype: datatypes[field.type],
    'dc:description': field.description,
    'schema:unitText': field.unit,
    'dc:subject': field.universe,
    'dc:identifier': field.code,
    'skos:notation': codes.length === 0 ? undefined : codes.map(([code, label]) => `${code} = ${label}`),
  });
}

/** CSVW metadata (W3C, Metadata Vocabulary for Tabular Data) of a table saved as `url`. */
export function csvwMetadata(table: Table, url: string, places: readonly string[], delimiter = ','): string {
  const metadata = withoutGaps({
    '@context': 'http://www.w3.org/ns/csvw',
    url,
    'dc:title': table.title,
    dialect: delimiter === ',' ? undefined : { delimiter },
    tableSchema: {
      columns: [
        ...table.schema.map(column),
        ...places.map((name) => ({ name, titles: [name], datatype: name === 'wkt' ? 'string' : 'number' })),
      ],
    },
  });
  return `${JSON.stringify(metadata, null, 2)}\n`;
}
