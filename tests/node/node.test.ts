import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { zipSync } from 'fflate';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  crsByEpsg,
  type Field,
  type GeometryObject,
  geometriesFrom,
  IsomericError,
  type Layer,
  layerOf,
  tableOf,
  textColumn,
} from '../../src/core/index.ts';
import {
  fileSource,
  folderStore,
  nodeMachine,
  nodeSqlite,
  openOne,
  openPath,
  pngFromSvg,
  saverFor,
  writeBeside,
  writeChunks,
} from '../../src/node/index.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-node-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...parts: string[]) => join(folder, ...parts);
const now = '2026-01-01T00:00:00.000Z';

const field: Field = { name: 'name', type: 'text' };
const points: GeometryObject[] = [
  { type: 'Point', coordinates: [-29, 45] },
  { type: 'Point', coordinates: [-28, 46] },
];
const layer = layerOf({
  name: 'places',
  schema: [field],
  crs: crsByEpsg(4326),
  batches: [
    new Batch({
      length: 2,
      first: 0,
      geometry: geometriesFrom(points),
      columns: [textColumn(['a', 'b, "c"'])],
    }),
  ],
});
const table = tableOf({
  name: 'rows',
  schema: [field],
  batches: [new Batch({ length: 1, first: 0, geometry: null, columns: [textColumn(['x'])] })],
});

describe('files', () => {
  it('are read by range and in order, and tell what is wrong', async () => {
    writeFileSync(
      at('bytes.bin'),
      Uint8Array.from({ length: 3_000_000 }, (_, k) => k % 251),
    );
    const source = await fileSource(at('bytes.bin'));
    expect(source.size).toBe(3_000_000);
    expect([...(await source.bytes(1000, 1004))]).toEqual([247, 248, 249, 250]);
    expect((await source.bytes(2_999_998, 4_000_000)).length).toBe(2);
    let total = 0;
    for await (const chunk of source.stream()) {
      expect(chunk[0]).toBe(total % 251);
      total += chunk.length;
    }
    expect(total).toBe(3_000_000);
    await expect(fileSource(at('nothing'))).rejects.toMatchObject({ code: 'file-missing' });
    await expect(fileSource(at('.')).then((folder_) => folder_.bytes(0, 10))).rejects.toMatchObject({
      code: 'file-unreadable',
    });
  });

  it('are written beside and renamed: the old one stays until the new one is whole', async () => {
    writeFileSync(at('kept.txt'), 'old');
    await expect(
      writeBeside(at('kept.txt'), async (temporary) => {
        writeFileSync(temporary, 'half');
        throw new Error('stop');
      }),
    ).rejects.toThrowError('stop');
    expect(readFileSync(at('kept.txt'), 'utf8')).toBe('old');
    expect(await writeChunks(at('deep', 'er', 'new.txt'), [new TextEncoder().encode('new')])).toBe(3);
    expect(readdirSync(at('deep', 'er'))).toEqual(['new.txt']);
    mkdirSync(at('a-folder'));
    await expect(writeChunks(at('a-folder'), [new Uint8Array(1)])).rejects.toMatchObject({
      code: 'file-unwritable',
    });
    expect(readdirSync(folder).filter((name) => name.includes('.part-'))).toEqual([]);
  });

  it('in a store are read-only, with their checksum', async () => {
    const store = folderStore(at('store'));
    const written = await store.write(
      'a/b.txt',
      (async function* () {
        yield new TextEncoder().encode('abc');
      })(),
    );
    expect(written).toEqual({
      bytes: 3,
      sha256: 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad',
    });
    expect(await store.checksum('a/b.txt')).toBe(written.sha256);
    expect(await store.checksum('a/c.txt')).toBeNull();
    await store.remove('a/b.txt');
    expect(existsSync(at('store', 'a', 'b.txt'))).toBe(false);
  });
});

describe('saving', () => {
  it('by ending: GeoPackage, GeoJSON, CSV', async () => {
    for (const [name, words] of [
      ['out.gpkg', '2 places written to the GeoPackage'],
      ['out.geojson', '2 places written to'],
      ['out.csv', '2 places written to'],
    ]) {
      const [account] = await saverFor(at(name)).save([layer], at(name), now);
      expect(account.sentence).toContain(words);
      expect((await openOne(at(name))).table.count).toBe(2);
    }
    expect(readFileSync(at('out.csv'), 'utf8')).toBe(
      'name,wkt\r\na,POINT (-29 45)\r\n"b, ""c""",POINT (-28 46)\r\n',
    );
  });

  it('says what a format cannot hold before anything is written', async () => {
    await expect(saverFor('x.geojson').save([layer, layer], at('x.geojson'), now)).rejects.toMatchObject({
      code: 'one-layer-only',
    });
    await expect(saverFor('x.geojson').save([table], at('x.geojson'), now)).rejects.toMatchObject({
      code: 'geometry-missing',
    });
    await expect(
      saverFor('x.geojson').save([{ ...layer, crs: null } as Layer], at('x.geojson'), now),
    ).rejects.toMatchObject({ code: 'crs-missing' });
    expect(() => saverFor('x.doc')).toThrowError(IsomericError);
    expect(existsSync(at('x.geojson'))).toBe(false);
  });

  it('makes the same GeoPackage of the same input', async () => {
    await saverFor('a.gpkg').save([layer, table], at('a.gpkg'), now);
    await saverFor('b.gpkg').save([layer, table], at('b.gpkg'), now);
    expect(readFileSync(at('a.gpkg')).equals(readFileSync(at('b.gpkg')))).toBe(true);
  });
});

describe('opening', () => {
  it('a GeoPackage inside an archive, and a folder with archives in it', async () => {
    await saverFor('in.gpkg').save([layer], at('in.gpkg'), now);
    mkdirSync(at('mixed'));
    writeFileSync(at('mixed', 'pack.zip'), zipSync({ 'deep/in.gpkg': readFileSync(at('in.gpkg')) }));
    writeFileSync(at('mixed', 'more.csv'), 'a,b\n1,2\n3,4\n');
    const opened = await openPath(at('mixed'));
    expect(opened.map(({ within, table: each, format }) => [within, each.name, format])).toEqual([
      ['more.csv', 'more', 'delimited'],
      ['pack.zip/deep/in.gpkg', 'places', 'geopackage'],
    ]);
    expect((await openPath(at('mixed', 'pack.zip', 'deep', 'in.gpkg')))[0].table.count).toBe(2);
  });

  it('shows paths relative to a root when asked', async () => {
    writeFileSync(at('mixed', 'broken.geojson'), '{"type":"FeatureCollection"');
    await expect(openPath(at('mixed', 'broken.geojson'), folder)).rejects.toMatchObject({
      place: { file: join('mixed', 'broken.geojson') },
    });
  });

  it('says what is no database', async () => {
    writeFileSync(at('no.gpkg'), `SQLite format 3\0${'x'.repeat(2000)}`);
    await expect(openPath(at('no.gpkg'))).rejects.toMatchObject({
      code: expect.stringMatching(/^sqlite-/) as string,
    });
    const source = await fileSource(at('out.gpkg'));
    const database = await nodeSqlite.openRead(source);
    expect(() => database.prepare('SELECT nonsense FROM nowhere')).toThrowError(IsomericError);
    database.close();
  });

  it('needs a layer named when there are several', async () => {
    await expect(openOne(at('mixed'))).rejects.toMatchObject({ code: 'layer-unclear' });
    expect((await openOne(at('mixed'), 'more')).table.name).toBe('more');
    await expect(openOne(at('mixed'), 'mroe')).rejects.toMatchObject({ advice: 'Did you mean “more”?' });
  });
});

describe('pictures', () => {
  it('are drawn with the font that ships, at the width asked for', async () => {
    const svg = (text: string) =>
      `<svg xmlns="http://www.w3.org/2000/svg" width="200" height="50"><rect width="200" height="50" fill="#fff"/><text x="10" y="30" font-size="20" font-family="Source Sans 3">${text}</text></svg>`;
    const picture = Buffer.from(await pngFromSvg(svg('Ombrey'), 400));
    expect([picture.readUInt32BE(16), picture.readUInt32BE(20)]).toEqual([400, 100]);
    // Text is really drawn: other words, other picture.
    expect(picture.equals(Buffer.from(await pngFromSvg(svg('Omber'), 400)))).toBe(false);
    expect(picture.equals(Buffer.from(await pngFromSvg(svg('Ombrey'), 400)))).toBe(true);
  });
});

describe('a study folder', () => {
  it('belongs to who has just claimed it, also before its number is written', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'isomeric-claim-'));
    const file = join(folder, '.running');
    writeFileSync(file, '');
    // The parent of this process lives, and is another one.
    setTimeout(() => writeFileSync(file, `${process.ppid}\n`), 200);
    await expect(nodeMachine(folder).claim()).rejects.toMatchObject({
      code: 'study-running',
      message: `The study is being run already (process ${process.ppid}).`,
    });
    // Who was killed before it could write its number holds nothing.
    writeFileSync(file, '');
    const release = await nodeMachine(folder).claim();
    expect(readFileSync(file, 'utf8')).toBe(`${process.pid}\n`);
    await release();
    expect(existsSync(file)).toBe(false);
    rmSync(folder, { recursive: true, force: true });
  });
});
