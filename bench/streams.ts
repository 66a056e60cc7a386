import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { writeBig } from './memory.ts';

const command = fileURLToPath(new URL('../src/cli/main.js', import.meta.url));

/** Formats whose readers and writers stream. */
const endings = ['gpkg', 'shp', 'fgb', 'parquet', 'geojsonl', 'csv', 'kml', 'gml'];

interface Run {
  peak: number;
  seconds: number;
}

/** One command in a process of its own: its peak resident memory in MB, as the system counts it, and its time. */
function run(wrapper: string, args: readonly string[]): Run {
  const from = performance.now();
  const quoted = args.map((arg) => `"${arg}"`).join(' ');
  const line = execFileSync(
    '/bin/sh',
    ['-c', `"${process.execPath}" "${wrapper}" ${quoted} 2>&1 >/dev/null | grep -o 'PEAK [0-9]*'`],
    { encoding: 'utf8' },
  );
  return { peak: Number(line.trim().split(' ')[1]) / 1024, seconds: (performance.now() - from) / 1000 };
}

/** Peak memory of writing and of reading every streamed format, for a source of 100 MB and one of 1 GB. */
export async function* streamLines(sizes: readonly number[] = [100, 1000]): AsyncGenerator<string> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-streams-'));
  try {
    const wrapper = join(folder, 'wrapper.mjs');
    writeFileSync(
      wrapper,
      `import('${command}'); import { readFileSync } from 'node:fs'; process.on('exit', () => process.stderr.write('PEAK ' + /VmHWM:\\s+(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1]))`,
    );
    for (const megabytes of sizes) {
      const source = join(folder, 'source.geojson');
      writeBig(source, megabytes);
      for (const end of endings) {
        const out = join(folder, `out.${end}`);
        const write = run(wrapper, ['save', source, '--out', out]);
        const bytes = statSync(out).size / 1e6;
        const read = run(wrapper, ['look', out]);
        for (const name of readdirSync(folder)) if (name.startsWith('out.')) rmSync(join(folder, name));
        const line = `${bytes.toFixed(0)} MB: written with ${write.peak.toFixed(0)} MB in ${write.seconds.toFixed(0)} s, read with ${read.peak.toFixed(0)} MB in ${read.seconds.toFixed(0)} s`;
        yield `Streams ${end.padEnd(9)} from ${megabytes.toLocaleString('en')} MB of GeoJSON  ${line}`;
      }
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
