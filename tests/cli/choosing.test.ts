import { type ChildProcess, spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { command, commandIn } from '../support/command.ts';

let folder: string;
let started: ChildProcess | undefined;

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-choosing-'));
  mkdirSync(join(folder, 'tables'));
  writeFileSync(join(folder, 'tables', 'households.csv'), 'code,households\nD1,120\nD2,80\n');
  writeFileSync(join(folder, 'tables', 'dwellings.csv'), 'code,dwellings\nD1,140\n');
  writeFileSync(
    join(folder, 'study.yaml'),
    '# ours\nstudy: Looking around\n\narea: { box: [-30, 45.4, -29.7, 45.6] }\ncrs: EPSG:32626\n\ncatalogues:\n  own: { kind: folder, at: tables }\n',
  );
});
afterEach(() => {
  started?.kill('SIGKILL');
  rmSync(folder, { recursive: true, force: true });
});

/** The command on a terminal of its own, as a person has it. */
function onTerminal(columns: number, rows: number, ...args: string[]) {
  const line = [process.execPath, command, ...args].map((word) => `'${word}'`).join(' ');
  const child = spawn(
    'script',
    [
      '--quiet',
      '--flush',
      '--return',
      '--command',
      `stty cols ${columns} rows ${rows}; ${line}`,
      '/dev/null',
    ],
    { cwd: folder, env: { ...process.env, TERM: 'xterm-256color', NO_COLOR: '1' } },
  );
  started = child;
  let raw = '';
  child.stdout.on('data', (chunk) => {
    raw += chunk;
  });
  const ended = new Promise<number | null>((resolve) => child.on('close', resolve));
  return {
    ended,
    all: () => raw,
    /** What stands on the terminal since it was drawn last. */
    screen: () => stripVTControlCharacters(raw.slice(raw.lastIndexOf('\u001b[H'))),
    type: (text: string) => child.stdin.write(text),
  };
}
const soon = (test: () => void) => vi.waitFor(test, { timeout: 60_000, interval: 50 });

describe('a study that gathers nothing yet', () => {
  it('has an area, is looked around in, and takes what was found', async () => {
    const isomeric = commandIn(folder);
    expect((await isomeric('area', '.')).out).toContain('521.196 km²');
    expect(await isomeric('run', '.')).toMatchObject({
      code: 2,
      told: expect.stringContaining('The study gathers nothing yet. Look for data with “isomeric find”'),
    });
    expect((await isomeric('find', 'households')).out).toContain('own/households.csv');
    expect((await isomeric('find', '--add', 'own/households.csv', '.')).code).toBe(0);
    const study = readFileSync(join(folder, 'study.yaml'), 'utf8');
    expect(study.startsWith('# ours\n')).toBe(true);
    expect(study).toContain('\ngather:\n  households: { from: files, file: households.csv }\n');
    const { out, told } = await isomeric('run', '.');
    expect(out + told).toContain('Gather: households from files; 1 file, 29 bytes, received.');
  }, 60_000);
});

describe('find on a terminal', () => {
  it.each([
    [90, 24],
    [50, 12],
  ])(
    'is narrowed down and picked from with the keyboard, in %i × %i',
    async (columns, rows) => {
      const terminal = onTerminal(columns, rows, 'find');
      await soon(() => expect(terminal.screen()).toContain('dwellings'));
      await soon(() => expect(terminal.screen()).toContain('households'));
      terminal.type('househ');
      await soon(() => expect(terminal.screen()).toContain('Find househ'));
      expect(terminal.screen()).not.toContain('dwellings');
      terminal.type('\r');
      expect(await terminal.ended).toBe(0);
      // The screen before is back, with a cursor, and below it what was picked.
      const [, after] = terminal.all().split('\u001b[?1049l');
      expect(terminal.all()).toContain('\u001b[?25h');
      expect(stripVTControlCharacters(after)).toContain('households');
    },
    180_000,
  );

  it('is left without a choice, and the terminal is as before', async () => {
    const before = readFileSync(join(folder, 'study.yaml'), 'utf8');
    const terminal = onTerminal(90, 24, 'find', 'dwellings');
    await soon(() => expect(terminal.screen()).toContain('Find dwellings'));
    // Control and C.
    terminal.type('\u0003');
    await terminal.ended;
    expect(terminal.all()).toContain('\u001b[?25h\u001b[?1049l');
    expect(readFileSync(join(folder, 'study.yaml'), 'utf8')).toBe(before);
  }, 180_000);
});
