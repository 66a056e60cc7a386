import { execFileSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { osmPbf } from '../../demo/country/extract/write-pbf.ts';
import {
  crsByEpsg,
  crsFromText,
  type Finding,
  type GeometryObject,
  IsomericError,
  type Layer,
} from '../../src/core/index.ts';
import { readSrsName } from '../../src/formats/gml/srs.ts';
import { lookAmong, lookInside, sourceFromBytes, surroundingsOf } from '../../src/formats/index.ts';
import { asDamage, guarded, guardedTable } from '../../src/formats/opening/guard.ts';
import { openPath, saverFor } from '../../src/node/index.ts';
import { commandIn } from '../support/command.ts';
import { dbaseBytes, shapeBytes } from '../support/hand-made.ts';
import { everything, now, openFiles } from '../support/saved.ts';
import { tiffBytes } from '../support/tiff.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-odd-files-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const isomeric = commandIn(folder);
const encoder = new TextEncoder();
const read = (text: string, name: string) => openFiles(new Map([[name, encoder.encode(text)]]));

/** Codes of what a whole reading told. */
async function toldBy(table: {
  findings: readonly Finding[];
  batches(): AsyncIterable<unknown>;
}): Promise<string[]> {
  for await (const _ of table.batches());
  return table.findings.map(({ code }) => code);
}

describe('GML', () => {
  it('knows the order of axes by the CRS, however the URN is written and whether it has heights', () => {
    for (const name of [
      'urn:ogc:def:crs:EPSG::4326',
      'urn:x-ogc:def:crs:EPSG:4326',
      'urn:ogc:def:crs:EPSG:9.6:4326',
      'urn:ogc:def:crs:EPSG::4979',
      'http://www.opengis.net/def/crs/EPSG/0/4979',
    ])
      expect([readSrsName(name).crs?.code, readSrsName(name).exchanged], name).toEqual(['EPSG:4326', true]);
    expect(readSrsName('EPSG:4979')).toMatchObject({ exchanged: false, crs: { code: 'EPSG:4326' } });
    // Heights above sea level over the plane of another country: the plane counts.
    expect(crsFromText('EPSG:5972').code).toBe('EPSG:25832');
    expect(crsByEpsg(4937)?.code).toBe('EPSG:4258');
  });

  it('in a CRS that is not known says that nothing tells which ordinate comes first', async () => {
    const [{ table }] = await read(
      '<c xmlns:gml="http://www.opengis.net/gml/3.2"><gml:featureMember><hall><at><gml:Point srsName="urn:ogc:def:crs:EPSG::999999"><gml:pos>45 -29</gml:pos></gml:Point></at></hall></gml:featureMember></c>',
      'x.gml',
    );
    expect(await toldBy(table)).toContain('axis-order-unknown');
  });

  it.each([
    [
      'x.gml',
      '<wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs/2.0" numberMatched="0" numberReturned="0"/>',
    ],
    ['x.gpx', '<gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1"><metadata/></gpx>'],
    ['x.topojson', '{"type":"Topology","objects":{},"arcs":[]}'],
  ])('and others may be whole and empty: %s is a layer without features', async (name, text) => {
    const [{ table }] = await read(text, name);
    expect([table.count, await toldBy(table)]).toEqual([0, ['layer-empty']]);
  });
});

describe('map extracts', () => {
  it('that name a text which their block does not have are damaged', async () => {
    const objects = {
      nodes: [
        {
          id: 1,
          lon: 1,
          lat: 2,
          tags: { amenity: 'school' },
          version: 1,
          time: 1e12,
          changeset: 1,
          editorId: 1,
          editor: 'x',
        },
      ],
      ways: [],
      relations: [],
    };
    const good = osmPbf(objects as never, { raw: true, plainNodes: true, optional: [] });
    expect((await everything((await openFiles(new Map([['x.osm.pbf', good]])))[0].table)).rows).toHaveLength(
      1,
    );
    // Keys stand in field 2 of a node, as a packed list of one number.
    const at = Buffer.from(good).lastIndexOf(Buffer.from([0x12, 1, 1]));
    expect(at).toBeGreaterThan(0);
    const bad = good.slice();
    bad[at + 2] = 99;
    await expect(
      (async () => {
        for (const { table } of await openFiles(new Map([['x.osm.pbf', bad]]))) await everything(table);
      })(),
    ).rejects.toMatchObject({ code: 'osm-damaged', message: expect.stringContaining('its text 100') });
  });

  it('that are none end the command with 3, and no layer is invented', async () => {
    writeFileSync(join(folder, 'none.osm'), '<osm version="0.6"><node id="1" ');
    const { code, out } = await isomeric('look', 'none.osm');
    expect(code).toBe(3);
    expect(out).not.toMatch(/points|lines|areas/);
  });
});

describe('shapefiles', () => {
  const ring = [
    [
      [0, 0],
      [0, 1],
      [1, 1],
      [0, 0],
    ],
  ];
  const set = (shapes: number[][][][], names: string[], more: Uint8Array = new Uint8Array(0)) => {
    const shp = shapeBytes(5, shapes);
    const rows = names.map((name) => [' ', name, '20240229']);
    return new Map([
      ['w.shp', Uint8Array.from([...shp, ...more])],
      [
        'w.dbf',
        dbaseBytes(
          [
            ['NAME', 'C', 4, 0],
            ['D', 'D', 8, 0],
          ],
          rows,
          3,
        ),
      ],
    ]);
  };
  const openSet = async (files: Map<string, Uint8Array>) => (await openFiles(files))[0].table;

  it('say how many rows have no shape, which records are of another kind, and what stands behind the last', async () => {
    expect(await toldBy(await openSet(set([ring, ring], ['a', 'b'])))).not.toContain('rows-surplus');
    const surplus = await openSet(set([ring], ['a', 'b', 'c']));
    expect(await toldBy(surplus)).toContain('rows-surplus');
    expect(surplus.findings.find(({ code }) => code === 'rows-surplus')?.words).toContain(
      '2 rows have no shape',
    );
    const behind = await openSet(set([ring, ring], ['a', 'b'], new Uint8Array(20)));
    expect((await everything(behind)).rows).toHaveLength(2);
    expect(await toldBy(behind)).toContain('bytes-behind');
    const files = set([ring, ring], ['a', 'b']);
    new DataView(files.get('w.shp')!.buffer).setInt32(108, 3, true);
    expect(await toldBy(await openSet(files))).toContain('shape-kind-other');
  });

  it('have days of any year, and tell those that are none', async () => {
    const dates = ['00440315', '20240231', '00000000', '        '];
    const table = (
      await openFiles(
        new Map([
          [
            'd.dbf',
            dbaseBytes(
              [['D', 'D', 8, 0]],
              dates.map((date) => [' ', date]),
              3,
            ),
          ],
        ]),
      )
    )[0].table;
    expect((await everything(table)).rows).toEqual([['0044-03-15'], [null], [null], [null]]);
    expect(await toldBy(table)).toContain('number-unreadable');
  });
});

describe('GeoPackages', () => {
  const sqlite = (path: string, code: string) =>
    execFileSync('python3', ['-c', `import sqlite3\nc=sqlite3.connect(${JSON.stringify(path)})\n${code}`], {
      stdio: ['ignore', 'ignore', 'inherit'],
    });
  const made = join(folder, 'made.gpkg');
  /** Statements that bring what is in it into another database, as another SQLite program writes them. */
  const copied = `s=sqlite3.connect(${JSON.stringify(made)})
for l in s.iterdump():
  if 'rtree' in l or 'writable_schema' in l: continue
  c.execute(l)`;
  beforeAll(async () => {
    const [{ table }] = await read(
      '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"t":"Ärmel"},"geometry":{"type":"Point","coordinates":[1,2]}},{"type":"Feature","properties":{"t":null},"geometry":{"type":"MultiPoint","coordinates":[[1,2],[3,4]]}}]}',
      'halls.geojson',
    );
    await saverFor(made).save([table], made, now);
  });

  it('declare the kind of geometry that is registered', () => {
    const sql = execFileSync('sqlite3', [made, "SELECT sql FROM sqlite_master WHERE name='halls'"], {
      encoding: 'utf8',
    });
    expect(sql).toContain('geom MULTIPOINT,');
    expect(execFileSync('sqlite3', [made, 'PRAGMA integrity_check'], { encoding: 'utf8' })).toBe('ok\n');
  });

  it('that were left with a log of changes are read when it is empty, and refused when it is not', async () => {
    const path = join(folder, 'log.gpkg');
    copyFileSync(made, path);
    sqlite(
      path,
      'c.execute("pragma journal_mode=wal")\nfor (n,) in list(c.execute("select name from sqlite_master where type=\'trigger\'")): c.execute("drop trigger " + n)\nc.execute("update halls set t=\'new\' where fid=2"); c.commit(); c.close()',
    );
    const [{ table }] = await openPath(path);
    expect((await everything(table)).rows.map(([t]) => t)).toEqual(['Ärmel', 'new']);
    writeFileSync(`${path}-wal`, new Uint8Array(100));
    await expect(openPath(path)).rejects.toMatchObject({
      code: 'sqlite-log',
      message: expect.stringContaining('log.gpkg-wal'),
    });
    rmSync(`${path}-wal`);
  });

  it('with texts in UTF-16 are read', async () => {
    const path = join(folder, 'wide.gpkg');
    sqlite(
      path,
      `c.execute("pragma encoding='UTF-16be'")
${copied}
c.execute("create table long (id integer primary key, t text)")
c.execute("insert into long values (5, ?)", ('ß' * 20000,))
c.executemany("insert into long (t) values (?)", [(str(k),) for k in range(2000)])
c.execute("insert into gpkg_contents(table_name,data_type,identifier) values('long','attributes','long')")
c.commit(); c.close()`,
    );
    const [halls, long] = await openPath(path);
    expect((await everything(halls.table)).rows.map(([t]) => t)).toEqual(['Ärmel', null]);
    const { rows } = await everything(long.table);
    expect([rows.length, rows[0], rows[2000]]).toEqual([2001, ['ß'.repeat(20_000)], ['1999']]);
  });

  it('never have their own statements run, nor views read that might not end', async () => {
    const path = join(folder, 'evil.gpkg');
    const outside = join(folder, 'outside.db');
    sqlite(
      path,
      `c.execute("pragma encoding='UTF-16le'")
${copied}
c.execute("pragma writable_schema=1")
c.execute("update sqlite_master set sql=sql || ?  where name='halls'", ("; ATTACH '${outside}' AS x; CREATE TABLE x.y (z)",))
c.commit(); c.close()`,
    );
    for (const { table } of await openPath(path)) await everything(table);
    expect(existsSync(outside)).toBe(false);
    const endless = join(folder, 'endless.gpkg');
    copyFileSync(made, endless);
    sqlite(
      endless,
      `c.execute("create view loop as with c(x) as (select 1 union all select x+1 from c) select x from c")
c.execute("insert into gpkg_contents(table_name,data_type,identifier) values('loop','attributes','loop')")
c.commit(); c.close()`,
    );
    const opened = await openPath(endless);
    expect(opened.map(({ table }) => table.name)).toEqual(['halls']);
    expect(opened[0].table.findings.map(({ code }) => code)).toEqual(['view-unread']);
  });

  it('in UTF-16 whose pages refer to each other are damaged, and make no copies without end', async () => {
    const path = join(folder, 'circle.gpkg');
    sqlite(
      path,
      `c.execute("pragma encoding='UTF-16le'")
c.execute("create table t (id integer primary key, s text)")
c.executemany("insert into t (s) values (?)", [('x' * 300,) for _ in range(3000)])
c.commit(); c.close()`,
    );
    const bytes = new Uint8Array(readFileSync(path));
    const view = new DataView(bytes.buffer);
    // Every child of the interior pages becomes the first one.
    for (let page = 4096; page < bytes.length; page += 4096)
      if (bytes[page] === 5)
        for (let c = 0; c < view.getUint16(page + 3); c++)
          view.setUint32(page + view.getUint16(page + 12 + 2 * c), 3);
    writeFileSync(path, bytes);
    await expect(openPath(path)).rejects.toMatchObject({
      code: 'sqlite-damaged',
      message: expect.stringContaining('twice'),
    });
  });

  it('have views without row numbers, and lists of what is not there', async () => {
    const path = join(folder, 'view.gpkg');
    copyFileSync(made, path);
    sqlite(
      path,
      `c.execute("create view named as select t, geom from halls")
c.execute("insert into gpkg_contents(table_name,data_type,identifier,srs_id) values('named','features','named',4326)")
c.execute("insert into gpkg_geometry_columns values('named','geom','GEOMETRY',4326,0,0)")
c.execute("insert into gpkg_contents(table_name,data_type,identifier,srs_id) values('gone','features','gone',4326)")
c.execute("insert into gpkg_contents(table_name,data_type,identifier,srs_id) values('sheets','tiles','sheets',4326)")
c.execute("create table sheets (id integer primary key)")
c.commit(); c.close()`,
    );
    const opened = await openPath(path);
    expect(opened.map(({ table }) => table.name)).toEqual(['halls', 'named']);
    expect((await everything(opened[1].table)).rows).toHaveLength(2);
    expect(opened[0].table.findings.map(({ code }) => code)).toEqual(['contents-missing', 'contents-other']);
    const view = await isomeric('look', 'view.gpkg');
    expect(view.out).toContain('holds no such table');
  });
});

describe('images beside world files', () => {
  const image = tiffBytes({ width: 4, height: 2, type: 'uint8', value: (c, r) => c + 10 * r });
  const look = (files: Record<string, string | Uint8Array>) => {
    const around = surroundingsOf(
      new Map(
        Object.entries(files).map(([name, value]) => [
          name,
          sourceFromBytes(typeof value === 'string' ? encoder.encode(value) : value, name),
        ]),
      ),
    );
    return lookAmong(around, Object.keys(files), { capabilities: {} });
  };

  it('lie where these say: the middle of the first cell, and the steps by column and row', async () => {
    const { grids, others } = await look({
      'a.tif': image,
      'a.tfw': '10\n0\n0\n-20\n505\n990\n',
      'a.prj': 'EPSG:32626',
    });
    expect(others).toEqual([]);
    expect(grids[0].grid.transform).toEqual([500, 10, 0, 1000, 0, -20]);
    expect(grids[0].grid.crs?.code).toBe('EPSG:32626');
    expect(grids[0].grid.findings.map(({ code }) => code)).toEqual(['position-from-world-file']);
    // Turned by a right angle: columns go north.
    const turned = await look({ 'a.tif': image, 'a.wld': '0 5 5 0 2.5 2.5' });
    expect(turned.grids[0].grid.transform).toEqual([0, 0, 5, 0, 5, 0]);
  });

  it('that are damaged are told', async () => {
    await expect(look({ 'a.tif': image, 'a.tfw': '10\n0\n0\n' })).rejects.toMatchObject({
      code: 'world-file-damaged',
    });
  });
});

describe('what is packed', () => {
  it('in several members has a checksum for each', async () => {
    const text = '{"type":"FeatureCollection","features":[]}';
    const members = [text.slice(0, 20), text.slice(20)].map((part) => gzipSync(encoder.encode(part)));
    const whole = Uint8Array.from(members.flatMap((part) => [...part]));
    const open = (bytes: Uint8Array) =>
      lookInside(sourceFromBytes(bytes, 'x.geojson.gz'), { around: null, path: 'x', capabilities: {} });
    expect((await open(whole)).layers).toHaveLength(1);
    for (const at of [members[0].length - 6, members[0].length - 2, whole.length - 6]) {
      const bad = whole.slice();
      bad[at] ^= 4;
      await expect(open(bad)).rejects.toMatchObject({ code: 'gzip-damaged' });
    }
  });

  it('with zlib too, in a browser as well as in Node', async () => {
    const bytes = tiffBytes({
      width: 16,
      height: 16,
      type: 'uint8',
      packing: 'zlib',
      value: (c, r) => c * r,
    });
    const grid = async (from: Uint8Array) =>
      (await lookInside(sourceFromBytes(from, 'x.tif'), { around: null, path: 'x.tif', capabilities: {} }))
        .grids[0].grid;
    const window = { column: 0, row: 0, width: 16, height: 16 };
    expect((await (await grid(bytes)).read(0, window))[17]).toBe(1);
    const at = Buffer.from(bytes).indexOf(Buffer.from([0x78])) + 12;
    let refused = 0;
    for (let k = at; k < at + 8; k++) {
      const bad = bytes.slice();
      bad[k] ^= 16;
      await (await grid(bad)).read(0, window).catch(() => refused++);
    }
    expect(refused).toBe(8);
  });
});

describe('layers of odd contents', () => {
  it('have heights and measures where some vertices have none', async () => {
    const text = 'id;wkt\n1;"LINESTRING Z (0 0 NaN, 1 1 5)"\n2;"LINESTRING M (0 0 NaN, 1 1 7)"\n';
    const [{ table }] = await read(text, 'x.csv');
    const { geometries, measures } = await everything(table as Layer);
    expect(geometries[0]).toEqual({
      type: 'LineString',
      coordinates: [
        [0, 0],
        [1, 1, 5],
      ],
    } satisfies GeometryObject);
    expect(measures[1]).toEqual([NaN, 7]);
  });
});

describe('the guard at the door of every reader', () => {
  const own = new IsomericError('zip-damaged', 'It is cut short.');

  it('makes an error of ours of whatever a file causes, with the file and the reason', async () => {
    for (const error of [new TypeError('x is undefined'), new RangeError('Invalid array length'), 'a text'])
      await expect(guarded('a.gpx', () => Promise.reject(error))).rejects.toMatchObject({
        code: 'file-damaged',
        place: { file: 'a.gpx' },
        message: expect.stringMatching(/undefined|array length|a text/),
      });
    await expect(guarded('a.gpx', () => Promise.reject(own))).rejects.toMatchObject({
      code: 'zip-damaged',
      place: { file: 'a.gpx' },
    });
  });

  it('leaves what is not the file’s fault as it is', () => {
    const full = Object.assign(new Error('no space left'), { syscall: 'write', code: 'ENOSPC' });
    expect(asDamage(full, 'a.gpx')).toBe(full);
    const stopped = Object.assign(new Error('stopped'), { name: 'AbortError' });
    expect(asDamage(stopped, 'a.gpx')).toBe(stopped);
  });

  it('stands before batches that are read later, too', async () => {
    const table = guardedTable(
      {
        name: 'x',
        schema: [],
        findings: [],
        accounts: [],
        async *batches() {
          yield* [];
          throw new TypeError('later');
        },
      },
      'b.csv',
    );
    await expect(
      (async () => {
        for await (const _ of table.batches());
      })(),
    ).rejects.toMatchObject({ code: 'file-damaged', place: { file: 'b.csv' } });
  });
});
