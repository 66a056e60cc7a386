import { type Account, counted, listed, openAccount } from '../../core/account.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { type GeometryArray, Kind, type KindName } from '../../core/geometry/geometry-array.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import { freeName } from '../../core/table/schema.ts';
import { wktText } from '../geometry/wkt.ts';
import { Filled } from '../writing/filled.ts';
import { looksLikeFormula } from './formulas.ts';

/** How delimited text is written. */
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
export interface DelimitedPlaces {
  form: 'columns' | 'wkt' | 'none';
  names: string[];
  /** Points have heights or measures, which have columns of their own behind the two of their place. */
  heights: boolean;
  measures: boolean;
}

/** Works out how the geometry of a layer is written. Points are read once for it: only they tell what they have. */
export async function delimitedPlaces(table: Table, options: DelimitedOptions): Promise<DelimitedPlaces> {
  const form = !isLayer(table) ? 'none' : (options.geometry ?? geometryForm(table.kinds));
  const names = table.schema.map((field) => field.name);
  const plain = { form, heights: false, measures: false };
  if (form === 'wkt') return { ...plain, names: [freeName('wkt', names)] };
  if (form === 'none') return { ...plain, names: [] };
  const degrees = isLayer(table) && table.crs?.kind === 'geographic';
  const place = degrees ? ['longitude', 'latitude'] : ['x', 'y'];
  let [heights, measures] = [false, false];
  for await (const { geometry, length } of table.batches())
    for (let i = 0; geometry !== null && i < length && !(heights && measures); i++) {
      heights ||= geometry.hasHeights(i);
      measures ||= geometry.hasMeasures(i);
    }
  if (heights) place.push('z');
  if (measures) place.push('measure');
  return { form, names: place.map((name) => freeName(name, names)), heights, measures };
}

/** Coordinates of a point as cells; blank ones where it has none. */
function pointCells(
  geometry: GeometryArray | null,
  i: number,
  { heights, measures }: DelimitedPlaces,
): string[] {
  const point = geometry !== null && geometry.kind[i] === Kind.Point && !geometry.isEmpty(i);
  const v = point ? geometry.firstVertex(i) : 0;
  const cell = (values: Float64Array | null | undefined, k: number) =>
    !point || values == null || Number.isNaN(values[k]) ? '' : String(values[k]);
  const cells = [cell(geometry?.xy, 2 * v), cell(geometry?.xy, 2 * v + 1)];
  if (heights) cells.push(cell(geometry?.z, v));
  if (measures) cells.push(cell(geometry?.m, v));
  return cells;
}

/**
 * Delimited text (RFC 4180), UTF-8. Points are written as two columns (longitude and latitude, or x and y), other
 * geometry as WKT; the account says which, and that the CRS cannot be told.
 */
export async function* writeDelimited(
  table: Table,
  options: DelimitedOptions = {},
  account: Account = openAccount('Write', table.name),
  places?: DelimitedPlaces,
): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  const delimiter = options.delimiter ?? ',';
  const quoted = (text: string) =>
    text.includes(delimiter) || /["\r\n]/.test(text) || text !== text.trim()
      ? `"${text.replaceAll('"', '""')}"`
      : text;
  const names = table.schema.map((field) => field.name);
  const known = places ?? (await delimitedPlaces(table, options));
  const { form, names: place } = known;
  const filled = new Filled('WKT');
  if (isLayer(table)) {
    account.notes.push(
      form === 'none'
        ? 'CSV holds the attributes only; the geometry was left out.'
        : `The geometry stands in the column${place.length > 1 ? 's' : ''} ${listed(place)}; the file cannot say that its CRS is ${crsLabel(table.crs)}.`,
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
      if (form === 'wkt') cells.push(quoted((geometry && wktText(geometry, i, filled)) ?? ''));
      else if (form === 'columns') cells.push(...pointCells(geometry, i, known));
      const line = cells.join(delimiter);
      // A row of nothing but delimiters would count for none.
      lines += `${line.length === cells.length - 1 ? '""' : ''}${line}\r\n`;
      if (lines.length > 1 << 20) {
        yield encoder.encode(lines);
        lines = '';
      }
    }
    yield encoder.encode(lines);
  }
  filled.tell(account);
  if (formulas > 0)
    account.notes.push(
      `${counted(formulas, 'cell begins', 'cells begin')} like a formula (=, +, -, @): office programs compute such cells when they open the file. Values are as they were.`,
    );
}
