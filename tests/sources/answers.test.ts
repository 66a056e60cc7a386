import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { intersectsWith } from '../../src/core/geometry/intersects.ts';
import {
  filterRows,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  overlayAreas,
  planarArea,
  rowsOf,
} from '../../src/core/index.ts';
import { formatOf, sourceFromBytes } from '../../src/formats/index.ts';
import { jsonOutline } from '../../src/formats/opening/json-outline.ts';
import { cql2Text, sendablePart } from '../../src/sources/pushdown.ts';
import { columnRequests } from '../../src/sources/rows/client.ts';
import { closeServices, service } from '../support/http-service.ts';
import { openFiles } from '../support/saved.ts';
import { studiesOfTests } from '../support/study-folder.ts';

afterAll(closeServices);
const newStudy = studiesOfTests();
const study = (source: string, gather: string) =>
  newStudy(`sources:\n  office: ${source}\ngather:\n${gather}`);
const bytes = (value: unknown) =>
  new TextEncoder().encode(typeof value === 'string' ? value : JSON.stringify(value));

describe('conditions', () => {
  const features = [
    {
      name: "O'Neil Öst",
      seen: '2024-05-01',
      at: '2024-05-01T23:30:00-02:00',
      shape: { type: 'Point', coordinates: [1, 1] },
    },
    {
      name: 'upper mill',
      seen: '2023-12-31',
      at: 'yesterday',
      shape: {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [4, 4],
        ],
      },
    },
    {
      name: 'Upper Ford',
      seen: null,
      at: '2024-05-02',
      shape: {
        type: 'Polygon',
        coordinates: [
          [
            [5, 5],
            [9, 5],
            [9, 9],
            [5, 9],
            [5, 5],
          ],
        ],
      },
    },
    { name: null, seen: '2024-06-01', at: null, shape: null },
  ];
  const layer = async () => {
    const text = {
      type: 'FeatureCollection',
      features: features.map(({ shape, ...properties }, id) => ({
        type: 'Feature',
        id,
        properties,
        geometry: shape,
      })),
    };
    const [{ table }] = await openFiles(new Map([['x.geojson', bytes(text)]]));
    return table as Layer;
  };
  const found = async (where: string) => {
    const ids: unknown[] = [];
    for await (const row of rowsOf(filterRows(await layer(), where))) ids.push(row.id);
    return ids;
  };

  it('LIKE with CASEI and ACCENTI on both sides, apostrophes by a backslash', async () => {
    expect(await found("CASEI(name) LIKE CASEI('UPPER%')")).toEqual([1, 2]);
    expect(await found("name LIKE CASEI('uPPer%')")).toEqual([1, 2]);
    expect(await found("ACCENTI(CASEI(name)) LIKE ACCENTI(CASEI('%öst'))")).toEqual([0]);
    expect(await found("name NOT LIKE CASEI('upper%')")).toEqual([0]);
    expect(await found("name = 'O\\'Neil Öst'")).toEqual([0]);
    expect(await found("name LIKE 'O''%' AND name LIKE 'O\\'%'")).toEqual([0]);
    expect(sendablePart("name LIKE CASEI('a%')", new Map([['name', 'text']]), { advanced: true })).toBeNull();
    expect(cql2Text(sendablePart("name = 'O\\'N'", new Map([['name', 'text']]), { advanced: true })!)).toBe(
      "name = 'O''N'",
    );
  });

  it('dates that stand as text are dates beside dates', async () => {
    expect(await found("seen >= DATE('2024-01-01')")).toEqual([0, 3]);
    expect(await found("DATE('2024-01-01') > seen")).toEqual([1]);
    expect(await found("seen BETWEEN DATE('2023-01-01') AND DATE('2024-05-01')")).toEqual([0, 1]);
    // In UTC, the first is of the second of May; what is no date is unknown.
    expect(await found("at = DATE('2024-05-02')")).toEqual([0, 2]);
    expect(await found("at > TIMESTAMP('2024-05-02T00:00:00Z')")).toEqual([0]);
    expect(await found("NOT (at > TIMESTAMP('2024-05-02T00:00:00Z'))")).toEqual([2]);
    await expect(found('name > 5')).rejects.toThrow(/compared with/);
  });

  it('the geometry: whether there is one, and what it meets', async () => {
    expect(await found('geometry IS NULL')).toEqual([3]);
    expect(await found('geometry IS NOT NULL')).toEqual([0, 1, 2]);
    expect(await found('S_INTERSECTS(geometry, BBOX(0.5, 0.5, 1.5, 1.5))')).toEqual([0, 1]);
    expect(await found('S_INTERSECTS(BBOX(4, 4, 5, 5), geometry)')).toEqual([1, 2]);
    expect(await found('NOT S_INTERSECTS(geometry, POINT(6 6))')).toEqual([0, 1]);
    expect(await found('S_DISJOINT(geometry, POINT(6 6))')).toEqual([0, 1]);
    expect(await found('S_WITHIN(geometry, BBOX(-1, -1, 2, 2))')).toEqual(
      await found('S_CONTAINS(BBOX(-1, -1, 2, 2), geometry)'),
    );
    expect(await found('s_intersects(geometry, LINESTRING(6 0, 6 20)) AND name IS NOT NULL')).toEqual([2]);
    expect(
      await found(
        'S_INTERSECTS(geometry, POLYGON((0 0, 3 0, 3 3, 0 3, 0 0), (0.5 0.5, 2 0.5, 2 2, 0.5 2, 0.5 0.5)))',
      ),
    ).toEqual([1]);
    expect(await found('S_INTERSECTS(geometry, MULTIPOINT((1 1), (7 7)))')).toEqual([0, 1, 2]);
    expect(
      await found('S_INTERSECTS(geometry, GEOMETRYCOLLECTION(POINT(1 1), LINESTRING Z (8 8 5, 20 20 5)))'),
    ).toEqual([0, 1, 2]);
    expect(await found('S_INTERSECTS(geometry, BBOX(170, -5, -170, 5))')).toEqual([]);
    for (const [where, words] of [
      ['S_INTERSECTS(geometry, name)', /geometry that is written out/],
      ['S_NEAR(geometry, POINT(1 1))', /S_NEAR is no spatial test/],
      ['S_INTERSECTS(geometry, POLYGON((0 0, 1 1)))', /A ring has four positions/],
      ['S_INTERSECTS(geometry, POINT(1))', /two, three or four numbers/],
      ['S_INTERSECTS(geometry, BBOX(1, 2, 3))', /four numbers/],
      ['S_INTERSECTS(geometry, POINT EMPTY)', /empty geometry meets nothing/],
      ['POINT(1 1)', /stands alone/],
      ['geometry = 1', /There is no field “geometry”/],
    ] as const)
      await expect(found(where), where).rejects.toThrow(words);
  });

  it('meets as the exact overlay does: areas have a common area or a common point', () => {
    const star = fc
      .tuple(
        fc.integer({ min: 0, max: 12 }),
        fc.integer({ min: 0, max: 12 }),
        fc.array(fc.integer({ min: 1, max: 5 }), { minLength: 3, maxLength: 8 }),
      )
      .map(([x, y, radii]): GeometryObject => {
        const ring = radii.map((r, k) => [
          x + r * Math.cos((2 * Math.PI * k) / radii.length),
          y + r * Math.sin((2 * Math.PI * k) / radii.length),
        ]);
        return { type: 'Polygon', coordinates: [[...ring, ring[0]]] };
      });
    fc.assert(
      fc.property(star, star, (a, b) => {
        const array = geometriesFrom([a, b]);
        const meets = intersectsWith(array, 1)(array, 0);
        expect(intersectsWith(array, 0)(array, 1)).toBe(meets);
        expect(intersectsWith(array, 0)(array, 0)).toBe(true);
        const builder = new GeometryMaker();
        const common =
          overlayAreas('intersection', array, 0, array, 1, builder) === 0
            ? 0
            : planarArea(builder.finish(), 0);
        if (common > 0) expect(meets).toBe(true);
        if (!meets) expect(common).toBe(0);
      }),
      { numRuns: 300 },
    );
  });
});

describe('JSON-stat', () => {
  const table = (sex: string[], unit: string[] = ['u']) => ({
    version: '2.0',
    class: 'dataset',
    label: 'People',
    id: ['sex', 'unit'],
    size: [sex.length, unit.length],
    dimension: { sex: { category: { index: sex } }, unit: { category: { index: unit } } },
    value: sex.flatMap(() => unit.map(() => 1)),
  });

  it('several values are repeated where the service does not take commas, or as the study says', async () => {
    const asked: string[] = [];
    const address = await service((request, response) => {
      const url = new URL(request.url!, 'http://x');
      asked.push(url.search);
      response.setHeader('content-type', 'application/json');
      if (url.pathname === '/')
        return response.end(
          JSON.stringify({
            class: 'collection',
            link: { item: [{ class: 'dataset', href: 'people', label: 'People' }] },
          }),
        );
      const sex = url.searchParams.getAll('sex');
      if (sex.some((value) => value.includes(',')))
        return response
          .writeHead(400)
          .end('{"class":"error","error":[{"status":"400","label":"No such sex"}]}');
      response.end(JSON.stringify(table(sex)));
    });
    const gather = '  people: { from: office, choose: { sex: [F, M] } }\n';
    const own = study(`{ kind: json-stat, at: "${address}/" }`, gather);
    await own.gather();
    expect(await own.rows('people')).toHaveLength(2);
    expect(asked.slice(-2)).toEqual(['?sex=F%2CM', '?sex=F&sex=M']);
    expect(own.said.join('\n')).toContain('say “lists: repeated” under sources → office');
    const told = study(`{ kind: json-stat, at: "${address}/", lists: repeated }`, gather);
    await told.gather();
    expect(asked.slice(-1)).toEqual(['?sex=F&sex=M']);
    const commas = study(`{ kind: json-stat, at: "${address}/", lists: commas }`, gather);
    await expect(commas.gather()).rejects.toThrow(/the service answers 400\. It says: “No such sex”/);
  });

  it('collections hold collections; an error that comes as data says why', async () => {
    const address = await service((request, response) => {
      response.setHeader('content-type', 'application/json');
      const answers: Record<string, unknown> = {
        '/': {
          class: 'collection',
          link: {
            item: [
              { class: 'collection', href: 'by-year/', label: 'By year' },
              {
                class: 'collection',
                label: 'Inline',
                link: { item: [{ class: 'dataset', href: 'inline', label: 'Within' }] },
              },
              'odd',
            ],
          },
        },
        '/by-year/': {
          class: 'collection',
          link: {
            item: [
              { class: 'collection', href: '2024/' },
              { class: 'collection', href: '/by-year/' },
            ],
          },
        },
        '/by-year/2024/': {
          class: 'collection',
          link: { item: [{ class: 'dataset', href: '../people', label: 'People 2024' }] },
        },
        '/by-year/people': table(['F']),
        '/inline': { class: 'error', error: { message: 'The table is locked' } },
      };
      response.end(JSON.stringify(answers[request.url!.split('?')[0]] ?? null));
    });
    const own = study(
      `{ kind: json-stat, at: "${address}/" }`,
      '  p: { from: office, table: People 2024 }\n',
    );
    await own.gather();
    expect(await own.rows('p')).toHaveLength(1);
    await expect(
      study(`{ kind: json-stat, at: "${address}/" }`, '  p: { from: office, table: inline }\n').gather(),
    ).rejects.toThrow(/no JSON-stat dataset; it says: “The table is locked”/);
    await expect(
      study(`{ kind: json-stat, at: "${address}/" }`, '  p: { from: office, table: peeple }\n').gather(),
    ).rejects.toThrow(/has no table “peeple”/);
  });
});

describe('rows', () => {
  it('key columns that come by themselves are not asked for; nothing is nothing, and no damage', async () => {
    const asked: string[] = [];
    const address = await service((request, response) => {
      const columns = new URL(request.url!, 'http://x').searchParams.get('columns')!.split(',');
      asked.push(columns.join());
      if (columns.includes('none')) return response.writeHead(204).end();
      if (columns.includes('unit')) return response.writeHead(400).end('unknown variable unit');
      response.end(
        JSON.stringify([
          [...columns, 'unit'],
          ...['01', '02'].map((unit) => [...columns.map(() => '1'), unit]),
        ]),
      );
    });
    const source = `{ kind: rows, at: "${address}/", key columns: [unit], limits: { columns: 3 }`;
    const gather = '  t: { from: office, columns: [a, b, c, d] }\n';
    const own = study(`${source} }`, gather);
    await own.gather();
    expect(await own.rows('t')).toEqual(['01', '02'].map((unit) => ({ a: 1, b: 1, c: 1, d: 1, unit })));
    expect(own.said.join('\n')).toContain('say “keys come unasked: true” under sources → office');
    asked.length = 0;
    const told = study(`${source}, keys come unasked: true }`, gather);
    await told.gather();
    expect(asked).toEqual(['a,b,c', 'd']);
    expect(columnRequests(['unit', 'a', 'b'], ['unit'], 2, true)).toEqual([['a', 'b']]);
    await expect(
      study(`${source}, keys come unasked: true }`, '  t: { from: office, columns: [none] }\n').gather(),
    ).rejects.toMatchObject({
      code: 'source-nothing',
      message: expect.stringMatching(/the service has nothing for what is asked \(204\)/) as string,
    });
    await expect(
      study(
        `{ kind: rows, at: "${address}/", key columns: [code], keys come unasked: true }`,
        '  t: { from: office, columns: [a] }\n',
      ).gather(),
    ).rejects.toThrow(/the rows have no code/);
  });
});

describe('regions', () => {
  const asked: string[] = [];
  const tree: Record<string, unknown> = {
    '/index.json': {
      title: 'All',
      links: [
        { rel: 'child', href: 'north/index.json', title: 'north' },
        { rel: 'child', href: 'south/' },
        { rel: 'self', href: '/' },
      ],
    },
    '/north/index.json': {
      id: 'north',
      title: 'The North',
      bbox: [0, 0, 10, 10],
      links: [{ rel: 'child', href: 'coast.json' }],
    },
    '/north/coast.json': {
      id: 'coast',
      name: 'Coast',
      bbox: [0, 0, 3, 3],
      license: 'L',
      links: [{ rel: 'enclosure', href: '../files/coast.csv', length: 12, updated: '2024-06-30T00:00:00Z' }],
    },
    '/south/': { id: 'south', bbox: [-30.5, 45, -29, 46], links: [{ rel: 'item', href: 'coast' }] },
    '/south/coast': {
      id: 'coast',
      bbox: [-30.4, 45.1, -29.1, 45.9],
      links: [{ rel: 'enclosure', href: '/files/other.csv' }],
    },
  };
  const host = () =>
    service((request, response) => {
      asked.push(request.url!);
      const answer = tree[request.url!];
      response.end(
        answer === undefined
          ? request.url!.endsWith('.csv')
            ? `name\n${request.url!.slice(7)}\n`
            : 'null'
          : JSON.stringify(answer),
      );
    });

  it('are found in a tree of links, by path, by id, or by the area', async () => {
    const address = await host();
    const source = `{ kind: regions, at: "${address}/index.json" }`;
    const path = study(source, '  r: { from: office, region: north/coast }\n');
    await path.gather();
    expect(asked).toEqual(['/index.json', '/north/index.json', '/north/coast.json', '/files/coast.csv']);
    expect(path.files('gathered')).toEqual(['gathered/office/north/coast/@2024-06-30/coast.csv']);
    const { receipts } = await path.ledger();
    expect([...receipts.values()][0]).toMatchObject({
      licence: 'L',
      citation: 'Coast, state of 2024-06-30.',
    });
    const area = study(source, '  r: { from: office }\n');
    await area.gather();
    expect(area.said.join('\n')).toContain('r: coast is the smallest region that holds the whole area.');
    expect(area.files('gathered')).toEqual(['gathered/office/south/coast/other.csv']);
    const id = study(source, '  r: { from: office, region: coast }\n');
    await id.gather();
    expect(id.files('gathered')).toEqual(['gathered/office/north/coast/@2024-06-30/coast.csv']);
    await expect(study(source, '  r: { from: office, region: north/cost }\n').gather()).rejects.toMatchObject(
      { code: 'region-unknown' },
    );
    tree['/south/coast'] = { id: 'coast', links: [{ rel: 'child', href: 'http://[' }] };
    await expect(study(source, '  r: { from: office }\n').gather()).rejects.toMatchObject({
      code: 'source-link',
    });
    tree['/south/coast'] = ['no region'];
    await expect(study(source, '  r: { from: office }\n').gather()).rejects.toMatchObject({
      code: 'source-garbled',
    });
  });
});

describe('large JSON', () => {
  /** Much of one thing before what says what the document is. */
  const long = Array.from({ length: 4000 }, (_, k) => ({
    id: `C${k}`,
    names: { en: `Code ${k}` },
    name: `Code ${k}`,
  }));
  const sdmx = {
    header: { id: 'x' },
    structure: { name: 'People', dimensions: { observation: [{ id: 'AREA', name: 'Area', values: long }] } },
    dataSets: [{ action: 'Information', observations: { '0': [5], '7': [6] } }],
  };

  it('is known by what stands behind its first bytes', async () => {
    const kind = async (value: unknown) => (await formatOf(sourceFromBytes(bytes(value), 'x.json')))?.name;
    expect(await kind(sdmx)).toBe('sdmx-json');
    const [{ table }] = await openFiles(new Map([['x.json', bytes(sdmx)]]));
    expect(table.count).toBe(2);
    expect(await kind({ about: long, type: 'FeatureCollection', features: [] })).toBe('geojson');
    expect(
      await kind({
        arcs: [long.map((_, k) => [k, k])],
        objects: { x: { type: 'GeometryCollection', geometries: [] } },
        type: 'Topology',
      }),
    ).toBe('topojson');
    expect(await kind({ note: long, class: 'dataset', id: ['a'], size: [1], dimension: {} })).toBe(
      'json-stat',
    );
    expect(await kind({ rows: long })).toBe('json-rows');
    const outline = new TextDecoder().decode(
      await jsonOutline(sourceFromBytes(bytes({ a: { b: long, c: 'x"],}{' }, d: [long, 1], e: 2 }), 'x')),
    );
    expect(outline.length).toBeLessThan(3000);
    for (const name of ['"a":', '"b":', '"c":', '"d":', '"e":2']) expect(outline).toContain(name);
  });

  it('an SDMX service that sends something else than was asked for is told', async () => {
    const address = await service((request, response) => {
      const { url } = request as { url: string };
      if (url.includes('structure/dataflow'))
        return response.end(
          JSON.stringify({
            data: {
              dataflows: [
                {
                  id: 'P',
                  agencyID: 'A',
                  version: '1.0',
                  name: 'P',
                  structure: 'urn:sdmx:org.sdmx.infomodel.datastructure.DataStructure=A:P(1.0)',
                },
              ],
              dataStructures: [
                {
                  id: 'P',
                  agencyID: 'A',
                  version: '1.0',
                  dataStructureComponents: { dimensionList: { dimensions: [{ id: 'AREA' }] } },
                },
              ],
            },
          }),
        );
      response.end(url.includes('/data/') ? JSON.stringify({ rows: [{ a: 1 }] }) : 'null');
    });
    const own = study(
      `{ kind: sdmx, at: "${address}/", answers: json }`,
      '  p: { from: office, table: P }\n',
    );
    await expect(own.gather()).rejects.toMatchObject({
      code: 'source-garbled',
      message: expect.stringMatching(/JSON was asked for, and json-rows came/) as string,
    });
    expect(own.files('gathered').filter((path) => path.includes('data-'))).toEqual([]);
  });
});
