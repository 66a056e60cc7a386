import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { boxOfAreaIn } from '../../../src/core/crs/area-extent.ts';
import {
  AreaIndex,
  type Box,
  crsByEpsg,
  degreesOfArea,
  geometriesFrom,
  plainBoxes,
  transformer,
} from '../../../src/core/index.ts';
import { piecesOf, squareKilometres } from '../../../src/sources/pieces.ts';
import { filterXml } from '../../../src/sources/wfs/fes.ts';
import { commandIn } from '../../support/command.ts';
import { closeServices, featureService } from '../../support/http-service.ts';
import { studiesOfTests } from '../../support/study-folder.ts';

afterAll(closeServices);
const newStudy = studiesOfTests();
const globe = crsByEpsg(4326)!;
const rectangle = ([west, south, east, north]: Box) => [
  [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ],
];
const areaOf = (boxes: readonly Box[], crs = globe) => {
  const array = geometriesFrom([{ type: 'MultiPolygon', coordinates: boxes.map(rectangle) }]);
  transformer(globe, crs).transform(array.xy);
  return new AreaIndex(array);
};

describe('the box of an area in degrees', () => {
  it('holds the area, hardly more, and crosses the antimeridian where the area does', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -179, max: 179, noNaN: true }),
        fc.double({ min: -60, max: 55, noNaN: true }),
        fc.double({ min: 0.5, max: 60, noNaN: true }),
        (west, south, size) => {
          const over = west + size > 180 ? west + size - 360 : west + size;
          const wanted: Box = [west, south, over, south + 5];
          const found = degreesOfArea(areaOf(plainBoxes(wanted)), globe);
          expect(found[0] > found[2]).toBe(wanted[0] > wanted[2]);
          for (let k = 0; k < 4; k++) expect(Math.abs(found[k] - wanted[k])).toBeLessThan(0.01 * size + 0.01);
          expect(squareKilometres(found)).toBeGreaterThanOrEqual(squareKilometres(wanted) * 0.9999);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('is never beyond the globe, and goes all around where the area does', () => {
    expect(degreesOfArea(areaOf([[-180, -90, 180, 90]]), globe)).toEqual([-180, -90, 180, 90]);
    expect(degreesOfArea(areaOf([[-180, 10, 180, 20]]), globe).slice(0, 1)).toEqual([-180]);
    // Around the pole, which is the tip of the cone that this grid is wound from.
    const cone = crsByEpsg(3034)!;
    const tip = Float64Array.of(0, 90);
    transformer(globe, cone).transform(tip);
    const around = geometriesFrom([
      { type: 'Polygon', coordinates: rectangle([tip[0] - 1e6, tip[1] - 1e6, tip[0] + 1e6, tip[1] + 1e6]) },
    ]);
    const [west, south, east, north] = degreesOfArea(new AreaIndex(around), cone);
    expect([west, east, north]).toEqual([-180, 180, 90]);
    expect(south).toBeLessThan(83);
    // Two islands at both sides: the box is the short way round.
    const islands = degreesOfArea(
      areaOf([
        [178, -17, 179.5, -16],
        [-179.5, -19, -178, -18],
      ]),
      globe,
    );
    expect(islands[0]).toBeCloseTo(178, 2);
    expect(islands[2]).toBeCloseTo(-178, 2);
  });

  it('reaches as far as the bends of edges in another CRS', () => {
    const area = areaOf([[-40, 30, 40, 60]]);
    const utm = crsByEpsg(3034)!;
    const box = boxOfAreaIn(area, globe, utm);
    const points = Float64Array.from(Array.from({ length: 4001 }, (_, k) => [-40 + k / 50, 60]).flat());
    transformer(globe, utm).transform(points);
    for (let k = 1; k < points.length; k += 2) expect(points[k]).toBeLessThanOrEqual(box[3]);
  });

  it('is asked for in parts that do not cross', () => {
    const box: Box = [170, -20, -170, -10];
    expect(plainBoxes(box)).toEqual([
      [170, -20, 180, -10],
      [-180, -20, -170, -10],
    ]);
    const pieces = piecesOf(box, (each) => squareKilometres(each) > 300_000);
    expect(pieces.every(([west, , east]) => west < east)).toBe(true);
    expect(pieces.reduce((sum, each) => sum + squareKilometres(each), 0)).toBeCloseTo(
      squareKilometres(box),
      3,
    );
    const filter = filterXml('2.0.0', {
      box: { boxes: plainBoxes(box), exchanged: true, srsName: 'urn:x', property: 'g' },
    })!;
    expect(filter.match(/<fes:Or>(<fes:BBOX>.*?<\/fes:BBOX>){2}<\/fes:Or>/)).not.toBeNull();
    expect(filter).toContain('<gml:lowerCorner>-20 -180</gml:lowerCorner>');
  });
});

describe('a study of an area across the antimeridian', () => {
  /** Islands as a feature service has them; it takes a box that crosses (OGC 17-069r4, clause 7.15.3). */
  const islands = [
    ['west', 175],
    ['line', 179.9],
    ['east', -176],
    ['far', 0],
  ] as const;
  const inside = (x: number, [west, , east]: number[]) =>
    west <= east ? x >= west && x <= east : x >= west || x <= east;
  const collection = (box: number[] | null) => ({
    type: 'FeatureCollection',
    features: islands
      .filter(([, x]) => box === null || inside(x, box))
      .map(([id, x]) => ({
        type: 'Feature',
        id,
        properties: { name: id },
        geometry: { type: 'Point', coordinates: [x, -17] },
      })),
  });

  it('means the same everywhere: in the question to a service, in clip, in the report', async () => {
    const boxes: string[] = [];
    const address = await featureService(
      'islands',
      (url, _, response) => {
        boxes.push(url.searchParams.get('bbox')!);
        response.end(JSON.stringify(collection(boxes.at(-1)!.split(',').map(Number))));
      },
      (url, response) => {
        if (url.pathname !== '/all.geojson') return false;
        response.end(JSON.stringify(collection(null)));
        return true;
      },
    );
    // A grid whose seam lies elsewhere, one whose seam is the antimeridian, and degrees.
    for (const crs of ['EPSG:3832', 'EPSG:3857', 'EPSG:4326']) {
      const study = newStudy(
        `sources:\n  office: { kind: features, at: "${address}/" }\n  files: { kind: files, at: "${address}/" }\ngather:\n  islands: { from: office }\n  all: { from: files, file: all.geojson }\nprepare:\n  islands: [clip: area]\n  all: [clip: area]\n`,
        'area: { box: { west: 170, south: -20, east: -170, north: -10 } }',
      );
      const text = study.text('study.yaml').replace('EPSG:3857', crs);
      writeFileSync(join(study.folder, 'study.yaml'), text);
      await study.gather({ only: undefined });
      expect(boxes.at(-1)).toBe('170,-20,-170,-10');
      expect(study.said, crs).toContain('Clip: 3 islands in; 3 kept whole, 0 cut, 0 outside.');
      expect(study.said, crs).toContain('Clip: 4 all in; 3 kept whole, 0 cut, 1 outside.');
      expect(study.text('delivered/report.html')).toContain('170, -20, -170, -10');
    }
  });

  it('map features are taken on both sides of it', async () => {
    const node = (id: number, x: number) =>
      `<node id="${id}" lat="-17" lon="${x}"><tag k="name" v="n${id}"/></node>`;
    const folder = mkdtempSync(join(tmpdir(), 'isomeric-line-'));
    try {
      writeFileSync(
        join(folder, 'x.osm'),
        `<osm version="0.6">${[175, 179.9, -176, 0].map((x, k) => node(k + 1, x)).join('')}</osm>`,
      );
      const features = (box: string) =>
        commandIn(folder)('features', 'x.osm', '--where', 'name IS NOT NULL', `--box=${box}`);
      const count = ({ out }: { out: string }) => /(\d+) points?,/.exec(out)?.[1];
      expect(count(await features('170,-20,-170,-10'))).toBe('3');
      expect(count(await features('-170,-20,170,-10'))).toBe('1');
      expect((await features('200,-20,170,-10')).code).toBe(2);
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });

  it('sides that are no degrees are told with their line', async () => {
    for (const [box, words] of [
      ['west: 0, south: 60, east: 1, north: 95', /latitudes from -90 to 90/],
      ['west: 0, south: 60, east: 1, north: 50', /south the lesser one/],
      ['west: -190, south: 0, east: 1, north: 5', /longitudes from -180 to 180/],
    ] as const) {
      const study = newStudy('gather: { x: { file: x.csv } }\n', `area: { box: { ${box} } }`);
      await expect(study.gather()).rejects.toThrow(words);
    }
  });
});
