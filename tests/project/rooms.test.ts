import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';

const script = fileURLToPath(new URL('../../scripts/lint-rooms.mjs', import.meta.url));

describe('the arrows between the rooms', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'isomeric-rooms-'));
    writeFileSync(join(folder, 'package.json'), '{"name":"isomeric","dependencies":{"yaml":"1"}}');
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  function told(modules: Record<string, string>) {
    for (const [path, text] of Object.entries(modules)) {
      mkdirSync(dirname(join(folder, 'src', path)), { recursive: true });
      writeFileSync(join(folder, 'src', path), text);
    }
    const done = spawnSync(process.execPath, [script, folder], { encoding: 'utf8' });
    return { code: done.status, lines: done.stderr.trim().split('\n'), sum: done.stdout.trim() };
  }

  it('may run down, to declared packages, and between types in a circle', () => {
    expect(
      told({
        'core/a.ts':
          "import type { B } from './b.ts';\nexport const a = 'process.env and import of node:fs';\n",
        'core/b.ts': "import { a } from './a.ts';\nexport type B = typeof a;\n",
        'study/c.ts': "import { parse } from 'yaml';\nexport { a } from '../core/a.ts';\n",
        'node/d.ts': "import { readFile } from 'node:fs/promises';\nimport '../study/c.ts';\n",
      }),
    ).toMatchObject({ code: 0, sum: expect.stringMatching(/^Rooms: 4 modules, 3 imports; none upward/) });
  });

  it.each([
    [
      'upward',
      'core',
      "import {\n  x,\n} from '../cli/x.ts';",
      /src\/core\/m\.ts:3 {2}core imports cli\/x\.ts/,
    ],
    ['to the front door', 'core', "export * from '../index.ts';", /core imports index\.ts/],
    [
      'to a builtin with a path',
      'formats',
      "import 'node:fs/promises';",
      /formats imports node:fs\/promises/,
    ],
    ['to a builtin without its scheme', 'sources', "import 'timers/promises';", /imports timers\/promises/],
    ['when it is asked for later', 'study', "const f = await import('node:fs');", /study imports node:fs/],
    ['to a global of Node', 'study', "\nconst home = process.env['HOME'];", /m\.ts:2 {2}study uses process/],
    ['to bytes of Node', 'core', "const b = Buffer.from('a');", /core uses Buffer/],
    ['to itself by its name', 'formats', "import 'isomeric/node';", /imports the package itself/],
    ['to what nobody declared', 'cli', "import 'left-out/deep';", /left-out, which is no dependency/],
    ['to another name for what is above', 'study', "import '#stand-ins';", /study imports #stand-ins/],
    ['to a module that is gone', 'cli', "import './gone.ts';", /\.\/gone\.ts, which is not there/],
  ])('are refused %s', (_, room, text, words) => {
    const { code, lines } = told({
      [`${room}/m.ts`]: text,
      'cli/x.ts': '',
      'index.ts': '',
    });
    expect(code).toBe(1);
    expect(lines).toHaveLength(1);
    expect(lines[0]).toMatch(words);
  });

  it('are refused in a circle', () => {
    const { code, lines } = told({
      'core/a.ts': "import { b } from './b.ts';",
      'core/b.ts': "import { c } from './deep/c.ts';",
      'core/deep/c.ts': "import { a } from '../a.ts';",
    });
    expect(code).toBe(1);
    expect(lines).toEqual([expect.stringContaining('core/a.ts, core/b.ts, core/deep/c.ts')]);
  });
});
