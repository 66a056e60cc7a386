import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { CatalogueIndex } from '../../src/core/catalogue/catalogue-index.ts';
import type { CatalogueEntry } from '../../src/core/catalogue/entry.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { lookIntoFile } from '../../src/node/look-file.ts';
import { studyIn } from '../../src/study/area-of-study.ts';
import { linesFor, withLines } from '../../src/study/catalogue/add.ts';
import { type Filled, type FillOptions, fillCatalogue } from '../../src/study/catalogue/fill.ts';
import { CatalogueStore } from '../../src/study/catalogue/store.ts';
import { type Mood, moods, offices, type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { commandIn } from '../support/command.ts';
import { demoEnvironment, demoFolder } from '../support/demo-study.ts';

let data: string;
let services: StandIns;
let mood: Mood = 'well';
const requests: string[] = [];
const folders: string[] = [];

beforeAll(async () => {
  data = mkdtempSync(join(tmpdir(), 'isomeric-catalogue-'));
  cpSync(join(demoFolder, 'data'), data, { recursive: true });
  services = await startStandIns({
    data,
    moods: Object.fromEntries(
      offices.map((office) => [office, () => (office === 'catalogue' ? mood : 'well')]),
    ),
    onRequest: (office, url) => requests.push(`${office} ${url}`),
  });
});
afterAll(async () => {
  await services.close();
  for (const folder of [data, ...folders]) rmSync(folder, { recursive: true, force: true });
});

const studyText = () => `# A study with words of its own
study: Looking around

area: # not far
  box: [-30, 45.4, -29.7, 45.6]
crs: EPSG:32626

sources:
  boundary: { kind: features, at: "${services.boundaryOffice.address}/" } # the office
  wfs: { kind: wfs, at: "${services.boundaryOffice.address}/wfs" }
  sdmx: { kind: sdmx, at: "${services.statisticsOffice.address}/sdmx/", agency: TSO }
  cubes: { kind: json-stat, at: "${services.statisticsOffice.address}/json-stat/" }
  regions: { kind: regions, at: "${services.mapExtracts.address}/regions.json" }
  desk: { kind: orders, at: "${services.orderDesk.address}/" }
  rows: { kind: rows, at: "${services.statisticsOffice.address}/rows/" }

catalogues:
  open-data: { kind: records, at: "${services.catalogue.address}/" }
  flat: { kind: dcat, at: "${services.catalogue.address}/dcat/flat" }
  nested: { kind: dcat, at: "${services.catalogue.address}/dcat/nested" }

gather:
  # what the maps are of
  wards: { from: boundary, vintage: 2024 }
`;

function studyFolder(text = studyText()): string {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-find-'));
  folders.push(folder);
  writeFileSync(join(folder, 'study.yaml'), text);
  return folder;
}

async function fill(
  folder: string,
  options: FillOptions = {},
): Promise<{ filled: Map<string, Filled>; store: CatalogueStore; index: CatalogueIndex }> {
  const machine = { ...nodeMachine(folder), environment: (name: string) => demoEnvironment[name] };
  const store = await CatalogueStore.load(machine);
  const study = await studyIn(machine);
  const filled = await fillCatalogue(study, machine, store, {
    patience: 3000,
    tries: 1,
    longestWait: 0,
    look: (file, before) => lookIntoFile(folder, file, before),
    ...options,
  });
  return {
    filled: new Map(filled.map((each) => [each.name, each])),
    store,
    index: new CatalogueIndex(store.entries()),
  };
}

describe('the catalogue of a study', () => {
  let folder: string;
  let made: Awaited<ReturnType<typeof fill>>;
  beforeAll(async () => {
    folder = studyFolder();
    made = await fill(folder);
  });

  it('lists every source, each in its own way', () => {
    const counts = Object.fromEntries(
      [...made.filled].map(([name, { outcome, count }]) => [name, `${outcome} ${count}`]),
    );
    expect(counts).toEqual({
      boundary: 'listed 4',
      wfs: 'listed 4',
      sdmx: 'listed 1',
      cubes: 'listed 2',
      regions: 'listed 2',
      desk: 'listed 2',
      rows: 'silent 0',
      'open-data': 'listed 430',
      flat: 'listed 110',
      nested: 'listed 110',
    });
    expect(made.filled.get('rows')!.words).toContain('does not say what it has');
  });

  it('reads flat and nested DCAT alike', () => {
    const bare = (name: string) => made.store.listOf(name).map((entry) => ({ ...entry, source: '' }));
    expect(bare('flat')).toEqual(bare('nested'));
    expect(made.store.listOf('flat')[0]).toMatchObject({
      id: 'HOUSING-2024',
      title: 'Households by floor and car 2024',
      themes: ['housing'],
      years: ['2024'],
      provider: 'Statistics Office of Teskaria',
      licence: 'Teskaria Open Statistics Licence 1 0',
      box: [-30.7, 45.2, -29.2, 46],
      updated: '2025-03-15',
    });
  });

  it('describes columns, levels, breakdowns and universe before anything is fetched', () => {
    expect(made.index.named('open-data/HOUSING-2004')).toMatchObject({
      levels: ['district'],
      universe: 'all households',
      breakdowns: ['floor', 'car'],
      series: 'HOUSING',
      holds: 'table',
    });
    expect(made.index.named('cubes/RESIDENTS')).toMatchObject({
      breakdowns: ['sex', 'age'],
      levels: ['ward'],
      years: ['2024'],
    });
    expect(made.index.named('boundary/wards')?.columns?.map(({ name }) => name)).toEqual([
      'code',
      'name',
      'district',
      'province',
      'vintage',
    ]);
    expect(made.index.named('wfs/districts')).toMatchObject({ holds: 'layer', levels: ['district'] });
    const ward = made.index.search({ facets: { level: ['ward'], year: ['2024'], holds: ['layer'] } });
    expect(ward.best.map((i) => made.index.entries[i].id)).toContain('wards');
  });

  it('says of dead ends why, and of regions what is below them', () => {
    const why = ['flood-plan', 'flood-portal', 'flood-survey', 'flood-pictures'].map(
      (id) => made.index.named(`open-data/${id}`)?.dead,
    );
    expect(why).toEqual([
      'it is a document',
      'it leads to a web page, not to data',
      'it names no way to get it',
      'it is a service of pictures',
    ]);
    expect(made.index.named('regions/teskaria')?.dead).toBe('it only holds others: teskaria/ombrey');
    expect(made.index.named('regions/teskaria/ombrey')?.description).toBe(
      'Nothing finer lies below this region.',
    );
  });

  it('is kept beside the study, and searched without asking anybody', async () => {
    requests.length = 0;
    const again = await fill(folder, { offline: true });
    expect(requests).toEqual([]);
    expect(again.index.entries.length).toBe(made.index.entries.length);
    expect(
      [...again.filled.values()].every(({ outcome }) => outcome === 'kept' || outcome === 'silent'),
    ).toBe(true);
  });

  it('asks again when its time is over, and lists anew only what has changed', async () => {
    const machine = {
      ...nodeMachine(folder),
      environment: (name: string) => demoEnvironment[name],
      now: () => new Date(Date.now() + 40 * 60_000).toISOString(),
    };
    const store = await CatalogueStore.load(machine);
    requests.length = 0;
    const filled = await fillCatalogue(await studyIn(machine), machine, store, { patience: 3000, tries: 1 });
    const outcome = Object.fromEntries(filled.map((each) => [each.name, each.outcome]));
    expect(outcome).toMatchObject({
      'open-data': 'unchanged',
      flat: 'unchanged',
      nested: 'unchanged',
      boundary: 'kept',
      sdmx: 'kept',
    });
    expect(requests.filter((url) => url.startsWith('catalogue'))).toHaveLength(3);
    expect(requests.some((url) => url.includes('token'))).toBe(false);
  });

  it('that is damaged is told with its line', async () => {
    const own = studyFolder();
    writeFileSync(join(own, 'catalogue.jsonl'), '{"kind":"source"\n');
    await expect(fill(own)).rejects.toMatchObject({ code: 'catalogue-damaged', place: { line: 1 } });
  });

  it('forgets sources that the study does not name any more', async () => {
    const own = studyFolder();
    await fill(own);
    writeFileSync(join(own, 'study.yaml'), studyText().replace(/ {2}flat:.*\n/, ''));
    const { store } = await fill(own, { offline: true });
    expect(store.listOf('flat')).toEqual([]);
    expect(store.listOf('nested').length).toBe(110);
  });
});

describe('bad days of the catalogue', () => {
  const bad = (Object.keys(moods) as Mood[]).filter((each) => each !== 'well');
  it.each(bad)('%s: the others are listed, and what was known stands', async (each) => {
    const folder = studyFolder(
      studyText()
        .replace(/ {2}(wfs|sdmx|desk|regions|rows|nested):.*\n/g, '')
        .replace('kind: dcat', 'kind: dcat'),
    );
    const { store: before } = await fill(folder);
    expect(before.listOf('open-data').length).toBe(430);
    mood = each;
    try {
      const { filled, store, index } = await fill(folder, { refresh: true, patience: 400 });
      expect(filled.get('boundary')!.outcome).toBe('listed');
      for (const name of ['open-data', 'flat']) {
        const own = filled.get(name)!;
        if (own.outcome === 'failed') {
          expect(own.words).toMatch(/could not be listed: .+ of before stand/);
          expect(store.states.get(name)?.trouble).toBeDefined();
        } else expect(own.outcome).toBe('listed');
        expect(store.listOf(name).length).toBeGreaterThan(0);
      }
      expect(index.search({ words: 'households' }).count).toBeGreaterThan(0);
    } finally {
      mood = 'well';
    }
  });
});

describe('a folder of files', () => {
  it('is looked into once, remembered by checksum, and looked into again when a file changes', async () => {
    const own = studyFolder(
      studyText().replace(/catalogues:[\s\S]*?\n\n/, 'catalogues:\n  mine: { kind: folder, at: papers }\n\n'),
    );
    mkdirSync(join(own, 'papers'));
    cpSync(join(demoFolder, 'data/statistics-office/HOUSING.csv'), join(own, 'papers/HOUSING.csv'));
    cpSync(
      join(demoFolder, 'data/boundary-office/wards-2024.geojson'),
      join(own, 'papers/wards-2024.geojson'),
    );
    writeFileSync(join(own, 'papers/broken.geojson'), '{"type":"FeatureCollection","features":[{');
    writeFileSync(join(own, 'papers/notes.md'), 'nothing');
    const seen: string[] = [];
    const look: FillOptions['look'] = async (file, before) => {
      const found = await lookIntoFile(own, file, before);
      seen.push(`${file} ${found === before ? 'remembered' : 'read'}`);
      return found;
    };
    const { store } = await fill(own, { look });
    expect(seen).toEqual([
      'papers/HOUSING.csv read',
      'papers/broken.geojson read',
      'papers/wards-2024.geojson read',
    ]);
    const byId = new Map(store.listOf('mine').map((each) => [each.id, each]));
    expect(byId.get('HOUSING.csv')).toMatchObject({
      holds: 'table',
      rows: 296,
      ways: [{ dataset: { file: 'HOUSING.csv' } }],
    });
    expect(byId.get('wards-2024.geojson')).toMatchObject({
      holds: 'layer',
      features: 296,
      levels: ['ward'],
      years: ['2024'],
    });
    expect(byId.get('broken.geojson')?.dead).toBeDefined();
    seen.length = 0;
    const { store: again } = await fill(own, { look });
    expect(seen.every((each) => each.endsWith('remembered'))).toBe(true);
    expect(again.listOf('mine')).toEqual(store.listOf('mine'));
    writeFileSync(join(own, 'papers/HOUSING.csv'), 'code,a\n1,2\n');
    seen.length = 0;
    const { store: later } = await fill(own, { look });
    expect(seen).toContain('papers/HOUSING.csv read');
    expect(later.listOf('mine').find(({ id }) => id === 'HOUSING.csv')).toMatchObject({ rows: 1 });
  });
});

describe('lines for a study', () => {
  const table: CatalogueEntry = {
    source: 'open-data',
    id: 'X',
    title: 'Households by floor and car 2019',
    holds: 'table',
    years: ['2019'],
    provider: 'Statistics Office',
    ways: [
      {
        format: 'csv',
        source: { kind: 'files', at: 'https://office.example/files/' },
        dataset: { file: 'x.csv' },
      },
    ],
  };
  const lines = (text: string) => linesFor(table, parse(text) as Parameters<typeof linesFor>[1]);

  it('are put behind what is there; all else stays to the byte', () => {
    const text = studyText();
    const made = withLines(text, lines(text));
    const added = made.split('\n').filter((line) => !text.split('\n').includes(line));
    expect(added).toEqual([
      '  statistics_office: { kind: files, at: https://office.example/files/ }',
      '  households_by_floor_and_car_2019: { from: statistics_office, file: x.csv, vintage: 2019, citation: "Statistics Office (2019): Households by floor and car 2019." }',
    ]);
    for (const line of added) expect(made.split(`${line}\n`)).toHaveLength(2);
    expect(added.reduce((rest, line) => rest.replace(`${line}\n`, ''), made)).toBe(text);
    const parsed = parse(made) as { sources: Record<string, unknown>; gather: Record<string, unknown> };
    expect(Object.keys(parsed.sources).at(-1)).toBe('statistics_office');
    expect(Object.keys(parsed.gather).at(-1)).toBe('households_by_floor_and_car_2019');
  });

  it('use a source that is there already, and begin a part that is not', () => {
    const known = studyText().replace(
      'sources:\n',
      'sources:\n  papers: { kind: files, at: https://office.example/files }\n',
    );
    expect(lines(known).source).toMatchObject({ name: 'papers', known: true });
    const without =
      'study: A\narea: { box: [0, 0, 1, 1] }\ncrs: EPSG:32626\n\n# the data\ngather:\n  a: { file: a.geojson }';
    const made = withLines(without, linesFor(table, { sources: {}, gather: { a: {} } }));
    expect(made).toContain('sources:\n  statistics_office:');
    expect(made.indexOf('sources:')).toBeLessThan(made.indexOf('# the data'));
    expect(made).toMatch(/\n {2}a: \{ file: a.geojson \}\n {2}households_by/);
  });

  it('are refused for what is there under the name, and for what cannot be had', () => {
    const text = studyText();
    const own = lines(text);
    const twice = withLines(text, own);
    expect(() => withLines(twice, own)).toThrow(/has a dataset “households_by_floor_and_car_2019” already/);
    expect(() =>
      linesFor(
        { ...table, ways: [{ format: 'web page', dead: 'it leads to a web page, not to data' }] },
        { sources: {}, gather: {} },
      ),
    ).toThrow(/cannot be fetched: it leads to a web page/);
    expect(() => linesFor(table, { sources: {}, gather: {} }, 'gml')).toThrow(/does not come as gml/);
  });
});

describe('isomeric find', () => {
  it('finds, narrows, tells what stands in the way, compares, adds, and what was added is gathered', async () => {
    const folder = studyFolder();
    const isomeric = commandIn(folder, demoEnvironment);
    const found = await isomeric(
      'find',
      'households',
      'car',
      '--level',
      'wards',
      '--year',
      '2019-2024',
      '--most',
      '3',
    );
    expect(found.code).toBe(0);
    expect(found.out).toMatch(/^Find: \d+ entries of 448/);
    expect(found.out).toContain('[2024');
    expect(found.out).toContain('open-data/HOUSING-2024');
    expect(found.out).toContain('also flat/HOUSING-2024, nested/HOUSING-2024');
    const none = await isomeric('find', 'births', '--theme', 'housing', '--offline');
    expect(none.out).toContain('Without theme: 32.');
    expect(none.out).toContain('(but for theme: 32)');
    expect((await isomeric('find', 'x', '--year', '1850', '--offline')).told).toContain(
      'Nothing has the year “1850”',
    );
    expect((await isomeric('find', '--about', 'open-data/flood-plan', '--offline')).out).toContain(
      'dead end: it is a document',
    );
    const compared = await isomeric('find', '--compare', 'HOUSING', '--offline', '--json');
    expect((JSON.parse(compared.out) as { entries: unknown[] }).entries).toHaveLength(5);
    expect((await isomeric('find', '--add', 'open-data/HOUSING-2091', '.', '--offline')).told).toContain(
      'Did you mean “',
    );
    expect((await isomeric('find', '--add', 'open-data/flood-survey', '.', '--offline')).told).toContain(
      'it names no way to get it',
    );
    const added = await isomeric(
      'find',
      '--add',
      'open-data/HOUSING-2019',
      '.',
      '--as',
      'earlier',
      '--offline',
    );
    expect(added.out).toContain('is in study.yaml as earlier');
    expect(readFileSync(join(folder, 'study.yaml'), 'utf8')).toContain('# what the maps are of');
    const run = await isomeric('run', '.', '--only', 'gather');
    expect(run.out).toContain('Gather: earlier from statistics_office_of_teskaria; 1 file');
    const json = JSON.parse(
      (
        await isomeric(
          'find',
          'wards',
          '--holds',
          'layer',
          '--area',
          'point: [-29.9, 45.5], radius: 2 km',
          '--offline',
          '--json',
        )
      ).out,
    ) as { count: number; best: { name: string }[] };
    expect(json.count).toBeGreaterThan(1);
    expect(json.best.map(({ name }) => name)).toContain('boundary/wards');
  });

  it('and look tell what a service has, by its address alone', async () => {
    const isomeric = commandIn(studyFolder(), demoEnvironment);
    const kinds: Record<string, string> = {
      [`${services.boundaryOffice.address}/`]: 'features',
      [`${services.boundaryOffice.address}/wfs`]: 'wfs',
      [`${services.statisticsOffice.address}/sdmx/`]: 'sdmx',
      [`${services.statisticsOffice.address}/sdmx-2.1/`]: 'sdmx',
      [`${services.statisticsOffice.address}/json-stat/`]: 'json-stat',
      [`${services.mapExtracts.address}/regions.json`]: 'regions',
      [`${services.orderDesk.address}/`]: 'orders',
      [`${services.catalogue.address}/`]: 'records',
      [`${services.catalogue.address}/collections/open-data/items`]: 'records',
      [`${services.catalogue.address}/dcat/flat`]: 'dcat',
    };
    for (const [address, kind] of Object.entries(kinds)) {
      const { code, out, told } = await isomeric('look', address);
      expect(code, told).toBe(0);
      expect(out.split('\n')[0]).toContain(`a service of kind ${kind}`);
    }
    const file = await isomeric('look', `${services.statisticsOffice.address}/files/HOUSING.csv`);
    expect(file.out).toContain('296 rows');
  });
});
