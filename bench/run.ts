/** Each measurement beside its floor, in one run: `npm run bench`. */

import { seeded } from '../demo/country/random.ts';
import {
  AreaIndex,
  type Crs,
  clipLayer,
  crsByEpsg,
  geographicOf,
  geometriesFrom,
  grouped,
  type Table,
  transformer,
} from '../src/core/index.ts';
import { openSource, sourceFromBytes, surroundingsOf } from '../src/formats/index.ts';
import { catalogueLines } from './catalogue.ts';
import { extractLines, extractMemory } from './extracts.ts';
import { byBoxLines, geopackageWriting } from './formats.ts';
import { downloadLine, pagingLine } from './gather.ts';
import { joinLines } from './joins.ts';
import { geojsonText, shapefileBytes, squares, wavyArea } from './made.ts';
import { beside, lineOf, type Measured } from './measure.ts';
import { memoryLines } from './memory.ts';
import { overlayLines } from './overlay.ts';
import { savingLines } from './savings.ts';
import { shapeLines } from './shapes.ts';
import { streamLines } from './streams.ts';
import { tableLines } from './tables.ts';

const only = process.argv[2];
const wanted = (name: string) => only === undefined || name.includes(only);
const add = (measured: Measured) => {
  console.log(lineOf(measured));
};

async function drain(table: Table): Promise<number> {
  let rows = 0;
  for await (const batch of table.batches()) rows += batch.length;
  return rows;
}

if (wanted('geojson')) {
  const bytes = new TextEncoder().encode(geojsonText(60_000));
  const size = `60,000 polygons, ${(bytes.length / 1e6).toFixed(0)} MB`;
  const context = { around: null, path: 'x', capabilities: {} };
  add(
    await beside(
      'GeoJSON read',
      size,
      0.6,
      'JSON.parse',
      () => JSON.parse(new TextDecoder().decode(bytes)),
      async () => {
        const [{ table }] = await openSource(sourceFromBytes(bytes, 'x.geojson'), context);
        return drain(table);
      },
    ),
  );
}

if (wanted('shapefile')) {
  const { big, dbf } = shapefileBytes();
  const around = surroundingsOf(
    new Map([
      ['w.shp', sourceFromBytes(big, 'w.shp')],
      ['w.dbf', sourceFromBytes(dbf, 'w.dbf')],
    ]),
  );
  const view = new DataView(big.buffer);
  add(
    await beside(
      'Shapefile read',
      `60,000 polygons, ${(big.length / 1e6).toFixed(0)} MB`,
      3,
      'sum of its doubles and of the bytes of the .dbf',
      () => {
        let sum = 0;
        for (let at = 100; at < big.length; ) {
          const length = 2 * view.getInt32(at + 4);
          const points = view.getInt32(at + 48, true);
          for (let k = 0; k < 2 * points; k++) sum += view.getFloat64(at + 56 + 8 * k, true);
          at += 8 + length;
        }
        for (let k = 0; k < dbf.length; k++) sum += dbf[k];
        return sum;
      },
      async () => {
        const [{ table }] = await openSource(await around.open('w.shp'), {
          around,
          path: 'w.shp',
          capabilities: {},
        });
        return drain(table);
      },
    ),
  );
}

if (wanted('geopackage')) add(await geopackageWriting());

if (wanted('bybox')) for (const line of await byBoxLines()) console.log(line);

if (wanted('overlay')) for (const line of await overlayLines()) console.log(line);

if (wanted('catalogue')) for (const line of await catalogueLines()) console.log(line);

if (wanted('shapes')) for (const line of await shapeLines()) console.log(line);

if (wanted('clip')) {
  const layer = squares(1_000_000);
  const array = geometriesFrom([{ type: 'Polygon', coordinates: [wavyArea(2000)] }]);
  const box = array.boxOf(0);
  const clipped = clipLayer(layer, new AreaIndex(array));
  await drain(clipped);
  const crossing = clipped.accounts[0].counts.cut;
  // The floor: a bare scan of all boxes, and the overlay of the crossing features alone.
  add(
    await beside(
      'Clip',
      `1,000,000 polygons, ${grouped(crossing)} cut`,
      3,
      'box scan + overlay',
      async () => {
        let inside = 0;
        const one: [number, number, number, number] = [0, 0, 0, 0];
        for await (const batch of layer.batches()) {
          const { geometry } = batch;
          for (let i = 0; i < batch.length; i++) {
            geometry!.boxOf(i, one);
            if (one[0] >= box[0] && one[1] >= box[1] && one[2] <= box[2] && one[3] <= box[3]) inside++;
          }
        }
        const area = new AreaIndex(array);
        const { crossingOnly } = await import('./crossing.ts');
        await crossingOnly(layer, area);
        return inside;
      },
      () => drain(clipLayer(layer, new AreaIndex(array))),
    ),
  );
}

if (wanted('reproject')) {
  const count = 1_000_000;
  const own = seeded(9);
  const source = Float64Array.from({ length: 2 * count }, (_, k) =>
    k % 2 === 0 ? -29.5 + 5 * own() : 43 + 4 * own(),
  );
  const degrees = (code: number) => geographicOf(crsByEpsg(code)!);
  // Forward, back, and with a seven-parameter or a zero shift before.
  const cases: [name: string, from: Crs, to: Crs, most: number][] = [
    ['To UTM zone 26N', degrees(32626), crsByEpsg(32626)!, 3],
    ['From UTM zone 26N', crsByEpsg(32626)!, degrees(32626), 6],
    ['To UTM, 7-parameter shift', degrees(4314), crsByEpsg(32626)!, 5],
    ['To UTM, zero shift', degrees(4258), crsByEpsg(32626)!, 3.5],
    ['To a Lambert conic', degrees(3034), crsByEpsg(3034)!, 3],
    ['From a Lambert conic', crsByEpsg(3034)!, degrees(3034), 6],
    ['To Lambert, 7-parameter', degrees(4314), crsByEpsg(3034)!, 5],
    ['To pseudo-Mercator', degrees(3857), crsByEpsg(3857)!, 3],
  ];
  for (const [name, from, to, most] of cases) {
    const through = transformer(from, to);
    const place = source.slice();
    if (from.kind === 'projected') transformer(geographicOf(from), from).transform(place);
    const work = new Float64Array(source.length);
    add(
      await beside(
        name,
        '1,000,000 points',
        most,
        'sin + cos',
        () => {
          let sum = 0;
          for (let k = 0; k < 2 * count; k += 2) sum += Math.sin(source[k]) + Math.cos(source[k + 1]);
          return sum;
        },
        () => {
          work.set(place);
          return through.transform(work);
        },
      ),
    );
  }
}

if (wanted('join'))
  for await (const line of joinLines()) typeof line === 'string' ? console.log(line) : add(line);

if (wanted('memory')) for await (const line of memoryLines()) console.log(line);

if (wanted('streams')) for await (const line of streamLines()) console.log(line);

if (wanted('savings')) for await (const line of savingLines()) console.log(line);

if (wanted('tables')) for await (const line of tableLines()) console.log(line);

if (wanted('extracts')) for await (const measured of extractLines()) add(measured);
if (wanted('extract memory')) for await (const line of extractMemory(1000)) console.log(line);

if (wanted('gather')) {
  add(await pagingLine());
  console.log(await downloadLine());
}
