import type { Finding } from '../../core/findings.ts';
import { withoutGaps } from '../../core/table/code-book.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
import type { TableDescription } from '../csvw/metadata.ts';

/** Fields with the names, titles, units and descriptions of CSVW metadata; where it contradicts the data, that is told. */
export function applyDescription(
  fields: readonly Field[],
  described: TableDescription,
  file: string,
  findings: Finding[],
): Field[] {
  const { columns } = described;
  if (columns.length === 0) return [...fields];
  if (columns.length !== fields.length) {
    findings.push({
      code: 'csvw-columns-differ',
      severity: 'warning',
      words: `${described.source} describes ${columns.length} columns, ${file} has ${fields.length}; they were matched by their titles.`,
    });
  }
  const taken: string[] = [];
  return fields.map((field, c) => {
    const column =
      columns.length === fields.length
        ? columns[c]
        : columns.find((each) => each.titles.includes(field.name) || each.name === field.name);
    if (column === undefined) {
      taken.push(field.name);
      return field;
    }
    const name = freeName(column.name ?? field.name, taken);
    taken.push(name);
    const numbers = (type: string) => type === 'integer' || type === 'real';
    if (
      column.type !== undefined &&
      column.type !== field.type &&
      !(column.type === 'real' && numbers(field.type)) &&
      !(field.type === 'text' && field.marks === undefined && column.type === 'timestamp')
    )
      findings.push({
        code: 'csvw-type-differs',
        severity: 'warning',
        words: `${described.source} says that ${name} is ${column.type}; its values are ${field.type}, and are read so.`,
      });
    const title = column.titles.find((each) => each !== name) ?? field.title;
    return withoutGaps({
      ...field,
      name,
      title,
      unit: column.unit ?? field.unit,
      description: column.description ?? field.description,
      code: name === field.name ? undefined : field.name,
    });
  });
}
