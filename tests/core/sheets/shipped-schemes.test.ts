import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { geodesicMeasure } from '../../../src/core/geometry/geodesic.ts';
import { GeometryMaker } from '../../../src/core/geometry/geometry-maker.ts';
import { innerPoint } from '../../../src/core/geometry/inner-point.ts';
import { planarArea } from '../../../src/core/geometry/measures.ts';
import { AreaIndex } from '../../../src/core/geometry/overlay/area-index.ts';
import { overlayAreas } from '../../../src/core/geometry/overlay/overlay.ts';
import { codeOf } from '../../../src/core/sheets/codes.ts';
import { CodeReader } from '../../../src/core/sheets/reading-codes.ts';
import type { MapSheet } from '../../../src/core/sheets/scheme.ts';
import type { SheetScheme } from '../../../src/core/sheets/sheet-scheme.ts';
import { shippedScheme, shippedSchemes } from '../../../src/formats/sheet-scheme/shipped/register.ts';

const names = Object.keys(shippedSchemes);

/** A place within the first level of a scheme, from two shares. */
function placeIn(scheme: SheetScheme, across: number, up: number): [number, number] {
  const [grid] = scheme.levels;
  if (grid.kind !== 'grid') throw new Error('the first level is a grid');
  const at = ({ edges }: { edges: Float64Array }, share: number) =>
    edges[0] + (edges[edges.length - 1] - edges[0]) * share;
  return [at(grid.columns, across), at(grid.rows, up)];
}

const key = (sheet: MapSheet) => `${sheet.level} ${JSON.stringify(sheet.path)}`;
const shares = fc.tuple(
  fc.double({ min: 0.0001, max: 0.9999, noNaN: true }),
  fc.double({ min: 0.0001, max: 0.9999, noNaN: true }),
);

describe.each(names)('the sheet scheme %s', (name) => {
  const scheme = shippedScheme(name);
  const reader = new CodeReader(scheme);

  it('leads from a place to a sheet, its code, and back to the same sheet and place', () => {
    fc.assert(
      fc.property(shares, fc.nat(), (share, pick) => {
        const level = pick % scheme.levels.length;
        const [x, y] = placeIn(scheme, ...share);
        const sheet = scheme.at(level, x, y);
        if (sheet === null) return;
        const code = codeOf(scheme, sheet);
        const read = reader.read(code);
        expect(read.partial, code).toBe(false);
        expect(read.sheets.map(key)).toEqual([key(sheet)]);
        expect(read.instead).toBeUndefined();
        // A square may be cut at the border of its zone by a hair: its outline is a chain of straight pieces.
        const [x0, y0, x1, y1] = scheme.box(sheet);
        const reach = scheme.levels[level].kind === 'squares' ? 1e-5 : 0;
        expect(x >= x0 - reach && x <= x1 + reach && y >= y0 - reach && y <= y1 + reach).toBe(true);
        const inside: [number, number] = [0, 0];
        expect(innerPoint(scheme.footprint(sheet), 0, inside)).toBe(true);
        expect(key(scheme.at(level, ...inside)!), code).toBe(key(sheet));
      }),
      { numRuns: 300 },
    );
  });

  it('gives each sheet a code of its own, read in any letter case and without its separators', () => {
    fc.assert(
      fc.property(shares, fc.nat(), (share, pick) => {
        const level = pick % scheme.levels.length;
        const sheet = scheme.at(level, ...placeIn(scheme, ...share));
        if (sheet === null) return;
        const code = codeOf(scheme, sheet);
        expect(reader.read(code.toLowerCase()).sheets.map(key)).toContain(key(sheet));
        expect(reader.read(` ${code} `).sheets.map(key)).toEqual([key(sheet)]);
      }),
      { numRuns: 100 },
    );
  });

  it('tiles: the sheets below a sheet cover it, and none covers what another one does', () => {
    const measure = geodesicMeasure(scheme.rules.crs);
    const size = scheme.rules.crs.kind === 'geographic' ? measure.area : planarArea;
    fc.assert(
      fc.property(shares, fc.nat(), (share, pick) => {
        const level = pick % Math.min(scheme.levels.length, 10);
        const sheet = scheme.at(level, ...placeIn(scheme, ...share));
        if (sheet === null) return;
        const below = [...scheme.children(sheet)];
        if (below.length === 0) return;
        const outlines = below.map((each) => scheme.footprint(each));
        // On the plane of the coordinates: areas of geodesic polygons depend on where their vertices lie.
        const sum = outlines.reduce((all, each) => all + planarArea(each, 0), 0);
        expect(sum / planarArea(scheme.footprint(sheet), 0)).toBeCloseTo(1, 9);
        expect(size(outlines[0], 0)).toBeGreaterThan(0);
        for (let k = 1; k < Math.min(outlines.length, 12); k++) {
          const made = new GeometryMaker();
          overlayAreas('intersection', outlines[k - 1], 0, outlines[k], 0, made);
          const shared = made.features === 0 ? 0 : planarArea(made.finish(), 0);
          expect(shared / planarArea(outlines[k], 0)).toBeLessThan(1e-9);
        }
        for (const each of below) expect(key(scheme.parent(each)!)).toBe(key(sheet));
      }),
      { numRuns: 40 },
    );
  });

  it('has neighbours that are neighbours of it', () => {
    fc.assert(
      fc.property(shares, fc.nat(), (share, pick) => {
        const level = pick % Math.min(scheme.levels.length, 8);
        const sheet = scheme.at(level, ...placeIn(scheme, ...share));
        if (sheet === null) return;
        const beside = scheme.neighbours(sheet);
        expect(beside.map(key)).not.toContain(key(sheet));
        for (const each of beside.slice(0, 3)) expect(scheme.neighbours(each).map(key)).toContain(key(sheet));
      }),
      { numRuns: 25 },
    );
  });

  it('lists as many sheets of its first level as it counts, and their codes are different', () => {
    const codes = [...scheme.within(0, null)].map((sheet) => codeOf(scheme, sheet));
    expect(codes.length).toBe(scheme.count(0));
    expect(new Set(codes).size).toBe(codes.length);
  });

  it('counts what it would list of the second level', () => {
    if (scheme.levels.length < 2 || scheme.count(1) === null || scheme.count(1)! > 20_000) return;
    expect([...scheme.within(1, null)].length).toBe(scheme.count(1));
  });
});

const at = (name: string, level: string, x: number, y: number) => {
  const scheme = shippedScheme(name);
  const sheet = scheme.at(scheme.levelNumber(level), x, y);
  return sheet === null ? null : codeOf(scheme, sheet);
};

describe('sheets that are known from elsewhere', () => {
  it.each([
    // Places whose squares are widely published.
    [2.2945, 48.8583, '31UDQ'],
    [-77.0352, 38.8895, '18SUJ'],
    [-157.9169, 21.3094, '4QFJ'],
    [151.2153, -33.8568, '56HLH'],
    [-0.1246, 51.5007, '30UXC'],
  ])('UTM: %s, %s lies in %s', (x, y, code) => {
    expect(at('utm', 'squares', x, y)).toBe(code.padStart(5, '0'));
  });

  it('UTM: the zones at 32V and around 33X are wider, and three do not exist', () => {
    expect(at('utm', 'zones', 2.9, 60)).toBe('31V');
    expect(at('utm', 'zones', 3.1, 60)).toBe('32V');
    expect([8.9, 9.1, 20.9, 21.1, 32.9, 33.1].map((x) => at('utm', 'zones', x, 80))).toEqual([
      '31X',
      '33X',
      '33X',
      '35X',
      '35X',
      '37X',
    ]);
    expect(() => new CodeReader(shippedScheme('utm')).read('34X')).toThrow(
      /no such cell.*34X|34X.*no such cell/,
    );
    expect(at('utm', 'zones', 0, -81)).toBeNull();
  });

  it('millionth: rows of 4°, columns of 6°, doubled beyond 60° and fourfold beyond 76°', () => {
    expect(at('millionth', '1000k', 37.6, 55.75)).toBe('NN-37');
    expect(at('millionth', '100k', 37.6, 55.75)).toBe('NN-37-004');
    expect(at('millionth', '1000k', 2.3, 65)).toBe('NQ-31,32');
    expect(at('millionth', '1000k', -170.1, 80)).toBe('NU-01,02,03,04');
    expect(at('millionth', '1000k', 12, -89)).toBe('SZ');
    expect(at('millionth', '1000k', -70.6, -33.4)).toBe('SI-19');
  });

  it('tiles: as the standard computes them', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -179.99, max: 179.99, noNaN: true }),
        fc.double({ min: -84, max: 84, noNaN: true }),
        fc.integer({ min: 0, max: 18 }),
        (longitude, latitude, zoom) => {
          const phi = (latitude * Math.PI) / 180;
          const column = Math.floor(((longitude + 180) / 360) * 2 ** zoom);
          const row = Math.floor(((1 - Math.asinh(Math.tan(phi)) / Math.PI) / 2) * 2 ** zoom);
          const radius = 6_378_137;
          const [x, y] = [radius * ((longitude * Math.PI) / 180), radius * Math.asinh(Math.tan(phi))];
          // On an edge, to the last digit, both are right.
          const near = [(longitude + 180) / 360, (1 - Math.asinh(Math.tan(phi)) / Math.PI) / 2].some(
            (share) => Math.abs(share * 2 ** zoom - Math.round(share * 2 ** zoom)) < 1e-7,
          );
          if (!near) expect(at('tiles', `level-${zoom}`, x, y)).toBe(`${zoom}/${column}/${row}`);
        },
      ),
    );
  });

  it('quadrangles: named by the south-western corner, A to H from the south, 1 to 8 from the east', () => {
    expect(at('quadrangles', 'degree', -29.5, 45.5)).toBe('N45W030');
    expect(at('quadrangles', 'degree', 0.5, -0.5)).toBe('S01E000');
    expect(at('quadrangles', '7.5min', -29.01, 45.01)).toBe('N45W030-A1');
    expect(at('quadrangles', '7.5min', -29.99, 45.99)).toBe('N45W030-H8');
  });

  it('teskaria: a snake from the north-east, and quarters clockwise', () => {
    const scheme = shippedScheme('teskaria');
    const reader = new CodeReader(scheme);
    const box = (code: string) => scheme.box(reader.read(code).sheets[0]);
    // The first row runs west, the second one back east.
    expect(
      ['TG03-01', 'TG03-02', 'TG03-04', 'TG03-05', 'TG03-08'].map((code) => box(code).slice(0, 2)),
    ).toEqual([
      [224_000, 94_000],
      [216_000, 94_000],
      [200_000, 94_000],
      [200_000, 88_000],
      [224_000, 88_000],
    ]);
    expect(['a', 'b', 'c', 'd'].map((quarter) => box(`TG03-05${quarter}`).slice(0, 2))).toEqual([
      [204_000, 91_000],
      [204_000, 88_000],
      [200_000, 88_000],
      [200_000, 91_000],
    ]);
    expect(box('TG03-05.00').slice(0, 2)).toEqual([200_000, 88_000]);
    expect(box('TG03-05.10').slice(0, 2)).toEqual([200_000, 89_000]);
  });
});

describe('the sheets of an area', () => {
  it('hold all of it together, and those at its border only a part', async () => {
    const { sheetsFor } = await import('../../../src/core/sheets/for-area.ts');
    const { geometriesFrom } = await import('../../../src/core/geometry/object-view.ts');
    fc.assert(
      fc.property(
        fc.double({ min: 140_000, max: 220_000, noNaN: true }),
        fc.double({ min: 40_000, max: 110_000, noNaN: true }),
        fc.double({ min: 500, max: 40_000, noNaN: true }),
        (x, y, side) => {
          const scheme = shippedScheme('teskaria');
          const ring = [
            [x, y],
            [x + side, y],
            [x + side / 3, y + side],
            [x, y],
          ];
          const area = new AreaIndex(geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]));
          const touched = sheetsFor(scheme, 1, area);
          const held = touched.reduce((sum, each) => sum + each.held, 0);
          // Within the series all of it is held; on the ellipsoid pieces of straight edges differ a little from the whole.
          if (x + side < 296_000 && y > 28_000 && y + side < 148_000) expect(held).toBeCloseTo(1, 4);
          for (const { covered } of touched) expect(covered > 0 && covered <= 1).toBe(true);
        },
      ),
      { numRuns: 60 },
    );
  });
});
