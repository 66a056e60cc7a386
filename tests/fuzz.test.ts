import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openPath } from '../src/node/index.ts';
import { crsFromText, IsomericError, loadsOf } from './fuzz-harness.ts';

const data = fileURLToPath(new URL('../demo/data', import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'isomeric-fuzz-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

let samples: Awaited<ReturnType<typeof loadsOf>>;
beforeAll(async () => {
  samples = await loadsOf(data, folder);
});

/** How a good file is damaged: bytes changed, pieces cut out, put in twice, or cut off at the end. */
const damage = fc.record({
  edits: fc.array(
    fc.tuple(fc.double({ min: 0, max: 0.9999, noNaN: true }), fc.integer({ min: 0, max: 255 })),
    { maxLength: 6 },
  ),
  cut: fc.option(fc.tuple(fc.double({ min: 0, max: 0.9999, noNaN: true }), fc.integer({ min: 1, max: 60 })), {
    freq: 2,
  }),
  twice: fc.option(
    fc.tuple(fc.double({ min: 0, max: 0.9999, noNaN: true }), fc.integer({ min: 1, max: 60 })),
    { freq: 3 },
  ),
  end: fc.option(fc.double({ min: 0, max: 1, noNaN: true }), { freq: 2 }),
});
type Damage = typeof damage extends fc.Arbitrary<infer T> ? T : never;

function damaged(good: Uint8Array, { edits, cut, twice, end }: Damage): Uint8Array {
  let bytes = Uint8Array.from(good);
  for (const [at, value] of edits) bytes[Math.floor(at * bytes.length)] = value;
  if (cut !== null) {
    const from = Math.floor(cut[0] * bytes.length);
    bytes = Uint8Array.from([...bytes.subarray(0, from), ...bytes.subarray(from + cut[1])]);
  }
  if (twice !== null) {
    const from = Math.floor(twice[0] * bytes.length);
    bytes = Uint8Array.from([...bytes.subarray(0, from + twice[1]), ...bytes.subarray(from)]);
  }
  return end === null ? bytes : bytes.subarray(0, Math.floor(end * bytes.length));
}

/** One line a format: its name, the sample's file name, and how many damaged copies are tried. */
const formats: [name: string, file: string, runs: number][] = [
  ['GeoJSON', 'small.geojson', 1500],
  ['delimited text', 'small.csv', 1500],
  ['dBASE', 'small.dbf', 1500],
  ['Shapefile', 'small.shp', 1500],
  ['zip', 'small.zip', 500],
  ['GeoPackage', 'small.gpkg', 150],
];

describe('damaged files give an error of ours or a reading, never a crash or a hang', () => {
  it.each(formats)(
    '%s',
    async (_, file, runs) => {
      const good = samples.get(file)!;
      const place = join(folder, file.replace('small', 'damaged'));
      await fc.assert(
        fc.asyncProperty(damage, async (how) => {
          writeFileSync(place, damaged(good, how));
          try {
            for (const { table } of await openPath(place)) {
              let rows = 0;
              for await (const batch of table.batches()) {
                rows += batch.length;
                for (const column of batch.columns) for (let i = 0; i < batch.length; i++) column.text(i);
                batch.geometry?.box();
              }
              // What is read can never be more than the bytes could hold.
              expect(rows).toBeLessThan(10 * good.length + 1000);
            }
          } catch (error) {
            if (!(error instanceof IsomericError)) throw error;
            expect(error.sentence.length).toBeGreaterThan(10);
          }
        }),
        { numRuns: runs, interruptAfterTimeLimit: 25_000, markInterruptAsFailure: false },
      );
    },
    60_000,
  );

  it('CRS texts', () => {
    const good = new TextEncoder().encode(readFileSync(join(data, 'teskaria-grid.wkt'), 'utf8'));
    fc.assert(
      fc.property(damage, (how) => {
        try {
          crsFromText(new TextDecoder().decode(damaged(good, how)));
        } catch (error) {
          expect(error).toBeInstanceOf(IsomericError);
        }
      }),
      { numRuns: 500 },
    );
  });
});
