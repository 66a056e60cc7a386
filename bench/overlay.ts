import type { GeometryArray } from '../src/core/geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../src/core/geometry/geometry-maker.ts';
import { overlayAreas } from '../src/core/geometry/overlay/overlay.ts';
import { uniteAreas } from '../src/core/geometry/overlay/unite.ts';
import { Batch, type Layer, layerOf } from '../src/core/index.ts';
import { intersectLayers } from '../src/core/layer/verbs/intersect.ts';

/** An outline of n vertices with bays of all sizes, as coasts have them. */
function coast(n: number, offset: number, seed: number): GeometryArray {
  const maker = new GeometryMaker(n + 1);
  maker.feature(3);
  maker.part();
  maker.ring();
  for (let k = 0; k <= n; k++) {
    const angle = (2 * Math.PI * (k % n)) / n;
    let reach = 1;
    for (let f = 3, s = seed; f < n / 8; f *= 2.3, s = (s * 1.7) % 7)
      reach += (0.3 / f) * Math.sin(angle * Math.round(f) + s);
    maker.vertex(offset + reach * Math.cos(angle), reach * Math.sin(angle));
  }
  return maker.finish();
}

/** n square islands in rows, as one multi-polygon. */
function islands(n: number, offset: number): GeometryArray {
  const maker = new GeometryMaker(5 * n);
  const side = Math.ceil(Math.sqrt(n));
  maker.feature(6);
  for (let k = 0; k < n; k++) {
    const [x, y] = [(k % side) + offset, Math.floor(k / side) + offset];
    maker.part();
    maker.ring();
    for (const [p, q] of [
      [0, 0],
      [0.6, 0],
      [0.6, 0.6],
      [0, 0.6],
      [0, 0],
    ])
      maker.vertex(x + p, y + q);
  }
  return maker.finish();
}

/** side × side cells with crooked corners, each a feature. */
function cells(side: number, seed: number, offset: number): GeometryArray {
  const shake = (a: number, b: number) => {
    const value = Math.sin(a * 127.1 + b * 311.7 + seed) * 43758.5453;
    return (value - Math.floor(value) - 0.5) * 0.4;
  };
  const maker = new GeometryMaker(5 * side * side);
  for (let j = 0; j < side; j++)
    for (let i = 0; i < side; i++) {
      maker.feature(3);
      maker.part();
      maker.ring();
      for (const [p, q] of [
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 1],
        [0, 0],
      ])
        maker.vertex(i + p + shake(i + p, j + q) + offset, j + q + shake(j + q, i + p) + offset);
    }
  return maker.finish();
}

function layerFrom(name: string, geometry: GeometryArray): Layer {
  const batches: Batch[] = [];
  for (let first = 0; first < geometry.length; first += 16_384) {
    const length = Math.min(16_384, geometry.length - first);
    const own = takeGeometries(
      geometry,
      Array.from({ length }, (_, k) => first + k),
    );
    batches.push(new Batch({ length, first, geometry: own, columns: [] }));
  }
  return layerOf({ name, schema: [], crs: null, batches });
}

interface Case {
  name: string;
  sizes: readonly number[];
  /** Makes the input of a size; what it returns does the work. */
  make(size: number): () => unknown;
}

const cases: readonly Case[] = [
  {
    name: 'Two coasts, vertices together',
    sizes: [200_000, 2_000_000],
    make(size) {
      const [a, b] = [coast(size / 2, 0, 1), coast(size / 2, 0.02, 2)];
      return () => overlayAreas('intersection', a, 0, b, 0, new GeometryMaker());
    },
  },
  {
    name: 'Islands against as many',
    sizes: [4000, 16_000, 64_000, 256_000],
    make(size) {
      const [a, b] = [islands(size, 0), islands(size, 0.3)];
      return () => overlayAreas('symmetric-difference', a, 0, b, 0, new GeometryMaker());
    },
  },
  {
    name: 'Cells dissolved to 100 units',
    sizes: [10_000, 102_400],
    make(size) {
      const side = Math.sqrt(size);
      const array = cells(side, 0, 0);
      const units: number[][] = Array.from({ length: 100 }, () => []);
      for (let k = 0; k < size; k++)
        units[
          Math.floor((Math.floor(k / side) * 10) / side) * 10 + Math.floor(((k % side) * 10) / side)
        ].push(k);
      return () => {
        const maker = new GeometryMaker();
        for (const unit of units) uniteAreas(array, unit, maker);
        return maker.features;
      };
    },
  },
  {
    name: 'Overlapping circles of 64 vertices united',
    sizes: [5000, 50_000],
    make(size) {
      const maker = new GeometryMaker(65 * size);
      let state = 1;
      const random = () => {
        state = (state * 1103515245 + 12345) % 2147483648;
        return state / 2147483648;
      };
      const side = Math.sqrt(size);
      for (let k = 0; k < size; k++) {
        const [x, y, reach] = [random() * side, random() * side, 0.5 + random()];
        maker.feature(3);
        maker.part();
        maker.ring();
        for (let v = 0; v <= 64; v++) {
          const angle = (2 * Math.PI * (v % 64)) / 64;
          maker.vertex(x + reach * Math.cos(angle), y + reach * Math.sin(angle));
        }
      }
      const array = maker.finish();
      const all = Array.from({ length: size }, (_, k) => k);
      return () => uniteAreas(array, all, new GeometryMaker());
    },
  },
  {
    name: 'Cells intersected with as many',
    sizes: [10_000, 99_856],
    make(size) {
      const side = Math.sqrt(size);
      const [a, b] = [layerFrom('a', cells(side, 0, 0)), layerFrom('b', cells(side, 5, 0.37))];
      return async () => {
        let pieces = 0;
        for await (const batch of intersectLayers(a, b).batches()) pieces += batch.length;
        return pieces;
      };
    },
  },
];

/** Time and growth of overlays: each size once, after a small one that warms up. */
export async function overlayLines(): Promise<string[]> {
  const lines = ['Overlay                                          n        ms   growth'];
  for (const { name, sizes, make } of cases) {
    await make(sizes[0])();
    let before: { size: number; ms: number } | null = null;
    for (const size of sizes) {
      const work = make(size);
      const start = performance.now();
      await work();
      const ms = performance.now() - start;
      const growth =
        before === null ? '' : (Math.log(ms / before.ms) / Math.log(size / before.size)).toFixed(2);
      lines.push(
        `${name.padEnd(42)} ${String(size).padStart(8)} ${ms.toFixed(0).padStart(8)} ${growth.padStart(8)}`,
      );
      before = { size, ms };
    }
  }
  return lines;
}
