import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { ombreyExtract } from '../../../demo/country/extract/ombrey.ts';
import { seeded } from '../../../demo/country/random.ts';
import {
  type Chain,
  fillRings,
  GeometryMaker,
  geometriesFrom,
  innerPoint,
  joinRings,
  overlayAreas,
  planarArea,
} from '../../../src/core/index.ts';
import { assemble } from '../../../src/formats/osm/assembling/assemble.ts';
import { memoryTarget } from '../../../src/formats/writing/target.ts';
import { openPath } from '../../../src/node/index.ts';
import {
  Drawing,
  featuresOf,
  type Position,
  pbfExtract,
  taken,
  xmlExtract,
} from '../../support/extract-made.ts';

const grid = 1e-4;
const at = (x: number, y: number): Position => [Math.round(x * 1e3) / 1e7, Math.round(y * 1e3) / 1e7];

/** A ring around a place that no ray from there meets twice: never crossing itself. */
function star(x: number, y: number, reach: number, corners: number, random: () => number): Position[] {
  const ring = Array.from({ length: corners }, (_, k): Position => {
    const angle = (2 * Math.PI * (k + 0.8 * random())) / corners;
    const r = reach * (0.6 + 0.4 * random());
    return at(x + r * Math.cos(angle), y + r * Math.sin(angle));
  });
  return [...ring, ring[0]];
}

/** Cuts a ring into ways at some of its corners, turns some of them round. */
function cutUp(ring: readonly Position[], pieces: number, random: () => number): Position[][] {
  const n = ring.length - 1;
  const cuts = [...new Set(Array.from({ length: pieces }, () => Math.floor(random() * n)))].sort(
    (a, b) => a - b,
  );
  const ways = cuts.map((from, k) => {
    const to = k + 1 < cuts.length ? cuts[k + 1] : cuts[0] + n;
    const way: Position[] = [];
    for (let v = from; v <= to; v++) way.push(ring[v % n]);
    return random() < 0.5 ? way.reverse() : way;
  });
  return ways;
}

/** The ring from its least corner on, counter-clockwise: the same for every way of writing it. */
function canonical(ring: readonly Position[]): string {
  let open = ring.slice(0, -1);
  let twice = 0;
  for (let k = 0; k < open.length; k++) {
    const [ax, ay] = open[k];
    const [bx, by] = open[(k + 1) % open.length];
    twice += (ax - open[0][0]) * (by - open[0][1]) - (bx - open[0][0]) * (ay - open[0][1]);
  }
  if (twice < 0) open = [...open].reverse();
  let least = 0;
  open.forEach(([x, y], k) => {
    if (x < open[least][0] || (x === open[least][0] && y < open[least][1])) least = k;
  });
  return JSON.stringify([...open.slice(least), ...open.slice(0, least)]);
}

type Polygons = Position[][][];
const polygonsOf = (geometry: unknown): Polygons => {
  const { type, coordinates } = geometry as { type: string; coordinates: unknown };
  return (type === 'Polygon' ? [coordinates] : coordinates) as Polygons;
};
const canonicalPolygons = (polygons: Polygons) =>
  polygons.map(([shell, ...holes]) => [canonical(shell), ...holes.map(canonical).sort()].join('|')).sort();

function shuffled<T>(list: readonly T[], random: () => number): T[] {
  return list
    .map((each) => [random(), each] as const)
    .sort((a, b) => a[0] - b[0])
    .map(([, each]) => each);
}

describe('areas of relations', () => {
  test('polygons with holes, and islands in them, come back from ways in any order and direction', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 1, max: 2 ** 31 }),
        fc.integer({ min: 1, max: 4 }),
        async (seed, outers) => {
          const random = seeded(seed);
          const expected: Polygons = [];
          const drawing = new Drawing();
          const members: [number, string][] = [];
          const put = (ring: Position[], role: string) => {
            for (const way of cutUp(ring, 1 + Math.floor(random() * 5), random))
              members.push([drawing.way(way), random() < 0.3 ? '' : role]);
          };
          for (let o = 0; o < outers; o++) {
            const shell = star(3000 * o, 0, 1000, 8 + Math.floor(random() * 20), random);
            const polygon: Position[][] = [shell];
            put(shell, 'outer');
            for (let h = 0; h < Math.floor(random() * 4); h++) {
              const hole = star(
                3000 * o + 260 * Math.cos(h * 2),
                260 * Math.sin(h * 2),
                150,
                6 + Math.floor(random() * 6),
                random,
              );
              polygon.push(hole);
              put(hole, 'inner');
              if (random() < 0.3) {
                const island = star(3000 * o + 260 * Math.cos(h * 2), 260 * Math.sin(h * 2), 40, 5, random);
                expected.push([island]);
                put(island, 'outer');
              }
            }
            expected.push(polygon);
          }
          drawing.relation({ type: 'multipolygon', landuse: 'forest' }, shuffled(members, random));
          const { features, findings } = await taken(await pbfExtract(drawing.objects));
          expect(findings).toEqual([]);
          expect(canonicalPolygons(polygonsOf(features.land_use[0].geometry))).toEqual(
            canonicalPolygons(expected),
          );
        },
      ),
      { numRuns: 60 },
    );
  });

  test('what rings cover is what even–odd filling says, whatever they do to each other', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.array(fc.tuple(fc.integer({ min: 0, max: 6 }), fc.integer({ min: 0, max: 6 })), {
            minLength: 3,
            maxLength: 7,
          }),
          { minLength: 2, maxLength: 3 },
        ),
        (rings) => {
          const joined = rings.map((ring) => {
            const closed = [...ring, ring[0]];
            return {
              nodes: Float64Array.from(closed, ([x, y]) => 100 * x + y),
              xy: Float64Array.from(closed.flat()),
              chains: [0],
            };
          });
          const builder = new GeometryMaker();
          const { polygons } = fillRings(joined, builder);
          const filled = polygons === 0 ? 0 : planarArea(builder.finish(), 0);
          // By another way: symmetric difference of the rings, one after the other.
          let sum = geometriesFrom([null]);
          for (const ring of rings) {
            const other = geometriesFrom([{ type: 'Polygon', coordinates: [[...ring, ring[0]]] }]);
            const next = new GeometryMaker();
            sum =
              overlayAreas('symmetric-difference', sum, 0, other, 0, next, {
                rules: { a: 'even-odd', b: 'even-odd' },
              }) === 0
                ? geometriesFrom([null])
                : next.finish();
          }
          expect(filled).toBeCloseTo(sum.kind[0] === 0 ? 0 : planarArea(sum, 0), 9);
        },
      ),
      { numRuns: 200 },
    );
  });

  const square = (x: number, y: number, side: number): Position[] => [
    at(x, y),
    at(x + side, y),
    at(x + side, y + side),
    at(x, y + side),
    at(x, y),
  ];
  const area = async (drawing: Drawing) => {
    const { features, findings } = await taken(await xmlExtract(drawing.objects));
    return {
      polygons: features.land_use === undefined ? [] : polygonsOf(features.land_use[0].geometry),
      findings,
    };
  };
  const forest = { type: 'multipolygon', landuse: 'forest' };

  test('rings that touch in a node stay rings of their own', async () => {
    const drawing = new Drawing();
    // A figure of eight of two ways, and a hole that touches its shell.
    const [a, b] = [square(0, 0, 100), square(100, 100, 100)];
    const one = drawing.way([...a.slice(0, 3), ...b.slice(1, 4)]);
    const two = drawing.way([a[0], a[3], a[2], b[3]].map((place) => place));
    drawing.relation(forest, [one, two]);
    const { polygons, findings } = await area(drawing);
    expect(findings).toEqual([]);
    expect(canonicalPolygons(polygons)).toEqual(canonicalPolygons([[a], [b]]));
  });

  test('a hole that touches its shell is a hole', async () => {
    const drawing = new Drawing();
    const shell = square(0, 0, 100);
    const hole: Position[] = [shell[0], at(40, 20), at(20, 40), shell[0]];
    drawing.relation(forest, [drawing.way(shell), [drawing.way(hole), 'inner']]);
    const { polygons, findings } = await area(drawing);
    expect(findings).toEqual([]);
    expect(canonicalPolygons(polygons)).toEqual(canonicalPolygons([[shell, hole]]));
  });

  test('holes that share a border are one hole', async () => {
    const drawing = new Drawing();
    const holes = [square(10, 10, 20), square(30, 10, 20)];
    drawing.relation(forest, [
      drawing.way(square(0, 0, 100)),
      ...holes.map((hole): [number, string] => [drawing.way(hole), 'inner']),
    ]);
    const { polygons } = await area(drawing);
    expect(polygons).toHaveLength(1);
    expect(canonical(polygons[0][1])).toBe(
      canonical([at(10, 10), at(30, 10), at(50, 10), at(50, 30), at(30, 30), at(10, 30), at(10, 10)]),
    );
  });

  test('two relations share a way', async () => {
    const drawing = new Drawing();
    const middle = drawing.way([at(100, 0), at(90, 50), at(100, 100)]);
    const left = drawing.way([at(100, 0), at(0, 0), at(0, 100), at(100, 100)]);
    const right = drawing.way([at(100, 0), at(200, 0), at(200, 100), at(100, 100)]);
    drawing.relation(forest, [left, middle]);
    drawing.relation({ type: 'boundary', landuse: 'meadow' }, [middle, right]);
    const { features } = await taken(await xmlExtract(drawing.objects));
    const shared = JSON.stringify(at(90, 50));
    expect(features.land_use.map((row) => row.subclass)).toEqual(['forest', 'grassland']);
    for (const row of features.land_use) expect(JSON.stringify(row.geometry)).toContain(shared);
  });

  test('a missing way is told with its number; rings that close are kept', async () => {
    const drawing = new Drawing();
    const whole = square(500, 0, 50);
    const half = drawing.way(square(0, 0, 100).slice(0, 3));
    drawing.relation(forest, [half, 999, drawing.way(whole)]);
    const { polygons, findings } = await area(drawing);
    expect(canonicalPolygons(polygons)).toEqual(canonicalPolygons([[whole]]));
    expect(findings).toEqual([
      expect.objectContaining({
        code: 'relation-incomplete',
        severity: 'error',
        feature: 'relation/1001',
        words: '1 of its 3 ways is not in the extract (way/999); 1 ring that closes was kept.',
      }),
    ]);
  });

  test('a border that stays open is told with the node', async () => {
    const drawing = new Drawing();
    drawing.relation(forest, [drawing.way(square(0, 0, 100).slice(0, 4))]);
    const { polygons, findings } = await area(drawing);
    expect(polygons).toEqual([]);
    expect(findings).toMatchObject([
      {
        code: 'ring-open',
        feature: 'relation/1001',
        words: expect.stringContaining('node/1 of way/101'),
        at: at(0, 0),
      },
    ]);
  });

  test('a hole without its shell never becomes an area', async () => {
    const drawing = new Drawing();
    drawing.relation(forest, [999, [drawing.way(square(0, 0, 100)), 'inner']]);
    expect((await area(drawing)).polygons).toEqual([]);
  });

  test('rings that cross without a node are told and filled even–odd', async () => {
    const drawing = new Drawing();
    drawing.relation(forest, [drawing.way(square(0, 0, 100)), drawing.way(square(50, 50, 100))]);
    const { polygons, findings } = await area(drawing);
    expect(findings.map(({ code }) => code)).toEqual(['rings-cross']);
    const builder = geometriesFrom([{ type: 'MultiPolygon', coordinates: polygons }]);
    expect(planarArea(builder, 0) / grid ** 2).toBeCloseTo(2 * 100 ** 2 - 2 * 50 ** 2, 3);
  });

  test('wrong roles, ways listed twice, tags of old', async () => {
    const drawing = new Drawing();
    const outer = drawing.way(square(0, 0, 100));
    drawing.relation(forest, [
      [outer, 'inner'],
      [drawing.way(square(10, 10, 20)), 'outer'],
      [outer, 'inner'],
    ]);
    const old = drawing.way(square(300, 0, 100), { landuse: 'orchard', name: 'Old' });
    drawing.relation({ type: 'multipolygon' }, [old, [drawing.way(square(310, 10, 20)), 'inner']]);
    const { features, findings, counts } = await taken(await xmlExtract(drawing.objects));
    expect(findings.map(({ code, feature }) => [code, feature])).toEqual([
      ['member-twice', 'relation/1001'],
      ['role-wrong', 'relation/1001'],
      ['tags-on-outer-way', 'relation/1002'],
    ]);
    expect(features.land_use.map((row) => [row.feature, row.subclass, row.name])).toEqual([
      ['relation/1001', 'forest', null],
      ['relation/1002', 'orchard', 'Old'],
    ]);
    expect(counts.inRelations).toBe(1);
    for (const row of features.land_use) expect(polygonsOf(row.geometry)[0]).toHaveLength(2);
  });
});

describe('ways', () => {
  const closed: Position[] = [at(0, 0), at(50, 0), at(50, 50), at(0, 50), at(0, 0)];
  const cases: [Record<string, string>, 'Polygon' | 'LineString'][] = [
    [{ building: 'yes' }, 'Polygon'],
    [{ landuse: 'forest' }, 'Polygon'],
    [{ highway: 'residential' }, 'LineString'],
    [{ highway: 'tertiary', junction: 'roundabout' }, 'LineString'],
    [{ highway: 'pedestrian', area: 'yes' }, 'Polygon'],
    [{ leisure: 'track' }, 'LineString'],
    [{ leisure: 'pitch' }, 'Polygon'],
    [{ natural: 'coastline' }, 'LineString'],
    [{ natural: 'water' }, 'Polygon'],
    [{ barrier: 'fence' }, 'LineString'],
    [{ barrier: 'hedge', area: 'yes' }, 'Polygon'],
    [{ building: 'yes', area: 'no' }, 'LineString'],
    [{ man_made: 'dyke' }, 'LineString'],
    [{ man_made: 'storage_tank' }, 'Polygon'],
    [{ waterway: 'dock' }, 'Polygon'],
    [{ railway: 'rail' }, 'LineString'],
  ];
  test.each(cases)('a closed way with %j is a %s', async (tags, kind) => {
    const drawing = new Drawing();
    drawing.way(closed, tags);
    const extract = await pbfExtract(drawing.objects);
    const kinds: string[] = [];
    await assemble(extract, {
      shapes: [true, true, true],
      route: () => true,
      wants: () => true,
      take: (_, { geometry }) => kinds.push(['', 'Point', 'LineString', 'Polygon'][geometry.kindOf(0)]),
    });
    expect(kinds).toEqual([kind]);
  });

  test('never a line across missing nodes; no area with one; open houses are told', async () => {
    const drawing = new Drawing();
    const [a, b, c, d] = closed.map((place) => drawing.node(place));
    drawing.wayOf([a, b, 777, c, d], { highway: 'track' });
    drawing.wayOf([a, b, 777, c, a], { building: 'yes' });
    drawing.wayOf([a, b, c], { building: 'yes' });
    const { features, findings, counts } = await taken(await xmlExtract(drawing.objects));
    expect(features.roads[0].geometry).toEqual({
      type: 'MultiLineString',
      coordinates: [
        [closed[0], closed[1]],
        [closed[2], closed[3]],
      ],
    });
    expect(findings.map(({ code, feature, severity }) => [code, feature, severity])).toEqual([
      ['area-open', 'way/103', 'warning'],
      ['way-incomplete', 'way/101', 'warning'],
      ['way-incomplete', 'way/102', 'error'],
    ]);
    expect(counts.broken).toBe(1);
  });

  test('lines of waterway relations run through, whichever way their ways were drawn', async () => {
    const drawing = new Drawing();
    const [a, b, c, d] = [at(0, 0), at(10, 5), at(20, 0), at(30, 5)];
    const ways = [drawing.way([b, a]), drawing.way([b, c]), drawing.way([d, c])];
    drawing.relation(
      { type: 'waterway', waterway: 'river', name: 'Omber' },
      ways.map((way): [number, string] => [way, '']),
    );
    const { features } = await taken(await xmlExtract(drawing.objects));
    expect(features.waterways).toMatchObject([
      { feature: 'relation/1001', geometry: { type: 'LineString', coordinates: [a, b, c, d] } },
    ]);
  });
});

describe('joining', () => {
  test('chains of any graph: what closes is a ring, every chain is used once at most', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 6 }), fc.integer({ min: 0, max: 6 })), { maxLength: 14 }),
        (pairs) => {
          // Each chain has two nodes of its own between its ends.
          const chains = pairs.map(
            ([from, to], k): Chain => ({
              nodes: Float64Array.of(from, 100 + 2 * k, 101 + 2 * k, to),
              xy: Float64Array.of(from, from ** 2, k, 50, k, 60, to, to ** 2),
            }),
          );
          const { rings, open } = joinRings(chains);
          const used = rings.flatMap((ring) => ring.chains);
          expect(new Set(used).size).toBe(used.length);
          for (const { nodes } of rings) {
            expect(nodes[0]).toBe(nodes[nodes.length - 1]);
            const inner = [...nodes.slice(1)];
            expect(new Set(inner).size).toBe(inner.length);
          }
          const degree = new Map<number, number>();
          for (const [from, to] of pairs)
            if (from !== to) for (const node of [from, to]) degree.set(node, (degree.get(node) ?? 0) + 1);
          const odd = [...degree].filter(([, count]) => count % 2 === 1).map(([node]) => node);
          expect(open.map(({ node }) => node).sort()).toEqual(odd.sort());
          // Where every node has an even number of ends, nothing is left over.
          if (odd.length === 0) expect(used.length).toBe(pairs.length);
        },
      ),
      { numRuns: 300 },
    );
  });
});

describe('points inside areas', () => {
  test('lie inside, for areas with holes too', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 31 }), (seed) => {
        const random = seeded(seed);
        const shell = star(0, 0, 1000, 5 + Math.floor(random() * 20), random);
        const hole = star(30, 20, 350, 6, random);
        const array = geometriesFrom([{ type: 'Polygon', coordinates: [shell, hole] }]);
        const point: [number, number] = [0, 0];
        expect(innerPoint(array, 0, point)).toBe(true);
        // A tiny square around it is covered whole.
        const d = 1e-9;
        const [x, y] = point;
        const tiny = geometriesFrom([
          {
            type: 'Polygon',
            coordinates: [
              [
                [x - d, y - d],
                [x + d, y - d],
                [x + d, y + d],
                [x - d, y + d],
                [x - d, y - d],
              ],
            ],
          },
        ]);
        const builder = new GeometryMaker();
        expect(overlayAreas('intersection', array, 0, tiny, 0, builder)).toBe(1);
        expect(planarArea(builder.finish(), 0)).toBeCloseTo(planarArea(tiny, 0), 20);
      }),
    );
  });
});

describe('memory', () => {
  test('positions and ways outside memory give the same', async () => {
    const extract = await pbfExtract(ombreyExtract(), { blockLimit: 500 });
    const here = await taken(extract);
    const scratch = () => memoryTarget('x').scratch();
    const outside = await taken(extract, { scratch, nodeMemory: 0 });
    expect(outside.features).toEqual(here.features);
    expect(outside.findings).toEqual(here.findings);
  });
});

describe('the extract of the demo', () => {
  test('its wards and districts are those of the boundary office, to the last node', async () => {
    const { features } = await taken(await pbfExtract(ombreyExtract()), { classes: ['boundaries'] });
    const [{ table: wards }] = await openPath('demo/data/boundary-office/wards-2024.geojson');
    const office = new Map(
      (await featuresOf([wards as never])).wards.map((row) => [String(row.code), polygonsOf(row.geometry)]),
    );
    const own = features.boundaries_areas.filter((row) => row.subclass === 'municipality');
    expect(own).toHaveLength(37);
    for (const row of own)
      expect(canonicalPolygons(polygonsOf(row.geometry))).toEqual(
        canonicalPolygons(office.get(String(row.code))!),
      );
  });

  test('all its planted troubles are told', async () => {
    const { findings, unclassified } = await taken(await pbfExtract(ombreyExtract()));
    const codes = findings.map(({ code }) => code);
    for (const code of [
      'area-open',
      'member-twice',
      'relation-incomplete',
      'relation-without-tags',
      'ring-open',
      'rings-cross',
      'role-wrong',
      'tags-on-outer-way',
      'way-incomplete',
    ])
      expect(codes).toContain(code);
    expect(unclassified.slice(0, 3).map(({ key, value, count }) => [key, value, count])).toEqual([
      ['flood_mark', 'yes', 37],
      ['gauge_post', 'staff', 8],
      ['highway', 'residental', 1],
    ]);
  });
});
