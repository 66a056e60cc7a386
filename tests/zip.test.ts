import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { openSource, openZip, sourceFromBytes } from '../src/formats/index.ts';

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
});
