import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join as path } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import * as library from '../../src/index.ts';
import { loadStudy, studyJsonSchema } from '../../src/study/index.ts';
import { verbs } from '../../src/verbs/index.ts';
import { commandIn } from '../support/command.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const folder = mkdtempSync(path(tmpdir(), 'isomeric-verbs-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const isomeric = commandIn(folder);

/** A study with one step, as an example writes it. */
function studyWith(step: string): string {
  const indented = step
    .split('\n')
    .map((line) => `    ${line}`)
    .join('\n');
  return `study: One step
area: { box: { west: -30, south: 45, east: -29, north: 46 } }
crs: EPSG:32626
gather: { wards: { file: w.csv }, housing: { file: h.csv }, refuge_halls: { file: r.csv }, districts: { file: d.csv } }
prepare:
  wards:
${indented}
`;
}

interface JsonSchema {
  properties: Record<string, JsonSchema>;
  additionalProperties: JsonSchema;
  anyOf: JsonSchema[];
  items: JsonSchema;
  description: string;
}
const stepSchema = (
  studyJsonSchema() as unknown as JsonSchema
).properties.prepare.additionalProperties.anyOf.find((each) => each.items !== undefined)!.items;

describe.each(verbs.map((verb) => [verb.name, verb] as const))('%s', (name, verb) => {
  it('is a command whose help says what its description says', async () => {
    const { code, out } = await isomeric(name, '--help');
    expect(code).toBe(0);
    const told = out.replace(/\s+/g, ' ');
    expect(told).toContain(verb.words);
    for (const option of Object.values(verb.options))
      if (option.command !== false) expect(told).toContain(option.words.replace(/\s+/g, ' '));
    for (const option of ['--out <path>', '--layer <name>', '--from <crs>']) expect(told).toContain(option);
  });

  it('is a step of a study, described in the schema, with right examples; or no step at all', () => {
    if (!verb.inStudy) {
      expect(stepSchema.properties[name]).toBeUndefined();
      return;
    }
    expect(stepSchema.properties[name].description.toLowerCase()).toContain(verb.words.toLowerCase());
    for (const { study } of verb.examples) {
      if (study === undefined) continue;
      const [step] = loadStudy(studyWith(study!)).prepare.wards;
      expect(step.verb).toBe(name);
      for (const [option, described] of Object.entries(verb.options))
        if (described.required) expect(step.written[option]).toBeDefined();
    }
  });

  it('is a function of the library, and its examples make steps', async () => {
    expect(new Map(Object.entries(library)).get(name)).toBeInstanceOf(Function);
    const other = "openTable(new Blob(['code,area_code\\na,b\\n']))";
    for (const { program } of verb.examples) {
      const module = path(folder, `${name}.mjs`);
      writeFileSync(
        module,
        `export const make = ({ ${Object.keys(library).join(', ')} }) => {
  const housing = ${other}, wards = housing, halls = housing, districts = housing;
  const area = areaOf(openLayer(new Blob(['id,wkt\\n1,"POLYGON((0 0,1 0,1 1,0 0))"\\n'])));
  return ${program};
};
`,
      );
      const { make } = (await import(pathToFileURL(module).href)) as {
        make(from: typeof library): { name: string };
      };
      expect(make(library).name).toBe(name);
    }
  });

  it('has an example of a command that names it', () => {
    expect(verb.examples.length).toBeGreaterThan(0);
    for (const { command } of verb.examples) expect(command.startsWith(`isomeric ${name} `)).toBe(true);
  });
});

describe('a step of a study', () => {
  const mistakes: readonly (readonly [string, string, RegExp])[] = [
    ['of two verbs', '- where: a > 1\n  clip: area', /exactly one of where, compute, classify, join/],
    ['of none', '- on: a = b', /exactly one of/],
    ['without what its verb needs', '- join: housing', /join needs “on: …” beside it/],
    ['with what goes with another', '- clip: area\n  on: a = b', /“on” does not go with clip/],
    ['with an option within that is not there', '- widen: { by: [a], valeu: b }', /valeu|value/],
    ['with a word that is none', '- clip: area\n  keep: all', /keep/],
    ['that names no dataset', '- join: houses\n  on: a', /Did you mean “housing”|houses/],
    ['that counts no dataset', '- tally: hals', /hals/],
  ];
  it.each(mistakes)('%s is told with its line', (_, step, words) => {
    let raised: unknown;
    try {
      loadStudy(studyWith(step));
    } catch (error) {
      raised = error;
    }
    expect(raised).toBeInstanceOf(library.IsomericError);
    const error = raised as library.IsomericError;
    expect(error.sentence).toMatch(words);
    expect(error.place.line).toBeGreaterThanOrEqual(7);
  });
});

describe('a command of a verb', () => {
  const wards = path(root, 'demo/data/boundary-office/wards-2024.geojson');
  const mistakes: readonly (readonly [string, readonly string[], number, RegExp])[] = [
    ['without where to save', ['where', wards, 'true'], 2, /“isomeric where” needs --out <path>/],
    ['without its argument', ['where', wards, '--out', 'x.csv'], 2, /missing required argument 'condition'/],
    [
      'with a word that is none',
      ['join', wards, wards, '--on', 'code', '--repair', 'leading zero', '--out', 'x.csv'],
      2,
      /There is no key repair “leading zero”\. Did you mean “leading zeros”/,
    ],
    [
      'with a number that is none',
      ['reproject', wards, '--crs', 'EPSG:32626', '--edges', 'rhumb', '--within', '-1', '--out', 'x.csv'],
      2,
      /--within -1 is no number/,
    ],
    [
      'with a file that is not there',
      ['join', wards, 'missing.csv', '--on', 'code', '--out', 'x.csv'],
      3,
      /missing\.csv/,
    ],
    [
      'with a layer of the other file that is not there',
      ['tally', wards, wards, '--things', 'wads', '--out', 'x.csv'],
      2,
      /no layer “wads”.*wards/,
    ],
    [
      'with an area of nothing',
      ['clip', wards, '--area', wards, '--area-where', 'false', '--out', 'x.csv'],
      2,
      /No feature of wards is left to make the area of/,
    ],
  ];
  it.each(mistakes)('%s ends with words', async (_, args, code, words) => {
    const run = await isomeric(...args);
    expect(run.told).toMatch(words);
    expect(run.code).toBe(code);
  });

  it('is done to several layers at once, or to all', async () => {
    const extract = path(root, 'demo/data/map-extracts/teskaria-ombrey.zip');
    const districts = path(root, 'demo/data/boundary-office/districts-2024.geojson');
    const here = [
      '--from',
      path(root, 'demo/data/teskaria-grid.wkt'),
      '--area',
      districts,
      '--area-where',
      "code = 'T204'",
    ];
    const all = await isomeric('clip', extract, '--layer', 'all', ...here, '--out', 'all.gpkg');
    expect(all.code).toBe(0);
    for (const said of [
      'Clip: 161 roads in; 22 kept whole, 15 cut',
      'Clip: 5,686 buildings in',
      'Clip: 13 footbridges in',
    ])
      expect(all.out).toContain(said);
    expect((await isomeric('look', 'all.gpkg')).out).toContain('5 layers');
    const some = await isomeric('clip', extract, '--layer', 'roads, waterways', ...here, '--out', 'some.csv');
    expect(some.out).toContain('37 roads written to roads.csv');
    expect(some.out).toContain('3 waterways written to waterways.csv');
    expect(some.out).not.toContain('buildings');
    const wrong = await isomeric('clip', extract, '--layer', 'roads,rivers', ...here, '--out', 'no.gpkg');
    expect(wrong).toMatchObject({ code: 2, told: expect.stringContaining('There is no layer “rivers”') });
  });

  it('chooses layers of both files, renames columns, keeps whole', async () => {
    const districts = path(root, 'demo/data/boundary-office/districts-2024.geojson');
    await isomeric('save', wards, districts, '--out', 'two.gpkg');
    const counted = await isomeric(
      ...['tally', 'two.gpkg', 'two.gpkg', '--things', 'wards', '--layer', 'districts', '--as', 'parts'],
      ...['--title', 'Parts', '--out', 'parts.csv'],
    );
    expect(counted.out).toMatch(/^Tally: 15 districts in; \d+ wards inside/);
    const short = await isomeric('select', 'parts.csv', 'code, parts = parts_count', '--out', 'short.csv');
    expect(short.out).toMatch(/2 of \d+ columns kept/);
    const whole = await isomeric(
      ...['clip', 'two.gpkg', '--layer', 'wards', '--area', 'two.gpkg', '--area-layer', 'districts'],
      ...['--area-where', "code = 'T204'", '--whole', '--out', 'whole.gpkg'],
    );
    expect(whole.out).toMatch(/^Clip: 296 wards in; 18 kept whole, 0 kept whole across the border/);
  });
});
