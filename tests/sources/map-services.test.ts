import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { sourceFromBytes } from '../../src/formats/bytes/byte-source.ts';
import { mergedExtract } from '../../src/formats/osm/reading/merged.ts';
import { openExtract } from '../../src/formats/osm/reading/open-extract.ts';
import { type MapExtract, objectName } from '../../src/formats/osm/reading/primitives.ts';
import { type MapHostOptions, type Mood, mapHost } from '../../stand-ins/src/index.ts';
import type { Service } from '../../stand-ins/src/service.ts';
import { demoFolder } from '../support/demo-study.ts';
import { StudyFolder } from '../support/study-folder.ts';

const servers: Service[] = [];
const studies: StudyFolder[] = [];
afterEach(async () => {
  await Promise.all(servers.splice(0).map((each) => each.close()));
  for (const study of studies.splice(0)) study.end();
});

async function host(options: Partial<MapHostOptions> = {}) {
  const asked: string[] = [];
  const state = { mood: 'well' as Mood };
  const server = mapHost({
    folder: join(demoFolder, 'data/map-extracts'),
    database: join(demoFolder, 'data/map-database/ombrey.osm.gz'),
    mood: () => state.mood,
    onRequest: (url) => asked.push(url),
    ...options,
  });
  servers.push(server);
  return { address: await server.listen({ host: '127.0.0.1', port: 0 }), asked, state };
}

function study(source: string, gather: string, area?: string): StudyFolder {
  const own = new StudyFolder().write(`sources:\n  host: ${source}\ngather:\n${gather}`, area);
  studies.push(own);
  return own;
}

const small = 'area: { box: { west: -29.9, south: 45.48, east: -29.8, north: 45.53 } }';
const parking =
  '  houses: { from: host, class: buildings, geometry: areas }\n  roads: { from: host, class: roads }\n';

describe('a map-feature server asked by box', () => {
  it('brings the same features in one box and in many', async () => {
    const named = async (own: StudyFolder, name: string) =>
      (await own.rows(name)).map((row) => String(row.id ?? row.object ?? JSON.stringify(row))).sort();
    const one = await host({ mostArea: 1 });
    const whole = study(`{ kind: map-features, at: "${one.address}/" }`, parking, small);
    await whole.gather();
    expect(whole.files('gathered')).toHaveLength(1);
    const many = await host({ mostArea: 0.001 });
    const cut = study(`{ kind: map-features, at: "${many.address}/" }`, parking, small);
    await cut.gather();
    expect(cut.files('gathered').length).toBeGreaterThan(4);
    for (const name of ['houses', 'roads']) {
      const [a, b] = [await named(whole, name), await named(cut, name)];
      expect(a.length).toBeGreaterThan(name === 'houses' ? 100 : 5);
      expect(b).toEqual(a);
    }
    // Both datasets come of one reading of the box.
    expect(one.asked.filter((url) => url.startsWith('/api/0.6/map'))).toHaveLength(1);
  });

  it('cuts a box in two where the server counts too many nodes', async () => {
    const { address, asked } = await host({ mostArea: 1, mostNodes: 250 });
    const own = study(`{ kind: map-features, at: "${address}/" }`, parking, small);
    await own.gather();
    const pieces = own.files('gathered').length;
    expect(pieces).toBeGreaterThan(2);
    // On a busy machine one may be asked for again.
    expect(new Set(asked.filter((url) => url.startsWith('/api/0.6/map'))).size).toBe(2 * pieces - 1);
    expect(own.said.join('\n')).toContain('objects in several of them count once');
  });

  it('brings one object with its parts', async () => {
    const { address } = await host();
    const own = study(
      `{ kind: map-features, at: "${address}/" }`,
      '  omber: { from: host, object: relation/7001, class: waterways }\n',
    );
    await own.gather();
    const rows = await own.rows('omber');
    expect(rows.some((row) => row.name === 'Omber')).toBe(true);
    expect((await own.ledger()).receipts.get('gathered/host/omber/relation-7001.osm')).toMatchObject({
      licence: 'Open Map Data Licence of Teskaria 1.0',
      citation: 'Open Map Data Teskaria',
    });
    await expect(
      study(
        `{ kind: map-features, at: "${address}/" }`,
        '  omber: { from: host, object: relation/99, class: waterways }\n',
      ).gather(),
    ).rejects.toMatchObject({ code: 'source-missing' });
  });

  it('tells answers that end in the middle, and what is no such server', async () => {
    const { address, state } = await host({ mostArea: 1 });
    const own = study(`{ kind: map-features, at: "${address}/" }`, parking, small);
    for (const mood of ['half', 'cut', 'gzip cut', 'gzip damaged'] as const) {
      state.mood = mood;
      await expect(own.gather({ tries: 1 })).rejects.toMatchObject({
        code: expect.stringMatching(/source-/) as string,
      });
      expect(own.files('gathered')).toEqual([]);
    }
    state.mood = 'well';
    await expect(
      study(`{ kind: map-features, at: "${address}/files/" }`, parking, small).gather(),
    ).rejects.toMatchObject({ code: 'source-missing' });
  });
});

describe('extracts put together', () => {
  const osm = (inner: string) =>
    openExtract(sourceFromBytes(new TextEncoder().encode(`<osm version="0.6">${inner}</osm>`), 'x.osm'));
  const objects = async (extract: MapExtract) => {
    const found: string[] = [];
    for await (const block of extract.blocks({ nodes: true, ways: true, relations: true }))
      for (let i = 0; i < block.length; i++) {
        const tags: string[] = [];
        for (let k = block.tagStart[i]; k < block.tagStart[i + 1]; k++)
          tags.push(block.texts.text(block.tags[k]));
        const more =
          block.kind === 1
            ? [...block.refs.subarray(block.refStart[i], block.refStart[i + 1])].join('-')
            : block.kind === 2
              ? [...block.memberId.subarray(block.memberStart[i], block.memberStart[i + 1])].join('-')
              : `${block.lon[i] / block.unit} ${block.lat[i] / block.unit}`;
        found.push(`${objectName(block.kind, block.ids[i])} ${tags.join('=')} ${more}`);
      }
    return found;
  };

  it('have each object once, nodes first, as the first piece has it', async () => {
    const a = await osm(
      '<node id="1" lon="1" lat="2"><tag k="a" v="1"/></node><node id="2" lon="3" lat="4"/><way id="5"><nd ref="1"/><nd ref="2"/></way>',
    );
    const b = await osm(
      '<node id="2" lon="3" lat="4"/><node id="3" lon="5" lat="6"><tag k="b" v="2"/></node><way id="5"><nd ref="1"/><nd ref="2"/></way><way id="6"><nd ref="2"/><nd ref="3"/><tag k="c" v="3"/></way><relation id="7"><member type="way" ref="5" role=""/><member type="way" ref="6" role="x"/></relation>',
    );
    const merged = mergedExtract('two', [a, b]);
    expect(await objects(merged)).toEqual([
      'node/1 a=1 1 2',
      'node/2  3 4',
      'node/3 b=2 5 6',
      'way/5  1-2',
      'way/6 c=3 2-3',
      'relation/7  5-6',
    ]);
    expect(await merged.nodesFirst()).toBe(true);
    expect(mergedExtract('one', [a])).toBe(a);
  });
});

describe('extracts by region', () => {
  const source = (address: string) => `{ kind: regions, at: "${address}/regions.json" }`;

  it.each(['teskaria/ombrey', 'ombrey', 'Ombrey and the Flats'])(
    'are found as %s, and checked',
    async (region) => {
      const { address } = await host();
      const own = study(source(address), `  streets: { from: host, region: ${region}, class: roads }\n`);
      await own.gather();
      const [path] = own.files('gathered');
      expect(path).toBe('gathered/host/teskaria/ombrey/@2024-06-30/ombrey.osm.pbf');
      const file = readFileSync(join(demoFolder, 'data/map-extracts/ombrey.osm.pbf'));
      expect((await own.ledger()).receipts.get(path)).toMatchObject({
        sha256: createHash('sha256').update(file).digest('hex'),
        citation: 'Ombrey and the Flats, state of 2024-06-30.',
      });
    },
  );

  it('are chosen by the area when none is named; a region without an extract is told', async () => {
    const { address } = await host();
    const own = study(source(address), '  streets: { from: host, class: roads }\n', small);
    await own.gather();
    expect(own.said.join('\n')).toContain(
      'Ombrey and the Flats is the smallest region that holds the whole area',
    );
    await expect(
      study(source(address), '  streets: { from: host, region: teskaria, class: roads }\n').gather(),
    ).rejects.toMatchObject({
      code: 'region-unknown',
      message: expect.stringContaining('no extract of Teskaria') as string,
    });
    await expect(
      study(source(address), '  streets: { from: host, region: ombry, class: roads }\n').gather(),
    ).rejects.toMatchObject({
      code: 'region-unknown',
      advice: expect.stringContaining('teskaria/ombrey') as string,
    });
    const { estimates } = await study(
      source(address),
      '  streets: { from: host, region: ombrey, class: roads }\n',
    ).gather({
      dry: true,
    });
    expect(estimates![0].bytes).toBe(203_679);
  });

  it('that arrive damaged are refused', async () => {
    const { address, state } = await host();
    state.mood = 'half';
    const own = study(source(address), '  streets: { from: host, region: ombrey, class: roads }\n');
    await expect(own.gather({ tries: 1 })).rejects.toMatchObject({
      code: expect.stringMatching(/source-/) as string,
    });
    expect(own.files('gathered')).toEqual([]);
  });
});

describe('files', () => {
  it('are copied from a folder of this machine, as they are', async () => {
    const own = study(
      '{ kind: files, at: ../shelf }',
      '  table: { from: host, file: "sub/x.csv", vintage: 2024 }\n',
    );
    mkdirSync(join(own.folder, 'shelf/sub'), { recursive: true });
    writeFileSync(join(own.folder, 'shelf/sub/x.csv'), 'code,n\n01,2\n');
    own.write(
      'sources:\n  host: { kind: files, at: ./shelf, licence: L }\ngather:\n  table: { from: host, file: "sub/x.csv", vintage: 2024 }\n',
    );
    await own.gather();
    expect(own.text('gathered/host/@2024/sub/x.csv')).toBe('code,n\n01,2\n');
    expect(await own.rows('table')).toEqual([{ code: '01', n: 2 }]);
    await own.gather();
    expect(own.said.at(-1)).toMatch(/unchanged since the last run/);
    own.write(
      'sources:\n  host: { kind: files, at: ./shelf }\ngather:\n  table: { from: host, file: none.csv }\n',
    );
    await expect(own.gather()).rejects.toMatchObject({ code: 'file-missing' });
    own.write(
      `sources:\n  host: { kind: files, at: ./shelf }\ngather:\n  table: { from: host, file: sub/x.csv, sha256: "${'0'.repeat(64)}" }\n`,
    );
    await expect(own.gather()).rejects.toMatchObject({ code: 'source-damaged' });
  });

  it('of different datasets never overwrite each other', async () => {
    const { address } = await host();
    const own = new StudyFolder();
    studies.push(own);
    own.write(
      `sources:\n  a: { kind: files, at: "${address}/files/" }\n  b: { kind: files, at: "${address}/files/" }\ngather:\n  one: { from: a, file: flood-depth.tif }\n  two: { from: b, file: flood-depth.tif }\n  old: { from: a, file: flood-depth.tif, vintage: 2019 }\n`,
    );
    await own.gather();
    expect(own.files('gathered')).toEqual([
      'gathered/a/@2019/flood-depth.tif',
      'gathered/a/flood-depth.tif',
      'gathered/b/flood-depth.tif',
    ]);
  });

  it('are read again under another name without being fetched twice', async () => {
    const { address, asked } = await host();
    const own = study(
      `{ kind: files, at: "${address}/files/" }`,
      "  roads: { from: host, file: teskaria-ombrey.zip, layer: roads }\n  main: { same as: roads, where: CLASS = 'main' }\n",
    );
    await own.gather();
    expect(asked.filter((url) => url.includes('zip'))).toHaveLength(1);
    const main = await own.rows('main');
    expect(main.length).toBeGreaterThan(5);
    expect(main.length).toBeLessThan((await own.rows('roads')).length);
  });
});
