import { execFileSync } from 'node:child_process';
import {
  closeSync,
  mkdtempSync,
  openSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { inferSchema, initParser } from 'udsv';
import { seeded } from '../demo/country/random.ts';
import { openGeotiff } from '../src/formats/geotiff/read.ts';
import { openSource, sourceFromBytes } from '../src/formats/index.ts';
import { tiffBytes } from '../tests/support/tiff.ts';
import { beside, lineOf } from './measure.ts';

/** Writes a census-like CSV of about `megabytes`: codes, quoted names, figures, shares, dates, a few marks. */
export function writeBigCsv(path: string, megabytes: number): void {
  const own = seeded(7);
  const file = openSync(path, 'w');
  writeSync(file, 'code,name,households,share,updated,remark\n');
  let bytes = 0;
  for (let k = 0; bytes < megabytes * 1e6; ) {
    let text = '';
    for (let n = 0; n < 5000; n++, k++)
      text += `0${100_000 + (k % 900_000)},"Ward ${k}, lower",${k % 997 === 0 ? '*' : Math.floor(own() * 5000)},${(own() * 100).toFixed(2)},2024-0${1 + (k % 9)}-1${k % 10},${k % 7 ? 'ok' : 'see note'}\n`;
    bytes += text.length;
    writeSync(file, text);
  }
  closeSync(file);
}

async function drained(bytes: Uint8Array, name: string): Promise<number> {
  const [{ table }] = await openSource(sourceFromBytes(bytes, name), {
    around: null,
    path: name,
    capabilities: {},
  });
  let rows = 0;
  for await (const batch of table.batches()) rows += batch.length;
  return rows;
}

/** Reading CSV with all types worked out and all values in columns, beside the fastest general package. */
export async function csvLine(folder: string): Promise<string> {
  const path = join(folder, 'big.csv');
  writeBigCsv(path, 60);
  const bytes = readFileSync(path);
  rmSync(path);
  const measured = await beside(
    'CSV read',
    `${(bytes.length / 1e6).toFixed(0)} MB, 6 columns`,
    1.3,
    'udsv, typed arrays',
    () => {
      const text = new TextDecoder().decode(bytes);
      return initParser(inferSchema(text)).typedArrs(text).length;
    },
    () => drained(bytes, 'big.csv'),
    4,
  );
  return `${lineOf(measured)}  ${(bytes.length / 1e3 / measured.ours).toFixed(0)} MB/s`;
}

/** Peak memory and time of a script in a process of its own. */
function peakOf(folder: string, body: string): { peak: number; seconds: number } {
  const script = join(folder, 'script.mjs');
  writeFileSync(
    script,
    `${body}\nconst { readFileSync: status } = await import('node:fs');\nprocess.stdout.write(/VmHWM:\\s+(\\d+)/.exec(status('/proc/self/status', 'utf8'))[1]);`,
  );
  const from = performance.now();
  const peak = Number(execFileSync(process.execPath, [script], { encoding: 'utf8' })) / 1024;
  return { peak, seconds: (performance.now() - from) / 1000 };
}

const library = new URL('../src/node/index.js', import.meta.url).href;

const reading = (path: string) =>
  `const { openOne } = await import('${library}'); const { table } = await openOne('${path}'); for await (const batch of table.batches()) globalThis.rows = (globalThis.rows ?? 0) + batch.length;`;

export async function* tableLines(): AsyncGenerator<string> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-tables-'));
  try {
    yield await csvLine(folder);
    for (const megabytes of [100, 1000]) {
      const path = join(folder, `memory-${megabytes}.csv`);
      writeBigCsv(path, megabytes);
      const { peak, seconds } = peakOf(folder, reading(path));
      yield `CSV memory             ${(statSync(path).size / 1e6).toFixed(0).padStart(5)} MB read in ${seconds.toFixed(1)} s, peak memory ${peak.toFixed(0)} MB`;
      rmSync(path);
    }
    yield workbookLine(folder);
    yield await gridLine();
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** 200,000 rows of eight columns, written and read again. */
function workbookLine(folder: string): string {
  const csv = join(folder, 'rows.csv');
  const lines = ['code,name,households,share,updated,a,b,remark'];
  const own = seeded(3);
  for (let k = 0; k < 200_000; k++)
    lines.push(
      `0${100_000 + k},Ward ${k},${Math.floor(own() * 5000)},${(own() * 100).toFixed(3)},2024-05-1${k % 10},${k * 3},${k * 7.5},${k % 3 ? 'ok' : 'see note'}`,
    );
  writeFileSync(csv, lines.join('\n'));
  const out = join(folder, 'rows.xlsx');
  const write = peakOf(
    folder,
    `const { openOne, saverFor } = await import('${library}'); const { table } = await openOne('${csv}'); await saverFor('${out}').save([table], '${out}', '2026-01-01T00:00:00.000Z');`,
  );
  const read = peakOf(folder, reading(out));
  return `Workbook               200,000 rows × 8, ${(statSync(out).size / 1e6).toFixed(0)} MB: written in ${write.seconds.toFixed(1)} s with ${write.peak.toFixed(0)} MB, read in ${read.seconds.toFixed(1)} s with ${read.peak.toFixed(0)} MB`;
}

/** A window of 1 % of a grid in tiles: bytes that are read, and what they are beside those of its tiles. */
async function gridLine(): Promise<string> {
  const size = 4096;
  const bytes = tiffBytes({
    width: size,
    height: size,
    type: 'int16',
    tile: [256, 256],
    packing: 'zlib',
    predictor: 2,
    value: (c, r) => ((c * 31 + r * 17) % 4000) + ((c * r) % 7),
  });
  let asked = 0;
  const plain = sourceFromBytes(bytes, 'grid.tif');
  const grid = await openGeotiff({
    ...plain,
    bytes: (start, end) => {
      asked += Math.min(end, bytes.length) - start;
      return plain.bytes(start, end);
    },
  });
  const opening = asked;
  asked = 0;
  const from = performance.now();
  await grid.read(0, { column: 1000, row: 1700, width: 410, height: 410 });
  return `GeoTIFF window         1 % of ${(bytes.length / 1e6).toFixed(0)} MB in tiles of 256: ${(opening / 1e3).toFixed(1)} kB to open, ${(asked / 1e3).toFixed(0)} kB read for 9 of 256 tiles (${((100 * asked) / bytes.length).toFixed(1)} % of the file) in ${(performance.now() - from).toFixed(0)} ms`;
}
