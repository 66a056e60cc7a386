import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { topics } from '../../src/cli/topics.ts';
import { parseExpression } from '../../src/core/table/cql2/parse.ts';
import { commandIn } from '../support/command.ts';
import { housingText, wardsText } from '../support/own-study.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-help-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const isomeric = (...args: string[]) => commandIn(folder)(...args);

describe('help', () => {
  it('lists commands and topics, and explains each', async () => {
    const { out } = await isomeric('help');
    for (const name of ['run', 'clip', 'completion', ...Object.keys(topics)])
      expect(out).toMatch(new RegExp(`^  ${name} `, 'm'));
    for (const [name, { title }] of Object.entries(topics)) {
      const topic = await isomeric('help', name);
      expect(topic.out).toContain(title);
      for (const line of topic.out.split('\n')) expect(line.length, line).toBeLessThanOrEqual(104);
    }
    expect((await isomeric('help', 'clip')).out).toContain('Usage: isomeric clip');
    expect((await isomeric('help', 'filtres')).told).toMatch(/Did you mean “filters”/);
  });

  it('shows filters that can be read', () => {
    const shown = topics.filters.text
      .split('\n')
      .flatMap((line) => /^(\S.*?)(?: {2,}|$)/.exec(line)?.[1] ?? [])
      .filter((text) => /[=<>(]/.test(text) && !/^(\+|On a)/.test(text));
    expect(shown.length).toBeGreaterThan(6);
    for (const text of shown)
      expect(() => parseExpression(text.replace(/ texts in.*/, '')), text).not.toThrow();
  });
});

describe('completion', () => {
  const complete = (script: string, ...words: string[]) =>
    execFileSync('/bin/bash', [
      '-c',
      `${script}\nCOMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _isomeric; printf '%s\\n' "\${COMPREPLY[@]}"`,
      '-',
      ...words,
    ])
      .toString()
      .trim()
      .split('\n');

  it('in bash completes commands, their options, topics and files', async () => {
    const { out } = await isomeric('completion', 'bash');
    expect(complete(out, 'isomeric', 'loo')).toEqual(['look']);
    expect(complete(out, 'isomeric', 'clip', '--ar')).toEqual(['--area', '--area-layer', '--area-where']);
    expect(complete(out, 'isomeric', 'help', 'exit')).toEqual(['exit-codes']);
    expect(complete(out, 'isomeric', 'completion', 'f')).toEqual(['fish']);
    expect(complete(out, 'isomeric', 'look', '/etc/host').some((each) => each === '/etc/hosts')).toBe(true);
  });

  it('has all commands for zsh and fish', async () => {
    const names = [...(await isomeric('help')).out.matchAll(/^ {2}([a-z]+) (?:\[|<)/gm)].map(
      ([, name]) => name,
    );
    expect(names.length).toBeGreaterThan(25);
    const [zsh, fish] = [await isomeric('completion', 'zsh'), await isomeric('completion', 'fish')];
    for (const name of names) {
      expect(zsh.out).toContain(`'${name}:`);
      expect(fish.out).toContain(`-a ${name} -d`);
    }
    expect((await isomeric('completion', 'tcsh')).told).toMatch(/There is: bash, zsh, fish/);
  });
});

describe('messages that cure', () => {
  it('a filter that meets nothing says what is near', async () => {
    writeFileSync(join(folder, 'wards.geojson'), wardsText);
    writeFileSync(join(folder, 'housing.csv'), housingText);
    const where = async (condition: string) =>
      (await isomeric('where', 'wards.geojson', condition, '--out', 'some.geojson', '--replace')).out;
    expect(await where("name = 'Mil Yard'")).toContain(
      "warning wards: “name = 'Mil Yard'” is true for none of 4 wards; nearest to “Mil Yard” in name: “Mill Yard”.",
    );
    expect(await where("code IN ('201', 'X')")).toContain('code is for example “0201”, “0202”, “0203”');
    expect(await where("name = 'Old Town'")).not.toContain('true for none');
    const area = ['--area', 'wards.geojson', '--area-where', "name = 'Old Twn'", '--out', 'x.geojson'];
    expect((await isomeric('clip', 'wards.geojson', ...area)).told).toMatch(
      /No feature of wards is left.*true for none of 4 wards; nearest to “Old Twn” in name: “Old Town”/,
    );
  });

  it('codes that came as numbers are compared as such', async () => {
    writeFileSync(join(folder, 'lost.csv'), 'ward,n\n201,4\n202,5\n');
    expect((await isomeric('rows', 'lost.csv', '--where', "ward = '0201'")).told).toMatch(
      /The column came as numbers: write 201 without quotes, since the zeros in front are lost in it/,
    );
  });

  it('the services of the demo that are not up are told by the command that starts them', async () => {
    writeFileSync(
      join(folder, 'study.yaml'),
      'study: A\narea: { layer: wards }\ncrs: best\nsources: { office: { kind: features, at: "http://127.0.0.1:47819/" } }\ngather: { wards: { from: office } }\n',
    );
    const done = await isomeric('run', join(folder, 'study.yaml'));
    expect(done.code).toBe(3);
    expect(done.told).toMatch(/“isomeric demo FOLDER” starts them/);
    expect(done.told).toMatch(/study\.yaml, line 4, column \d+/);
  });
});

it('a join that meets nothing saves nothing, unless that is expected: then it ends with 1', async () => {
  writeFileSync(join(folder, 'units.geojson'), wardsText);
  writeFileSync(join(folder, 'other.csv'), 'code,n\nX1,4\nX2,5\n');
  const words = ['join', 'units.geojson', 'other.csv', '--on', 'code', '--out', 'none.gpkg'];
  const refused = await isomeric(...words);
  expect(refused.code).toBe(2);
  expect(refused.told).toMatch(/^Stopped: .*None of 4 features of units found a row in other by code/);
  expect(existsSync(join(folder, 'none.gpkg'))).toBe(false);
  const { code, out } = await isomeric(...words, '--at-least', '0');
  expect(code).toBe(1);
  expect(out).toContain('Join: 4 units in; 0 matched on code');
});
