import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import { nodeMachine } from '../../src/node/index.ts';
import { type RunOptions, runStudy, silentReporter } from '../../src/study/index.ts';
import { ownStudyFolder, ownStudyText, wardsText } from '../support/own-study.ts';

const folders: string[] = [];
afterEach(() => {
  for (const folder of folders.splice(0)) rmSync(folder, { recursive: true, force: true });
});

/** The study of two files without a map, which takes long to draw; with a second layer that rests on the first. */
const text = `${ownStudyText.slice(0, ownStudyText.indexOf('draw:'))}`
  .replace(
    'prepare:\n',
    'prepare:\n  centres:\n    - points: deep inside\n    - join: housing\n      on: code = area_code\n      columns: [households]\n',
  )
  .replace('gather:\n', 'gather:\n  centres: { same as: wards }\n');

function study(): string {
  const folder = ownStudyFolder(text);
  folders.push(folder);
  return folder;
}

/** Everything under a fixed clock, so that two folders can be held against each other. */
async function run(folder: string, options: RunOptions = {}) {
  const said: string[] = [];
  const say = (words: string) => void said.push(words);
  const machine = {
    ...nodeMachine(folder, { ...silentReporter, say, note: say }),
    now: () => '2026-06-01T12:00:00.000Z',
  };
  const result = await runStudy(machine, options);
  return { result, said };
}

function files(folder: string, under: readonly string[]): Map<string, string> {
  const found = new Map<string, string>();
  for (const each of under)
    for (const entry of readdirSync(join(folder, each), { recursive: true, withFileTypes: true }))
      if (entry.isFile()) {
        const path = join(entry.parentPath, entry.name);
        found.set(relative(folder, path), readFileSync(path).toString('base64'));
      }
  found.delete('prepared/changes.json');
  return found;
}

/** The code of the error that a run ends in; null where it does not. */
const ending = (folder: string): Promise<string | null> =>
  run(folder).then(
    () => null,
    (error: { code: string }) => error.code,
  );

/** The same inputs in a folder of their own, run from nothing. */
async function fromNothing(folder: string): Promise<{ code: string | null; files: Map<string, string> }> {
  const other = mkdtempSync(join(tmpdir(), 'isomeric-anew-'));
  folders.push(other);
  for (const name of ['study.yaml', 'wards.geojson', 'housing.csv'])
    cpSync(join(folder, name), join(other, name));
  const code = await ending(other);
  return { code, files: code === null ? files(other, ['delivered', 'prepared']) : new Map<string, string>() };
}

const edit = (folder: string, file: string, change: (before: string) => string) =>
  writeFileSync(join(folder, file), change(readFileSync(join(folder, file), 'utf8')));

describe('a study that is run again', () => {
  it('leaves everything as it lies where nothing changed', async () => {
    const folder = study();
    await run(folder);
    const before = files(folder, ['delivered', 'prepared']);
    const times = [...before.keys()].map((path) => statSync(join(folder, path)).mtimeMs);
    const { result, said } = await run(folder);
    expect(result.unchanged).toBe(true);
    expect(said.join('\n')).toContain(
      'Prepare: all 2 layers rest on what they rested on before, and are kept.',
    );
    expect(said.join('\n')).toMatch(
      /Deliver: nothing changed since 2026-06-01 12:00 UTC; the \d+ files in delivered\/ stay/,
    );
    expect([...before.keys()].map((path) => statSync(join(folder, path)).mtimeMs)).toEqual(times);
    expect(result.findings.length).toBeGreaterThan(0);
  });

  it('makes anew only what rests on the change, and says why', async () => {
    const folder = study();
    await run(folder);
    edit(folder, 'study.yaml', (before) =>
      before.replace('share(no_car, households)', 'share(no_car, households) / 100'),
    );
    const steps = await run(folder);
    expect(steps.said).toContain('Prepare: 1 layer is made anew, 1 kept as it was.');
    expect(steps.said).toContain('wards: its steps changed from step 3 (compute) on.');
    edit(folder, 'housing.csv', (before) => before.replace('1200', '1300'));
    const data = await run(folder);
    expect(data.said).toContain('wards: the data of housing changed.');
    expect(data.said).toContain('centres: the data of housing changed.');
    edit(folder, 'study.yaml', (before) => `# only a word for people\n${before}`);
    expect((await run(folder)).result.unchanged).toBe(true);
  });

  it('tells the difference: features, shapes, figures, fields, findings', async () => {
    const folder = study();
    await run(folder);
    edit(folder, 'housing.csv', (before) =>
      before.replace('0201,1200,310', '0201,1200,620').replace('0202,840,95\n', ''),
    );
    edit(folder, 'wards.geojson', (before) =>
      before.replace('-29.7', '-29.71').replace('"Old Town"', '"New Town"'),
    );
    edit(folder, 'study.yaml', (before) =>
      before.replace("code: ['0201', '0202', '0203']", "code: ['0201', '0202', '0203', '0204']"),
    );
    const { result } = await run(folder);
    const wards = result.difference?.layers.find(({ layer }) => layer === 'wards');
    expect(wards).toMatchObject({
      state: 'changed',
      key: 'code',
      before: 3,
      after: 4,
      added: { count: 1, features: ['0204'] },
      gone: { count: 0 },
    });
    expect(wards?.altered?.features).toEqual(expect.arrayContaining(['0201', '0202', '0203']));
    expect(wards?.greatest?.[0]).toMatchObject({ feature: '0202', after: null });
    expect(wards?.greatest).toContainEqual({ feature: '0201', field: 'no_car', before: 310, after: 620 });
    expect(wards?.figures?.find(({ field }) => field === 'no_car')).toMatchObject({
      changed: 2,
      before: 865,
      after: 1200,
    });
    expect(result.difference?.findings.new.length).toBeGreaterThan(0);
    expect(JSON.parse(readFileSync(join(folder, 'prepared/changes.json'), 'utf8'))).toEqual(
      JSON.parse(JSON.stringify(result.difference)),
    );
    edit(folder, 'study.yaml', (before) =>
      before.replace('columns: [households, no_car]', 'columns: [households, no_car, x = no_car]'),
    );
    const fields = (await run(folder)).result.difference?.layers.find(
      ({ layer }) => layer === 'wards',
    )?.fields;
    expect(fields).toEqual([{ field: 'x', what: 'added', after: 'integer' }]);
  });

  it('does not look outside of its results, whatever a ledger says of them', async () => {
    const folder = study();
    await run(folder);
    edit(folder, 'ledger.jsonl', (before) =>
      before
        .replace('"delivered/findings.json",', '"delivered/findings.json","delivered/../../secret",')
        .replace('"sums":{', `"sums":{"delivered/../../secret":"${'0'.repeat(64)}",`),
    );
    const { result } = await run(folder);
    expect(result.unchanged).toBeUndefined();
    expect((await run(folder)).result.unchanged).toBe(true);
  });

  it('makes anew what somebody changed in the results', async () => {
    const folder = study();
    await run(folder);
    const wanted = files(folder, ['delivered', 'prepared']);
    writeFileSync(join(folder, 'delivered/citations.txt'), 'mine');
    expect((await run(folder)).result.unchanged).toBeUndefined();
    expect(files(folder, ['delivered', 'prepared'])).toEqual(wanted);
    writeFileSync(join(folder, 'prepared/layers.gpkg'), 'mine');
    const { said } = await run(folder);
    expect(said.join('\n')).toContain('Write: 3 wards written');
    expect(files(folder, ['delivered', 'prepared'])).toEqual(wanted);
  });

  it('gives, however inputs were edited, byte for byte what a run from nothing gives', async () => {
    const change = fc.constantFrom<(folder: string) => void>(
      (folder) =>
        edit(folder, 'housing.csv', (before) =>
          before.replace(/(\d+)(,\d+\n)$/, (_, a, b) => `${Number(a) + 7}${b}`),
        ),
      (folder) => edit(folder, 'housing.csv', (before) => `${before}0299,10,1\n`),
      (folder) =>
        edit(folder, 'housing.csv', (before) =>
          before
            .split('\n')
            .filter((_, k) => k !== 2)
            .join('\n'),
        ),
      (folder) =>
        edit(folder, 'wards.geojson', (before) =>
          before.replace(/-29\.8(\d*)/, (_, digits) => `-29.8${digits}1`),
        ),
      (folder) =>
        edit(folder, 'wards.geojson', (before) => before.replace(/"name":"([A-Z])/, '"name":"Upper $1')),
      (folder) => writeFileSync(join(folder, 'wards.geojson'), wardsText),
      (folder) =>
        edit(folder, 'study.yaml', (before) =>
          before.replace(
            /columns: \[households(, more_\d+ = households)?/,
            `columns: [households, more_${Math.floor(before.length)} = households`,
          ),
        ),
      (folder) =>
        edit(folder, 'study.yaml', (before) =>
          before.replace(/area_code\n {6}columns: \[households\]/, 'area_code\n      columns: [no_car]'),
        ),
      (folder) => edit(folder, 'study.yaml', (before) => before.replace("'0203']", "'0203', '0204']")),
      (folder) => edit(folder, 'study.yaml', (before) => before.replace('crs: EPSG:32626', 'crs: EPSG:3857')),
      (folder) =>
        edit(folder, 'study.yaml', (before) =>
          before.replace('title: Households without a car', 'title: No car'),
        ),
    );
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.array(change, { minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 3 }),
        async (rounds) => {
          const folder = study();
          await run(folder);
          for (const round of rounds) {
            for (const each of round) each(folder);
            // Some edits make a study that cannot be run; what was delivered before stays then.
            await ending(folder);
          }
          const wanted = await fromNothing(folder);
          expect(await ending(folder)).toBe(wanted.code);
          if (wanted.code === null) expect(files(folder, ['delivered', 'prepared'])).toEqual(wanted.files);
        },
      ),
      { numRuns: 10 },
    );
  }, 240_000);
});
