import { seeded } from '../demo/country/random.ts';
import {
  Batch,
  batchLimit,
  ColumnBuilder,
  crsByEpsg,
  type Field,
  GeometryMaker,
  type Layer,
  layerOf,
} from '../src/core/index.ts';
import { dbaseBytes, shapeBytes } from '../tests/support/hand-made.ts';

const grid = crsByEpsg(32626)!;

/** `count` small squares over 100 km by 100 km, in batches. */
export function squares(count: number, size = 12): Layer {
  const own = seeded(7);
  const batches: Batch[] = [];
  for (let from = 0; from < count; from += batchLimit) {
    const n = Math.min(batchLimit, count - from);
    const builder = new GeometryMaker();
    for (let k = 0; k < n; k++) {
      const x = 400_000 + 100_000 * own();
      const y = 5_000_000 + 100_000 * own();
      builder.feature(3);
      builder.part();
      builder.ring();
      builder.vertex(x, y);
      builder.vertex(x + size, y);
      builder.vertex(x + size, y + size);
      builder.vertex(x, y + size);
      builder.vertex(x, y);
    }
    batches.push(new Batch({ length: n, first: from, geometry: builder.finish(), columns: [] }));
  }
  return layerOf({ name: 'squares', schema: [], crs: grid, batches, kinds: ['Polygon'] });
}

/** A star-like area of `vertices` corners over most of the same 100 km. */
export function wavyArea(vertices: number): [number, number][] {
  const ring: [number, number][] = [];
  for (let k = 0; k < vertices; k++) {
    const angle = (2 * Math.PI * k) / vertices;
    const radius = 36_000 * (1 + 0.12 * Math.sin(9 * angle) + 0.02 * Math.sin(97 * angle));
    ring.push([450_000 + radius * Math.cos(angle), 5_050_000 + radius * Math.sin(angle)]);
  }
  ring.push(ring[0]);
  return ring;
}

/** A table of keys in scrambled order, and a layer with the same keys. */
export function keyed(count: number): { keys: string[]; table: Layer; layer: Layer } {
  const own = seeded(11);
  const keys = Array.from({ length: count }, (_, k) => `0${(k * 7919) % count}`.padStart(9, '0'));
  const make = (order: readonly string[], extra: boolean): Layer => {
    const schema: Field[] = [
      { name: 'code', type: 'text' },
      ...(extra ? ([{ name: 'value', type: 'integer' }] as Field[]) : []),
    ];
    const batches: Batch[] = [];
    for (let from = 0; from < count; from += batchLimit) {
      const n = Math.min(batchLimit, count - from);
      const code = new ColumnBuilder('text');
      const value = new ColumnBuilder('integer');
      for (let k = 0; k < n; k++) {
        code.text(order[from + k]);
        value.number(from + k);
      }
      batches.push(
        new Batch({
          length: n,
          first: from,
          geometry: null,
          columns: extra ? [code.finish(), value.finish()] : [code.finish()],
        }),
      );
    }
    return layerOf({ name: 'keyed', schema, crs: grid, batches });
  };
  const shuffled = [...keys];
  for (let k = count - 1; k > 0; k--) {
    const j = Math.floor(own() * (k + 1));
    [shuffled[k], shuffled[j]] = [shuffled[j], shuffled[k]];
  }
  return { keys: shuffled, table: make(keys, true), layer: make(shuffled, false) };
}

/** GeoJSON text of `count` polygons of 24 corners with six properties. */
export function geojsonText(count: number): string {
  const own = seeded(3);
  const features: string[] = [];
  for (let k = 0; k < count; k++) {
    const x = -30 + own();
    const y = 45 + own();
    const ring = Array.from(
      { length: 24 },
      (_, v) => `[${(x + 0.001 * Math.cos(v)).toFixed(7)},${(y + 0.001 * Math.sin(v)).toFixed(7)}]`,
    );
    ring.push(ring[0]);
    features.push(
      `{"type":"Feature","id":${k},"properties":{"code":"0${k}","name":"Ward ${k}","households":${Math.floor(5000 * own())},"share":${own().toFixed(4)},"flag":${own() < 0.5},"note":null},"geometry":{"type":"Polygon","coordinates":[[${ring.join(',')}]]}}`,
    );
  }
  return `{"type":"FeatureCollection","features":[\n${features.join(',\n')}\n]}`;
}

/** A shapefile of 60,000 polygons of 31 corners; its makings are let go of, so that they do not weigh on what is measured. */
export function shapefileBytes(): { big: Uint8Array; dbf: Uint8Array } {
  const own = seeded(5);
  const count = 60_000;
  const shapes = Array.from({ length: count }, () => {
    const x = 1e5 * own();
    const y = 1e5 * own();
    const ring = Array.from({ length: 30 }, (_, k) => [x + Math.cos(-k / 5), y + Math.sin(-k / 5)]);
    return [[...ring, ring[0]]];
  });
  const shp = shapeBytes(5, shapes.slice(0, 20_000));
  const big = new Uint8Array(100 + 3 * (shp.length - 100));
  big.set(shp);
  big.set(shp.subarray(100), shp.length);
  big.set(shp.subarray(100), 2 * shp.length - 100);
  new DataView(big.buffer).setInt32(24, big.length / 2);
  const dbf = dbaseBytes(
    [
      ['ID', 'N', 9, 0],
      ['NAME', 'C', 12, 0],
    ],
    Array.from({ length: count }, (_, k) => [' ', String(k), `n${k}`]),
    0x03,
  );
  return { big, dbf };
}
