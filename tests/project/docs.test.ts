import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import {
  cpSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { commandIn } from '../support/command.ts';
import { demoEnvironment } from '../support/demo-study.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const pages = readdirSync(join(root, 'docs')).filter(
  (name) => name.endsWith('.md') && name !== 'architecture.md',
);

/** The simulated services, in a process of their own: the commands are waited for without answering anybody. */
let services: ChildProcess;
let addresses: Record<string, string>;

beforeAll(async () => {
  services = spawn(process.execPath, [join(root, 'tests/support/stand-ins-child.mjs')], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const [line] = (await once(services.stdout!.setEncoding('utf8'), 'data')) as [string];
  addresses = JSON.parse(line) as Record<string, string>;
});
afterAll(() => {
  services.kill();
});

/** A study of a page asks the services where they are in this test. */
const placed = (text: string) =>
  Object.entries(addresses).reduce((result, [usual, here]) => result.replaceAll(usual, here), text);

interface Example {
  language: string;
  text: string;
  line: number;
}

/** The fenced examples of a page. */
function examples(page: string): Example[] {
  const found: Example[] = [];
  let open: Example | null = null;
  readFileSync(join(root, 'docs', page), 'utf8')
    .split('\n')
    .forEach((line, k) => {
      if (!line.startsWith('```')) {
        if (open !== null) open.text += `${line}\n`;
      } else if (open === null) open = { language: line.slice(3).trim(), text: '', line: k + 1 };
      else {
        found.push(open);
        open = null;
      }
    });
  return found;
}

/** Places of a page that can be linked: headings as they are slugged, and those that are named. */
function anchorsOf(page: string): string[] {
  const text = readFileSync(join(root, 'docs', page), 'utf8');
  const headings = [...text.matchAll(/^#+ (.+)$/gm)].map(([, heading]) =>
    heading
      .toLowerCase()
      .replace(/[`’“”()]/g, '')
      .replace(/[^\p{L}\p{N}]+/gu, '-')
      .replace(/^-|-$/g, ''),
  );
  return [...headings, ...[...text.matchAll(/<a id="([^"]+)">/g)].map(([, id]) => id)];
}

/** The words of a command line; quotes hold blanks together. */
function words(line: string): string[] {
  return [...line.matchAll(/"([^"]*)"|'([^']*)'|(\S+)/g)].map((found) => found[1] ?? found[2] ?? found[3]);
}

/** Compiles all TypeScript of a page, strictly; each example becomes a program by the number of its line. */
function compile(page: string, folder: string): void {
  const programs = examples(page).filter(({ language }) => language === 'ts');
  if (programs.length === 0) return;
  for (const { text, line } of programs) writeFileSync(join(folder, `example-${line}.ts`), placed(text));
  const compiled = spawnSync(
    process.execPath,
    [
      join(root, 'node_modules/typescript/bin/tsc'),
      ...['--strict', '--target', 'es2022', '--lib', 'es2023', '--types', 'node'],
      ...['--module', 'nodenext', '--moduleResolution', 'nodenext'],
      ...programs.map(({ line }) => `example-${line}.ts`),
    ],
    { cwd: folder, encoding: 'utf8' },
  );
  expect(compiled.stdout, page).toBe('');
}

describe.each(pages)('docs/%s', (page) => {
  let folder: string;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'isomeric-docs-'));
    cpSync(join(root, 'demo/data'), join(folder, 'data'), { recursive: true });
    mkdirSync(join(folder, 'node_modules'));
    writeFileSync(join(folder, 'package.json'), '{"type":"module","private":true}');
    symlinkSync(root, join(folder, 'node_modules/isomeric'));
    symlinkSync(join(root, 'node_modules/@types'), join(folder, 'node_modules/@types'));
  });
  afterAll(() => rmSync(folder, { recursive: true, force: true }));

  it('its commands run and say what it says', async () => {
    const isomeric = commandIn(folder, demoEnvironment);
    compile(page, folder);
    let output = '';
    for (const { language, text, line } of examples(page)) {
      if (language === 'sh') {
        output = '';
        for (const command of text.trim().split('\n')) {
          const expected = Number(/# ends with (\d)$/.exec(command)?.[1] ?? 0);
          const [program, ...args] = words(placed(command).replace(/ # ends with \d$/, ''));
          expect(program).toBe('isomeric');
          const { code, out, told } = await isomeric(...args);
          expect(code, `${page}, line ${line}: ${command}\n${told}`).toBe(expected);
          output += out + told;
        }
      } else if (language === 'js') {
        writeFileSync(join(folder, 'example.mjs'), placed(text));
        const done = spawnSync(process.execPath, ['example.mjs'], { cwd: folder, encoding: 'utf8' });
        expect(done.stderr).toBe('');
        output = done.stdout;
      } else if (language === 'ts') {
        const done = spawnSync(process.execPath, [`example-${line}.js`], { cwd: folder, encoding: 'utf8' });
        expect(done.stderr).toBe('');
        output = done.stdout;
      } else if (language.startsWith('yaml ')) {
        const path = join(folder, language.slice(5));
        mkdirSync(dirname(path), { recursive: true });
        writeFileSync(path, placed(text));
      } else if (language === 'text') {
        for (const wanted of text.trim().split('\n'))
          expect(output, `${page}, line ${line}`).toContain(wanted.trim());
      }
    }
  });

  it('its links lead to files that are there', () => {
    const text = readFileSync(join(root, 'docs', page), 'utf8');
    for (const [, target] of text.matchAll(/\]\(([^)#:]+)\)/g))
      expect(() => readFileSync(join(root, 'docs', target))).not.toThrow();
    for (const [, target, anchor] of text.matchAll(/\]\(([^)#:]*)#([^)]+)\)/g)) {
      const other = target === '' ? page : target;
      expect(anchorsOf(other), `${page} → ${other}#${anchor}`).toContain(anchor);
    }
  });
});
