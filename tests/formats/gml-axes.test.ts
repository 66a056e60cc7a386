import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import {
  axesOfDefinition,
  Batch,
  crsByEpsg,
  geometriesFrom,
  type Layer,
  registryCodes,
} from '../../src/core/index.ts';
import { readSrsName } from '../../src/formats/gml/srs.ts';
import { openFiles, saved } from '../support/saved.ts';

const layerIn = (code: number, x: number, y: number): Layer => ({
  name: 'made',
  schema: [],
  crs: crsByEpsg(code),
  count: 1,
  findings: [],
  accounts: [],
  async *batches() {
    const geometry = geometriesFrom([{ type: 'Point', coordinates: [x, y] }]);
    yield new Batch({ length: 1, first: 0, geometry, columns: [] });
  },
});

describe('the axes of GML come from the definitions', () => {
  it('for all codes of the registry: those that say east and north, and the others', () => {
    const counts: Record<string, number> = {};
    for (const code of registryCodes().filter((each) => Number(each) <= 32767)) {
      const axes = axesOfDefinition(code)!;
      counts[axes] = (counts[axes] ?? 0) + 1;
    }
    expect(counts.ws).toBe(28);
    expect(counts.nw).toBe(15);
    expect(counts.ne).toBeGreaterThan(1700);
    expect(counts.en).toBeGreaterThan(3500);
  });

  it.each([
    // Codes that a list by hand had missed, or had wrongly.
    ...[3873, 3885, 6669, 6687, 20904, 3795, 5343, 5562, 9377, 2180, 31467, 3035].map(
      (code) => [code, true] as const,
    ),
    ...[3302, 3303, 3400, 3406, 3812, 5650, 32626, 27700, 3857, 3031, 3413].map(
      (code) => [code, false] as const,
    ),
    [4326, true],
    [4258, true],
    [4979, true],
    [7084, false],
  ] as const)('%i: northing first is %s', (code, exchanged) => {
    for (const name of [
      `urn:ogc:def:crs:EPSG::${code}`,
      `urn:x-ogc:def:crs:EPSG:${code}`,
      `http://www.opengis.net/def/crs/EPSG/0/${code}`,
    ])
      expect(readSrsName(name).exchanged, name).toBe(exchanged);
    expect(readSrsName(`EPSG:${code}`).exchanged).toBe(false);
  });

  it.each([
    ['westing, southing', 2053, -71984.48, -2847342.74, '71984.48 2847342.74'],
    ['southing, westing', 5513, -568990.99, -1050538.63, '1050538.63 568990.99'],
    ['northing, easting', 31467, 3500123.5, 5400456.25, '5400456.25 3500123.5'],
    ['easting, northing', 32626, 500123.5, 5000456.25, '500123.5 5000456.25'],
  ] as const)('%s is written so, and read back as it was', async (_, code, x, y, text) => {
    const { files } = await saved('made.gml', [layerIn(code, x, y)]);
    const [content] = [...files.values()]
      .map((bytes) => new TextDecoder().decode(bytes))
      .filter((each) => each.includes('gml:pos'));
    expect(content).toContain(`<gml:pos>${text}</gml:pos>`);
    const [{ table }] = await openFiles(files);
    for await (const batch of table.batches()) expect([...batch.geometry!.xy]).toEqual([x, y]);
    expect((table as Layer).crs!.code).toBe(`EPSG:${code}`);
  });

  it('nothing of it is a list by hand any more', () => {
    const source = readFileSync(new URL('../../src/formats/gml/srs.ts', import.meta.url), 'utf8');
    expect(source.match(/\[\d{4,5}, \d{4,5}\]/g)).toBeNull();
  });
});
