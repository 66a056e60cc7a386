import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  areaSpread,
  type Box,
  bestCrs,
  crsAt,
  crsByEpsg,
  crsFindings,
  crsFromText,
  distortionAt,
  distortionOver,
  distortionPicture,
  lengthError,
  locate,
  nearestCrs,
  type ProjectedCrs,
  placeOfUse,
  purposeFromText,
  transformer,
  wgs84,
} from '../../../src/core/index.ts';
import { commandIn } from '../../support/command.ts';
import { studiesOfTests } from '../../support/study-folder.ts';

const newStudy = studiesOfTests();
const demo = (path: string) => fileURLToPath(new URL(`../../../demo/data/${path}`, import.meta.url));
const wards = demo('boundary-office/wards-2024.geojson');
/** The country of the demo. */
const teskaria: Box = [-30.7, 45.2, -29.3, 46];

describe('distortion', () => {
  it('of the Transverse Mercator follows its formula, and no angle changes', () => {
    const at = distortionAt(crsByEpsg(32626)!);
    for (const [lon, lat] of [
      [-27, 45],
      [-29.5, 45.5],
      [-24, 60],
    ]) {
      const found = at(lon, lat)!;
      // Snyder 1987, eq. 8-11: k = k₀ (1 + (1 + C) A² / 2 + (5 − 4T + 42C + 13C² − 28e′²) A⁴ / 24)
      const phi = (lat * Math.PI) / 180;
      const second = 0.00673949674;
      const c = second * Math.cos(phi) ** 2;
      const t = Math.tan(phi) ** 2;
      const a = (((lon + 27) * Math.PI) / 180) * Math.cos(phi);
      const k =
        0.9996 *
        (1 + ((1 + c) * a ** 2) / 2 + ((5 - 4 * t + 42 * c + 13 * c * c - 28 * second) * a ** 4) / 24);
      expect(found.leastScale).toBeCloseTo(k, 8);
      expect(found.greatestScale).toBeCloseTo(k, 8);
      expect(found.areaScale).toBeCloseTo(k * k, 8);
      expect(found.angle).toBeLessThan(1e-5);
    }
  });

  it('of the web map is large where nobody thinks of it', () => {
    const report = distortionOver(crsByEpsg(3857)!, teskaria)!;
    expect(report.greatestScale).toBeCloseTo(1 / Math.cos((46 * Math.PI) / 180), 2);
    expect(report.greatestAngle).toBeGreaterThan(0.1);
    expect(report.corners).toHaveLength(4);
    expect(report.worst.latitude).toBeCloseTo(46, 6);
  });

  it('is none in area where a projection keeps areas', () => {
    expect(areaSpread(distortionOver(crsByEpsg(3035)!, [0, 40, 20, 60])!)).toBeLessThan(1e-7);
  });
});

describe('the best CRS', () => {
  it('for an area in one zone is a grid for all, an equal-area one for densities, a fitted one for distances', () => {
    const mapping = bestCrs(teskaria);
    expect(mapping[0].crs.code).toBe('EPSG:32626');
    const densities = bestCrs(teskaria, 'densities');
    expect(areaSpread(densities[0].report)).toBeLessThan(1e-6);
    expect(
      densities
        .filter(({ report }) => areaSpread(report) > 1e-6)
        .every(({ reason }) => reason.includes('not for densities')),
    ).toBe(true);
    const distances = bestCrs(teskaria, 'distances');
    expect(lengthError(distances[0].report)).toBeLessThan(lengthError(mapping[0].report));
    for (const { reason } of [...mapping, ...densities, ...distances])
      expect(reason).toMatch(/lengths within/);
  });

  it('is the one of the country where there is a good one', () => {
    expect(bestCrs([3.4, 50.8, 7.2, 53.5])[0].crs.code).toBe('EPSG:28992');
    expect(bestCrs([166.4, -47.3, 178.6, -34.4])[0].crs.code).toBe('EPSG:2193');
  });

  it('is never a zone on a datum that is out of use', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -178, max: 176, noNaN: true }),
        fc.double({ min: -78, max: 78, noNaN: true }),
        fc.double({ min: 0.05, max: 1.5, noNaN: true }),
        (west, south, size) => {
          const [{ crs }] = bestCrs([west, south, west + size, south + size * 0.7]);
          expect(crs.name, `${west}, ${south}, ${size}`).not.toMatch(
            /WGS 72|NAD27|ED50|NAD83 \/ UTM.*old|Pulkovo/,
          );
        },
      ),
      { numRuns: 40 },
    );
  });

  it('is found for any area: across the antimeridian, at a pole, on the equator, for the world', () => {
    for (const box of [
      [177, -20, -178, -16],
      [-180, 75, 180, 90],
      [-180, -90, 180, -75],
      [10, -2, 12, 1],
      [-180, -85, 180, 85],
    ] as Box[]) {
      const [first] = bestCrs(box, 'densities');
      expect(areaSpread(first.report), String(box)).toBeLessThan(1e-5);
    }
  });

  it('fitted projections are better than a UTM zone over their area, and come back from their text', () => {
    const own = bestCrs([-10, 40, 10, 55], 'distances').find(({ kind }) => kind.startsWith('own'))!;
    const utm = distortionOver(crsByEpsg(32630)!, [-10, 40, 10, 55])!;
    expect(lengthError(own.report)).toBeLessThan(lengthError(utm));
  });

  it.each([
    ['best', 'mapping'],
    ['Best for densities', 'densities'],
    ['best  for distances', 'distances'],
    ['EPSG:4326', null],
    ['bestial', null],
  ])('“%s” means %s', (text, purpose) => expect(purposeFromText(text)).toBe(purpose));
});

describe('where coordinates would fall', () => {
  const place = (code: number, spoil: (v: number, k: number, all: Float64Array) => number = (v) => v) => {
    const grid = crsByEpsg(code)! as ProjectedCrs;
    const xy = Float64Array.of(-29.9, 45.4, -29.6, 45.6, -29.7, 45.5, -29.8, 45.45);
    transformer(wgs84(), grid).transform(xy);
    const sample = xy.map(spoil);
    const of = (parity: number) => [...sample].filter((_, k) => k % 2 === parity);
    return {
      sample,
      box: [Math.min(...of(0)), Math.min(...of(1)), Math.max(...of(0)), Math.max(...of(1))] as Box,
    };
  };

  it.each([
    ['as they stand', 32626, (v: number) => v],
    ['axes exchanged', 32626, (_: number, k: number, all: Float64Array) => all[k ^ 1]],
    ['feet written where metres are meant', 32626, (v: number) => v / 0.3048],
    ['kilometres written where metres are meant', 32626, (v: number) => v / 1000],
    ['signs turned (westings and southings)', 32626, (v: number) => -v],
  ] as const)('%s: the grid is among the first', (mishap, code, spoil) => {
    const found = locate(place(code, spoil), teskaria);
    const hits = found.filter((each) => each.crs.code === `EPSG:${code}`);
    expect(hits.map((each) => each.mishap)).toContain(mishap);
    expect(found.indexOf(hits[0])).toBeLessThan(6);
    expect(hits[0].share).toBe(1);
  });

  it('a neighbouring zone is found, and degrees are degrees', () => {
    expect(locate(place(32625), teskaria).some(({ crs }) => crs.code === 'EPSG:32625')).toBe(true);
    const degrees = {
      sample: Float64Array.of(-29.9, 45.4, -29.6, 45.6),
      box: [-29.9, 45.4, -29.6, 45.6] as Box,
    };
    expect(locate(degrees, teskaria)[0]).toMatchObject({
      crs: { code: 'EPSG:4326' },
      mishap: 'as they stand',
    });
    const turned = {
      sample: Float64Array.of(45.4, -29.9, 45.6, -29.6),
      box: [45.4, -29.9, 45.6, -29.6] as Box,
    };
    expect(locate(turned, teskaria)[0]).toMatchObject({ mishap: 'axes exchanged' });
  });

  it('a definition that contradicts the coordinates is a finding', () => {
    const codes = (code: string, box: Box) => crsFindings(crsFromText(code), box).map((each) => each.code);
    expect(codes('EPSG:4326', [500000, 4500000, 510000, 4510000])).toEqual(['extent-no-degrees']);
    expect(codes('EPSG:32626', [-30, 45, -29, 46])).toEqual(['extent-looks-like-degrees']);
    expect(codes('EPSG:28992', [500000, 4500000, 510000, 4510000])).toEqual(['extent-outside-area-of-use']);
    expect(codes('EPSG:28992', [100000, 400000, 110000, 410000])).toEqual([]);
    expect(codes('EPSG:32626', [4e8, 4e8, 5e8, 5e8])).toEqual(['extent-outside-projection']);
  });
});

describe('search', () => {
  it('finds by words in any order, by slips, by place', () => {
    expect(nearestCrs('26n utm wgs 84', 3)[0].code).toBe('EPSG:32626');
    expect(nearestCrs('british natoinal grid', 5).some((crs) => crs.code === 'EPSG:27700')).toBe(true);
    // By the words of the place where it is used, which are not in its name.
    const place = placeOfUse(28992).split(' ')[0];
    expect(crsByEpsg(28992)!.name).not.toContain(place);
    expect(nearestCrs(place, 10).map((crs) => crs.code)).toContain('EPSG:28992');
    const here = crsAt(-29.9, 45.5).map((crs) => crs.code);
    expect(here).toContain('EPSG:32626');
    expect(here).not.toContain('EPSG:32627');
    expect(crsAt(179.5, -17).some((crs) => crs.code === 'EPSG:3460')).toBe(true);
  });
});

describe('the picture of the distortion', () => {
  it('shows cells, graticule and what becomes of circles', () => {
    const svg = distortionPicture(crsByEpsg(32626)!, teskaria);
    expect(svg.match(/<path /g)!.length).toBeGreaterThan(500);
    expect(svg).toContain('metres in a kilometre');
    expect(svg).not.toContain('NaN');
    for (const code of ['EPSG:3857', '54030', '54052', 'EPSG:3031', '102035']) {
      const crs = crsFromText(code);
      expect(distortionPicture(crs, crs.area ?? [-180, -80, 180, 80]), code).not.toContain('NaN');
    }
  });
});

describe('isomeric crs and locate', () => {
  const study = () => newStudy('gather: {}');

  it('describes, finds and advises', async () => {
    const isomeric = commandIn(study().folder);
    const one = await isomeric('crs', 'EPSG:32626');
    expect(one.code).toBe(0);
    expect(one.out).toMatch(/Transverse Mercator \(EPSG method 9807\); keeps angles/);
    expect(one.out).toMatch(/to WGS 84 {3}WGS 84 itself; accuracy 0 m/);
    const best = await isomeric('crs', '--for', wards, '--purpose', 'densities', '--json');
    const { candidates } = JSON.parse(best.out) as {
      candidates: { name: string; distortion: { areaSpread: number } }[];
    };
    expect(candidates[0].distortion.areaSpread).toBeLessThan(1e-6);
    const at = await isomeric('crs', '--at', '-29.9,45.5', '--json');
    expect(at.out).toContain('EPSG:32626');
    const several = await isomeric('crs', 'utm', 'zone', '26N');
    expect(several.out).toMatch(/^CRS: “utm zone 26N” is near to \d+/);
    expect(several.out).toContain('EPSG:32626');
  });

  it('pictures', async () => {
    const { folder } = study();
    const isomeric = commandIn(folder);
    const { code, out } = await isomeric('crs', 'EPSG:32626', '--for', wards, '--picture', 'utm.png');
    expect(code, out).toBe(0);
    expect([...readFileSync(join(folder, 'utm.png')).subarray(1, 4)]).toEqual([...Buffer.from('PNG')]);
    expect((await isomeric('crs', 'EPSG:4326', '--picture', 'no.png')).code).toBe(2);
  });

  it('says what is wrong with a question', async () => {
    const isomeric = commandIn(study().folder);
    for (const [args, words] of [
      [['crs'], /Say which CRS/],
      [['crs', '--at', '200,95'], /no place/],
      [['crs', '--for', wards, '--purpose', 'density'], /Did you mean “densities”/],
      [['crs', 'zzz qqq'], /names no CRS/],
      [['crs', 'EPSG:3855'], /vertical CRS/],
    ] as const) {
      const { code, told } = await isomeric(...args);
      expect(code, args.join(' ')).toBe(2);
      expect(told).toMatch(words);
    }
  });

  it('finds the CRS of coordinates, and changes nothing', async () => {
    const { folder } = study();
    const isomeric = commandIn(folder);
    await isomeric('reproject', wards, '--crs', 'EPSG:32626', '--out', 'utm.shp');
    writeFileSync(
      join(folder, 'utm.prj'),
      readFileSync(join(folder, 'utm.prj'), 'utf8').replace('-27.0', '9.0').replace('26N', '32N'),
    );
    const before = readFileSync(join(folder, 'utm.prj'), 'utf8');
    const found = await isomeric('locate', 'utm.shp', '--near', wards);
    expect(found.out).toMatch(/^ {2}1 {2}EPSG:\d+ \(.*UTM zone 26N.*\), as they stand.*100 % in the area/m);
    expect(readFileSync(join(folder, 'utm.prj'), 'utf8')).toBe(before);
    const wrong = await isomeric(
      'reproject',
      'utm.shp',
      '--from',
      'EPSG:4326',
      '--crs',
      'EPSG:3857',
      '--out',
      'no.gpkg',
    );
    expect(wrong.code).toBe(3);
    expect(wrong.told).toMatch(/Nothing of utm could be brought.*isomeric locate/s);
    expect(study().files()).not.toContain('no.gpkg');
    const looked = await isomeric('check', 'utm.shp', '--fail-at', 'never');
    expect(looked.out).toMatch(/CRS: utm: EPSG:32632/);
  });

  it('tries the CRSs of what came with the layer, and those that are named', async () => {
    const isomeric = commandIn(study().folder);
    const zip = demo('map-extracts/teskaria-ombrey.zip');
    const beside = await isomeric('locate', zip, '--layer', 'footbridges', '--near', wards);
    expect(beside.out).toMatch(/^ {2}1 {2}Teskaria_National_Grid, as they stand: .*100 % in the area/m);
    const named = await isomeric(
      'locate',
      zip,
      '--layer',
      'roads',
      '--near',
      wards,
      '--among',
      demo('teskaria-grid.wkt'),
      '--json',
    );
    expect((JSON.parse(named.out) as { candidates: { name: string }[] }).candidates[0].name).toBe(
      'Teskaria National Grid',
    );
  });

  it('a census shapefile of another dialect goes to any grid, and is written as GeoJSON, without an option', async () => {
    const { folder } = study();
    const isomeric = commandIn(folder);
    await isomeric('reproject', wards, '--crs', 'EPSG:4269', '--out', 'tracts.shp');
    writeFileSync(
      join(folder, 'tracts.prj'),
      'GEOGCS["GCS_North_American_1983",DATUM["D_North_American_1983",SPHEROID["GRS_1980",6378137,298.257222101]],PRIMEM["Greenwich",0],UNIT["Degree",0.017453292519943295]]',
    );
    const json = await isomeric('save', 'tracts.shp', '--out', 'tracts.geojson');
    expect(json.code, json.told).toBe(0);
    expect(json.out).toMatch(/NAD83.*accuracy about \d m/);
    for (const crs of ['EPSG:32626', 'EPSG:3035', 'EPSG:27700', 'EPSG:2056']) {
      const { code, told } = await isomeric(
        'reproject',
        'tracts.shp',
        '--crs',
        crs,
        '--out',
        'there.gpkg',
        '--replace',
      );
      expect(code, told).toBe(0);
    }
  });

  it('reprojects to the best, says why, tells the steps, adds vertices', async () => {
    const isomeric = commandIn(study().folder);
    const best = await isomeric(
      'reproject',
      wards,
      '--crs',
      'best for densities',
      '--out',
      'a.gpkg',
      '--steps',
    );
    expect(best.out).toMatch(/^CRS: .*chosen as the best for densities: .*areas equal everywhere/m);
    expect(best.out).toMatch(/Step 2: Albers Equal Area/);
    const dense = await isomeric(
      'reproject',
      wards,
      '--crs',
      'EPSG:3035',
      '--out',
      'b.gpkg',
      '--edges',
      'straight',
      '--within',
      '0.05',
    );
    expect(dense.out).toMatch(/[\d,]+ vertices added on long edges/);
    expect(
      (await isomeric('reproject', wards, '--crs', 'EPSG:3035', '--out', 'c.gpkg', '--edges', 'curly')).told,
    ).toMatch(/--edges curly is none of straight, great circle, rhumb/);
    expect(
      (await isomeric('reproject', wards, '--crs', 'EPSG:3035', '--out', 'c.gpkg', '--grid', wards)).told,
    ).toMatch(/no grid of the NTv2 form/);
  });
});
