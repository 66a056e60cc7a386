import type { Account } from '../../core/account.ts';
import { type GeometryArray, Kind, kindNames } from '../../core/geometry/geometry-array.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';
import { withOwnIds } from '../../core/layer/feature-ids.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { inWgs84 } from '../writing/longitude-latitude.ts';

/** How GeoJSON is written. */
export interface GeojsonOptions {
  /** Digits after the point; all that the number has when left out. */
  decimals?: number;
  /** One collection (RFC 7946), one feature a line, or a sequence of records (RFC 8142). */
  form?: 'collection' | 'lines' | 'sequence';
}

/**
 * RFC 7946: longitude and latitude on WGS 84 (the layer is reprojected), shells counter-clockwise, holes clockwise.
 * Yields UTF-8 chunks.
 */
export async function* writeGeojson(
  given: Layer,
  options: GeojsonOptions = {},
  account?: Account,
): AsyncGenerator<Uint8Array> {
  const layer = withOwnIds(given);
  const source = inWgs84(layer, 'GeoJSON', account);
  const encoder = new TextEncoder();
  const form = options.form ?? 'collection';
  const number =
    options.decimals === undefined
      ? String
      : (value: number) => String(Number(value.toFixed(options.decimals)));
  if (form === 'collection')
    yield encoder.encode(`{"type":"FeatureCollection","name":${JSON.stringify(layer.name)},"features":[`);
  let first = true;
  let measures = false;
  const keys = layer.schema.map((field) => `${JSON.stringify(field.name)}:`);
  for await (const batch of source.batches()) {
    const lines: string[] = [];
    measures ||= batch.geometry !== null && batch.geometry.m !== null;
    for (let i = 0; i < batch.length; i++) {
      const properties = batch.columns.map((column, c) => keys[c] + jsonValue(column, i));
      const id =
        batch.ids !== null && !batch.ids.isNull(i) ? `"id":${JSON.stringify(batch.ids.value(i))},` : '';
      const geometry = batch.geometry === null ? 'null' : geometryText(batch.geometry, i, number);
      const feature = `{"type":"Feature",${id}"properties":{${properties.join(',')}},"geometry":${geometry}}`;
      if (form === 'collection') lines.push(`${first ? '\n' : ',\n'}${feature}`);
      else lines.push(form === 'lines' ? `${feature}\n` : `\u001e${feature}\n`);
      first = false;
      if (lines.length === 1024) yield encoder.encode(lines.splice(0).join(''));
    }
    yield encoder.encode(lines.join(''));
  }
  if (measures) account?.notes.push('GeoJSON holds no measures (M); they were left out.');
  if (form === 'collection') yield encoder.encode('\n]}\n');
}

/** A number as JSON. A whole one beyond 2⁵³ gets a point, so that nobody takes it for exact. */
function numberText(value: number): string {
  if (!Number.isFinite(value)) return 'null';
  const text = String(value);
  return Number.isInteger(value) && !Number.isSafeInteger(value) && !text.includes('e') ? `${text}.0` : text;
}

/** The value of a cell as JSON text. JSON has no NaN and no infinity: they become null. */
export function jsonValue(column: Column, i: number): string {
  if (column.isNull(i)) return 'null';
  switch (column.type) {
    case 'json':
      return column.text(i)!;
    case 'integer':
    case 'real':
      return numberText(column.numbers![i]);
    case 'boolean':
      return column.numbers![i] === 1 ? 'true' : 'false';
    default:
      return JSON.stringify(column.text(i));
  }
}

/** The GeoJSON text of a geometry. */
export function geometryText(array: GeometryArray, i: number, number: (value: number) => string): string {
  const kind = array.kind[i];
  if (kind === Kind.None) return 'null';
  // JSON has no NaN: a geometry with a coordinate that is no number is no geometry.
  for (let k = 2 * array.firstVertex(i); k < 2 * array.endVertex(i); k++)
    if (!Number.isFinite(array.xy[k])) return 'null';
  const position = (v: number) => {
    const z = array.z?.[v];
    const height = z === undefined || Number.isNaN(z) ? '' : `,${number(z)}`;
    return `[${number(array.xy[2 * v])},${number(array.xy[2 * v + 1])}${height}]`;
  };
  const path = (r: number, reversed: boolean) => {
    const texts: string[] = [];
    for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) texts.push(position(v));
    if (reversed) texts.reverse();
    return `[${texts.join(',')}]`;
  };
  const part = (p: number, single: number) => {
    const first = array.ringStart[p];
    if (single === Kind.Point) return position(array.vertexStart[first]);
    if (single === Kind.LineString) return path(first, false);
    const rings: string[] = [];
    for (let r = first; r < array.ringStart[p + 1]; r++) {
      const twice = ringDoubleArea(array.xy, array.vertexStart[r], array.vertexStart[r + 1]);
      rings.push(path(r, r === first ? twice < 0 : twice > 0));
    }
    return `[${rings.join(',')}]`;
  };
  const parts: string[] = [];
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const single = array.kindOfPart(i, p);
    parts.push(
      kind === Kind.Collection
        ? `{"type":"${kindNames[single]}","coordinates":${part(p, single)}}`
        : part(p, single),
    );
  }
  if (kind === Kind.Collection) return `{"type":"GeometryCollection","geometries":[${parts.join(',')}]}`;
  const body = kind >= Kind.MultiPoint ? `[${parts.join(',')}]` : (parts[0] ?? '[]');
  return `{"type":"${kindNames[kind]}","coordinates":${body}}`;
}
