import { execFileSync, spawnSync } from 'node:child_process';
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { brought, bytesIn } from '../../scripts/brought.mjs';

const root = fileURLToPath(new URL('../..', import.meta.url));
const wards = join(root, 'demo/data/boundary-office/wards-2024.geojson');
const folder = mkdtempSync(join(tmpdir(), 'isomeric-package-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const run = (...args: string[]) => spawnSync(process.execPath, args, { cwd: folder, encoding: 'utf8' });
const installed = join(folder, 'node_modules/isomeric');

/** As a package manager lays it, without asking a registry: the packed files, and what they declare. */
beforeAll(() => {
  const packed = execFileSync('npm', ['pack', '--ignore-scripts', '--silent', '--pack-destination', folder], {
    cwd: root,
    encoding: 'utf8',
  }).trim();
  execFileSync('tar', ['xzf', packed], { cwd: folder });
  mkdirSync(join(folder, 'node_modules'));
  cpSync(join(folder, 'package'), installed, { recursive: true });
  for (const place of brought()) {
    mkdirSync(dirname(join(folder, place)), { recursive: true });
    cpSync(join(root, place), join(folder, place), { recursive: true });
  }
  writeFileSync(join(folder, 'package.json'), '{"type":"module","private":true}');
});

describe('the packed package', () => {
  it('brings no more than it uses', () => {
    expect(brought().length + 1).toBeLessThanOrEqual(60);
    expect(bytesIn(join(folder, 'node_modules')) / 1e6).toBeLessThan(32);
    expect(readdirSync(installed).sort()).toEqual([
      'CHANGELOG.md',
      'LICENSE',
      'README.md',
      'demo',
      'dist',
      'docs',
      'fonts',
      'man',
      'package.json',
      'stand-ins',
    ]);
  });

  it('looks at a file, and runs the whole demo', () => {
    const command = join(installed, 'dist/cli/main.js');
    const look = run(command, 'look', wards);
    expect(look.stderr).toBe('');
    expect(look.stdout).toContain('296 areas');
    const demo = run(command, 'demo', 'study');
    expect(demo.status, demo.stderr).toBe(0);
    // A map is drawn with the font that is in the package.
    expect(existsSync(join(folder, 'study/delivered/maps/at-risk.png'))).toBe(true);
    expect(existsSync(join(folder, 'study/delivered/report.html'))).toBe(true);
  });

  it.each([
    ['node16', 'node16'],
    ['esnext', 'bundler'],
  ])(
    'its types hold in a strict program (%s, %s) that checks libraries and knows no page',
    (module, resolution) => {
      for (const types of ['@types/node', 'undici-types'])
        cpSync(join(root, 'node_modules', types), join(folder, 'node_modules', types), { recursive: true });
      writeFileSync(
        join(folder, 'program.ts'),
        `import { areaOf, clip, countOf, join, type Layer, openLayer, openTable, prepare, reproject, save, where } from 'isomeric';
import { crsFromText } from 'isomeric/core';
import { openOne } from 'isomeric/node';
import { startStandIns } from 'isomeric/stand-ins';
import { runStudy } from 'isomeric/study';

const [, , path, other] = process.argv;
const wards = await prepare(
  openLayer(path),
  where("district = 'T204'"),
  join(openTable(other), 'code = area_code', { many: 'last' }),
  clip(areaOf(openLayer(path), "code = '020401'")),
  reproject('EPSG:32626'),
);
const { sentences } = await save(wards, 'wards.gpkg');
const some: number = await countOf(openLayer('wards.gpkg'));
console.log(some, sentences.length, crsFromText('EPSG:32626').name);
export type Kept = Layer;
export const all = [startStandIns, runStudy, openOne];
// @ts-expect-error: a count is a number
export const wrong: string = await countOf(wards);
`,
      );
      const tsc = join(root, 'node_modules/typescript/bin/tsc');
      const options = ['--strict', '--target', 'es2022', '--lib', 'es2023', '--types', 'node'];
      const done = run(tsc, ...options, '--module', module, '--moduleResolution', resolution, 'program.ts');
      expect(done.stdout).toBe('');
      expect(done.status).toBe(0);
      const program = run('program.js', wards, join(root, 'demo/data/statistics-office/HOUSING.csv'));
      expect(program.stderr).toBe('');
      expect(program.stdout.trim()).toBe('1 5 WGS 84 / UTM zone 26N');
    },
  );

  it.each([
    ['clip', 20],
    ['join', 20],
    ['reproject', 75],
  ])('a page that imports %s loads at most %d kB of it', (verb, most) => {
    const page = join(folder, verb);
    mkdirSync(page);
    writeFileSync(join(page, 'index.html'), '<script type="module" src="./main.js"></script>');
    writeFileSync(join(page, 'main.js'), `import { ${verb} } from 'isomeric';\nconsole.log(${verb});\n`);
    const done = run(join(root, 'node_modules/vite/bin/vite.js'), 'build', page, '--logLevel', 'error');
    expect(done.status, done.stderr).toBe(0);
    const [, first] = /src="\/assets\/([^"]+)"/.exec(readFileSync(join(page, 'dist/index.html'), 'utf8'))!;
    const packed = gzipSync(readFileSync(join(page, 'dist/assets', first))).length;
    expect(packed).toBeGreaterThan(1000);
    expect(packed / 1000).toBeLessThan(most);
  });
});
