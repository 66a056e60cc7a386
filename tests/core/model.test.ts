import { Worker } from 'node:worker_threads';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  addGeometryObject,
  Batch,
  type Column,
  ColumnBuilder,
  GeometryMaker,
  geometriesFrom,
  geometryObject,
  takeGeometries,
  textColumn,
  type Value,
} from '../../src/core/index.ts';
import { anyGeometry, anyRows } from '../support/arbitrary.ts';

describe('GeometryArray', () => {
  it('gives back any mix of kinds, empty and null geometries', () => {
    fc.assert(
      fc.property(fc.array(anyGeometry(), { maxLength: 20 }), (objects) => {
        const array = geometriesFrom(objects);
        expect(objects.map((_, i) => geometryObject(array, i))).toEqual(objects);
      }),
      { numRuns: 300 },
    );
  });

  it('takes any choice of features in any order', () => {
    fc.assert(
      fc.property(
        fc.array(anyGeometry(), { minLength: 1, maxLength: 12 }),
        fc.array(fc.nat(), { maxLength: 12 }),
        (objects, picks) => {
          const indices = picks.map((pick) => pick % objects.length);
          const taken = takeGeometries(geometriesFrom(objects), indices);
          expect(indices.map((_, k) => geometryObject(taken, k))).toEqual(indices.map((i) => objects[i]));
        },
      ),
      { numRuns: 200 },
    );
  });

  it('forgets a feature that turned out to be unfinished', () => {
    fc.assert(
      fc.property(
        fc.array(anyGeometry(), { maxLength: 6 }),
        fc.array(anyGeometry(), { maxLength: 6 }),
        (kept, dropped) => {
          const builder = new GeometryMaker();
          for (const object of kept) addGeometryObject(builder, object);
          const mark = builder.mark();
          for (const object of dropped) addGeometryObject(builder, object);
          builder.back(mark);
          for (const object of kept) addGeometryObject(builder, object);
          const array = builder.finish();
          expect(Array.from({ length: array.length }, (_, i) => geometryObject(array, i))).toEqual([
            ...kept,
            ...kept,
          ]);
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('Column', () => {
  it('gives back what was put in, of every type', () => {
    fc.assert(
      fc.property(anyRows(), ({ fields, rows, columns }) => {
        expect(rows.map((_, i) => columns.map((column) => column.value(i)))).toEqual(rows);
        expect(columns.map((column) => column.type)).toEqual(fields.map((field) => field.type));
      }),
      { numRuns: 200 },
    );
  });

  it('stores recurring text as a dictionary and gives it back', () => {
    fc.assert(
      fc.property(
        fc.array(fc.option(fc.constantFrom('road', 'path', 'Brücke', '')), { maxLength: 60 }),
        (values) => {
          const column = textColumn(values);
          expect(values.map((_, i) => column.value(i))).toEqual(values);
        },
      ),
    );
  });

  it('goes back over blanks and values alike', () => {
    const builder = new ColumnBuilder('text');
    builder.text('a');
    builder.null();
    builder.text('b');
    builder.back(1);
    builder.null();
    builder.text('c');
    const column = builder.finish();
    expect([0, 1, 2].map((i) => column.value(i))).toEqual(['a', null, 'c']);
  });
});

describe('Batch', () => {
  it('is the same after a worker thread had it', async () => {
    const worker = new Worker(
      'const { parentPort } = require("node:worker_threads"); parentPort.on("message", (m) => parentPort.postMessage(m));',
      { eval: true },
    );
    const echo = (batch: Batch) =>
      new Promise<Batch>((resolve, reject) => {
        worker.removeAllListeners('error').once('error', reject);
        worker.once('message', (buffers) => resolve(Batch.fromTransfer(buffers)));
        const { buffers, transfer } = batch.toTransfer();
        worker.postMessage(buffers, transfer);
        expect(transfer.every((buffer) => buffer.byteLength === 0)).toBe(true);
      });
    try {
      await fc.assert(
        fc.asyncProperty(
          anyRows(),
          fc.infiniteStream(anyGeometry()),
          async ({ rows, columns }, geometries) => {
            const objects = rows.map(() => geometries.next().value!);
            const batch = new Batch({
              length: rows.length,
              first: 5,
              geometry: geometriesFrom(objects),
              columns,
            });
            const back = await echo(batch);
            expect(rows.map((_, i) => back.columns.map((column) => column.value(i)))).toEqual(rows);
            expect(rows.map((_, i) => geometryObject(back.geometry!, i))).toEqual(objects);
            expect(back.id(0)).toBe(6);
          },
        ),
        { numRuns: 50 },
      );
    } finally {
      await worker.terminate();
    }
  });

  it('cut anywhere and put side by side holds the same features', () => {
    fc.assert(
      fc.property(anyRows(), fc.nat(), ({ rows, columns }, at) => {
        const batch = new Batch({ length: rows.length, first: 0, geometry: null, columns });
        const cut = rows.length === 0 ? 0 : at % (rows.length + 1);
        const range = (from: number, to: number) => Array.from({ length: to - from }, (_, k) => from + k);
        const both = [batch.take(range(0, cut)), batch.take(range(cut, rows.length))];
        const read = both.flatMap((part) =>
          range(0, part.length).map((i) => part.columns.map((column: Column): Value => column.value(i))),
        );
        expect(read).toEqual(rows);
        expect(both.flatMap((part) => range(0, part.length).map((i) => part.id(i)))).toEqual(
          rows.map((_, i) => i + 1),
        );
      }),
      { numRuns: 200 },
    );
  });
});
