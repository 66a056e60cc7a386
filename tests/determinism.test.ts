import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';

const root = fileURLToPath(new URL('..', import.meta.url));
const tsx = join(root, 'node_modules/tsx/dist/cli.mjs');
const folder = mkdtempSync(join(tmpdir(), 'isomeric-made-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

function files(of: string): string[] {
  return readdirSync(of, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => relative(of, join(entry.parentPath, entry.name)))
    .sort();
}

describe('what is generated', () => {
  it('the made-up country comes out byte for byte as it is committed, and is small', () => {
    execFileSync(process.execPath, [tsx, join(root, 'demo/generate.ts'), folder], { stdio: 'ignore' });
    const made = files(folder);
    expect(made).toEqual(files(join(root, 'demo/data')));
    let bytes = 0;
    for (const name of made) {
      expect(readFileSync(join(folder, name)).equals(readFileSync(join(root, 'demo/data', name))), name).toBe(
        true,
      );
      bytes += statSync(join(folder, name)).size;
    }
    expect(bytes).toBeLessThan(6_000_000);
  }, 60_000);

  it('the CRS registry comes out as it is committed', () => {
    const path = join(root, 'src/core/crs/registry.generated.ts');
    const committed = readFileSync(path);
    try {
      execFileSync(process.execPath, [tsx, join(root, 'scripts/make-registry.ts')], { stdio: 'ignore' });
      expect(readFileSync(path).equals(committed)).toBe(true);
    } finally {
      writeFileSync(path, committed);
    }
  }, 60_000);
});

describe('the rooms', () => {
  const imports = (folder_: string) =>
    files(join(root, 'src', folder_))
      .filter((name) => name.endsWith('.ts'))
      .flatMap((name) =>
        [...readFileSync(join(root, 'src', folder_, name), 'utf8').matchAll(/from '([^']+)'/g)].map(
          (found) => `${name}: ${found[1]}`,
        ),
      );

  it('core, formats, sources and study know nothing of Node', () => {
    for (const room of ['core', 'formats', 'sources', 'study'])
      expect(imports(room).filter((line) => /node:|\/node\//.test(line))).toEqual([]);
  });

  it('arrows go down only', () => {
    const above = {
      core: /\/(formats|sources|study|cli)\//,
      formats: /\/(sources|study|cli)\//,
      sources: /\/(study|cli)\//,
      study: /\/cli\//,
      node: /\/cli\//,
    };
    for (const [room, forbidden] of Object.entries(above)) {
      expect(
        imports(room).filter((line) => line.includes('../') && forbidden.test(line.split(': ')[1])),
        room,
      ).toEqual([]);
    }
  });

  it('the linter refuses an arrow that goes up', () => {
    const bad = join(root, 'src/core/forbidden-for-a-test.ts');
    writeFileSync(
      bad,
      "import { readFileSync } from 'node:fs';\nimport { openPath } from '../node/open.ts';\n\nexport const x = [readFileSync, openPath];\n",
    );
    try {
      expect(() =>
        execFileSync(join(root, 'node_modules/.bin/biome'), ['lint', bad], { cwd: root, stdio: 'pipe' }),
      ).toThrow(/core computes only/);
    } finally {
      rmSync(bad);
    }
  });

  it('every page of pictures is linked from the README, and there are fewer than twenty', () => {
    const shots = readdirSync(join(root, 'docs/screenshots'));
    const readme = readFileSync(join(root, 'README.md'), 'utf8');
    expect(shots.length).toBeLessThan(20);
    expect(shots.filter((name) => !readme.includes(name))).toEqual([]);
  });
});
