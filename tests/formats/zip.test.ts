import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { lookInside, openSource, openZip, sourceFromBytes } from '../../src/formats/index.ts';
import { everything } from '../support/saved.ts';

const context = { around: null, path: 'x.zip', capabilities: {} };
const point = (x: number) =>
  strToU8(
    `{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"n":${x}},"geometry":{"type":"Point","coordinates":[${x},2]}}]}`,
  );
const archive = (files: Record<string, Uint8Array>) => sourceFromBytes(zipSync(files), 'x.zip');

/** Overwrites the flag of every local and central header. */
function withFlag(bytes: Uint8Array, flag: number): Uint8Array {
  const changed = bytes.slice();
  const view = new DataView(changed.buffer);
  for (let k = 0; k + 30 < changed.length; k++) {
    if (view.getUint32(k, true) === 0x04034b50) view.setUint16(k + 6, flag, true);
    if (view.getUint32(k, true) === 0x02014b50) view.setUint16(k + 8, flag, true);
  }
  return changed;
}

describe('zip archives', () => {
  it('are addressed as if they were folders', async () => {
    const source = archive({
      '2024/wards.geojson': point(1),
      '2019/wards.geojson': point(2),
      'README.txt': strToU8('hello'),
    });
    const all = await openSource(source, context);
    expect(all.map(({ within, table }) => [within, table.name])).toEqual([
      ['2024/wards.geojson', 'wards'],
      ['2019/wards.geojson', 'wards'],
    ]);
    expect((await openSource(source, context, '2019')).map(({ within }) => within)).toEqual([
      '2019/wards.geojson',
    ]);
    await expect(openSource(source, context, '2020')).rejects.toMatchObject({ code: 'archive-path' });
  });

  it('are refused when a name climbs out of them', async () => {
    for (const name of ['../evil.geojson', 'a/../../evil.geojson', '/etc/evil.geojson', 'C:\\evil.geojson']) {
      await expect(openZip(archive({ [name]: point(1) }))).rejects.toMatchObject({ code: 'zip-path' });
    }
  });

  it('are refused when they are encrypted or would expand beyond measure', async () => {
    const bytes = zipSync({ 'a.geojson': point(1) });
    await expect(openZip(sourceFromBytes(withFlag(bytes, 1), 'x.zip'))).rejects.toMatchObject({
      code: 'zip-encrypted',
    });
    const bomb = zipSync({ 'zeros.geojson': new Uint8Array(80_000_000) }, { level: 9 });
    await expect(openZip(sourceFromBytes(bomb, 'x.zip'))).rejects.toMatchObject({ code: 'zip-bomb' });
  });

  it('tell of entries whose bytes do not fit their checksum', async () => {
    const bytes = zipSync({ 'a.geojson': point(1) }, { level: 0 });
    const at = Buffer.from(bytes).indexOf('coordinates');
    bytes[at] ^= 1;
    await expect(openSource(sourceFromBytes(bytes, 'x.zip'), context)).rejects.toMatchObject({
      code: 'zip-damaged',
    });
  });

  it('hold one damaged file without hiding the others', async () => {
    const opened = await openSource(
      archive({ 'a.geojson': point(1), 'b.geojson': point(2).subarray(0, 60) }),
      context,
    );
    expect(opened.map(({ table }) => table.name)).toEqual(['a']);
    expect(opened[0].table.findings).toMatchObject([{ code: 'json-syntax', severity: 'error' }]);
  });

  it('without any layer say what they hold', async () => {
    await expect(openSource(archive({ 'README.md': strToU8('hello') }), context)).rejects.toMatchObject({
      code: 'no-layers',
      advice: 'It holds: README.md.',
    });
  });

  it('of very many entries are opened at once: only their list is read', async () => {
    const files = Object.fromEntries(
      Array.from({ length: 20_000 }, (_, k) => [`d${k % 50}/t${k}.csv`, strToU8('a,b\n1,2\n')]),
    );
    const bytes = zipSync(files, { level: 0 });
    let asked = 0;
    const source = sourceFromBytes(bytes, 'many.zip');
    const counted = {
      ...source,
      bytes: (start: number, end: number) => {
        asked++;
        return source.bytes(start, end);
      },
    };
    const before = process.cpuUsage();
    const around = await openZip(counted);
    expect((await around.list()).length).toBe(20_000);
    expect(asked).toBeLessThan(5);
    // All layers of it take time that grows with their number, not with its square.
    const contents = await lookInside(source, context);
    expect(contents.layers).toHaveLength(20_000);
    const { user } = process.cpuUsage(before);
    expect(user / 1e6).toBeLessThan(60);
  });

  it('whose entries share bytes are refused before anything is unpacked', async () => {
    const bytes = zipSync({ 'a.csv': strToU8('a,b\n1,2\n'), 'b.csv': strToU8('a,b\n3,4\n') }, { level: 0 });
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    const second = Buffer.from(bytes).lastIndexOf(Buffer.from([0x50, 0x4b, 1, 2]));
    view.setUint32(second + 42, 0, true);
    await expect(openZip(sourceFromBytes(bytes, 'x.zip'))).rejects.toMatchObject({ code: 'zip-overlap' });
  });

  it('with two entries of one name use the last, and say so', async () => {
    const bytes = zipSync({ 'a.geojson': point(1), 'b.geojson': point(2) }, { level: 0 });
    const renamed = Buffer.from(bytes);
    for (let at = renamed.indexOf('b.geojson'); at >= 0; at = renamed.indexOf('b.geojson', at + 1))
      renamed[at] = 0x61;
    const { layers, others } = await lookInside(sourceFromBytes(renamed, 'x.zip'), context);
    expect(layers).toHaveLength(1);
    expect((await everything(layers[0].table)).rows).toEqual([[2]]);
    expect(others).toMatchObject([
      { path: 'a.geojson', damage: { code: 'entry-twice', severity: 'warning' } },
    ]);
  });

  it('tell of sizes, packings and ends that do not fit', async () => {
    const good = zipSync({ 'a.geojson': point(1) });
    const list = Buffer.from(good).indexOf(Buffer.from([0x50, 0x4b, 1, 2]));
    const changed = (at: number, value: number) => {
      const bytes = good.slice();
      new DataView(bytes.buffer).setUint16(at, value, true);
      return sourceFromBytes(bytes, 'x.zip');
    };
    for (const size of [10, 5000])
      await expect(openSource(changed(list + 24, size), context)).rejects.toMatchObject({
        code: 'zip-damaged',
      });
    await expect(openSource(changed(list + 10, 14), context)).rejects.toMatchObject({
      code: 'zip-packing',
      message: expect.stringContaining('LZMA'),
    });
    for (const end of [5, good.length - 10])
      await expect(openZip(sourceFromBytes(good.slice(0, end), 'x.zip'))).rejects.toMatchObject({
        code: 'zip-damaged',
      });
    // What stands before an archive (a program that unpacks it) moves all places.
    const before = Uint8Array.from([...new Uint8Array(1000).fill(65), ...good]);
    const around = await openZip(sourceFromBytes(before, 'x.exe'));
    expect((await (await around.open('a.geojson')).bytes(0, 9)).length).toBe(9);
  });

  it('packed with Deflate64 are unpacked: copies of more than 258 bytes, and from far back', async () => {
    // Sixty bytes, 66,000 zeros, and fifty of the bytes again, as an archiver packs them.
    const bytes = Buffer.from(
      'UEsDBBUAAAAJAJUGfl07OvAwnAEAAEECAQAFAAAAdC5iaW7kwTEKQQEAANC/GhQLCxIl2ZSUFAZHsMimkGsYSTZFsiiDndFocQGDkqwWg+Fv/yDvvaA0r6Ya21a+s2/nmutaojLL/uLD//1Vv21O4WIwPXeTmdH3co0te/1d4f0pHyfjQ/H5SK8CHo/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fj8Xg8Ho/H4/F4PB6Px+PxeDwej8fjRRvxYMSDEQ9GPBjxYMSDEQ9GPBjxYMSDEQ9GPBjxYMSDEQ9GPBjxYMSDEQ+GG1DrMhSznGWn4DDPXs56momAVpPsR96kr6fvmx2buepnd3TmVhdBmdQ32/Zx9oZEzlF6+Dg1LwUAUEsBAj8DFQAAAAkAlQZ+XTs68DCcAQAAQQIBAAUAJAAAAAAAAAAggKSBAAAAAHQuYmluCgAgAAAAAAABABgAfO07GmWA3QEAAAAAAAAAAAAAAAAAAAAAUEsFBgAAAAABAAEAVwAAAL8BAAAAAA==',
      'base64',
    );
    const own = Uint8Array.from({ length: 60 }, (_, k) => (k * k * 31 + k * 7) % 251);
    const wanted = Buffer.concat([own, new Uint8Array(66_000), own.subarray(0, 50), Buffer.from('end')]);
    const entry = await (await openZip(sourceFromBytes(bytes, 'x.zip'))).open('t.bin');
    expect(Buffer.compare(Buffer.from(await entry.bytes(0, entry.size)), wanted)).toBe(0);
    for (let at = 40; at < 100; at += 3) {
      const bad = Uint8Array.from(bytes);
      bad[at] ^= 8;
      const damaged = await (await openZip(sourceFromBytes(bad, 'x.zip'))).open('t.bin');
      await expect(damaged.bytes(0, damaged.size)).rejects.toMatchObject({ code: 'zip-damaged' });
    }
  });
});
