import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { shareWithinBox } from '../../src/core/geometry/box-share.ts';
import { planarArea } from '../../src/core/geometry/measures.ts';
import { AreaIndex, inMemory } from '../../src/core/index.ts';
import { clipLayer } from '../../src/core/layer/verbs/clip.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { Ledger, runStudy } from '../../src/study/index.ts';
import { gapByChance } from '../../src/study/preparing/coverage.ts';
import { commandIn } from '../support/command.ts';
import { layerFrom, polygons } from '../support/layers-made.ts';
import { ownStudyFolder, ownStudyText } from '../support/own-study.ts';

let folder: string;
beforeEach(() => {
  folder = ownStudyFolder();
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const write = (path: string, text: string) => writeFileSync(join(folder, path), text);
const read = (path: string) => readFileSync(join(folder, path), 'utf8');
const study = (...changes: [from: string, to: string][]) =>
  write(
    'study.yaml',
    changes.reduce((text, [from, to]) => {
      expect(text).toContain(from);
      return text.replace(from, to);
    }, ownStudyText),
  );
const run = () => runStudy(nodeMachine(folder));
const isomeric = (...args: string[]) => commandIn(folder)(...args);

/** Short roads, `count` of them strewn over a part of the area by a rule that fills it evenly. */
function roads(count: number, west: number, east: number): string {
  const golden = 0.618033988749895;
  const lines = Array.from({ length: count }, (_, k) => {
    const x = west + ((k + 0.5) / count) * (east - west);
    const y = 45.5 + 0.2 * ((k * golden) % 1);
    return `{"type":"Feature","properties":{"n":${k}},"geometry":{"type":"LineString","coordinates":[[${x},${y}],[${x + 0.002},${y + 0.002}]]}}`;
  });
  return `{"type":"FeatureCollection","features":[${lines.join(',')}]}`;
}

const withRoads: [string, string][] = [
  ['  housing:\n', '  roads:\n    file: roads.geojson\n  housing:\n'],
  ['prepare:\n', 'prepare:\n  roads:\n    - clip: area\n'],
  ['over: []', 'over: [roads]'],
  ["['0201', '0202', '0203']", "['0201', '0202', '0203', '0204']"],
];

describe('a layer that ends within the area', () => {
  it('is told with its share, on the map too', async () => {
    study(...withRoads);
    write('roads.geojson', roads(60, -29.9, -29.8));
    const { findings } = await run();
    const [found] = findings.filter(({ code }) => code === 'source-ends');
    expect(found).toMatchObject({ layer: 'roads', severity: 'warning' });
    expect(found.words).toMatch(/it reaches 5\d % of it, and nothing lies in the east\./);
    expect(read('delivered/maps/cars.svg').replace(/<[^>]*>\s*/g, ' ')).toContain(
      'What was gathered of roads ends within the study area',
    );
  });

  it('is none when it reaches everywhere, or when so few things tell nothing', async () => {
    study(...withRoads);
    for (const [count, east] of [
      [60, -29.7],
      [6, -29.8],
    ]) {
      write('roads.geojson', roads(count, -29.9, east));
      const { findings } = await run();
      expect(findings.map(({ code }) => code)).not.toContain('source-ends');
    }
  });

  it('is measured rightly: the share within a box is what clipping by that box leaves', async () => {
    const side = fc.double({ min: -20, max: 20, noNaN: true });
    await fc.assert(
      fc.asyncProperty(side, side, side, side, async (a, b, c, d) => {
        fc.pre(Math.abs(a - c) > 0.01 && Math.abs(b - d) > 0.01);
        const box = [Math.min(a, c), Math.min(b, d), Math.max(a, c), Math.max(b, d)] as const;
        const areas = polygons([
          [
            [
              [-10, -8],
              [12, -10],
              [4, 1],
              [9, 9],
              [-3, 6],
              [-10, -8],
            ],
            [
              [-2, -4],
              [2, -4],
              [2, 0],
              [-2, -4],
            ],
          ],
        ]);
        const [w, s, e, n] = box;
        const square = new AreaIndex(
          polygons([
            [
              [
                [w, s],
                [e, s],
                [e, n],
                [w, n],
                [w, s],
              ],
            ],
          ]),
        );
        const share = shareWithinBox(areas, [w, s, e, n]);
        const clipped = await inMemory(clipLayer(layerFrom(areas), square));
        let left = 0;
        for await (const batch of clipped.batches())
          for (let i = 0; i < batch.length; i++) left += planarArea(batch.geometry!, i);
        expect(share).toBeCloseTo(left / planarArea(areas, 0), 9);
      }),
      { numRuns: 60 },
    );
  });

  it('chance alone leaves as much as the formula says', () => {
    let state = 7;
    const random = () => {
      state = (state * 48271) % 2147483647;
      return state / 2147483647;
    };
    const count = 30;
    let gaps = 0;
    for (let times = 0; times < 2000; times++) {
      const [xs, ys] = [0, 1].map(() => Array.from({ length: count }, random));
      gaps += 1 - (Math.max(...xs) - Math.min(...xs)) * (Math.max(...ys) - Math.min(...ys));
    }
    expect(gaps / 2000).toBeCloseTo(gapByChance(count), 2);
  });
});

describe('a map', () => {
  it('on which nothing has a colour is an error, with its place, the reason and what would help', async () => {
    write('housing.csv', read('housing.csv').replace(/^02/gm, '2'));
    // The join stops it, with the step.
    const stopped = await isomeric('run', '.');
    expect(stopped.code).toBe(2);
    expect(stopped.told).toMatch(
      /^Stopped: study\.yaml, line \d+, column \d+, layer wards, step \d: None of 3 features of wards found a row in housing .*With “leading zeros to 4” 3 keys match in place of 0/,
    );
    // Told that so few are expected, it goes on until there is nothing to draw.
    write(
      'study.yaml',
      read('study.yaml').replace('on: code = area_code', 'on: code = area_code\n      at least: 0'),
    );
    const done = await isomeric('run', '.');
    expect(done.code).toBe(3);
    expect(done.told).toMatch(
      /^Stopped: study\.yaml, line 45, column 16: The map cars would be blank: no wards has a colour, 3 blank \(0201, 0202, 0203 without a row in housing\)\./,
    );
    expect(done.told).toMatch(
      /3 of 3 wards found no row in housing .*Repair: join with “repair: leading zeros to 4”/,
    );
    expect(existsSync(join(folder, 'delivered'))).toBe(false);
  });

  it('says what was coloured and why the rest is blank', async () => {
    write('housing.csv', read('housing.csv').replace('0202,840,95', '0202,840,*'));
    const { out } = await isomeric('run', '.');
    expect(out).toContain(
      'Draw: cars; “Households without a car”, 2 of 3 wards coloured by no_car_share in 2 classes (3 quantile), 1 blank (0202 no_car suppressed).',
    );
  });

  it('of a layer with errors ends with 1, told last; unless it is said that it may', async () => {
    write('housing.csv', read('housing.csv').replace('0203,1510,460', '0203,460,1510'));
    const done = await isomeric('run', '.');
    expect(done.code).toBe(1);
    expect(done.out.trim().split('\n').slice(-2)).toEqual([
      'Before it is handed on: 1 error in what the maps colour.',
      expect.stringMatching(
        /^error {3}wards, feature \S+, at [-\d., ]+: “no_car_share between 0 and 100” does not hold/,
      ) as string,
    ]);
    expect((await isomeric('run', '.', '--fail-at', 'never')).code).toBe(0);
    expect(JSON.parse((await isomeric('run', '.', '--json')).out)).toMatchObject({
      drawnErrors: [{ layer: 'wards', severity: 'error' }],
    });
  });

  it('whose units leave a part of the area without any says so', async () => {
    study(['    - clip: area\n', "    - clip: area\n    - where: code <> '0203'\n"]);
    const { findings } = await run();
    expect(findings).toContainEqual(
      expect.objectContaining({
        code: 'units-missing',
        words: expect.stringMatching(/^wards cover 66 % of the study area/) as string,
      }),
    );
    expect(read('delivered/maps/cars.svg')).toContain('Wards cover 66 % of the study area.');
  });
});

describe('files of the study folder', () => {
  it('have receipts, stand under sources, and keep the day on which they were first seen', async () => {
    study(['    file: housing.csv', '    file: housing.csv\n    citation: Census of Ombrey, 2024.']);
    const { findings } = await run();
    const ledger = await Ledger.load(nodeMachine(folder));
    for (const { path, sha256, bytes } of ledger.received()) {
      expect(execFileSync('/usr/bin/sha256sum', [join(folder, path)]).toString()).toMatch(
        new RegExp(`^${sha256} `),
      );
      expect(bytes).toBe(readFileSync(join(folder, path)).length);
    }
    expect([...ledger.receipts.keys()].sort()).toEqual(['housing.csv', 'wards.geojson']);
    const svg = read('delivered/maps/cars.svg');
    expect(svg).toContain('Census of Ombrey, 2024.');
    expect(svg).toContain('Sources: Census of Ombrey, 2024. wards.geojson (no citation given).');
    expect(read('delivered/report.html')).toContain('<b>2</b>files received');
    expect(findings.find(({ code }) => code === 'citation-missing')?.words).toMatch(/where wards comes from/);
    const first = ledger.receipts.get('housing.csv')!.at;
    write('wards.geojson', `${read('wards.geojson')}\n`);
    await run();
    const again = await Ledger.load(nodeMachine(folder));
    expect(again.receipts.get('housing.csv')!.at).toBe(first);
    expect(again.receipts.get('wards.geojson')!.at > first).toBe(true);
    expect((await isomeric('ledger', '.', '--verify')).out).toContain('every file is as it was received');
    write('housing.csv', 'other');
    expect((await isomeric('ledger', '.', '--verify')).out).toContain('housing.csv was changed');
  });

  it('made of several files are entered with all of them', async () => {
    await isomeric('save', 'wards.geojson', '--out', 'wards.shp');
    study(['file: wards.geojson', 'file: wards.shp']);
    await run();
    const ledger = await Ledger.load(nodeMachine(folder));
    expect([...ledger.receipts.keys()].sort()).toEqual(
      ['housing.csv', ...['cpg', 'dbf', 'prj', 'shp', 'shx'].map((ending) => `wards.${ending}`)].sort(),
    );
  });
});

describe('results', () => {
  it('that the study no longer makes are removed, and told; what others laid there stays', async () => {
    await run();
    write('delivered/mine.txt', 'kept');
    study(['  cars:\n', '  no-car:\n'], ['study: Cars in Ombrey', 'study: No cars in Ombrey']);
    const { out } = await isomeric('run', '.');
    expect(out).toContain(
      'Deliver: 3 files of the last run were removed, since the study no longer makes them: delivered/cars-in-ombrey.gpkg, delivered/maps/cars.svg and delivered/maps/cars.png.',
    );
    for (const gone of ['cars-in-ombrey.gpkg', 'maps/cars.svg', 'maps/cars.png'])
      expect(existsSync(join(folder, 'delivered', gone))).toBe(false);
    expect(existsSync(join(folder, 'delivered/maps/no-car.png'))).toBe(true);
    expect(read('delivered/mine.txt')).toBe('kept');
  });

  it('are removed only in their own folder, whatever a ledger says', async () => {
    await run();
    const ledger = read('ledger.jsonl').replace(
      '"delivered/maps/cars.svg"',
      '"delivered/../housing.csv","wards.geojson","delivered/maps/old.svg","delivered/maps/cars.svg"',
    );
    expect(ledger).toContain('delivered/../housing.csv');
    write('ledger.jsonl', ledger);
    write('delivered/maps/old.svg', 'old');
    await run();
    expect(existsSync(join(folder, 'delivered/maps/old.svg'))).toBe(false);
    expect([existsSync(join(folder, 'housing.csv')), existsSync(join(folder, 'wards.geojson'))]).toEqual([
      true,
      true,
    ]);
  });

  it('come in the formats that are asked for, layers and tables', async () => {
    write(
      'study.yaml',
      `${ownStudyText.replace('prepare:\n', 'prepare:\n  housing: []\n')}\ndeliver:\n  layers: [geopackage, shapefile, flatgeobuf]\n  tables: [xlsx, csv]\n`,
    );
    const { delivered } = await run();
    expect(delivered.slice(0, 10).sort()).toEqual(
      [
        'delivered/cars-in-ombrey.gpkg',
        'delivered/cars-in-ombrey.xlsx',
        ...['cpg', 'dbf', 'prj', 'shp', 'shx'].map((ending) => `delivered/shapefile/wards.${ending}`),
        'delivered/flatgeobuf/wards.fgb',
        'delivered/csv/housing.csv',
        'delivered/csv/wards.csv',
      ].sort(),
    );
    const layers = execFileSync('/usr/bin/sqlite3', [
      join(folder, 'delivered/cars-in-ombrey.gpkg'),
      'select table_name from gpkg_contents',
    ]).toString();
    expect(layers.trim()).toBe('wards');
    expect(read('delivered/csv/wards.csv').split('\n')[0]).toContain('no_car_share');
  });
});

describe('what is at the output already', () => {
  it('is never lost unsaid', async () => {
    const save = (...args: string[]) => isomeric('save', ...args);
    const refused = async (args: string[], words: RegExp) => {
      const { code, told } = await save(...args);
      expect([code, told]).toEqual([2, expect.stringMatching(words) as string]);
    };
    const before = read('wards.geojson');
    await refused(['wards.geojson', '--out', 'wards.geojson', '--replace'], /It is read at the same time/);
    await refused(
      ['wards.geojson', '--out', './papers/../wards.geojson', '--replace'],
      /read at the same time/,
    );
    expect(read('wards.geojson')).toBe(before);
    await save('wards.geojson', '--out', 'out.shp');
    await refused(['housing.csv', '--out', 'out.dbf'], /a part of the shapefile out\.shp/);
    await refused(['out.shp', '--no-geometry', '--out', 'out.dbf'], /It is read at the same time/);
    await save('housing.csv', '--out', 'book.xlsx');
    await refused(
      ['wards.geojson', '--no-geometry', '--out', 'book.xlsx'],
      /There is such a file already. Say --replace/,
    );
    const replaced = await save('housing.csv', '--out', 'book.xlsx', '--replace');
    expect(replaced.out).toContain('book.xlsx was there already and was replaced.');
    await save('wards.geojson', '--out', 'all.gpkg');
    await refused(['housing.csv', '--out', 'all.gpkg'], /Say --add to add to it, --replace to let layers/);
    expect((await save('housing.csv', '--out', 'all.gpkg', '--add')).code).toBe(0);
    expect(JSON.parse((await isomeric('look', 'all.gpkg', '--json')).out).layers).toHaveLength(2);
    const { code, told } = await isomeric(
      'where',
      'housing.csv',
      'households > 1000',
      '--out',
      'housing.csv',
    );
    expect([code, told]).toEqual([2, expect.stringMatching(/read at the same time/) as string]);
  });

  it('rows of a layer are saved as a table; units are chosen of a file with several layers', async () => {
    await isomeric('save', 'wards.geojson', '--no-geometry', '--out', 'wards.csv');
    expect(read('wards.csv').split('\r\n').slice(0, 2)).toEqual(['code,name', '0201,Ferry Road']);
    await isomeric('save', 'wards.geojson', 'housing.csv', '--out', 'two.gpkg');
    const units = ['--units', 'two.gpkg', '--on', 'area_code = code', '--out', 'some.csv'];
    expect((await isomeric('save', 'housing.csv', ...units)).told).toMatch(/There are 2 layers/);
    expect((await isomeric('save', 'housing.csv', ...units, '--units-layer', 'wards')).code).toBe(0);
  });
});

describe('neighbours whose border runs otherwise', () => {
  const rectangle = (west: number, south: number, east: number, north: number) => [
    [
      [west, south],
      [east, south],
      [east, north],
      [west, north],
      [west, south],
    ],
  ];
  const area = new AreaIndex(polygons([rectangle(0, 0, 10, 10)]));
  // One within, one half in, four that reach in by a hundredth of themselves, one outside.
  const layer = layerFrom(
    polygons([
      rectangle(1, 1, 4, 4),
      rectangle(5, 1, 15, 4),
      ...[0, 1, 2, 3].map((k) => rectangle(9.9, 5 + k, 19.9, 6 + k)),
      rectangle(20, 20, 21, 21),
    ]),
  );

  it('are told, with what drops them', async () => {
    const told = await inMemory(clipLayer(layer, area));
    expect(told.accounts[0].sentence).toBe('Clip: 7 made in; 1 kept whole, 5 cut, 1 outside.');
    expect(told.accounts[0].notes[0]).toMatch(/^Of 5 cut, 4 kept less than 2 % of themselves: “least: 2”/);
    expect(told.accounts[0].findings[0]).toMatchObject({ code: 'clip-slivers', severity: 'warning' });
    for (const mode of ['cut', 'whole'] as const) {
      const dropped = await inMemory(clipLayer(layer, area, { least: 2, mode }));
      expect(dropped.count).toBe(2);
      expect(dropped.accounts[0].counts).toMatchObject({ in: 7, whole: 1, cut: 1, dropped: 4, outside: 1 });
      expect(dropped.accounts[0].findings).toEqual([]);
    }
  });
});

it('a legend names each class, also where the least value has one of its own', async () => {
  await run();
  const texts = [
    ...read('delivered/maps/cars.svg').matchAll(/<text[^>]*font-size="14">([^<]*)<\/text>/g),
  ].map(([, text]) => text);
  expect(texts.slice(0, 3)).toEqual(['11.3', 'over 11.3 – 25.8', 'over 25.8 – 30.5']);
});

it('what holds for several layers is told once, with a count', async () => {
  study(...withRoads);
  write('roads.geojson', roads(60, -29.9, -29.7));
  const { out } = await isomeric('run', '.');
  expect(out).toContain('Check: Area: roads and wards meet the study area.');
  expect(out.match(/From EPSG:4326 \(WGS 84\) to EPSG:32626/g)).toHaveLength(1);
  expect(out).toMatch(/From EPSG:4326 .*: same datum\. \(So for 2 steps\.\)/);
});
