import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Batch, ColumnBuilder, type Layer } from '../src/core/index.ts';
import { type ByteSource, openSource, WkbWriter } from '../src/formats/index.ts';
import { createDatabase, fileSource, nodeSqlite, saverFor } from '../src/node/index.ts';
import { squares } from './made.ts';
import { beside, type Measured } from './measure.ts';

const now = '2026-01-01T00:00:00.000Z';

/** Squares with a number and a name. */
function named(count: number): Layer {
  const layer = squares(count);
  const make = (batch: Batch): Batch => {
    const no = new ColumnBuilder('integer');
    const name = new ColumnBuilder('text');
    for (let i = 0; i < batch.length; i++) {
      no.number(batch.first + i);
      name.text(`square ${batch.first + i}`);
    }
    return batch.with({ columns: [no.finish(), name.finish()] });
  };
  let batches: Batch[] | null = null;
  return {
    ...layer,
    schema: [
      { name: 'no', type: 'integer' },
      { name: 'name', type: 'text' },
    ],
    async *batches() {
      if (batches === null) {
        batches = [];
        for await (const batch of layer.batches()) batches.push(make(batch));
      }
      yield* batches;
    },
  };
}

/** Writing a GeoPackage beside inserting the same blobs and values into a bare table with the same package. */
export async function geopackageWriting(): Promise<Measured> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-bench-'));
  try {
    const layer = named(100_000);
    const blobs: { blob: Uint8Array; no: number; name: string }[] = [];
    const writer = new WkbWriter();
    for await (const batch of layer.batches()) {
      for (let i = 0; i < batch.length; i++) {
        const bytes = writer.write(batch.geometry!, i, 40).slice();
        blobs.push({ blob: bytes, no: batch.columns[0].number(i), name: batch.columns[1].text(i)! });
      }
    }
    return await beside(
      'GeoPackage write',
      '100,000 polygons',
      1.5,
      'inserting the same blobs',
      () => {
        const path = join(folder, 'floor.db');
        rmSync(path, { force: true });
        const database = createDatabase(path);
        database.exec(
          'PRAGMA page_size=4096; PRAGMA journal_mode=MEMORY; PRAGMA synchronous=OFF; BEGIN; CREATE TABLE t (fid INTEGER PRIMARY KEY, geom BLOB, no INTEGER, name TEXT)',
        );
        const insert = database.prepare('INSERT INTO t VALUES(?,?,?,?)');
        blobs.forEach(({ blob, no, name }, k) => {
          insert.run([k + 1, blob, no, name]);
        });
        insert.finish();
        database.exec('COMMIT');
        database.close();
      },
      async () => {
        const path = join(folder, 'ours.gpkg');
        await saverFor(path).save([layer], path, now);
      },
      7,
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** A source that counts what is asked of it. */
function counting(source: ByteSource): ByteSource & { read: number } {
  const counted = {
    ...source,
    read: 0,
    async bytes(start: number, end: number) {
      const bytes = await source.bytes(start, end);
      counted.read += bytes.length;
      return bytes;
    },
  };
  return counted;
}

/** Bytes read for a box that holds a hundredth of a layer, beside the bytes of the features in it. */
export async function byBoxLines(): Promise<string[]> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-bench-'));
  const lines: string[] = [];
  try {
    const count = 400_000;
    const box: [number, number, number, number] = [440_000, 5_040_000, 450_000, 5_050_000];
    for (const end of ['fgb', 'parquet', 'gpkg']) {
      const path = join(folder, `squares.${end}`);
      await saverFor(path).save([named(count)], path, now);
      const source = await fileSource(path);
      const counted = counting(source);
      const [{ table }] = await openSource(counted, {
        around: null,
        path: `squares.${end}`,
        capabilities: { sqlite: nodeSqlite },
      });
      const opening = counted.read;
      let rows = 0;
      const from = performance.now();
      for await (const batch of (table as Layer).batches({ box })) rows += batch.length;
      const time = performance.now() - from;
      const touched = counted.read - opening;
      const whole = performance.now();
      for await (const batch of table.batches()) void batch.length;
      const all = performance.now() - whole;
      const share = (100 * rows) / count;
      const bytes =
        end === 'gpkg'
          ? 'pages read by SQLite itself'
          : `${(opening / 1e3).toFixed(0)} kB to open, ${(touched / 1e6).toFixed(2)} of ${(source.size / 1e6).toFixed(1)} MB read`;
      lines.push(
        `By box: ${end.padEnd(14)} ${rows.toLocaleString('en')} of ${count.toLocaleString('en')} features (${share.toFixed(1)} %): ${bytes}, ${time.toFixed(0)} ms against ${all.toFixed(0)} ms for all`,
      );
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  return lines;
}
