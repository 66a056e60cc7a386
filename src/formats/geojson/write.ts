import type { Account } from '../../core/account.ts';
import { crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import { type GeometryArray, Kind, kindNames } from '../../core/geometry/geometry-array.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { reproject } from '../../core/layer/verbs/reproject.ts';

export interface GeojsonOptions {
  /** Digits after the point; all that the number has when left out. */
  decimals?: number;
}

/**
 * RFC 7946: longitude and latitude on WGS 84 (the layer is reprojected), shells counter-clockwise, holes clockwise.
 * Yields UTF-8 chunks.
 */
export async function* writeGeojson(
  layer: Layer,
  options: GeojsonOptions = {},
  account?: Account,
): AsyncGenerator<Uint8Array> {
  if (layer.crs === null) {
    throw new IsomericError('crs-missing', `The layer ${layer.name} has no CRS; GeoJSON must be in WGS 84.`, {
      place: { layer: layer.name },
      advice: 'Say which CRS it has first.',
    });
  }
  const source = sameCrs(layer.crs, wgs84()) ? layer : reproject(layer, wgs84());
  if (source !== layer)
    account?.notes.push(`Brought from ${crsLabel(layer.crs)} to WGS 84, as RFC 7946 asks.`);
  const encoder = new TextEncoder();
  const number =
    options.decimals === undefined
      ? String
      : (value: number) => String(Number(value.toFixed(options.decimals)));
  yield encoder.encode(`{"type":"FeatureCollection","name":${JSON.stringify(layer.name)},"features":[`);
  let first = true;
  const keys = layer.schema.map((field) => `${JSON.stringify(field.name)}:`);
  for await (const batch of source.batches()) {
    const lines: string[] = [];
    for (let i = 0; i < batch.length; i++) {
      const properties = batch.columns.map((column, c) => {
        if (column.isNull(i)) return `${keys[c]}null`;
        if (column.type === 'json') return keys[c] + column.text(i);
        if (column.type === 'integer' || column.type === 'real') return keys[c] + String(column.numbers![i]);
        if (column.type === 'boolean') return keys[c] + (column.numbers![i] === 1 ? 'true' : 'false');
        return keys[c] + JSON.stringify(column.text(i));
      });
      const id =
        batch.ids !== null && !batch.ids.isNull(i) ? `"id":${JSON.stringify(batch.ids.value(i))},` : '';
      const geometry = batch.geometry === null ? 'null' : geometryText(batch.geometry, i, number);
      lines.push(
        `${first ? '\n' : ',\n'}{"type":"Feature",${id}"properties":{${properties.join(',')}},"geometry":${geometry}}`,
      );
      first = false;
      if (lines.length === 1024) yield encoder.encode(lines.splice(0).join(''));
    }
    yield encoder.encode(lines.join(''));
  }
  yield encoder.encode('\n]}\n');
}

function geometryText(array: GeometryArray, i: number, number: (value: number) => string): string {
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
