import type { Table } from '../../core/layer/layer.ts';

/** Comma-separated text (RFC 4180), UTF-8, attributes only. */
export async function* writeDelimited(table: Table): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  const quoted = (text: string) =>
    /[",\r\n]/.test(text) || text !== text.trim() ? `"${text.replaceAll('"', '""')}"` : text;
  yield encoder.encode(`${table.schema.map((field) => quoted(field.name)).join(',')}\r\n`);
  for await (const batch of table.batches()) {
    let lines = '';
    for (let i = 0; i < batch.length; i++)
      lines += `${batch.columns.map((column) => quoted(column.text(i) ?? '')).join(',')}\r\n`;
    yield encoder.encode(lines);
  }
}
