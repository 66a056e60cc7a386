import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';

const root = fileURLToPath(new URL('../..', import.meta.url));
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
  });

  it('the code pages come out as they are committed', () => {
    const made = join(folder, 'pages.ts');
    execFileSync(process.execPath, [join(root, 'scripts/make-code-pages.mjs'), made], { stdio: 'ignore' });
    const committed = readFileSync(join(root, 'src/formats/bytes/code-pages.generated.ts'));
    expect(readFileSync(made).equals(committed)).toBe(true);
  });

  it('the CRS registry comes out as it is committed', () => {
    const made = join(folder, 'registry.ts');
    execFileSync(process.execPath, [tsx, join(root, 'scripts/make-registry.ts'), made], { stdio: 'ignore' });
    const committed = readFileSync(join(root, 'src/core/crs/registry.generated.ts'));
    expect(readFileSync(made).equals(committed)).toBe(true);
  });
});

describe('the pages of docs that are made', () => {
  it.each([
    ['verbs.md', [tsx, join(root, 'scripts/verbs-page.ts')]],
    ['codes.md', [join(root, 'scripts/codes-page.mjs')]],
    ['study-file.md', [tsx, join(root, 'scripts/study-page.ts')]],
  ])(
    '%s is as it is committed',
    (page, command) => {
      const made = join(folder, page);
      execFileSync(process.execPath, [...command, made], { stdio: 'pipe' });
      expect(readFileSync(made, 'utf8')).toBe(readFileSync(join(root, 'docs', page), 'utf8'));
    },
    60_000,
  );

  it('commands.md and the manual are as they are committed, and a manual that can be read', () => {
    const [page, manual] = [join(folder, 'commands.md'), join(folder, 'isomeric.1')];
    execFileSync(process.execPath, [tsx, join(root, 'scripts/commands-page.ts'), page, manual], {
      stdio: 'pipe',
    });
    expect(readFileSync(page, 'utf8')).toBe(readFileSync(join(root, 'docs/commands.md'), 'utf8'));
    expect(readFileSync(manual, 'utf8')).toBe(readFileSync(join(root, 'man/isomeric.1'), 'utf8'));
    // Plain text: what another program makes of the manual; it tells what it cannot read.
    const read = spawnSync('groff', ['-man', '-Tutf8', '-P-cbou', '-ww', manual], { encoding: 'utf8' });
    if (read.error === undefined) {
      expect(read.stderr).toBe('');
      expect(read.stdout).toContain('isomeric clip <in> [options]');
    }
  });
});

describe('the pictures', () => {
  it('every page of pictures is linked from the README, and there are fewer than twenty', () => {
    const shots = readdirSync(join(root, 'docs/screenshots'));
    const readme = readFileSync(join(root, 'README.md'), 'utf8');
    expect(shots.length).toBeLessThan(20);
    expect(shots.filter((name) => !readme.includes(name))).toEqual([]);
  });
});
