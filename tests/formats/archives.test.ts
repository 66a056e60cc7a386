import { execFileSync } from 'node:child_process';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync as nodeGzip } from 'node:zlib';
import { BlobWriter, Uint8ArrayReader, ZipWriter } from '@zip.js/zip.js';
import { strToU8, zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Layer } from '../../src/core/index.ts';
import { lookInside, openSource, openZip, sourceFromBytes, withDamage } from '../../src/formats/index.ts';
import { remoteSource } from '../../src/sources/index.ts';
import { pointBzip2 } from '../fuzz/samples.ts';
import { everything, saved } from '../support/saved.ts';

const context = { around: null, path: 'x', capabilities: {} };
const point = (n: number) => strToU8(`{"type":"Point","coordinates":[${n},2]}`);
const names = async (bytes: Uint8Array, name: string, inside = '') =>
  (await openSource(sourceFromBytes(bytes, name), { ...context, path: name }, inside)).map(
    ({ within, table, format }) => [within, table.name, format],
  );

/** bzip2 as the system's own program packs it. */
const bzip2 = (bytes: Uint8Array) =>
  new Uint8Array(execFileSync('bzip2', ['-c'], { input: bytes, maxBuffer: 1e9 }));
describe('compressed files', () => {
  it('are opened as if they were not, gzip of one member and of several', async () => {
    expect(await names(nodeGzip(point(1)), 'wards.geojson.gz')).toEqual([['', 'wards', 'geojson']]);
    const lines = Buffer.concat([nodeGzip(Buffer.concat([point(1), strToU8('\n')])), nodeGzip(point(2))]);
    const [{ table }] = await openSource(sourceFromBytes(lines, 'w.geojsonl.gz'), context);
    expect((await everything(table)).geometries).toHaveLength(2);
  });

  it('tell of damage: cut, bent, with a wrong checksum', async () => {
    const good = nodeGzip(
      Buffer.concat([
        strToU8('{"type":"Point","coordinates":[1,2'),
        Buffer.from('0'.repeat(9000)),
        strToU8(']}'),
      ]),
    );
    for (const cut of [12, good.length - 9, good.length - 4])
      await expect(names(good.subarray(0, cut), 'x.gz')).rejects.toMatchObject({ code: 'gzip-damaged' });
    const bent = Uint8Array.from(good);
    bent[good.length - 6] ^= 1;
    await expect(names(bent, 'x.gz')).rejects.toMatchObject({ code: 'gzip-damaged' });
  });

  it('bzip2: blocks, streams one after the other, damage', async () => {
    expect(await names(pointBzip2, 'p.geojson.bz2')).toEqual([['', 'p', 'geojson']]);
    const many = Array.from(
      { length: 60_000 },
      (_, k) => `{"type":"Point","coordinates":[${k},${(k * 7919) % 89}]}`,
    );
    const half = many.length / 2;
    const packed = Buffer.concat([
      bzip2(strToU8(`${many.slice(0, half).join('\n')}\n`)),
      bzip2(strToU8(many.slice(half).join('\n'))),
    ]);
    const [{ table }] = await openSource(sourceFromBytes(packed, 'p.geojsonl.bz2'), context);
    const { geometries } = await everything(table);
    expect(geometries).toHaveLength(many.length);
    expect(geometries[59_999]).toEqual(JSON.parse(many[59_999]));
    for (const cut of [20, packed.length - 12])
      await expect(names(packed.subarray(0, cut), 'p.bz2')).rejects.toMatchObject({ code: 'bzip2-damaged' });
    const bent = Uint8Array.from(packed);
    bent[2000] ^= 4;
    await expect(names(bent, 'p.bz2')).rejects.toMatchObject({ code: 'bzip2-damaged' });
  });

  it('that expand beyond measure are refused', async () => {
    const bomb = nodeGzip(Buffer.alloc(80_000_000, 32), { level: 9 });
    await expect(names(bomb, 'x.gz')).rejects.toMatchObject({ code: 'compression-bomb' });
  });
});

describe('archives', () => {
  const inner = zipSync({ 'deep/wards.geojson': point(2) });

  it('inside archives are addressed on, and only so deep', async () => {
    const outer = zipSync({
      'a/inner.zip': inner,
      'top.geojson': point(1),
      'b/w.geojson.gz': nodeGzip(point(3)),
    });
    expect(await names(outer, 'outer.zip')).toEqual([
      ['a/inner.zip/deep/wards.geojson', 'wards', 'geojson'],
      ['top.geojson', 'top', 'geojson'],
      ['b/w.geojson.gz', 'w', 'geojson'],
    ]);
    expect(await names(outer, 'outer.zip', 'a/inner.zip/deep/wards.geojson')).toEqual([
      ['a/inner.zip/deep/wards.geojson', 'wards', 'geojson'],
    ]);
    let nested = inner;
    for (let k = 0; k < 8; k++) nested = zipSync({ 'n.zip': nested });
    await expect(names(nested, 'x.zip')).rejects.toMatchObject({ code: 'archive-deep' });
  });

  it('with zip64 records, data descriptors and names in other encodings', async () => {
    const writer = new ZipWriter(new BlobWriter(), {
      zip64: true,
      dataDescriptor: true,
      useWebWorkers: false,
    });
    await writer.add('wards.geojson', new Uint8ArrayReader(point(1)));
    const bytes = new Uint8Array(await (await writer.close()).arrayBuffer());
    expect(await names(bytes, 'x.zip')).toEqual([['wards.geojson', 'wards', 'geojson']]);
    for (const [raw, expected] of [
      [[0x82], 'é'],
      [[0xc3, 0xa9], 'é'],
    ] as const) {
      const zipped = zipSync({ [`${'_'.repeat(raw.length)}.geojson`]: point(1) });
      const at = [...zipped.keys()].filter(
        (k) =>
          Buffer.from(zipped.subarray(k, k + raw.length + 8)).toString('latin1') ===
          `${'_'.repeat(raw.length)}.geojson`,
      );
      for (const k of at) zipped.set(raw, k);
      expect(await (await openZip(sourceFromBytes(zipped, 'x.zip'))).list()).toEqual([`${expected}.geojson`]);
    }
  });

  it('list what is no layer, and why; one damaged file does not hide the others', async () => {
    const bytes = zipSync({
      'a.geojson': point(1),
      'b.geojson': strToU8('{"type":"Point","coordinates":['),
      'c.prj': strToU8('x'),
      'd.bin': new Uint8Array([1, 2, 3]),
      'e.csv': new Uint8Array(0),
      'README.txt': strToU8('Read me.'),
    });
    const contents = await lookInside(sourceFromBytes(bytes, 'x.zip'), context);
    expect(contents.layers.map(({ table }) => table.name)).toEqual(['a']);
    expect(contents.others[0].damage).toMatchObject({ code: 'json-syntax', severity: 'error' });
    expect(withDamage(contents)[0].table.findings[0]).toMatchObject({
      code: 'json-syntax',
      severity: 'error',
    });
    expect(contents.others.map(({ path, why }) => [path, why])).toEqual([
      ['b.geojson', 'damaged'],
      ['c.prj', 'part of a set whose .shp is missing'],
      ['d.bin', 'not read'],
      ['e.csv', 'empty'],
      ['README.txt', 'text'],
    ]);
  });

  it('a .kmz is named for itself, and wrong endings do not matter', async () => {
    const kml = strToU8('<kml><Placemark><Point><coordinates>1,2</coordinates></Point></Placemark></kml>');
    expect(await names(zipSync({ 'doc.kml': kml }), 'halls.kmz')).toEqual([['doc.kml', 'halls', 'kml']]);
    const [{ table, format }] = await openSource(sourceFromBytes(kml, 'x.json.geojson'), context);
    expect(format).toBe('kml');
    expect(table.findings.map((finding) => finding.code)).toContain('ending-wrong');
  });
});

describe('files at an address', () => {
  let bytes: Uint8Array;
  let base = '';
  let etag = '"1"';
  const asked: string[] = [];
  const server = createServer((request, response) => {
    const range = /^bytes=(\d+)-(\d+)$/.exec(request.headers.range ?? '');
    asked.push(request.headers.range ?? 'all');
    const ranges = !request.url!.includes('plain');
    response.setHeader('etag', etag);
    if (request.url!.includes('missing')) response.writeHead(404).end();
    else if (range === null || !ranges)
      response.writeHead(200, { 'content-length': bytes.length }).end(bytes);
    else {
      const part = bytes.subarray(Number(range[1]), Number(range[2]) + 1);
      response
        .writeHead(206, {
          'content-range': `bytes ${range[1]}-${Number(range[1]) + part.length - 1}/${bytes.length}`,
          'content-length': part.length,
        })
        .end(request.url!.includes('short') && asked.length > 1 ? part.subarray(0, 3) : part);
    }
  });
  beforeAll(async () => {
    const points = Array.from(
      { length: 20_000 },
      (_, k) => `{"type":"Point","coordinates":[${k % 200},${Math.floor(k / 200)}]}`,
    );
    const [{ table }] = await openSource(sourceFromBytes(strToU8(points.join('\n')), 'p.geojsonl'), context);
    bytes = (await saved('p.fgb', [table])).files.get('p.fgb')!;
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => server.close());

  it('are read by range: a box costs a few requests and a few bytes', async () => {
    const source = await remoteSource(`${base}/p.fgb`);
    const [{ table }] = await openSource(source, context);
    let rows = 0;
    for await (const batch of (table as Layer).batches({ box: [10, 10, 14, 14] })) rows += batch.length;
    expect(rows).toBe(25);
    expect(source.traffic.bytes).toBeLessThan(bytes.length * 0.1);
    expect(source.traffic.requests).toBeLessThan(20);
    expect((await everything(table)).geometries).toHaveLength(20_000);
  });

  it('are fetched whole where a server gives no ranges; what goes wrong is told', async () => {
    const [{ table }] = await openSource(await remoteSource(`${base}/plain.fgb`), context);
    expect(table.count).toBe(20_000);
    await expect(remoteSource(`${base}/missing.fgb`)).rejects.toMatchObject({ code: 'source-refused' });
    await expect(remoteSource('http://127.0.0.1:1/x.fgb')).rejects.toMatchObject({
      code: 'source-unreachable',
    });
    const changing = await remoteSource(`${base}/p.fgb`);
    etag = '"2"';
    await expect(changing.bytes(200_000, 200_100)).rejects.toMatchObject({ code: 'source-changed' });
    etag = '"1"';
    asked.length = 0;
    const short = await remoteSource(`${base}/short.fgb`, { patience: 500 });
    await expect(short.bytes(200_000, 200_100)).rejects.toMatchObject({
      code: expect.stringMatching(/source-(cut|silent)/),
    });
  });
});
