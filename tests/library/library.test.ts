import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join as path } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, expectTypeOf, it, vi } from 'vitest';
import {
  accountOf,
  areaOf,
  check,
  clip,
  compute,
  countOf,
  crsNamed,
  featuresOf,
  group,
  IsomericError,
  join,
  type Layer,
  layersIn,
  lengthen,
  openGrid,
  openLayer,
  openTable,
  type Progress,
  points,
  prepare,
  reproject,
  rowsOf,
  save,
  select,
  type Table,
  tally,
  units,
  where,
  widen,
} from '../../src/index.ts';

const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const wardsPath = path(data, 'boundary-office/wards-2024.geojson');
const districtsPath = path(data, 'boundary-office/districts-2024.geojson');
const housingPath = path(data, 'statistics-office/HOUSING.csv');
const folder = mkdtempSync(path(tmpdir(), 'isomeric-library-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function all<T>(rows: AsyncIterable<T>): Promise<T[]> {
  const found: T[] = [];
  for await (const row of rows) found.push(row);
  return found;
}

/** A grid of unit squares as GeoJSON; each has its number as `n` and belongs to a row. */
function squares(columns: number, rows: number): string {
  const features: string[] = [];
  for (let n = 0; n < columns * rows; n++) {
    const [x, y] = [n % columns, Math.floor(n / columns)].map((v) => v / 1000);
    const ring = [
      [x, y],
      [x + 0.001, y],
      [x + 0.001, y + 0.001],
      [x, y + 0.001],
      [x, y],
    ];
    features.push(
      JSON.stringify({
        type: 'Feature',
        properties: { n, row: Math.floor(n / columns) },
        geometry: { type: 'Polygon', coordinates: [ring] },
      }),
    );
  }
  return `{"type":"FeatureCollection","features":[${features.join(',')}]}`;
}

describe('the job in sentences', () => {
  it('goes from files to a file, and tells the account and the findings of the whole chain', async () => {
    const districts = openLayer(districtsPath);
    const out = path(folder, 'wards.gpkg');
    const saved = await save(
      prepare(
        openLayer(wardsPath),
        clip(areaOf(districts, "code IN ('T204', 'T205')")),
        join(openTable(housingPath), 'code = area_code', {
          columns: ['households', ['households_no_car', 'no_car']],
          many: 'last',
        }),
        compute({ share: 'share(no_car, households)' }),
        reproject('EPSG:32626'),
      ),
      out,
    );
    expect(saved.sentences).toEqual([
      'Clip: 296 wards in; 37 kept whole, 0 cut, 259 outside.',
      expect.stringMatching(/^Join: 37 wards in; 36 matched on code = area_code/),
      expect.stringMatching(/^Compute: 37 wards in; 36 given share/),
      'Reproject: 37 wards in; 37 brought to EPSG:32626 (WGS 84 / UTM zone 26N).',
      expect.stringMatching(/^Write: 37 wards/),
    ]);
    expect(saved.findings.map(({ code }) => code)).toEqual(['join-incomplete']);
    expect(saved.files.map(({ name, path: place }) => [name, place])).toEqual([['wards.gpkg', out]]);
    expect((await saved.files[0].blob()).size).toBe(readFileSync(out).length);
    const again = await openLayer(out);
    expect(await countOf(again)).toBe(37);
    expect(again.schema.map((field) => field.name)).toContain('no_car');
    expect(readdirSync(folder).filter((name) => name.startsWith('wards'))).toEqual(['wards.gpkg']);
  });

  it('an area of more features than a batch holds is whole', async () => {
    const layer = await openLayer(new File([squares(200, 100)], 'squares.geojson'));
    const [told] = (await save(prepare(layer, clip(areaOf(layer))), path(folder, 'all.fgb'))).sentences;
    expect(told).toBe('Clip: 20,000 squares in; 20,000 kept whole, 0 cut, 0 outside.');
  });

  it('every verb is a step', async () => {
    const wards = await openLayer(wardsPath);
    const halves = await prepare(
      wards,
      where("district IN ('T204', 'T205')"),
      select('code', ['name', 'ward'], 'district'),
    );
    expect(halves.schema.map((field) => field.name)).toEqual(['code', 'ward', 'district']);
    const districts = await prepare(
      openLayer(districtsPath),
      tally(prepare(halves, points()), { as: 'wards', title: 'Wards' }),
      where('wards_count > 0'),
    );
    const counts = await all(rowsOf(districts));
    expect(counts.map((row) => [row.code, row.wards_count])).toEqual([
      ['T204', 18],
      ['T205', 19],
    ]);
    const grouped = await prepare(halves, group({ n: 'count()' }, { by: ['district'] }));
    expect(await all(rowsOf(grouped))).toEqual([
      { district: 'T204', n: 18 },
      { district: 'T205', n: 19 },
    ]);
    const long = await prepare(halves, lengthen({ columns: ['ward', 'district'] }));
    expect(await countOf(long)).toBe(74);
    const wide = await prepare(
      long,
      widen({ by: ['variable'], value: 'value', rows: ['code'] }),
      units(halves, 'code'),
    );
    expect(await all(rowsOf(wide))).toEqual(await all(rowsOf(halves)));
  });

  it('a step of one’s own stands among the others', async () => {
    const named = await prepare(
      openLayer(wardsPath),
      (layer: Layer) => ({ ...layer, name: 'mine' }),
      where("code = '020401'"),
    );
    expect(named.name).toBe('mine');
    expect(accountOf(named).sentences).toEqual([]);
    expect(await countOf(named)).toBe(1);
    expect(accountOf(named).sentences).toEqual([
      "Filter: 296 mine in; 1 kept where code = '020401', 295 dropped.",
    ]);
  });

  it('types go along: a layer stays one, rows of another kind are a table', () => {
    const layer = openLayer(wardsPath);
    layer.catch(() => {});
    expectTypeOf(prepare(layer, where('true'), select('code'))).toEqualTypeOf<Promise<Layer>>();
    expectTypeOf(prepare(layer, join(layer, 'code'), clip(areaOf(layer)))).toEqualTypeOf<Promise<Layer>>();
    expectTypeOf(prepare(layer, group({ n: 'count()' }))).toEqualTypeOf<Promise<Table>>();
    // @ts-expect-error: what has no geometry any more cannot be cut
    const never = prepare(layer, group({ n: 'count()' }), clip(areaOf(layer)));
    never.catch(() => {});
  });
});

describe('what is told', () => {
  it('a join that matches nothing is an error with what would help, and leaves nothing behind', async () => {
    const out = path(folder, 'nothing.geojson');
    const wrong = prepare(openLayer(wardsPath), join(openTable(housingPath), 'name = area_code'));
    await expect(save(wrong, out)).rejects.toMatchObject({
      code: 'join-nothing-matched',
      message: expect.stringMatching(
        /^None of 296 features of wards found a row in HOUSING by name = area_code/,
      ),
    });
    expect(existsSync(out)).toBe(false);
    const expected = prepare(
      openLayer(wardsPath),
      join(openTable(housingPath), 'name = area_code', { atLeast: 0 }),
    );
    const saved = await save(expected, out);
    expect(saved.findings).toContainEqual(
      expect.objectContaining({ code: 'join-incomplete', severity: 'error' }),
    );
  });

  it('what a step cannot do is told when it is planned, with its number', async () => {
    await expect(prepare(openLayer(wardsPath), where('true'), select('coed'))).rejects.toMatchObject({
      code: 'field-unknown',
      place: { layer: 'wards, step 2 (select)' },
    });
    await expect(
      prepare(openTable(housingPath), clip(areaOf(openLayer(districtsPath))) as never),
    ).rejects.toMatchObject({ code: 'geometry-missing', message: /HOUSING has no geometry/ });
    await expect(prepare(openLayer(wardsPath), reproject('EPSG:4326x'))).rejects.toBeInstanceOf(
      IsomericError,
    );
  });

  it('a promise that fails before anybody waits for it raises once, where it is used', async () => {
    const unhandled = vi.fn();
    process.on('unhandledRejection', unhandled);
    const missing = openTable(path(folder, 'missing.csv'));
    const step = join(missing, 'code');
    const area = areaOf(openLayer(districtsPath), 'false');
    const planned = prepare(openLayer(wardsPath), select('coed'));
    await new Promise((resolve) => setTimeout(resolve, 50));
    await expect(prepare(openLayer(wardsPath), step)).rejects.toMatchObject({ code: 'file-missing' });
    await expect(area).rejects.toMatchObject({ code: 'area-empty' });
    await expect(planned).rejects.toMatchObject({ code: 'field-unknown' });
    process.off('unhandledRejection', unhandled);
    expect(unhandled).not.toHaveBeenCalled();
  });

  it('what is no layer, no step and no place is told as such', async () => {
    const loose = { prepare, openLayer } as unknown as Record<
      string,
      (...given: unknown[]) => Promise<unknown>
    >;
    await expect(loose.prepare('wards.gpkg', where('true'))).rejects.toMatchObject({
      code: 'layer-expected',
    });
    await expect(loose.prepare(undefined)).rejects.toMatchObject({ code: 'layer-expected' });
    await expect(loose.prepare(openLayer(wardsPath), 'clip')).rejects.toMatchObject({
      code: 'step-expected',
    });
    for (const place of [undefined, null, 5, {}, [wardsPath]])
      await expect(loose.openLayer(place)).rejects.toMatchObject({ code: 'place-expected' });
  });

  it('units without a geometry hold nothing, wherever the things lie', async () => {
    const ring = [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
      [0, 0],
    ];
    const file = (geometry: unknown) =>
      new File(
        [JSON.stringify({ type: 'Feature', properties: { a: 1 }, geometry })],
        geometry === null ? 'units.geojson' : 'things.geojson',
      );
    const things = openLayer(file({ type: 'Polygon', coordinates: [ring] }));
    const counted = await prepare(openLayer(file(null)), tally(things));
    expect(await all(rowsOf(counted))).toMatchObject([{ things_count: 0 }]);
    expect(accountOf(counted).accounts[0].counts).toMatchObject({ in: 1, outside: 1 });
  });

  it('an area without polygons is an error', async () => {
    await expect(areaOf(openLayer(districtsPath), "code = 'T999'")).rejects.toMatchObject({
      code: 'area-empty',
    });
    await expect(areaOf(prepare(openLayer(districtsPath), points()))).rejects.toMatchObject({
      code: 'area-empty',
    });
  });

  it('checks', async () => {
    const { sentences, findings } = await check(openLayer(wardsPath), ['valid', 'key: district']);
    expect(sentences).toHaveLength(2);
    expect(findings.some(({ code }) => code === 'key-twice')).toBe(true);
    expect(findings.some(({ code }) => code === 'rings-cross')).toBe(false);
  });
});

describe('what is opened', () => {
  it('a Blob, several Blobs of one layer, an archive, a folder', async () => {
    expect(await countOf(openTable(new Blob(['code,n\na,1\nb,2\n'])))).toBe(2);
    await save(openLayer(wardsPath), path(folder, 'set.shp'));
    const parts = ['shp', 'shx', 'dbf', 'prj', 'cpg'].map(
      (end) => new File([readFileSync(path(folder, `set.${end}`))], `set.${end}`),
    );
    const set = await openLayer(parts);
    expect([set.crs?.name, await countOf(set)]).toEqual(['WGS 84', 296]);
    const zip = await layersIn(path(data, 'map-extracts/teskaria-ombrey.zip'));
    expect(zip.map(({ name }) => name)).toContain('refuge_halls');
    await expect(openLayer(path(data, 'map-extracts/teskaria-ombrey.zip'))).rejects.toMatchObject({
      code: 'layer-unclear',
    });
    // A file by itself is no folder of one.
    const alone = await layersIn(new File(['code,n\na,1\nb,2\n'], 'alone.csv'));
    expect(alone.map(({ name, within }) => [name, within])).toEqual([['alone', '']]);
    expect((await layersIn(parts)).map(({ name, within }) => [name, within])).toEqual([['set', 'set.shp']]);
    await expect(openLayer([])).rejects.toMatchObject({ code: 'file-missing' });
    await expect(openLayer(housingPath)).rejects.toMatchObject({ code: 'geometry-missing' });
  });

  it('a GeoPackage in a Blob, with the SQLite of the machine or one that is given', async () => {
    const path_ = path(folder, 'in-a-blob.gpkg');
    await save(prepare(openLayer(wardsPath), where("district = 'T204'")), path_);
    const blob = new File([readFileSync(path_)], 'in-a-blob.gpkg');
    expect(await countOf(openLayer(blob))).toBe(18);
    const openRead = () => Promise.reject(new IsomericError('sqlite-missing', 'It is this one.'));
    await expect(openLayer(blob, { sqlite: { openRead } })).rejects.toThrow('It is this one.');
  });

  it('with what the data do not say themselves', async () => {
    const bridges = await openLayer(path(data, 'map-extracts/teskaria-ombrey.zip'), {
      layer: 'footbridges',
      crs: readFileSync(path(data, 'teskaria-grid.wkt'), 'utf8'),
    });
    expect(bridges.crs?.name).toMatch(/Teskaria/);
    const places = await openLayer(new File(['k;wert\n1;.\n'], 'x.csv'), { geometry: 'none' }).catch(
      (error: IsomericError) => error.code,
    );
    expect(places).toBe('geometry-missing');
    const table = await openTable(new File(['k;n\nx;.\ny;3\n'], 'x.csv'), { marks: '. = suppressed' });
    expect((await all(rowsOf(table))).map((row) => row.n)).toEqual([null, 3]);
    expect((await crsNamed('WGS 84 / UTM zone 26N')).name).toBe('WGS 84 / UTM zone 26N');
    await expect(openGrid(new Blob(['no grid']))).rejects.toBeInstanceOf(IsomericError);
  });

  it('features as objects, in the CRS of the layer', async () => {
    const [first] = await all(featuresOf(prepare(openLayer(wardsPath), where("code = '020401'"), points())));
    expect(first).toMatchObject({
      type: 'Feature',
      geometry: { type: 'Point' },
      properties: { code: '020401' },
    });
  });
});

describe('what takes long', () => {
  const big = path(folder, 'big.geojson');
  writeFileSync(big, squares(300, 300));

  it('tells how far it has come, in bytes and in rows', async () => {
    const read: Progress[] = [];
    const written: Progress[] = [];
    const layer = await openLayer(big, { progress: (each) => read.push(each) });
    const size = readFileSync(big).length;
    // What it begins with is looked at first.
    expect(read[0]).toEqual({ of: big, unit: 'bytes', done: 8, all: size });
    expect(read.at(-1)).toMatchObject({ of: big, unit: 'bytes', all: size });
    expect(read.at(-1)!.done).toBeGreaterThanOrEqual(size);
    await save(layer, path(folder, 'told.fgb'), { progress: (each) => written.push(each) });
    expect(written.length).toBeGreaterThan(3);
    expect(written.at(-1)).toMatchObject({ of: 'big', unit: 'rows', done: 90_000 });
  });

  it.each([
    ['opening', (signal: AbortSignal) => openLayer(big, { signal })],
    ['saving', (signal: AbortSignal) => save(openLayer(big), path(folder, 'ended.gpkg'), { signal })],
    ['an area', (signal: AbortSignal) => areaOf(openLayer(big), undefined, { signal })],
    ['counting', (signal: AbortSignal) => countOf(prepare(openLayer(big), where('n > 1')), { signal })],
    ['checking', (signal: AbortSignal) => check(openLayer(big), ['valid'], { signal })],
    ['rows', (signal: AbortSignal) => all(rowsOf(openLayer(big), { signal }))],
  ])('%s ends when it is told to', async (_, work) => {
    const reason = new Error('enough');
    await expect(work(AbortSignal.abort(reason))).rejects.toBe(reason);
    expect(readdirSync(folder).filter((name) => /ended|part-/.test(name))).toEqual([]);
  });

  it('ends in the midst of it, also what a step holds before it gives its first row', async () => {
    const stop = new AbortController();
    let seen = 0;
    const other = {
      ...(await openTable(big, { geometry: 'none' })),
      async *batches(options?: { signal?: AbortSignal }) {
        const layer = await openLayer(big);
        for await (const batch of layer.batches(options)) {
          if (++seen === 2) stop.abort();
          options?.signal?.throwIfAborted();
          yield batch;
        }
      },
    };
    const joined = prepare(openLayer(big), join(other, 'n', { columns: [['row', 'again']] }));
    await expect(save(joined, path(folder, 'ended.gpkg'), { signal: stop.signal })).rejects.toMatchObject({
      name: 'AbortError',
    });
    expect(seen).toBe(2);
    expect(existsSync(path(folder, 'ended.gpkg'))).toBe(false);
  });
});
