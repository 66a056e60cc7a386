import { type Account, grouped } from '../../core/account.ts';
import { type GeometryArray, Kind, kindNames } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import { withOwnIds } from '../../core/layer/feature-ids.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { jsonValue } from '../geojson/write.ts';
import { inWgs84 } from '../writing/longitude-latitude.ts';
import { SharedArcs } from './shared-arcs.ts';

/**
 * TopoJSON with exact coordinates: a border common to several areas, of one layer or of several, is one arc. All layers
 * are held, since borders are found by comparing all with all. Rings may begin at another of their corners than before.
 */
export async function* writeTopojson(
  layers: readonly Layer[],
  accounts: readonly Account[],
): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  const shared = new SharedArcs();
  const held: { layer: Layer; batches: Batch[]; first: number[] }[] = [];
  let corners = 0;
  for (let k = 0; k < layers.length; k++) {
    const layer = inWgs84(withOwnIds(layers[k]), 'TopoJSON', accounts[k]);
    const entry = { layer, batches: [] as Batch[], first: [] as number[] };
    let more = false;
    for await (const batch of layer.batches()) {
      entry.batches.push(batch);
      more ||= batch.geometry!.z !== null || batch.geometry!.m !== null;
      corners += batch.geometry!.vertexCount;
      for (let i = 0; i < batch.length; i++) entry.first.push(shared.add(batch.geometry!, i));
    }
    if (more) accounts[k].notes.push('Heights and measures were left out: arcs are plane.');
    held.push(entry);
  }
  shared.cut();
  yield encoder.encode('{"type":"Topology","objects":{');
  for (let k = 0; k < held.length; k++) {
    const { layer, batches, first } = held[k];
    yield encoder.encode(
      `${k > 0 ? ',\n' : '\n'}${JSON.stringify(layer.name)}:{"type":"GeometryCollection","geometries":[`,
    );
    const keys = layer.schema.map((field) => `${JSON.stringify(field.name)}:`);
    let n = 0;
    for (const batch of batches) {
      let text = '';
      for (let i = 0; i < batch.length; i++, n++) {
        const id =
          batch.ids === null || batch.ids.isNull(i) ? '' : `,"id":${JSON.stringify(batch.ids.value(i))}`;
        const properties = batch.columns.map((column, c) => keys[c] + jsonValue(column, i));
        const own = properties.length > 0 ? `,"properties":{${properties.join(',')}}` : '';
        text += `${n > 0 ? ',\n' : '\n'}{${geometryText(batch.geometry!, i, first[n], shared)}${id}${own}}`;
        if (text.length > 1 << 19) {
          yield encoder.encode(text);
          text = '';
        }
      }
      yield encoder.encode(text);
    }
    yield encoder.encode(']}');
  }
  yield encoder.encode('},\n"arcs":[');
  let text = '';
  let written = 0;
  for (let a = 0; a < shared.arcs.length; a++) {
    const arc = shared.arcs[a];
    written += arc.length;
    const positions: string[] = [];
    for (const id of arc) positions.push(`[${shared.x(id)},${shared.y(id)}]`);
    text += `${a > 0 ? ',\n' : '\n'}[${positions.join(',')}]`;
    if (text.length > 1 << 19) {
      yield encoder.encode(text);
      text = '';
    }
  }
  yield encoder.encode(`${text}]}\n`);
  accounts[0]?.notes.push(
    `${grouped(shared.arcs.length)} arcs of ${grouped(written)} positions hold what took ${grouped(corners)}.`,
  );
}

function geometryText(array: GeometryArray, i: number, firstPath: number, shared: SharedArcs): string {
  const kind = array.kind[i];
  if (kind === Kind.None) return '"type":null';
  let path = firstPath;
  const arcs = () => `[${shared.of(path++).join(',')}]`;
  const position = (p: number) => {
    const v = array.vertexStart[array.ringStart[p]];
    return `[${array.xy[2 * v]},${array.xy[2 * v + 1]}]`;
  };
  const part = (p: number, single: number): string => {
    if (single === Kind.Point) return position(p);
    if (single === Kind.LineString) return arcs();
    const rings: string[] = [];
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) rings.push(arcs());
    return `[${rings.join(',')}]`;
  };
  const member = (single: number) => (single === Kind.Point ? 'coordinates' : 'arcs');
  const parts: string[] = [];
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const single = array.kindOfPart(i, p);
    parts.push(
      kind === Kind.Collection
        ? `{"type":"${kindNames[single]}","${member(single)}":${part(p, single)}}`
        : part(p, single),
    );
  }
  if (kind === Kind.Collection) return `"type":"GeometryCollection","geometries":[${parts.join(',')}]`;
  const key = kind === Kind.Point || kind === Kind.MultiPoint ? 'coordinates' : 'arcs';
  return `"type":"${kindNames[kind]}","${key}":${kind < Kind.MultiPoint ? (parts[0] ?? '[]') : `[${parts.join(',')}]`}`;
}
