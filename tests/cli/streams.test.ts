import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { command } from '../support/command.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-pipes-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const wards = readFileSync(
  fileURLToPath(new URL('../../demo/data/boundary-office/wards-2024.geojson', import.meta.url)),
);

/** A process of its own, with something piped in; its scratch is in a folder that can be looked at. */
function piped(input: Uint8Array | string, ...args: string[]) {
  const done = spawnSync(process.execPath, [command, ...args], {
    input,
    cwd: folder,
    env: { ...process.env, TMPDIR: folder, NO_COLOR: '1' },
    maxBuffer: 1e9,
  });
  return { code: done.status, out: done.stdout.toString('utf8'), told: done.stderr.toString('utf8') };
}

describe('standard streams', () => {
  it('are read and written in place of files, all words aside, and leave nothing behind', () => {
    const simple = piped(wards, 'simplify', '-', '--within', '100', '--out', '-');
    expect(simple.code).toBe(0);
    expect(simple.told).toMatch(/^Simplify: 296 /);
    expect((JSON.parse(simple.out) as { features: unknown[] }).features).toHaveLength(296);
    const districts = piped(
      simple.out,
      'dissolve',
      '-',
      'wards = count()',
      '--by',
      'district',
      '--out',
      '-.csv',
    );
    expect(districts.code).toBe(0);
    expect(districts.out.split('\n')[0].trim()).toBe('district,wards,wkt');
    expect(districts.out.trim().split('\n')).toHaveLength(16);
    const rows = piped(simple.out, 'rows', '-', '--limit', '2');
    expect(rows.out).toContain('2 of 296 rows.');
    const saved = piped(districts.out, 'save', '-', '--out', '-.geojsonl', '--from', 'EPSG:4326');
    expect(saved.out.trim().split('\n')).toHaveLength(15);
    expect(piped(wards, 'look', '-').out).toContain('296');
    expect(piped(simple.out, 'check', '-').out).toContain('295 valid, 1 not');
    expect(readdirSync(folder)).toEqual([]);
  }, 60_000);

  it('that hold nothing, or are asked for twice, are told', () => {
    expect(piped('', 'rows', '-')).toMatchObject({
      code: 3,
      told: expect.stringContaining('The file is empty'),
    });
    expect(piped(wards, 'clip', '-', '--area', '-', '--out', '-')).toMatchObject({
      code: 2,
      out: '',
      told: expect.stringContaining('Standard input can be read once only'),
    });
    expect(piped(wards, 'where', '-', 'TRUE', '--out', '-.nothing').code).toBe(2);
  }, 60_000);
});
