import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import { codesChosen, periodOf } from '../../src/sources/choices.ts';
import { columnRequests } from '../../src/sources/rows/client.ts';
import { splitChoices } from '../../src/sources/sdmx/client.ts';
import { dataflowsOfJson, dataflowsOfXml } from '../../src/sources/sdmx/structure.ts';
import { type StatisticsOfficeOptions, statisticsOffice } from '../../stand-ins/src/index.ts';
import type { Service } from '../../stand-ins/src/service.ts';
import { demoEnvironment, demoFolder } from '../support/demo-study.ts';
import { StudyFolder } from '../support/study-folder.ts';

const folder = join(demoFolder, 'data/statistics-office');
const servers: Service[] = [];
const studies: StudyFolder[] = [];
afterEach(async () => {
  await Promise.all(servers.splice(0).map((each) => each.close()));
  for (const study of studies.splice(0)) study.end();
});

async function office(options: Partial<StatisticsOfficeOptions> = {}) {
  const asked: string[] = [];
  const server = statisticsOffice({
    folder,
    key: demoEnvironment.TESKARIA_KEY,
    onRequest: (url) => asked.push(decodeURIComponent(url)),
    ...options,
  });
  servers.push(server);
  return { address: await server.listen({ host: '127.0.0.1', port: 0 }), asked };
}

function study(source: string, gather: string): StudyFolder {
  const own = new StudyFolder().write(`sources:\n  office: ${source}\ngather:\n${gather}`);
  studies.push(own);
  return own;
}

/** Residents as the office's own table has them: ward, sex, age → figure. */
function truth(): Map<string, string> {
  const [, ...lines] = readFileSync(join(folder, 'RESIDENTS.csv'), 'utf8').trim().split('\n');
  return new Map(
    lines.map((line) => {
      const cells = line.split(',');
      const [ward, sex, age] = cells.slice(3, 6).map((cell) => cell.split(':')[0]);
      return [`${ward} ${sex} ${age}`, cells[7]];
    }),
  );
}

const residents = (own: StudyFolder) =>
  own.rows('residents').then((rows) =>
    rows.map((row) => ({
      key: [row.REF_AREA, row.SEX, row.AGE].map((cell) => String(cell).split(':')[0]).join(' '),
      value: row.OBS_VALUE === null ? '' : String(row.OBS_VALUE),
    })),
  );

describe('SDMX', () => {
  it.each([
    ['3.0', 'sdmx', 'csv'],
    ['3.0', 'sdmx', 'json'],
    ['2.1', 'sdmx-2.1', 'csv'],
    ['2.1', 'sdmx-2.1', 'json'],
    ['2.1', 'sdmx-2.1', 'xml'],
  ])(
    '%s at /%s/, answers in %s: the figures that were chosen, by code and by name',
    async (version, path, form) => {
      const { address, asked } = await office();
      const own = study(
        `{ kind: sdmx, at: "${address}/${path}/", agency: TSO, answers: ${form} }`,
        '  residents: { from: office, table: RESIDENTS, choose: { Sex: [women, M], AGE: "65 years and over" }, period: 2020 to 2024 }\n',
      );
      await own.gather();
      const all = truth();
      const wanted = [...all].filter(([key]) => / [FM] Y_GE65$/.test(key));
      const found = await residents(own);
      expect(wanted.length).toBe(74);
      expect(new Map(found.map(({ key, value }) => [key, value]))).toEqual(new Map(wanted));
      expect(own.files('gathered')).toContain(`gathered/office/residents/data-0001.${form}`);
      expect(own.said.join('\n')).toContain(
        `residents: “Residents by sex and age”, where Sex is Women or Men, Age is 65 years and over (SDMX ${version}).`,
      );
      expect(asked.at(-1)).toMatch(
        version === '3.0'
          ? /c\[SEX\]=F,M&c\[AGE\]=Y_GE65&c\[TIME_PERIOD\]=ge:2020\+le:2024/
          : /\/data\/TSO,RESIDENTS,1\.0\/\.F\+M\.Y_GE65\?startPeriod=2020&endPeriod=2024/,
      );
    },
  );

  it('keeps the structure beside the figures, so that codes get their names', async () => {
    for (const path of ['sdmx', 'sdmx-2.1']) {
      const { address } = await office();
      const own = study(
        `{ kind: sdmx, at: "${address}/${path}/", agency: TSO }`,
        '  residents: { from: office, table: RESIDENTS, choose: { SEX: F } }\n',
      );
      await own.gather();
      const table = await own.open('residents');
      expect(table.schema.find(({ name }) => name === 'AGE')?.title).toBe('Age');
      const { receipts } = await own.ledger();
      expect([...receipts.values()].map(({ role }) => role).sort()).toEqual(['data', 'structure']);
      expect([...receipts.values()].find(({ role }) => role === 'data')!.citation).toBe(
        'TSO: Residents by sex and age (RESIDENTS, version 1.0).',
      );
    }
  });

  it('takes the form that the service gives', async () => {
    const { address } = await office({ sdmxForms: ['json'] });
    const own = study(
      `{ kind: sdmx, at: "${address}/sdmx/", agency: TSO }`,
      '  residents: { from: office, table: RESIDENTS, choose: { SEX: F, AGE: Y0T15 } }\n',
    );
    await own.gather();
    expect(own.files('gathered').map((file) => file.slice(-4))).toContain('json');
    expect(own.said.join('\n')).toContain('the service does not give CSV; JSON is asked for');
    expect(await residents(own)).toHaveLength(37);
  });

  it('asks in pieces what does not go into one address', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1, maxLength: 3 }),
        fc.integer({ min: 60, max: 600 }),
        (sizes, longest) => {
          const chosen = new Map(
            sizes.map((size, d) => [`D${d}`, Array.from({ length: size }, (_, k) => `${d}C${k}`)]),
          );
          const parts = splitChoices(chosen, longest);
          // Together they are the same combinations, each once.
          const count = (of: ReadonlyMap<string, string[]>) =>
            [...of.values()].reduce((product, codes) => product * codes.length, 1);
          expect(parts.reduce((sum, part) => sum + count(part), 0)).toBe(count(chosen));
          for (const part of parts) {
            const length = [...part.values()].flat().reduce((sum, code) => sum + code.length + 1, 0);
            expect(length <= longest || [...part.values()].every((codes) => codes.length === 1)).toBe(true);
          }
        },
      ),
      { numRuns: 30 },
    );
  });

  it('tells what it does not know, with what there is', async () => {
    const { address } = await office();
    const source = `{ kind: sdmx, at: "${address}/sdmx/", agency: TSO }`;
    const failing = (gather: string) => study(source, gather).gather();
    await expect(failing('  residents: { from: office, table: RESIDENT }\n')).rejects.toMatchObject({
      code: 'table-unknown',
      advice: expect.stringContaining('RESIDENTS') as string,
    });
    await expect(
      failing('  residents: { from: office, table: RESIDENTS, choose: { SEX: Wumen } }\n'),
    ).rejects.toMatchObject({ code: 'choice-unknown', advice: expect.stringContaining('Women') as string });
    await expect(
      failing('  residents: { from: office, table: RESIDENTS, choose: { GENDER: F } }\n'),
    ).rejects.toMatchObject({ code: 'choice-unknown' });
    await expect(
      failing('  residents: { from: office, table: RESIDENTS, period: 1990 }\n'),
    ).rejects.toMatchObject({ code: 'source-missing' });
    await expect(
      failing('  residents: { from: office, table: RESIDENTS, period: long ago }\n'),
    ).rejects.toMatchObject({ code: 'period-unclear' });
  });

  it('reads structures of both versions alike', async () => {
    const { address } = await office();
    const get = async (path: string) =>
      new Uint8Array(await (await fetch(`${address}${path}`)).arrayBuffer());
    const xml = await dataflowsOfXml(
      await get('/sdmx-2.1/dataflow/TSO/RESIDENTS/latest?references=all'),
      'x',
    );
    const json = dataflowsOfJson(
      JSON.parse(
        new TextDecoder().decode(await get('/sdmx/structure/dataflow/TSO/RESIDENTS/~?references=all')),
      ),
    );
    expect(xml).toEqual(json);
    expect(xml![0].dimensions.map(({ id, values }) => [id, values!.size])).toEqual([
      ['REF_AREA', 37],
      ['SEX', 3],
      ['AGE', 3],
    ]);
    expect(dataflowsOfJson({})).toBeNull();
    expect(await dataflowsOfXml(new TextEncoder().encode('<other/>'), 'x')).toBeNull();
  });
});

describe('JSON-stat', () => {
  it('finds a table by its name in the list, and asks for what is chosen', async () => {
    const { address, asked } = await office();
    for (const table of ['HOUSEHOLDS', 'Households by floor and car']) {
      const own = study(
        `{ kind: json-stat, at: "${address}/json-stat/" }`,
        `  cars: { from: office, table: "${table}", choose: { Kind of household: Households without a car, AREA: ["020405", Marhaven] }, period: 2024 }\n`,
      );
      await own.gather();
      const rows = await own.rows('cars');
      expect(rows).toHaveLength(2);
      const line = readFileSync(join(folder, 'HOUSING.csv'), 'utf8')
        .split('\n')
        .find((each) => each.startsWith('020401,'))!;
      expect(JSON.stringify(rows.find((row) => JSON.stringify(row).includes('020401')))).toContain(
        line.split(',')[4],
      );
    }
    expect(asked.at(-1)).toBe('/json-stat/HOUSEHOLDS?KIND=households_no_car&AREA=020405,020401&YEAR=2024');
  });

  it('counts the figures before they come, and tells an unknown table', async () => {
    const { address } = await office();
    const source = `{ kind: json-stat, at: "${address}/json-stat/" }`;
    const { estimates } = await study(
      source,
      '  cars: { from: office, table: HOUSEHOLDS, choose: { KIND: households } }\n',
    ).gather({ dry: true });
    expect(estimates![0].features).toBe(295);
    await expect(study(source, '  cars: { from: office, table: HOUSES }\n').gather()).rejects.toMatchObject({
      code: 'table-unknown',
      advice: expect.stringContaining('HOUSEHOLDS') as string,
    });
    await expect(
      study(
        `{ kind: json-stat, at: "${address}/rows/CARS" }`,
        '  cars: { from: office, table: X }\n',
      ).gather(),
    ).rejects.toMatchObject({ code: 'source-forbidden' });
  });
});

describe('rows with a key and a limit of columns', () => {
  const source = (address: string) =>
    `{ kind: rows, at: "${address}/rows/", key: { parameter: key, variable: TESKARIA_KEY }, key columns: [AREA], limits: { columns: 3 } }`;

  it('come in pieces, and are put together by their keys', async () => {
    const { address, asked } = await office();
    const own = study(
      source(address),
      '  cars: { from: office, table: CARS, columns: [CAR_001, CAR_002, CAR_003, CAR_004, CAR_005], choose: { level: ward } }\n  few: { same as: cars, where: CAR_001 < 300 }\n',
    );
    await own.gather();
    const rows = await own.rows('cars');
    expect(asked.filter((url) => url.startsWith('/rows/CARS'))).toHaveLength(3);
    expect(Object.keys(rows[0])).toEqual(['AREA', 'CAR_001', 'CAR_002', 'CAR_003', 'CAR_004', 'CAR_005']);
    expect(rows).toHaveLength(295);
    // Read again under another name, they are put together in the same way.
    const few = rows.filter((row) => Number(row.CAR_001) < 300);
    expect(few.length).toBeGreaterThan(2);
    expect(await own.rows('few')).toEqual(few);
    for (const row of rows)
      expect(Number(row.CAR_002) + Number(row.CAR_003) + Number(row.CAR_004)).toBe(Number(row.CAR_001));
    const text = JSON.stringify([...(await own.ledger()).receipts.values()]) + own.said.join('\n');
    expect(text).not.toContain(demoEnvironment.TESKARIA_KEY);
    expect(text).toContain('columns=AREA%2CCAR_001');
  });

  it('want the key', async () => {
    const { address } = await office();
    const own = study(source(address), '  cars: { from: office, table: CARS, columns: [CAR_001] }\n');
    own.environment = {};
    await expect(own.gather()).rejects.toMatchObject({ code: 'key-missing' });
    own.environment = { TESKARIA_KEY: 'wrong-key-4711' };
    const error = await own.gather().catch((each: unknown) => each as Error);
    expect(error).toMatchObject({ code: 'source-forbidden' });
    expect((error as Error).message).toContain('Ask the office for one');
    expect((error as Error).message).not.toContain('4711');
  });

  it('are split evenly with the key columns in each, or the mistake is told', () => {
    expect(columnRequests(['a', 'b', 'c', 'k'], ['k'], 3)).toEqual([
      ['k', 'a', 'b'],
      ['k', 'c'],
    ]);
    expect(columnRequests(['a', 'b'], [], undefined)).toEqual([['a', 'b']]);
    expect(() => columnRequests(['a', 'b', 'c'], ['k', 'l', 'm'], 3)).toThrow(/key columns alone/);
  });

  it('of several levels, with the geometry of their units: a result a level', async () => {
    const { address } = await office();
    const own = new StudyFolder();
    studies.push(own);
    const square = (code: string, x: number) =>
      `{"type":"Feature","properties":{"code":"${code}"},"geometry":{"type":"Polygon","coordinates":[[[${x},45.4],[${x + 0.1},45.4],[${x + 0.1},45.5],[${x},45.5],[${x},45.4]]]}}`;
    const { writeFileSync } = await import('node:fs');
    writeFileSync(
      join(own.folder, 'd.geojson'),
      `{"type":"FeatureCollection","features":[${square('T204', -30)}]}`,
    );
    writeFileSync(
      join(own.folder, 'w.geojson'),
      `{"type":"FeatureCollection","features":[${square('020401', -30)},${square('020405', -29.9)}]}`,
    );
    own.write(
      `sources:\n  office: ${source(address)}\ngather:\n  districts: { file: d.geojson }\n  wards: { file: w.geojson }\n  cars:\n    from: office\n    table: CARS\n    columns: [CAR_001, CAR_002]\n    levels:\n      districts: { units: districts, choose: { level: district } }\n      wards: { units: wards, choose: { level: ward } }\n    on: code = AREA\nprepare:\n  cars: [compute: { share: 100 * CAR_002 / CAR_001 }]\n`,
    );
    await own.gather({ only: undefined });
    const opened = await own.machine().open('prepared/layers.gpkg');
    expect(opened.map(({ table }) => table.name)).toEqual(['cars_districts', 'cars_wards']);
    expect(opened.map(({ table }) => table.count)).toEqual([1, 2]);
    for (const { table } of opened) {
      expect(table.schema.map(({ name }) => name)).toContain('share');
      expect('crs' in table).toBe(true);
    }
  });
});

describe('choices', () => {
  const dimensions = [
    {
      id: 'SEX',
      name: 'Sex',
      values: new Map([
        ['F', 'Women'],
        ['M', 'Men'],
        ['N', 'Men'],
      ]),
    },
    { id: 'FREE', name: 'Free', values: null },
  ];
  it('are found by code before name, and told when unclear', () => {
    expect(codesChosen({ sex: ['F', 'f', 'women'], Free: ['x'] }, dimensions, 't')).toEqual(
      new Map([
        ['SEX', ['F']],
        ['FREE', ['x']],
      ]),
    );
    expect(() => codesChosen({ SEX: ['men'] }, dimensions, 't')).toThrow(/what several values/);
  });
  it('periods are one or a span', () => {
    expect(periodOf('2024')).toEqual({ from: '2024', to: '2024' });
    expect(periodOf('2019-Q1 to 2024-Q4')).toEqual({ from: '2019-Q1', to: '2024-Q4' });
    expect(() => periodOf('since 2019')).toThrow(/no period/);
  });
});
