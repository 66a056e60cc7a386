/**
 * Breaks one thing at a time in a copy of the code and looks whether a test notices: `npm run mutate -- 20`,
 * `npm run mutate -- 20 core/geometry --seed 7`. What no test noticed is listed with its place; it wants a test, or is the same
 * as before. Nothing of the folder that it is started in is changed.
 */
import { spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root } from './setup.mjs';

const words = process.argv.slice(2);
const seedAt = words.indexOf('--seed');
const seed = seedAt < 0 ? Date.now() % 1e6 : Number(words.splice(seedAt, 2)[1]);
const count = Number(words[0] ?? 10);
const room = words[1] ?? 'core';

/** What is looked for in a line, and what stands in its place. */
const changes = [
  [/ < /g, ' <= '],
  [/ <= /g, ' < '],
  [/ > /g, ' >= '],
  [/ >= /g, ' > '],
  [/ === /g, ' !== '],
  [/ !== /g, ' === '],
  [/ && /g, ' || '],
  [/ \|\| /g, ' && '],
  [/ \+ /g, ' - '],
  [/ - /g, ' + '],
  [/ \* /g, ' / '],
  [/ \/ /g, ' * '],
  [/\btrue\b/g, 'false'],
  [/\bfalse\b/g, 'true'],
  [/\bMath\.min\b/g, 'Math.max'],
  [/\bMath\.max\b/g, 'Math.min'],
  [/\bcontinue;/g, ''],
  [/'error'/g, "'warning'"],
  [/\+\+/g, '--'],
  [/\b0\b(?!\.)/g, '1'],
  [/\b1\b(?!\.)/g, '2'],
];

/** mulberry32: the same seed breaks the same things. */
function random() {
  state = (state + 0x6d2b79f5) | 0;
  let t = Math.imul(state ^ (state >>> 15), 1 | state);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
}
let state = seed;
const any = (list) => list[Math.floor(random() * list.length)];

/** Places in a file that can be broken; words of people and types are left alone. */
function places(text) {
  const found = [];
  let at = 0;
  for (const line of text.split('\n')) {
    const code = line.replace(/\/\/.*$/, '');
    if (!/^\s*(\*|\/\*|import |export (type|\{|\*)|type |interface |throw )/.test(line) && !/[`"]/.test(code))
      for (const [pattern, by] of changes)
        for (const each of code.matchAll(pattern)) found.push({ at: at + each.index, was: each[0], by });
    at += line.length + 1;
  }
  return found;
}

/** Do the tests fail? A run that hangs fails too. */
function fails(...which) {
  const done = spawnSync(
    process.execPath,
    [join(root, 'node_modules/vitest/vitest.mjs'), ...which, '--bail', '1', '--reporter', 'dot'],
    {
      cwd: copy,
      encoding: 'utf8',
      timeout: which[0] === 'run' ? 180_000 : 600_000,
      env: { ...process.env, CI: 'true' },
    },
  );
  return done.status !== 0;
}

const copy = mkdtempSync(join(tmpdir(), 'isomeric-mutate-'));
try {
  for (const name of [
    'src',
    'tests',
    'stand-ins',
    'demo',
    'dist',
    'fonts',
    'scripts',
    'package.json',
    'vitest.config.ts',
  ])
    cpSync(join(root, name), join(copy, name), { recursive: true });
  for (const name of ['tsconfig.json', 'tsconfig.base.json']) cpSync(join(root, name), join(copy, name));
  symlinkSync(join(root, 'node_modules'), join(copy, 'node_modules'));
  const files = readdirSync(join(copy, 'src', room), { recursive: true })
    .filter((path) => path.endsWith('.ts') && !path.endsWith('.generated.ts') && !path.endsWith('index.ts'))
    .map((path) => join(copy, 'src', room, path))
    .sort();
  const weighted = files.flatMap((path) =>
    places(readFileSync(path, 'utf8')).map((place) => ({ path, ...place })),
  );
  console.log(
    `${weighted.length} places in ${files.length} files of ${room}; ${count} of them, seed ${seed}.`,
  );
  let missed = 0;
  for (let k = 0; k < count; k++) {
    const { path, at, was, by } = any(weighted);
    const text = readFileSync(path, 'utf8');
    writeFileSync(path, text.slice(0, at) + by + text.slice(at + was.length));
    // The tests of its own room first: they are few, and most is noticed there.
    const noticed = fails('run', `tests/${room.split('/')[0]}`) || fails('related', path, '--run');
    writeFileSync(path, text);
    if (!noticed) missed++;
    const line = text.slice(0, at).split('\n').length;
    console.log(
      `${noticed ? 'noticed' : 'MISSED '}  src${path.slice(join(copy, 'src').length)}:${line}  ${was.trim()} → ${by.trim() || 'nothing'}   ${text.split('\n')[line - 1].trim()}`,
    );
  }
  console.log(`Mutations: ${count - missed} of ${count} noticed.`);
} finally {
  rmSync(copy, { recursive: true, force: true });
}
