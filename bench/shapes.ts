import { seeded } from '../demo/country/random.ts';
import { planarRuler } from '../src/core/geometry/ruler.ts';
import { delaunay } from '../src/core/geometry/shape/delaunay.ts';
import { simplify } from '../src/core/geometry/shape/simplify.ts';
import {
  Batch,
  crsByEpsg,
  type GeometryArray,
  GeometryMaker,
  Kind,
  type Layer,
  layerOf,
} from '../src/core/index.ts';
import { type Threads, useThreads } from '../src/core/layer/threads.ts';
import { bufferLayer } from '../src/core/layer/verbs/buffer.ts';
import { nearestLayer } from '../src/core/layer/verbs/nearest.ts';
import { openSource, sourceFromBytes } from '../src/formats/index.ts';
import { threads } from '../src/node/threads.ts';

/** Cells whose borders wind in so many pieces; neighbours share them vertex for vertex. */
function winding(side: number, pieces: number): GeometryArray {
  const at = (r: number, c: number, t: number, upward: boolean): [number, number] => {
    const off =
      12 *
      Math.sin(Math.PI * t) *
      Math.sin(37 * t + r * 5.1 + c * 3.3 + (upward ? 1 : 0)) *
      Math.sin(3 * t * pieces);
    return upward ? [100 * c + off, 100 * (r + t)] : [100 * (c + t), 100 * r + off];
  };
  const maker = new GeometryMaker(4 * pieces * side * side);
  for (let r = 0; r < side; r++)
    for (let c = 0; c < side; c++) {
      maker.feature(Kind.Polygon);
      maker.part();
      maker.ring();
      for (let k = 0; k < pieces; k++) maker.vertex(...at(r, c, k / pieces, false));
      for (let k = 0; k < pieces; k++) maker.vertex(...at(r, c + 1, k / pieces, true));
      for (let k = pieces; k > 0; k--) maker.vertex(...at(r + 1, c, k / pieces, false));
      for (let k = pieces; k > 0; k--) maker.vertex(...at(r, c, k / pieces, true));
      maker.vertex(...at(r, c, 0, false));
    }
  return maker.finish();
}

function geojsonOf(array: GeometryArray): Uint8Array {
  const features: string[] = [];
  for (let i = 0; i < array.length; i++) {
    const positions: string[] = [];
    for (let v = array.firstVertex(i); v < array.endVertex(i); v++)
      positions.push(`[${array.xy[2 * v].toFixed(3)},${array.xy[2 * v + 1].toFixed(3)}]`);
    features.push(
      `{"type":"Feature","properties":{"n":${i}},"geometry":{"type":"Polygon","coordinates":[[${positions.join(',')}]]}}`,
    );
  }
  return new TextEncoder().encode(`{"type":"FeatureCollection","features":[${features.join(',\n')}]}`);
}

const grid = crsByEpsg(32626)!;

function layerFrom(name: string, array: GeometryArray): Layer {
  return layerOf({
    name,
    schema: [],
    crs: grid,
    batches: [new Batch({ length: array.length, first: 0, geometry: array, columns: [] })],
  });
}

/** Crooked lines of 12 vertices. */
function lines(count: number): GeometryArray {
  const random = seeded(5);
  const maker = new GeometryMaker(12 * count);
  for (let k = 0; k < count; k++) {
    let [x, y] = [400_000 + 100_000 * random(), 5_000_000 + 100_000 * random()];
    maker.feature(Kind.LineString);
    maker.part();
    maker.ring();
    for (let n = 0; n < 12; n++) {
      maker.vertex(x, y);
      x += 200 * (random() - 0.5);
      y += 200 * (random() - 0.5);
    }
  }
  return maker.finish();
}

function points(count: number, seed: number): GeometryArray {
  const random = seeded(seed);
  const maker = new GeometryMaker(count);
  for (let k = 0; k < count; k++) {
    maker.feature(Kind.Point);
    maker.part();
    maker.ring();
    maker.vertex(100_000 * random(), 100_000 * random());
  }
  return maker.finish();
}

async function drain(layer: Layer): Promise<number> {
  let features = 0;
  for await (const batch of layer.batches()) features += batch.length;
  return features;
}

async function timed(work: () => unknown): Promise<number> {
  const start = performance.now();
  await work();
  return performance.now() - start;
}

const row = (name: string, ms: number, more = '') =>
  `${name.padEnd(58)} ${ms.toFixed(0).padStart(8)} ms  ${more}`;

/** Shapes: simplification beside reading, buffers in one thread and in several, nearest, triangles. */
export async function shapeLines(): Promise<string[]> {
  const told: string[] = [];
  const units = winding(55, 160);
  const bytes = geojsonOf(units);
  const read = async () => {
    const [{ table }] = await openSource(sourceFromBytes(bytes, 'x.geojson'), {
      around: null,
      path: 'x',
      capabilities: {},
    });
    for await (const batch of table.batches()) void batch;
  };
  await read();
  const reading = await timed(read);
  const ruler = planarRuler();
  const vertices = simplify(units, { by: 'distance', upTo: 0, ruler }).before;
  for (const [name, how] of [
    ['within 3 m', { by: 'distance', upTo: 3, ruler }],
    [
      'to a tenth of the vertices',
      { by: 'area', upTo: Number.POSITIVE_INFINITY, vertices: vertices / 10, ruler },
    ],
  ] as const) {
    const ms = await timed(() => simplify(units, how));
    told.push(
      row(
        `Simplify ${units.length} units, ${vertices} vertices, ${name}`,
        ms,
        `${(ms / reading).toFixed(2)} × reading (${reading.toFixed(0)} ms); asked ≤ 5`,
      ),
    );
  }
  const layer = layerFrom('lines', lines(100_000));
  const machine = threads();
  const offer = (count: number): Threads | null =>
    machine === null || count === 1 ? null : { ...machine, most: count };
  useThreads(offer(1));
  const one = await timed(() => drain(bufferLayer(layer, { distance: 50 })));
  told.push(row('Buffer of 100,000 lines of 12 vertices, one thread', one));
  if (machine !== null) {
    useThreads(machine);
    const several = await timed(() => drain(bufferLayer(layer, { distance: 50 })));
    told.push(
      row(
        `The same in ${machine.most} threads`,
        several,
        `${(one / several).toFixed(2)} times as fast; asked ≥ 1.7`,
      ),
    );
    useThreads(null);
  }
  const [from, to] = [layerFrom('from', points(200_000, 1)), layerFrom('to', points(200_000, 2))];
  told.push(row('Nearest of 200,000 points to 200,000', await timed(() => drain(nearestLayer(from, to)))));
  const xy = points(1_000_000, 3).xy;
  told.push(row('Triangles of 1,000,000 points', await timed(() => delaunay(xy))));
  return told;
}
