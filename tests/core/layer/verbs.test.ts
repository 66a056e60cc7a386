import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  AreaIndex,
  areaCheck,
  assignCrs,
  Batch,
  concatenate,
  conditionCheck,
  crsByEpsg,
  crsFromText,
  type Field,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  IsomericError,
  keyCheck,
  type Layer,
  layerOf,
  reprojectLayer,
  rowsOf,
  runChecks,
  tableOf,
  textColumn,
  transformBox,
  transformer,
  validCheck,
  wgs84,
} from '../../../src/core/index.ts';
import { nearestWord, spellingDistance } from '../../../src/core/nearest.ts';
import { dateText, parseDate, parseTimestamp, timestampText } from '../../../src/core/table/time.ts';
import { anyGeometry, anyRows } from '../../support/arbitrary.ts';

const utm = crsByEpsg(32626)!;
const layer = (objects: (GeometryObject | null)[], crs: Layer['crs'] = wgs84(), name = 'things') =>
  layerOf({
    name,
    schema: [],
    crs,
    batches: [
      new Batch({ length: objects.length, first: 0, geometry: geometriesFrom(objects), columns: [] }),
    ],
  });

async function geometries(of: Layer): Promise<(GeometryObject | null)[]> {
  const all: (GeometryObject | null)[] = [];
  for await (const batch of of.batches())
    for (let i = 0; i < batch.length; i++) all.push(geometryObject(batch.geometry!, i));
  return all;
}

describe('reproject', () => {
  it('leaves the source as it was and can be read as often as asked', async () => {
    const source = layer([{ type: 'Point', coordinates: [-27, 45] }]);
    const there = reprojectLayer(source, utm);
    const [first] = (await geometries(there)) as { coordinates: number[] }[];
    expect(first.coordinates[0]).toBeCloseTo(500_000, 6);
    expect(await geometries(there)).toEqual([first]);
    expect(await geometries(source)).toEqual([{ type: 'Point', coordinates: [-27, 45] }]);
    expect(there.accounts).toHaveLength(1);
    expect(there.accounts[0].notes).toEqual([
      'From EPSG:4326 (WGS 84) to EPSG:32626 (WGS 84 / UTM zone 26N): same datum.',
    ]);
  });

  it('tells of points that have no image there', async () => {
    const there = reprojectLayer(
      layer([
        { type: 'Point', coordinates: [-27, 45] },
        {
          type: 'LineString',
          coordinates: [
            [-27, 45],
            [120, 10],
          ],
        },
      ]),
      utm,
    );
    expect((await geometries(there))[1]).toBeNull();
    const [account] = there.accounts;
    expect(account.sentence).toContain('1 with points that have no image there');
    expect(account.findings).toMatchObject([{ code: 'outside-projection', feature: 2, at: [120, 10] }]);
  });

  it('never assumes a CRS', () => {
    expect(() => reprojectLayer(layer([], null), utm)).toThrowError(
      expect.objectContaining({ code: 'crs-missing' }) as Error,
    );
  });

  it('brings anything there and back', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anyGeometry(), { maxLength: 6 }), async (objects) => {
        const near = JSON.parse(JSON.stringify(objects)) as (GeometryObject | null)[];
        const scaled = JSON.parse(
          JSON.stringify(near).replace(/-?\d+(\.\d+)?(e-?\d+)?/g, (text) => String(Number(text) / 1e6)),
        ) as (GeometryObject | null)[];
        // Degrees within one of 27° W, 45° N; heights stay as they are.
        const place = (value: unknown): unknown =>
          Array.isArray(value)
            ? typeof value[0] === 'number'
              ? [value[0] - 27, value[1] + 45, ...value.slice(2)]
              : value.map(place)
            : value !== null && typeof value === 'object'
              ? Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, place(inner)]))
              : value;
        const placed = place(scaled) as (GeometryObject | null)[];
        const back = await geometries(reprojectLayer(reprojectLayer(layer(placed), utm), wgs84()));
        const numbers = (value: unknown) =>
          JSON.stringify(value)
            .match(/-?\d+(\.\d+)?(e-?\d+)?/g)
            ?.map(Number) ?? [];
        const [a, b] = [numbers(placed), numbers(back)];
        expect(a.length).toBe(b.length);
        a.forEach((value, k) => {
          expect(Math.abs(value - b[k])).toBeLessThan(1e-11);
        });
      }),
      { numRuns: 100 },
    );
  });

  it('gives a box that holds the image of every point of the box', () => {
    const there = transformer(wgs84(), utm);
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (u, v) => {
          const box = transformBox([-30, 44, -25, 47], there, 200);
          const xy = Float64Array.of(-30 + 5 * u, 44 + 3 * v);
          there.transform(xy);
          expect(xy[0]).toBeGreaterThan(box[0] - 1);
          expect(xy[0]).toBeLessThan(box[2] + 1);
          expect(xy[1]).toBeGreaterThan(box[1] - 1);
          expect(xy[1]).toBeLessThan(box[3] + 1);
        },
      ),
      { numRuns: 100 },
    );
  });

  it('says another CRS without touching coordinates', async () => {
    const said = assignCrs(layer([{ type: 'Point', coordinates: [500_000, 5_000_000] }], null), utm);
    expect(said.crs).toBe(utm);
    expect(await geometries(said)).toEqual([{ type: 'Point', coordinates: [500_000, 5_000_000] }]);
    expect(said.accounts[0].sentence).toBe(
      'Assign CRS: 1 things in; 1 read as EPSG:32626 (WGS 84 / UTM zone 26N) instead of unknown CRS.',
    );
  });
});

describe('concatenate', () => {
  it('puts tables with the same and other fields one after the other', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyRows(['integer', 'text'], 1),
        anyRows(['integer', 'real', 'text'], 1),
        async (a, b) => {
          const named = (rows: typeof a) =>
            tableOf({
              name: 't',
              schema: rows.fields,
              batches: [
                new Batch({ length: rows.rows.length, first: 0, geometry: null, columns: rows.columns }),
              ],
            });
          const both = concatenate('both', [named(a), named(b)]);
          const read: Record<string, unknown>[] = [];
          for await (const row of rowsOf(both)) read.push(row);
          expect(read).toHaveLength(a.rows.length + b.rows.length);
          expect(both.count).toBe(read.length);
          a.rows.forEach((row, i) => {
            a.fields.forEach((field, c) => {
              expect(read[i][field.name]).toEqual(row[c]);
            });
          });
          b.rows.forEach((row, i) => {
            b.fields.forEach((field, c) => {
              expect(read[a.rows.length + i][field.name]).toEqual(row[c]);
            });
          });
        },
      ),
      { numRuns: 100 },
    );
  });

  it('numbers the features on, takes the wider type, and refuses different CRSs', async () => {
    const part = (fields: Field[], value: string) =>
      tableOf({
        name: 'p',
        schema: fields,
        batches: [new Batch({ length: 1, first: 0, geometry: null, columns: [textColumn([value])] })],
      });
    const both = concatenate('both', [
      part([{ name: 'a', type: 'text' }], '01'),
      part([{ name: 'a', type: 'text' }], '02'),
    ]);
    const ids: (string | number)[] = [];
    for await (const batch of both.batches()) for (let i = 0; i < batch.length; i++) ids.push(batch.id(i));
    expect(ids).toEqual([1, 2]);
    expect(() => concatenate('x', [layer([]), layer([], utm)])).toThrowError(/not all in one CRS/);
  });
});

describe('checks', () => {
  const square: GeometryObject = {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [10, 0],
        [10, 10],
        [0, 10],
        [0, 0],
      ],
    ],
  };
  const bow: GeometryObject = {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [10, 10],
        [10, 0],
        [0, 10],
        [0, 0],
      ],
    ],
  };

  it('report invalid geometry with its place', async () => {
    const things = layer([square, bow, null]);
    const { findings, sentences } = await runChecks(things, [validCheck(things)]);
    expect(findings).toMatchObject([
      { code: 'self-intersection', severity: 'error', feature: 2, at: [5, 5] },
    ]);
    expect(sentences).toEqual(['Valid: 3 things; 2 valid, 1 not.']);
  });

  it('report keys that are blank or come twice, and conditions that do not hold or cannot be told', async () => {
    const table = tableOf({
      name: 'wards',
      schema: [{ name: 'code', type: 'text' }],
      batches: [
        new Batch({ length: 4, first: 0, geometry: null, columns: [textColumn(['a', 'b', 'a', null])] }),
      ],
    });
    const { findings, sentences } = await runChecks(table, [
      keyCheck(table, 'code'),
      conditionCheck(table, "code <> 'b'"),
    ]);
    expect(findings.map((finding) => [finding.code, finding.feature])).toEqual([
      ['key-twice', 3],
      ['key-missing', 4],
      ['condition-broken', 2],
      ['condition-unknown', 4],
    ]);
    expect(sentences[0]).toBe('Key code: 4 wards; 2 different keys, 1 that occur more than once, 1 blank.');
    expect(() => keyCheck(table, 'cod')).toThrowError(/There is no field “cod”/);
  });

  it('keep findings of one kind to a sensible number and count the rest', async () => {
    const things = layer(Array.from({ length: 500 }, () => bow));
    const { findings } = await runChecks(things, [validCheck(things)]);
    expect(findings).toHaveLength(201);
    expect(findings[200].words).toBe('300 more of the same kind.');
  });

  it('notice a layer that lies nowhere near the area', async () => {
    const area = new AreaIndex(geometriesFrom([square]));
    const far = layer([{ type: 'Point', coordinates: [500_000, 5_000_000] }]);
    expect((await runChecks(far, [areaCheck(far, area)])).findings).toMatchObject([
      { code: 'layer-misses-area', severity: 'error' },
    ]);
    const near = layer([square]);
    expect((await runChecks(near, [areaCheck(near, area)])).findings).toEqual([]);
    const none = layer([]);
    expect((await runChecks(none, [areaCheck(none, area)])).findings).toMatchObject([
      { code: 'layer-empty' },
    ]);
  });
});

describe('prepared area', () => {
  it('answers for points as the rings say, whichever way they run', () => {
    const point = fc.tuple(fc.integer({ min: 0, max: 9 }), fc.integer({ min: 0, max: 9 }));
    fc.assert(
      fc.property(fc.array(point, { minLength: 3, maxLength: 9 }), point, (ring, [x, y]) => {
        let area: AreaIndex;
        try {
          area = new AreaIndex(geometriesFrom([{ type: 'Polygon', coordinates: [[...ring, ring[0]]] }]));
        } catch (error) {
          expect((error as IsomericError).code).toBe('area-empty');
          return;
        }
        // So far off the lattice that no edge between lattice points of this grid comes near: plain arithmetic will do.
        const px = x + 0.371234567;
        const py = y + 0.592345678;
        let winding = 0;
        const closed = [...ring, ring[0]];
        for (let k = 0; k + 1 < closed.length; k++) {
          const [ax, ay] = closed[k];
          const [bx, by] = closed[k + 1];
          if (ay > py !== by > py && px < ax + ((py - ay) / (by - ay)) * (bx - ax))
            winding += by > ay ? 1 : -1;
        }
        expect(area.locate(px, py) > 0).toBe(winding !== 0);
      }),
      { numRuns: 500 },
    );
  });

  it('says what no area is', () => {
    expect(() => new AreaIndex(geometriesFrom([{ type: 'Point', coordinates: [1, 2] }]))).toThrowError(
      IsomericError,
    );
    expect(
      () =>
        new AreaIndex(
          geometriesFrom([
            {
              type: 'Polygon',
              coordinates: [
                [
                  [0, 0],
                  [Number.NaN, 1],
                  [1, 1],
                  [0, 0],
                ],
              ],
            },
          ]),
        ),
    ).toThrowError(/has the coordinate NaN at its vertex/);
  });
});

describe('dates and words', () => {
  it('dates and times go there and back', () => {
    fc.assert(
      fc.property(fc.integer({ min: -100_000, max: 200_000 }), (days) => {
        expect(parseDate(dateText(days))).toBe(days);
      }),
    );
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 4e12 }), (time) => {
        expect(parseTimestamp(timestampText(time))).toBe(time);
      }),
    );
    // Beyond four digits, beyond the language's own calendar, and the widest that 32 bits hold.
    expect([3_000_000, -800_000, 100_000_001, 2_147_483_647, -2_147_483_648].map(dateText)).toEqual([
      '+010183-09-21',
      '-000221-09-04',
      '+275760-09-14',
      '+5881580-07-11',
      '-5877641-06-23',
    ]);
    expect(timestampText(8.64e15 + 1000)).toBe('+275760-09-13T00:00:01Z');
    expect(timestampText(Number.NaN)).toBe('NaN');
    expect(parseDate('2023-02-29')).toBeNaN();
    expect(parseTimestamp('2024-05-01T10:00:00+02:00')).toBe(Date.UTC(2024, 4, 1, 8));
    expect(parseTimestamp('2024-05-01T25:00:00Z')).toBeNaN();
  });

  it('finds the nearest word, and none when none is near', () => {
    expect(spellingDistance('wards', 'wrads')).toBe(1);
    expect(nearestWord('housholds', ['households', 'name'])).toBe('households');
    expect(nearestWord('xyz', ['households', 'name'])).toBeUndefined();
  });

  it('reads CRS names with any punctuation', () => {
    expect(crsFromText('wgs84 utm zone 26n').code).toBe('EPSG:32626');
  });
});
