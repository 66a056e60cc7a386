import { execFileSync } from 'node:child_process';
import {
  closeSync,
  copyFileSync,
  mkdtempSync,
  openSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { strToU8, zipSync } from 'fflate';
import { seeded } from '../demo/country/random.ts';
import { lookInside, openZip, sourceFromBytes } from '../src/formats/index.ts';
import { writeBigCsv } from './tables.ts';

const library = new URL('../src/node/index.js', import.meta.url).href;

/** Converts a file in a process of its own: seconds of opening and saving, and peak memory in MB. */
function converted(folder: string, from: string, to: string): { seconds: number; peak: number } {
  const script = join(folder, 'convert.mjs');
  writeFileSync(
    script,
    `const { openOne, saverFor } = await import('${library}');
const from = performance.now();
const { table } = await openOne('${from}', undefined, { geometry: '${to.endsWith('.fgb') ? 'x, y' : 'none'}' });
await saverFor('${to}').save([table], '${to}', '2026-01-01T00:00:00.000Z');
const { readFileSync } = await import('node:fs');
process.stdout.write(JSON.stringify([(performance.now() - from) / 1000, /VmHWM:\\s+(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1] / 1024]));`,
  );
  const [seconds, peak] = JSON.parse(
    execFileSync(process.execPath, [script], { encoding: 'utf8' }),
  ) as number[];
  return { seconds, peak };
}

/** Points all over the country with some attributes, about 150 bytes a feature when saved. */
function writePoints(path: string, count: number): void {
  const own = seeded(5);
  const file = openSync(path, 'w');
  writeSync(file, 'x,y,code,name,households,remark\n');
  for (let k = 0; k < count; ) {
    let text = '';
    for (let n = 0; n < 5000 && k < count; n++, k++)
      text += `${(own() * 1e6).toFixed(2)},${(own() * 1e6).toFixed(2)},C${100_000 + k},Ward number ${k} of the lower plain,${Math.floor(own() * 5000)},counted by hand in spring\n`;
    writeSync(file, text);
  }
  closeSync(file);
}

/** Savings that must not hold the whole, and archives of very many entries. */
export async function* savingLines(): AsyncGenerator<string> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-savings-'));
  try {
    const csv = join(folder, 'big.csv');
    writeBigCsv(csv, 1000);
    const parquet = converted(folder, csv, join(folder, 'big.parquet'));
    yield `CSV to Parquet         1000 MB in ${parquet.seconds.toFixed(1)} s with ${parquet.peak.toFixed(0)} MB, asked ≤ 300${parquet.peak <= 300 ? '' : '  NOT MET'}`;
    rmSync(csv);
    const points = join(folder, 'points.csv');
    writePoints(points, 3_400_000);
    const out = join(folder, 'points.fgb');
    const ordered = converted(folder, points, out);
    const size = statSync(out).size;
    const from = performance.now();
    copyFileSync(out, join(folder, 'copy'));
    const copied = (performance.now() - from) / 1000;
    yield `FlatGeobuf in order    ${(size / 1e6).toFixed(0)} MB of 3,400,000 points: copied ${copied.toFixed(1)} s, read from CSV and saved ${ordered.seconds.toFixed(1)} s with ${ordered.peak.toFixed(0)} MB`;
    yield await manyEntries();
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function manyEntries(): Promise<string> {
  const count = 20_000;
  const bytes = zipSync(
    Object.fromEntries(Array.from({ length: count }, (_, k) => [`t${k}.csv`, strToU8('a,b\n1,2\n')])),
  );
  const source = sourceFromBytes(bytes, 'many.zip');
  const times: number[] = [];
  for (let k = 0; k < 5; k++) {
    const from = performance.now();
    await openZip(source);
    times.push(performance.now() - from);
  }
  const from = performance.now();
  await lookInside(source, { around: null, path: 'many.zip', capabilities: {} });
  const opened = (performance.now() - from) / 1000;
  return `Archive of many        20,000 entries: list in ${((1000 * Math.min(...times)) / count).toFixed(1)} µs an entry, all of them opened as tables in ${opened.toFixed(1)} s`;
}
