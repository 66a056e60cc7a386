import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  Batch,
  concatenate,
  filterRows,
  groupRows,
  joinTable as joinTables,
  type Layer,
  lengthenRows,
  selectColumns,
  tableOf,
  textColumn,
  widenRows,
} from '../../../src/core/index.ts';
import { openOne, saverFor } from '../../../src/node/index.ts';
import { commandIn } from '../../support/command.ts';
import { everything, openFiles, saved } from '../../support/saved.ts';
import { StudyFolder } from '../../support/study-folder.ts';

let folder: string;
let isomeric: ReturnType<typeof commandIn>;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-ids-'));
  isomeric = commandIn(folder);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const square = (x: number, y = 0, size = 1) => ({
  type: 'Polygon',
  coordinates: [
    [
      [x, y],
      [x + size, y],
      [x + size, y + size],
      [x, y + size],
      [x, y],
    ],
  ],
});
const collection = (features: readonly { id?: unknown; properties: object; geometry?: object }[]) =>
  JSON.stringify({
    type: 'FeatureCollection',
    features: features.map((each, k) => ({ type: 'Feature', geometry: square(k), ...each })),
  });
/** The only code of these counties is their id. */
const counties = collection([
  { id: '01001', properties: { name: 'Abbey' } },
  { id: '01003', properties: { name: 'Barton' } },
  { id: '02016', properties: { name: 'Cove' } },
]);
const open = async (name: string, text: string) => {
  const [{ table }] = await openFiles(new Map([[name, new TextEncoder().encode(text)]]));
  return table as Layer;
};
const values = async (table: Layer, field: string) => {
  const c = table.schema.findIndex((each) => each.name === field);
  expect(c, table.schema.map(({ name }) => name).join()).toBeGreaterThanOrEqual(0);
  const all: unknown[] = [];
  for await (const batch of table.batches())
    for (let i = 0; i < batch.length; i++) all.push(batch.columns[c].value(i));
  return all;
};

describe('ids of features', () => {
  it('are the first field: text or number, as they are', async () => {
    const texts = await open('c.geojson', counties);
    expect(texts.schema).toEqual([
      { name: 'id', type: 'text', featureId: 'given' },
      { name: 'name', type: 'text' },
    ]);
    expect(await values(texts, 'id')).toEqual(['01001', '01003', '02016']);
    const numbers = await open(
      'n.geojson',
      collection([
        { id: 7, properties: {} },
        { id: 12, properties: {} },
      ]),
    );
    expect(numbers.schema).toEqual([{ name: 'id', type: 'integer', featureId: 'given' }]);
    const topology = await open(
      'c.topojson',
      '{"type":"Topology","arcs":[],"objects":{"c":{"type":"GeometryCollection","geometries":[{"type":"Point","coordinates":[1,2],"id":"01001"},{"type":"Point","coordinates":[3,4],"id":"01003"}]}}}',
    );
    expect(await values(topology, 'id')).toEqual(['01001', '01003']);
    const kml = await open(
      'c.kml',
      '<kml xmlns="http://www.opengis.net/kml/2.2"><Placemark id="w7"><name>A</name></Placemark><Placemark id="w9"/></kml>',
    );
    expect(await values(kml, 'id')).toEqual(['w7', 'w9']);
    const gml = await open(
      'c.gml',
      '<c:All xmlns:c="urn:c" xmlns:gml="http://www.opengis.net/gml/3.2"><gml:featureMember><c:w gml:id="K.4"><c:n>1</c:n></c:w></gml:featureMember><gml:featureMember><c:w gml:id="K.2"><c:n>2</c:n></c:w></gml:featureMember></c:All>',
    );
    expect(await values(gml, 'id')).toEqual(['K.4', 'K.2']);
  });

  it('give way to a property of the same name, which is told', async () => {
    const layer = await open('c.geojson', collection([{ id: 'x', properties: { ID: 1, feature_id: 2 } }]));
    expect(layer.schema.map(({ name }) => name)).toEqual(['feature_id_2', 'ID', 'feature_id']);
    expect(layer.findings.map(({ code, words }) => `${code}: ${words}`)).toContain(
      'id-field-renamed: Features of c have ids beside their property id: the ids are called feature_id_2 here.',
    );
  });

  it('a primary key is one too; where it only numbers the rows it goes into no other format', async () => {
    const path = join(folder, 'keyed.gpkg');
    await saverFor(path).save([await open('c.geojson', counties)], path, '2026-01-01T00:00:00.000Z');
    // The triggers of the index call functions that a bare SQLite does not have.
    execFileSync('sqlite3', [
      path,
      "pragma writable_schema=on; delete from sqlite_master where type = 'trigger'",
    ]);
    execFileSync('sqlite3', [path, 'update c set fid = fid * 10 + 3']);
    const { table } = await openOne(path);
    // The ids that came in the GeoJSON are known as such again.
    expect(table.schema[0]).toEqual({ name: 'id', type: 'text', featureId: 'given' });
    execFileSync('sqlite3', [path, 'delete from gpkg_data_columns']);
    const { table: keyed } = await openOne(path);
    expect(keyed.schema[0]).toEqual({ name: 'fid', type: 'integer', featureId: 'given' });
    expect(await values(filterRows(keyed as Layer, 'fid > 13'), 'fid')).toEqual([23, 33]);
    const { files, notes } = await saved('k.csv', [keyed]);
    expect(new TextDecoder().decode(files.get('k.csv'))).toMatch(/^fid,id,name,wkt\r\n13,01001,/);
    expect(notes).toContain('The ids of the features stand in the column fid.');
    // Kept as primary key, the index of places included.
    const other = join(folder, 'other.gpkg');
    await saverFor(other).save(
      [filterRows(keyed as Layer, "name <> 'Barton'")],
      other,
      '2026-01-01T00:00:00.000Z',
    );
    expect(execFileSync('sqlite3', [other, 'select fid from c order by fid'], { encoding: 'utf8' })).toBe(
      '13\n33\n',
    );
    expect(
      execFileSync(
        'sqlite3',
        [other, "select rtreecheck('rtree_c_geom'); select id from rtree_c_geom order by id"],
        {
          encoding: 'utf8',
        },
      ),
    ).toBe('ok\n13\n33\n');
    execFileSync('sqlite3', [path, 'update c set fid = (fid - 3) / 10']);
    const { table: numbered } = await openOne(path);
    expect(numbered.schema[0]).toEqual({ name: 'fid', type: 'integer', featureId: 'numbering' });
    const plain = await saved('p.csv', [numbered]);
    expect(new TextDecoder().decode(plain.files.get('p.csv'))).toMatch(/^id,name,wkt\r\n/);
    expect(plain.notes).toContain('The column fid was left out: it only numbers the rows.');
  });

  it('whole numbers are keys of a GeoPackage unless two are alike or one is blank', async () => {
    for (const ids of [
      [5, 5],
      [5, null],
      [-3, 2 ** 40],
    ]) {
      const path = join(folder, `twice-${ids.join()}.gpkg`);
      const layer = await open('t.geojson', collection(ids.map((id) => ({ id, properties: {} }))));
      await saverFor(path).save([layer], path, '2026-01-01T00:00:00.000Z');
      const sql = (text: string) => execFileSync('sqlite3', [path, text], { encoding: 'utf8' });
      if (ids[0] === -3) {
        expect(sql('select fid from t')).toBe(`-3\n${2 ** 40}\n`);
        expect(sql('select id from rtree_t_geom where minx < 0.5')).toBe('-3\n');
      } else expect(sql('select fid, id from t')).toBe(`1|5\n2|${ids[1] ?? ''}\n`);
      expect(sql("select rtreecheck('rtree_t_geom')")).toBe('ok\n');
      const { table } = await openOne(path);
      expect(await values(table as Layer, table.schema[0].name)).toEqual(ids);
    }
  });

  it('are kept by every writer, as its own ids or as a column', async () => {
    const layer = await open(
      'c.geojson',
      collection(['01001', '01003', '02016'].map((id, n) => ({ id, properties: { n: n + 100 } }))),
    );
    for (const name of 'c.geojson c.geojsonl c.geojsons c.topojson c.kml c.kmz c.gml c.fgb c.parquet c.csv c.shp'.split(
      ' ',
    )) {
      const { files } = await saved(name, [layer]);
      const [{ table }] = await openFiles(files);
      expect([...(await values(table as Layer, 'id'))].sort(), name).toEqual(['01001', '01003', '02016']);
      const own = /json/.test(name);
      expect(table.schema[0].featureId, name).toBe(own ? 'given' : undefined);
    }
  });

  it('that are XML names become the ids of XML, others a column; never one twice', async () => {
    const named = await open(
      'w.geojson',
      collection([
        { id: 'w.7', properties: {} },
        { id: 'w.9', properties: {} },
      ]),
    );
    const twice = await open('v.geojson', collection([{ id: 'w.9', properties: {} }]));
    const { files, notes } = await saved('x.gml', [named, twice]);
    const text = new TextDecoder().decode(files.get('x.gml'));
    expect(text).toContain('<iso:w gml:id="w.7">');
    expect(text.match(/gml:id="w\.9"/g)).toHaveLength(1);
    expect(text).toContain('<iso:id>w.9</iso:id>');
    expect(notes).toContain('The ids of the features stand in the column id.');
    const [kml] = await openFiles((await saved('w.kml', [named])).files);
    expect(await values(kml.table as Layer, 'id')).toEqual(['w.7', 'w.9']);
  });

  it('come back from GeoJSON and TopoJSON whatever they are', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.oneof(fc.string(), fc.integer(), fc.constant(null)), { minLength: 1, maxLength: 12 }),
        fc.constantFrom('x.geojson', 'x.topojson'),
        async (ids, name) => {
          const layer = await open('x.geojson', collection(ids.map((id) => ({ id, properties: { n: 1 } }))));
          const [{ table }] = await openFiles((await saved(name, [layer])).files);
          const all = ids.every((id) => id === null);
          if (all) return;
          const texts = ids.some((id) => typeof id === 'string');
          expect(await values(table as Layer, 'id')).toEqual(
            ids.map((id) => (id === null || !texts ? id : String(id))),
          );
        },
      ),
      { numRuns: 60 },
    );
  });

  it('serve joins on either side, keys, sorting, columns and conditions', async () => {
    writeFileSync(join(folder, 'c.geojson'), counties);
    writeFileSync(join(folder, 'p.csv'), 'code,persons\r\n01001,5\r\n02016,7\r\n');
    expect((await isomeric('look', 'c.geojson')).out).toMatch(
      /^ {2}id +id, text +3 +0 +01001, 01003, 02016$/m,
    );
    expect(
      (await isomeric('rows', 'c.geojson', '--where', "id = '01003'", '--columns', 'id,name')).out,
    ).toMatch(/^id +name\n01003 +Barton\n1 of 1 rows/);
    expect(
      (await isomeric('rows', 'c.geojson', '--sort', 'id', '--descending', '--limit', '1')).out,
    ).toContain('02016  Cove');
    const joined = await isomeric('join', 'c.geojson', 'p.csv', '--on', 'id = code', '--out', 'j.csv');
    expect(joined.out).toContain('Join: 3 c in; 2 matched on id = code');
    expect(readFileSync(join(folder, 'j.csv'), 'utf8')).toMatch(/^id,name,persons,wkt\r\n01001,Abbey,5,/);
    const other = await isomeric('join', 'p.csv', 'c.geojson', '--on', 'code = id', '--out', 'k.csv');
    expect(other.out).toContain('Join: 2 p in; 2 matched on code = id');
    expect(readFileSync(join(folder, 'k.csv'), 'utf8')).toBe(
      'code,persons,name\r\n01001,5,Abbey\r\n02016,7,Cove\r\n',
    );
    expect((await isomeric('check', 'c.geojson', '--key', 'id')).out).toContain(
      'Key id: 3 c; 3 different keys, 0 that occur more than once, 0 blank.',
    );
  });

  it('serve a study: units of the area, keys, and findings that name features by them', async () => {
    const study = new StudyFolder();
    try {
      writeFileSync(
        join(study.folder, 'units.geojson'),
        collection([
          { id: '01001', properties: { n: 1 } },
          {
            id: '01003',
            properties: { n: 500 },
            geometry: {
              type: 'Polygon',
              coordinates: [
                [
                  [1, 0],
                  [2, 1],
                  [2, 0],
                  [1, 1],
                  [1, 0],
                ],
              ],
            },
          },
          { id: '02016', properties: { n: 3 } },
        ]),
      );
      study.write(
        'gather: { units: { file: units.geojson } }\nprepare: { units: [clip: area] }\ncheck: { units: [valid, "key: id", "n < 100"] }\n',
        'area: { units: { of: units, by: id, code: ["01001", "01003"] } }',
      );
      const { findings } = await study.gather({ only: undefined });
      expect(study.said).toContain(
        'Check: Key id: 2 units; 2 different keys, 0 that occur more than once, 0 blank.',
      );
      expect(study.said.join('\n')).toContain('Area: 2 units (01001, 01003)');
      // What is wrong is wrong with the unit 01003.
      const own = findings.filter(({ layer, severity }) => layer === 'units' && severity !== 'note');
      expect(own.length).toBeGreaterThan(0);
      expect([...new Set(own.map(({ feature }) => feature))]).toEqual(['01003']);
    } finally {
      study.end();
    }
  });

  it('go with the features through verbs, and are plain fields where the features end', async () => {
    const layer = await open('c.geojson', counties);
    const flag = (table: { schema: Layer['schema'] }) =>
      table.schema.map(({ name, featureId }) => [name, featureId]);
    expect(flag(selectColumns(layer, ['name', ['id', 'county']]))).toEqual([
      ['name', undefined],
      ['county', 'given'],
    ]);
    expect(
      flag(groupRows(layer, { by: ['id'], compute: [{ name: 'n', expression: 'count()' }] }))[0],
    ).toEqual(['id', undefined]);
    expect(flag(lengthenRows(layer, { columns: ['name'] }))[0]).toEqual(['id', undefined]);
    const table = tableOf({
      name: 't',
      schema: [{ name: 'code', type: 'text' }],
      batches: [new Batch({ length: 1, first: 0, geometry: null, columns: [textColumn(['01001'])] })],
    });
    expect(flag(joinTables(table, layer, { on: ['code', 'id'], columns: ['id', 'name'] }))).toEqual([
      ['code', undefined],
      ['id', undefined],
      ['name', undefined],
    ]);
    // Pages of which one only seems to number its features.
    const page = (from: number) =>
      open(
        'w.gml',
        `<w:FeatureCollection xmlns:w="http://www.opengis.net/wfs/2.0" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:c="urn:c"><w:member><c:w gml:id="w.${from}"><c:n>1</c:n></c:w></w:member></w:FeatureCollection>`,
      );
    expect((await page(1)).schema[0].featureId).toBe('numbering');
    const pages = concatenate('w', [await page(1), await page(2)]);
    expect(pages.schema[0].featureId).toBe('given');
    expect(await values(pages, 'id')).toEqual(['w.1', 'w.2']);
    expect((await everything(pages)).ids).toEqual(['w.1', 'w.2']);
    // An id a row would keep every row apart.
    const long = await open(
      'l.geojson',
      collection(
        ['a', 'b'].flatMap((unit) =>
          ['m', 'f'].map((sex) => ({ id: `${unit}${sex}`, properties: { unit, sex, n: 1 } })),
        ),
      ),
    );
    expect((await widenRows(long, { by: ['sex'], value: 'n' })).schema.map(({ name }) => name)).toEqual([
      'unit',
      'm',
      'f',
    ]);
  });
});
