import { execFileSync } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, rmSync, statSync, writeFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { seeded } from '../demo/country/random.ts';

const command = fileURLToPath(new URL('../src/cli/main.js', import.meta.url));

/** Writes GeoJSON of about `megabytes` with small polygons, piece by piece. */
export function writeBig(path: string, megabytes: number): void {
  const own = seeded(21);
  const file = openSync(path, 'w');
  writeSync(file, '{"type":"FeatureCollection","features":[\n');
  let bytes = 0;
  for (let k = 0; bytes < megabytes * 1e6; ) {
    let text = '';
    for (let n = 0; n < 4000; n++, k++) {
      const x = -30.7 + 1.4 * own();
      const y = 45.2 + 0.8 * own();
      const d = 0.0002;
      text += `${k === 0 ? '' : ',\n'}{"type":"Feature","properties":{"id":${k},"use":"house","floors":${1 + (k % 4)}},"geometry":{"type":"Polygon","coordinates":[[[${x.toFixed(7)},${y.toFixed(7)}],[${(x + d).toFixed(7)},${y.toFixed(7)}],[${(x + d).toFixed(7)},${(y + d).toFixed(7)}],[${x.toFixed(7)},${(y + d).toFixed(7)}],[${x.toFixed(7)},${y.toFixed(7)}]]]}}`;
    }
    bytes += text.length;
    writeSync(file, text);
  }
  writeSync(file, '\n]}\n');
  closeSync(file);
}

/** Peak resident memory of the clip command over inputs of growing size, as the system counts it. */
export async function* memoryLines(): AsyncGenerator<string> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-memory-'));
  try {
    yield readingLine(folder);
    const area = join(folder, 'area.geojson');
    writeFileSync(
      area,
      '{"type":"Polygon","coordinates":[[[-30.2,45.4],[-29.6,45.5],[-29.7,45.8],[-30.1,45.75],[-30.2,45.4]]]}',
    );
    for (const megabytes of [100, 500, 2000]) {
      const path = join(folder, `big-${megabytes}.geojson`);
      writeBig(path, megabytes);
      const from = performance.now();
      const script = `import('${command}'); import { readFileSync } from 'node:fs'; process.on('exit', () => process.stderr.write('PEAK ' + /VmHWM:\\s+(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1]))`;
      const wrapper = join(folder, 'wrapper.mjs');
      writeFileSync(wrapper, script);
      const out = join(folder, 'out.gpkg');
      const peak = peakOf(wrapper, path, area, out);
      yield `Clip command            ${(statSync(path).size / 1e6).toFixed(0).padStart(5)} MB of GeoJSON in ${((performance.now() - from) / 1000).toFixed(1)} s, peak memory ${(peak / 1024).toFixed(0)} MB, asked < 400${peak / 1024 < 400 ? '' : '  NOT MET'}`;
      rmSync(path);
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Peak memory of reading GeoJSON to the end, beside JSON.parse of the same bytes, each in a process of its own. */
function readingLine(folder: string): string {
  const path = join(folder, 'read.geojson');
  writeBig(path, 150);
  const peak = (body: string) => {
    const script = join(folder, 'reading.mjs');
    writeFileSync(
      script,
      `${body}\nconst { readFileSync: status } = await import('node:fs');\nprocess.stdout.write(/VmHWM:\\s+(\\d+)/.exec(status('/proc/self/status', 'utf8'))[1]);`,
    );
    return Number(execFileSync(process.execPath, [script], { encoding: 'utf8' })) / 1024;
  };
  const nothing = peak('');
  const library = new URL('../src/node/index.js', import.meta.url).href;
  const parse =
    peak(
      `import { readFileSync } from 'node:fs'; globalThis.kept = JSON.parse(readFileSync('${path}', 'utf8'));`,
    ) - nothing;
  const ours =
    peak(
      `const { openOne } = await import('${library}'); const { table } = await openOne('${path}'); for await (const batch of table.batches()) globalThis.rows = batch.length;`,
    ) - nothing;
  rmSync(path);
  return `GeoJSON read            150 MB: JSON.parse ${parse.toFixed(0)} MB, ours ${ours.toFixed(0)} MB over an empty process, a ${(parse / ours).toFixed(1)}th; asked ≤ a 5th${ours * 5 <= parse ? '' : '  NOT MET'}`;
}

function peakOf(wrapper: string, path: string, area: string, out: string): number {
  const line = execFileSync(
    '/bin/sh',
    [
      '-c',
      `"${process.execPath}" "${wrapper}" clip "${path}" --area "${area}" --out "${out}" 2>&1 >/dev/null | grep -o 'PEAK [0-9]*'`,
    ],
    { encoding: 'utf8' },
  );
  return Number(line.trim().split(' ')[1]);
}
