import { describe, expect, it } from 'vitest';
import { geodesicMeasure } from '../../../src/core/geometry/geodesic.ts';
import {
  crsByEpsg,
  crsFromText,
  type GeographicCrs,
  type GeometryArray,
  geometriesFrom,
  IsomericError,
  type Layer,
  planarArea,
  type ReprojectOptions,
  readNtv2,
  reprojectLayer,
  transformer,
  wgs84,
} from '../../../src/core/index.ts';
import { Batch } from '../../../src/core/layer/batch.ts';
import { densifier } from '../../../src/core/layer/verbs/densify.ts';

type Geometry = Parameters<typeof geometriesFrom>[0][number];

function layerOf(geometries: Geometry[], crs = wgs84() as Layer['crs']): Layer {
  return {
    name: 'made',
    schema: [],
    crs,
    count: geometries.length,
    findings: [],
    accounts: [],
    async *batches() {
      yield new Batch({
        length: geometries.length,
        first: 0,
        geometry: geometriesFrom(geometries),
        columns: [],
      });
    },
  };
}

async function brought(geometries: Geometry[], to: string, crs?: Layer['crs'], options?: ReprojectOptions) {
  const result = reprojectLayer(layerOf(geometries, crs), crsFromText(to), options);
  let geometry: GeometryArray | null = null;
  for await (const batch of result.batches()) geometry = batch.geometry;
  return {
    geometry: geometry!,
    account: result.accounts[0],
    codes: result.accounts[0].findings.map(({ code }) => code),
  };
}

const line = (...coordinates: [number, number][]): Geometry => ({ type: 'LineString', coordinates });
const area = (...ring: [number, number][]): Geometry => ({
  type: 'Polygon',
  coordinates: [[...ring, ring[0]]],
});
const partsOf = (array: GeometryArray, i = 0) => array.partStart[i + 1] - array.partStart[i];

describe('the seam of a map', () => {
  it('cuts a line over the antimeridian, which does not go around the globe', async () => {
    const { geometry, account } = await brought([line([179.5, 10], [180.5, 12])], 'EPSG:3857');
    expect(partsOf(geometry)).toBe(2);
    const edge = 20037508.342789244;
    expect(Math.max(...geometry.xy.filter((_, k) => k % 2 === 0))).toBeCloseTo(edge, 3);
    expect(Math.min(...geometry.xy.filter((_, k) => k % 2 === 0))).toBeCloseTo(-edge, 3);
    expect(account.counts.cutAtSeam).toBe(1);
    expect(account.notes.join()).toContain('1 feature cut where the map of EPSG:3857');
  });

  it('leaves alone what goes around the globe on purpose, and what only touches the edge', async () => {
    const around = area([-180, -60], [180, -60], [180, 70], [-180, 70]);
    const touching = area([170, 0], [180, 0], [180, 10], [170, 10]);
    const { geometry, account } = await brought([around, touching], 'EPSG:3857');
    expect(account.counts.cutAtSeam).toBe(0);
    expect([partsOf(geometry, 0), partsOf(geometry, 1)]).toEqual([1, 1]);
  });

  it('cuts what comes from a grid across it too, the area stays the same', async () => {
    // Around Fiji: a grid in the middle of the Pacific, its own numbers on both sides of 180°.
    const pacific = crsFromText('EPSG:3832');
    const middle = Float64Array.of(179, -18, 181, -17);
    transformer(wgs84(), pacific).transform(middle);
    const [x0, y0, x1, y1] = middle;
    const ring = area([x0, y0], [x1, y0], [x1, y1], [x0, y1]);
    const before = geodesicMeasure(pacific).area(geometriesFrom([ring]), 0);
    const { geometry, account } = await brought([ring], 'EPSG:4326', pacific);
    expect(partsOf(geometry)).toBe(2);
    expect(account.counts.cutAtSeam).toBe(1);
    for (let k = 0; k < geometry.xy.length; k += 2)
      expect(Math.abs(geometry.xy[k])).toBeLessThanOrEqual(180 + 1e-9);
    const after = geodesicMeasure(wgs84()).area(geometry, 0);
    // Straight edges of the one are not those of the other: 2 degrees wide.
    expect(after / before).toBeCloseTo(1, 3);
  });

  it('closes what lies around a pole', async () => {
    const polar = crsFromText('EPSG:3031');
    const ring = area(
      ...Array.from({ length: 72 }, (_, k): [number, number] => [
        2e6 * Math.sin((k * Math.PI) / 36),
        2e6 * Math.cos((k * Math.PI) / 36),
      ]),
    );
    const { geometry } = await brought([ring], 'EPSG:4326', polar);
    const before = geodesicMeasure(polar).area(geometriesFrom([ring]), 0);
    const after = geodesicMeasure(wgs84()).area(geometry, 0);
    expect(Math.min(...geometry.xy)).toBeGreaterThanOrEqual(-180);
    expect([...geometry.xy].filter((_, k) => k % 2 === 1)).toContain(-90);
    expect(after / before).toBeCloseTo(1, 2);
  });

  it('ends the map of the web where that ends, instead of losing the continent around the pole', async () => {
    const { geometry, account, codes } = await brought(
      [area([-180, -90], [180, -90], [180, -60], [-180, -60])],
      'EPSG:3857',
    );
    expect(account.counts).toMatchObject({ cutAtSeam: 1, withoutImage: 0 });
    expect(codes).not.toContain('outside-projection');
    expect(Math.min(...geometry.xy)).toBeCloseTo(-20037508.34, 1);
  });

  it('cuts nothing where the map goes on: around a point there is no seam', async () => {
    for (const code of ['EPSG:3035', 'EPSG:3571', 'EPSG:3995']) {
      const { geometry, account } = await brought(
        [line([-172, 70], [-168, 71], [-165, 72]), line([5, 60], [12, 62])],
        code,
      );
      expect(account.counts.cutAtSeam, code).toBe(0);
      expect(partsOf(geometry)).toBe(1);
    }
  });

  it('cuts at every interruption of a map that has several, and areas stay the same', async () => {
    const ring = area([-60, -40], [40, -40], [40, 50], [-60, 50]);
    const { geometry, account } = await brought([ring], '54052', undefined, {
      densify: { path: 'straight', within: 500 },
    });
    expect(account.counts.cutAtSeam).toBe(1);
    // Two lobes in the north, two in the south.
    expect(partsOf(geometry)).toBe(4);
    const whole = planarArea(geometry, 0);
    const radius = 6378137;
    const degree = Math.PI / 180;
    const sphere = radius ** 2 * 100 * degree * (Math.sin(50 * degree) + Math.sin(40 * degree));
    expect(Math.abs(whole / sphere - 1)).toBeLessThan(1e-3);
    const lines = await brought([line([-110, -30], [150, -30])], '54052');
    expect(partsOf(lines.geometry)).toBe(4);
  });

  it('keeps heights of what is cut', async () => {
    const { geometry } = await brought(
      [
        {
          type: 'LineString',
          coordinates: [
            [179, 0, 100],
            [181, 0, 200],
          ],
        },
      ],
      'EPSG:3857',
    );
    expect([...geometry.z!]).toEqual([100, 150, 150, 200]);
  });
});

describe('what has no place there', () => {
  const points = (...coordinates: [number, number][]): Geometry[] =>
    coordinates.map((each) => ({ type: 'Point', coordinates: each }));

  it('is told once, with a count, the first and the likely reason', async () => {
    const { account } = await brought(
      points([-29, 45], [500_000, 4_500_000], [510_000, 4_600_000]),
      'EPSG:32626',
    );
    const [finding] = account.findings.filter(({ code }) => code === 'outside-projection');
    expect(finding).toMatchObject({ severity: 'error', feature: 2, at: [500_000, 4_500_000] });
    expect(finding.words).toMatch(/^2 features of 3 have a point without an image.*look like metres/);
    expect(account.sentence).toContain('1 brought to');
    expect(account.sentence).toContain('2 with points that have no image there');
  });

  it('is an error when it is everything', async () => {
    await expect(brought(points([500_000, 4_500_000]), 'EPSG:32626')).rejects.toMatchObject({
      code: 'nothing-brought',
    });
    await expect(brought(points([500_000, 4_500_000]), 'EPSG:4258')).rejects.toMatchObject({
      code: 'nothing-brought',
    });
  });

  it('exchanged axes are suspected where they explain it', async () => {
    const { account } = await brought(points([45, -120], [45, 45]), 'EPSG:3857');
    expect(account.findings[0].words).toContain('longitude and latitude look exchanged');
  });

  it('a layer far outside of where its new CRS is meant for is told, once with a count', async () => {
    const { account } = await brought(points([-84, 40], [-83, 41], [5, 52]), 'EPSG:28992');
    const told = account.findings.filter(({ code }) => code === 'outside-area-of-use');
    expect(told).toHaveLength(1);
    expect(told[0]).toMatchObject({ severity: 'warning', feature: 1 });
    expect(told[0].words).toMatch(/^2 features of 3 lie far outside.*50.75° N to 53.7° N/);
  });

  it('a mean shift used elsewhere is told', async () => {
    const { codes } = await brought(points([-150, 62]), 'EPSG:4269', crsByEpsg(4267));
    expect(codes).toContain('outside-shift-area');
    const { codes: inside } = await brought(points([-84, 40]), 'EPSG:4269', crsByEpsg(4267));
    expect(inside).not.toContain('outside-shift-area');
  });
});

describe('long edges', () => {
  const utm = crsByEpsg(32626)!;
  const dense = (
    path: 'straight' | 'great circle' | 'rhumb',
    within: number,
    from = wgs84() as Layer['crs'],
  ) => densifier(from!, utm, { path, within }, {});
  const edge = geometriesFrom([line([-30, 45], [-24, 45])]);

  it.each(['straight', 'great circle', 'rhumb'] as const)(
    'keep their course within the tolerance: %s',
    (path) => {
      // The shortest way is nearly straight on this map.
      const [most, least] = path === 'great circle' ? [0.1, 0.001] : [100, 1];
      const coarse = dense(path, most)(edge);
      const fine = dense(path, least)(edge);
      expect(coarse.added).toBeGreaterThan(0);
      expect(fine.added).toBeGreaterThan(coarse.added);
      expect([...fine.geometry.xy.slice(0, 2)]).toEqual([-30, 45]);
      expect([...fine.geometry.xy.slice(-2)]).toEqual([-24, 45]);
      const latitudes = [...fine.geometry.xy].filter((_, k) => k % 2 === 1);
      // A parallel is straight in degrees and one bearing; the shortest way between two of its points lies north of it.
      if (path === 'great circle') expect(Math.max(...latitudes)).toBeGreaterThan(45.038);
      else for (const latitude of latitudes) expect(latitude).toBeCloseTo(45, 9);
      // Halfway between new vertices the true course is no further off than asked.
      const images = fine.geometry.xy.slice();
      transformer(wgs84(), utm).transform(images);
      if (path === 'straight')
        for (let k = 0; k + 3 < images.length; k += 2) {
          const middle = Float64Array.of((fine.geometry.xy[k] + fine.geometry.xy[k + 2]) / 2, 45);
          transformer(wgs84(), utm).transform(middle);
          const off = Math.hypot(
            middle[0] - (images[k] + images[k + 2]) / 2,
            middle[1] - (images[k + 1] + images[k + 3]) / 2,
          );
          expect(off).toBeLessThan(1.01);
        }
    },
  );

  it('are not touched where they are straight already', () => {
    expect(dense('straight', 1, utm)(geometriesFrom([line([4e5, 5e6], [6e5, 5.1e6])])).added).toBe(0);
  });

  it('are told in the account', async () => {
    const { account } = await brought([line([-30, 45], [-24, 45])], 'EPSG:32626', undefined, {
      densify: { path: 'straight', within: 10 },
      steps: true,
    });
    expect(account.notes.join('\n')).toMatch(/\d+ vertices added on long edges \(straight, within 10 m\)/);
    expect(account.notes.join('\n')).toContain('Step 2: Transverse Mercator (EPSG:32626');
  });
});

/** A grid of shifts in the NTv2 form: one coarse grid and a finer one within, shifts that are linear in place. */
function madeGrid(little: boolean): Uint8Array {
  const records: ([string, string | number] | [number, number, number, number])[] = [];
  const grid = (
    name: string,
    parent: string,
    s: number,
    n: number,
    e: number,
    w: number,
    step: number,
    extra: number,
  ) => {
    const rows = Math.round((n - s) / step) + 1;
    const columns = Math.round((w - e) / step) + 1;
    records.push(['SUB_NAME', name], ['PARENT', parent], ['CREATED', ''], ['UPDATED', '']);
    records.push(['S_LAT', s * 3600], ['N_LAT', n * 3600], ['E_LONG', e * 3600], ['W_LONG', w * 3600]);
    records.push(['LAT_INC', step * 3600], ['LONG_INC', step * 3600], ['GS_COUNT', rows * columns]);
    for (let row = 0; row < rows; row++)
      for (let column = 0; column < columns; column++) {
        const lat = s + row * step;
        const west = e + column * step;
        records.push([1 + 0.1 * lat + extra, 2 + 0.1 * west, 0.25, 0.25]);
      }
  };
  records.push(
    ['NUM_OREC', 11],
    ['NUM_SREC', 11],
    ['NUM_FILE', 2],
    ['GS_TYPE', 'SECONDS'],
    ['VERSION', 'made'],
    ['SYSTEM_F', 'NAD27'],
    ['SYSTEM_T', 'NAD83'],
  );
  records.push(
    ['MAJOR_F', 6378206.4],
    ['MINOR_F', 6356583.8],
    ['MAJOR_T', 6378137],
    ['MINOR_T', 6356752.314],
  );
  grid('COARSE', 'NONE', 40, 44, 80, 86, 1, 0);
  grid('FINE', 'COARSE', 41, 42, 82, 83, 0.25, 5);
  const bytes = new Uint8Array(16 * (records.length + 1));
  const view = new DataView(bytes.buffer);
  const whole = new Set(['NUM_OREC', 'NUM_SREC', 'NUM_FILE', 'GS_COUNT']);
  records.forEach((record, k) => {
    const at = 16 * k;
    if (record.length === 4)
      for (const [i, value] of record.entries()) view.setFloat32(at + 4 * i, value, little);
    else {
      const [name, value] = record;
      for (let i = 0; i < 8; i++) bytes[at + i] = name.charCodeAt(i) || 32;
      if (typeof value === 'string')
        for (let i = 0; i < 8; i++) bytes[at + 8 + i] = value.charCodeAt(i) || 32;
      else if (whole.has(name)) view.setInt32(at + 8, value, little);
      else view.setFloat64(at + 8, value, little);
    }
  });
  return bytes;
}

describe.each([true, false])('a grid of shifts (little-endian: %s)', (little) => {
  const grid = readNtv2(madeGrid(little), 'made.gsb');
  const [nad27, nad83] = [crsByEpsg(4267) as GeographicCrs, crsByEpsg(4269) as GeographicCrs];

  it('is used between its two datums, bilinear, finer grids first', () => {
    expect(grid).toMatchObject({ from: 'NAD27', to: 'NAD83', grids: 2, accuracy: 0.25 });
    const through = transformer(nad27, nad83, { grids: [grid] });
    expect(through.datumWords).toContain('grid made.gsb (NAD27 to NAD83)');
    expect(through.datum.alternatives.join()).toContain('without the grid');
    const xy = Float64Array.of(-84.3, 43.4, -82.6, 41.3);
    through.transform(xy);
    // Linear shifts: seconds of latitude, and of longitude counted westwards.
    expect((xy[1] - 43.4) * 3600).toBeCloseTo(1 + 4.34, 4);
    expect((xy[0] + 84.3) * 3600).toBeCloseTo(-(2 + 8.43), 4);
    expect((xy[3] - 41.3) * 3600).toBeCloseTo(1 + 4.13 + 5, 4);
  });

  it('is iterated for the way back', () => {
    const there = transformer(nad27, nad83, { grids: [grid] });
    const back = transformer(nad83, nad27, { grids: [grid] });
    expect(back.datumWords).toContain('the way back');
    const xy = Float64Array.of(-84.31, 43.37, -82.61, 41.33);
    const before = [...xy];
    there.transform(xy);
    back.transform(xy);
    for (const [k, value] of xy.entries()) expect(value).toBeCloseTo(before[k], 11);
  });

  it('reaches WGS 84 over the datum that it leads to, and is nothing outside', () => {
    const through = transformer(nad27, wgs84(), { grids: [grid] });
    expect(through.datumWords).toContain('WGS 84 taken as NAD83');
    const outside = Float64Array.of(-100, 43);
    expect(through.transform(outside)).toBe(1);
  });

  it('between other datums is not used, and that is said', () => {
    const ed50 = crsByEpsg(4230) as GeographicCrs;
    const path = transformer(ed50, crsByEpsg(4258)!, { grids: [grid] });
    expect(path.datumWords).not.toContain('made.gsb');
    expect(path.datum.alternatives.join()).toContain('NAD27 to NAD83, and was not used');
  });

  it('damaged anywhere is an error of ours, or the same shape', () => {
    const good = madeGrid(little);
    // The last record only says that it is the end.
    for (let k = 0; k < good.length - 16; k += 7) {
      const bad = good.slice();
      bad[k] ^= 0x5a;
      try {
        readNtv2(bad, 'bad.gsb');
      } catch (error) {
        expect(error).toBeInstanceOf(IsomericError);
      }
      try {
        readNtv2(good.slice(0, k), 'short.gsb');
        expect.unreachable();
      } catch (error) {
        expect((error as IsomericError).code).toBe('grid-damaged');
      }
    }
  });
});
