import { type Account, counted, openAccount } from '../../core/account.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { Kind, type KindName } from '../../core/geometry/geometry-array.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import { freeName } from '../../core/table/schema.ts';
import { wktText } from '../wkt.ts';
import { looksLikeFormula } from './formulas.ts';

export interface DelimitedOptions {
  /** How a layer's geometry is written: two columns for points, WKT for all else, or not at all. */
  geometry?: 'columns' | 'wkt' | 'none';
  delimiter?: ',' | ';' | '\t' | '|';
}

/** Points alone go into two columns. */
export function geometryForm(kinds: readonly KindName[] | undefined): 'columns' | 'wkt' {
  return kinds !== undefined && kinds.length === 1 && kinds[0] === 'Point' ? 'columns' : 'wkt';
}

/** How the geometry of a layer is written, and what its columns are called. */
export function delimitedPlaces(
  table: Table,
  options: DelimitedOptions,
): { form: 'columns' | 'wkt' | 'none'; names: string[] } {
  const form = !isLayer(table) ? 'none' : (options.geometry ?? geometryForm(table.kinds));
  const names = table.schema.map((field) => field.name);
  if (form === 'wkt') return { form, names: [freeName('wkt', names)] };
  if (form === 'none') return { form, names: [] };
  const degrees = isLayer(table) && table.crs?.kind === 'geographic';
  const place = degrees ? ['longitude', 'latitude'] : ['x', 'y'];
  return { form, names: place.map((name) => freeName(name, names)) };
}

/**
 * Delimited text (RFC 4180), UTF-8. Points are written as two columns (longitude and latitude, or x and y), other
 * geometry as WKT; the account says which, and that the CRS cannot be told.
 */
export async function* writeDelimited(
  table: Table,
  options: DelimitedOptions = {},
  account: Account = openAccount('Write', table.name),
): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  const delimiter = options.delimiter ?? ',';
  const quoted = (text: string) =>
    text.includes(delimiter) || /["\r\n]/.test(text) || text !== text.trim()
      ? `"${text.replaceAll('"', '""')}"`
      : text;
  const names = table.schema.map((field) => field.name);
  const { form, names: place } = delimitedPlaces(table, options);
  if (isLayer(table)) {
    account.notes.push(
      form === 'none'
        ? 'CSV holds the attributes only; the geometry was left out.'
        : `The geometry stands in the column${place.length > 1 ? 's' : ''} ${place.join(' and ')}; the file cannot say that its CRS is ${crsLabel(table.crs)}.`,
    );
  }
  const texts = table.schema.map((field) => field.type === 'text' || field.type === 'json');
  let formulas = names.filter(looksLikeFormula).length;
  yield encoder.encode(`${[...names, ...place].map(quoted).join(delimiter)}\r\n`);
  for await (const batch of table.batches()) {
    let lines = '';
    for (let i = 0; i < batch.length; i++) {
      const cells = batch.columns.map((column, c) => {
        const text = column.text(i) ?? '';
        if (texts[c] && text !== '' && looksLikeFormula(text)) formulas++;
        return quoted(text);
      });
      const { geometry } = batch;
      if (form === 'wkt') cells.push(quoted((geometry && wktText(geometry, i)) ?? ''));
      else if (form === 'columns') {
        const point = geometry !== null && geometry.kind[i] === Kind.Point && !geometry.isEmpty(i);
        const v = point ? 2 * geometry.firstVertex(i) : 0;
        cells.push(point ? String(geometry.xy[v]) : '', point ? String(geometry.xy[v + 1]) : '');
      }
      // A row of one blank cell would look like no row at all.
      const line = cells.join(delimiter);
      lines += `${line === '' ? '""' : line}\r\n`;
      if (lines.length > 1 << 20) {
        yield encoder.encode(lines);
        lines = '';
      }
    }
    yield encoder.encode(lines);
  }
  if (formulas > 0)
    account.notes.push(
      `${counted(formulas, 'cell begins', 'cells begin')} like a formula (=, +, -, @): office programs compute such cells when they open the file. Values are as they were.`,
    );
}
