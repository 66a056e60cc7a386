import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { zipSync } from 'fflate';
import { afterAll, describe, expect, it } from 'vitest';
import { squares } from '../../bench/made.ts';
import { gridText } from '../../demo/country/grid.ts';
import {
  Batch,
  batchLimit,
  ColumnBuilder,
  crsFromText,
  filterRows,
  type Layer,
  layerOf,
  tableOf,
  textColumn,
} from '../../src/core/index.ts';
import { openSource, sourceFromBytes } from '../../src/formats/index.ts';
import { openOne, openPath, saverFor } from '../../src/node/index.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-large-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('more than one batch', () => {
  it('GeoJSON comes in batches of the limit, with ids that go on', async () => {
    const count = 2 * batchLimit + 5;
    const text = `{"type":"FeatureCollection","features":[${Array.from({ length: count }, (_, k) => `{"type":"Feature","properties":{"n":${k}},"geometry":{"type":"Point","coordinates":[${k % 180},${k % 90}]}}`).join(',')}]}`;
    const [{ table }] = await openSource(sourceFromBytes(new TextEncoder().encode(text), 'x'), {
      around: null,
      path: 'x',
      capabilities: {},
    });
    const lengths: number[] = [];
    for await (const batch of table.batches()) {
      lengths.push(batch.length);
      expect(batch.id(0)).toBe(batch.columns[0].number(0) + 1);
    }
    expect(lengths).toEqual([batchLimit, batchLimit, 5]);
  });

  it('a filter keeps the ids of what it keeps', async () => {
    const builder = new ColumnBuilder('integer');
    for (let k = 0; k < 10; k++) builder.number(k);
    const table = tableOf({
      name: 't',
      schema: [{ name: 'n', type: 'integer' }],
      batches: [new Batch({ length: 10, first: 100, geometry: null, columns: [builder.finish()] })],
    });
    const ids: (string | number)[] = [];
    for await (const batch of filterRows(table, 'n > 6').batches())
      for (let i = 0; i < batch.length; i++) ids.push(batch.id(i));
    expect(ids).toEqual([108, 109, 110]);
  });

  it('a GeoPackage of several batches is written and read back, by box too', async () => {
    const path = join(folder, 'squares.gpkg');
    const layer = squares(40_000);
    await saverFor(path).save([layer], path, '2026-01-01T00:00:00.000Z');
    const { table } = await openOne(path);
    expect(table.count).toBe(40_000);
    let rows = 0;
    for await (const batch of table.batches()) rows += batch.length;
    expect(rows).toBe(40_000);
    let near = 0;
    for await (const batch of table.batches({ box: [440_000, 5_040_000, 460_000, 5_060_000] }))
      near += batch.length;
    expect(near).toBeGreaterThan(1000);
    expect(near).toBeLessThan(2500);
  });

  it('an archive entry too large to keep is read as a stream', async () => {
    const path = join(folder, 'large.zip');
    // Few rows, long ones: what counts is the size.
    const filler = 'words that fill the line '.repeat(28);
    const line = (k: number) => `${String(k).padStart(9, '0')},${(k * 7919) % 100003},${filler}\n`;
    const lines = 95_000;
    const parts: string[] = ['code,n,words\n'];
    for (let k = 0; k < lines; k++) parts.push(line(k));
    writeFileSync(path, zipSync({ 'large.csv': new TextEncoder().encode(parts.join('')) }, { level: 1 }));
    const [{ table }] = await openPath(path);
    expect(table.count).toBe(lines);
    let sum = 0;
    for await (const batch of table.batches())
      for (let i = 0; i < batch.length; i++) sum += batch.columns[1].number(i);
    let expected = 0;
    for (let k = 0; k < lines; k++) expected += (k * 7919) % 100003;
    expect(sum).toBe(expected);
  });
});

describe('GeoPackage', () => {
  it('keeps a CRS of its own with its datum shift, several layers, and tables without geometry', async () => {
    const path = join(folder, 'several.gpkg');
    const own = { ...squares(3), crs: crsFromText(gridText) } as Layer;
    const table = tableOf({
      name: 'figures',
      schema: [{ name: 'code', type: 'text', title: 'Code', description: 'of the ward' }],
      batches: [new Batch({ length: 2, first: 0, geometry: null, columns: [textColumn(['01', '02'])] })],
    });
    const empty = layerOf({ name: 'squares', schema: [], crs: null, batches: [] });
    await saverFor(path).save([own, table, empty], path, '2026-01-01T00:00:00.000Z');
    const opened = await openPath(path);
    expect(opened.map(({ table: each }) => [each.name, each.count])).toEqual([
      ['squares', 3],
      ['figures', 2],
      ['squares_2', 0],
    ]);
    const back = opened[0].table as Layer;
    expect(back.crs).toMatchObject({
      kind: 'projected',
      name: 'Teskaria National Grid',
      base: { shift: { tx: -112.4, ppm: -2.16 } },
    });
    expect(opened[1].table.schema).toMatchObject([
      { name: 'fid', type: 'integer', featureId: 'numbering' },
      { name: 'code', type: 'text', title: 'Code', description: 'of the ward' },
    ]);
    expect((opened[2].table as Layer).crs).toBeNull();
    expect(opened[2].table.findings.map((finding) => finding.code)).toEqual(['crs-missing']);
  });
});
