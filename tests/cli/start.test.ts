import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';

const root = fileURLToPath(new URL('../..', import.meta.url));
const wards = join(root, 'demo/data/boundary-office/districts-2024.geojson');
const all = mkdtempSync(join(tmpdir(), 'isomeric-start-'));
afterAll(() => rmSync(all, { recursive: true, force: true }));

/** A copy of what a start needs, in a folder of its own, so that its cache is its own too. */
let folder: string;
let count = 0;
beforeEach(() => {
  folder = join(all, String(count++));
  mkdirSync(join(folder, 'dist/cli'), { recursive: true });
  for (const name of ['main.js', 'start.js', 'exit-codes.js', 'command.cjs'])
    cpSync(join(root, 'dist/cli', name), join(folder, 'dist/cli', name));
  cpSync(join(root, 'package.json'), join(folder, 'package.json'));
});

const caches = (place = join(folder, 'dist/cli')) =>
  readdirSync(place).filter((name) => name.endsWith('.cache'));
const known = (place = join(folder, 'dist/cli')) => {
  const bytes = readFileSync(join(place, caches(place)[0]));
  return bytes.toString('latin1', 0, bytes.indexOf(10)).split(' ');
};
function isomeric(...args: string[]) {
  const done = spawnSync(process.execPath, [join(folder, 'dist/cli/main.js'), ...args], {
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1', XDG_CACHE_HOME: join(folder, 'caches') },
  });
  return { code: done.status, out: done.stdout, told: done.stderr };
}

describe('the start of the command', () => {
  it('keeps what was compiled for each command, and says the same with it', () => {
    const first = isomeric('look', wards);
    expect(first).toMatchObject({ code: 0, out: expect.stringContaining('15 areas'), told: '' });
    expect(caches()).toEqual([expect.stringContaining(process.version)]);
    expect(known()).toEqual(['look']);
    expect(isomeric('look', wards)).toEqual(first);
    expect(isomeric('crs', 'EPSG:32626').out).toContain('WGS 84 / UTM zone 26N');
    expect(known()).toEqual(['look', 'crs']);
    // A command that is none is not worth keeping.
    expect(isomeric('loko', wards).code).toBe(2);
    expect(known()).toEqual(['look', 'crs']);
  });

  it('never runs what was compiled of another build, also of one of the same length', () => {
    const file = join(folder, 'dist/cli/command.cjs');
    const text = readFileSync(file, 'latin1');
    const [, checksum, rest] = /^\/\*([0-9a-f]{16})\*\/([\s\S]*)$/.exec(text)!;
    expect(createHash('sha256').update(rest).digest('hex').startsWith(checksum)).toBe(true);
    expect(isomeric('look', '--help').out).toContain('what is in a file');
    const other = rest.replaceAll('what is in a file', 'WHAT IS IN A FILE');
    const next = createHash('sha256').update(other).digest('hex').slice(0, 16);
    writeFileSync(file, `/*${next}*/${other}`);
    expect(readFileSync(file).length).toBe(text.length);
    expect(isomeric('look', '--help').out).toContain('WHAT IS IN A FILE');
    expect(caches()).toHaveLength(2);
  });

  it('takes no harm of a damaged cache, and mends it', () => {
    isomeric('look', wards);
    const path = join(folder, 'dist/cli', caches()[0]);
    writeFileSync(path, `look\n${'nonsense'.repeat(1000)}`);
    expect(isomeric('look', wards)).toMatchObject({ code: 0, told: '' });
    expect(known()).toEqual(['look']);
    expect(readFileSync(path).length).toBeGreaterThan(100_000);
  });

  it('keeps it in the folder of caches where it cannot be written beside the command', () => {
    isomeric('look', wards);
    const path = join(folder, 'dist/cli', caches()[0]);
    rmSync(path);
    // Whoever may write everywhere is stopped by something of that name.
    mkdirSync(join(path, 'in-the-way'), { recursive: true });
    expect(isomeric('look', wards)).toMatchObject({ code: 0, told: '' });
    expect(known(join(folder, 'caches/isomeric'))).toEqual(['look']);
    expect(isomeric('look', wards)).toMatchObject({ code: 0, told: '' });
    expect(readdirSync(join(folder, 'dist/cli')).filter((name) => /\.cache\.\d+$/.test(name))).toEqual([]);
  });

  it('passes on exit codes and both streams', () => {
    expect(isomeric('look', 'missing.geojson')).toMatchObject({
      code: 3,
      out: '',
      told: expect.stringContaining('missing.geojson'),
    });
    expect(isomeric('--version').out.trim()).toBe(
      (JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as { version: string }).version,
    );
  });
});
