/** A made-up map extract of any size, written as it is made: tiles of houses, roads, woods and places. */
import { deflateSync } from 'node:zlib';
import { blobBytes, differences, headerBlob, message, TextTable } from '../demo/country/extract/write-pbf.ts';
import { seeded } from '../demo/country/random.ts';

const houses = 700;
const roads = 260;
const roadNodes = 15;
const woods = 20;
const woodNodes = 30;
const places = 100;
/** Nodes of a tile: corners of houses, roads, borders of woods, places. */
const tileNodes = 4 * houses + roads * roadNodes + woods * woodNodes + places;
const tileWays = houses + roads + 2 * woods;
/** Tiles whose ways fill one block. */
const tilesOfWays = 7;

function dataBlob(texts: TextTable, group: Uint8Array): Uint8Array {
  const block = message((pbf) => {
    pbf.writeBytesField(1, texts.bytes());
    pbf.writeBytesField(2, group);
  });
  return blobBytes('OSMData', block, { pack: (content) => deflateSync(content, { level: 6 }) });
}

const firstId = 1_000_000;
const idsOf = (tile: number) => firstId + tile * tileNodes * 3;

/** Nodes of one tile as a block: ids with gaps, positions to 10⁻⁷ degree, who made them and when. */
function nodeBlob(tile: number): Uint8Array {
  const random = seeded(tile + 1);
  const west = -30_0000000 + (tile % 200) * 400_000;
  const south = 45_0000000 + Math.floor(tile / 200) * 300_000;
  const ids = new Float64Array(tileNodes);
  const lon = new Float64Array(tileNodes);
  const lat = new Float64Array(tileNodes);
  let id = idsOf(tile);
  let n = 0;
  const put = (x: number, y: number) => {
    id += random() < 0.8 ? 1 : 2;
    ids[n] = id;
    lon[n] = Math.round(x);
    lat[n] = Math.round(y);
    n++;
  };
  const at = () => [west + random() * 400_000, south + random() * 300_000];
  for (let k = 0; k < houses; k++) {
    const [x, y] = at();
    const [w, h] = [600 + 1500 * random(), 500 + 900 * random()];
    put(x, y);
    put(x + w, y + 40);
    put(x + w - 30, y + h);
    put(x - 30, y + h - 40);
  }
  for (let k = 0; k < roads; k++) {
    let [x, y] = at();
    for (let i = 0; i < roadNodes; i++) {
      put(x, y);
      x += 3000 * (random() - 0.3);
      y += 2500 * (random() - 0.3);
    }
  }
  for (let k = 0; k < woods; k++) {
    const [x, y] = at();
    for (let i = 0; i < woodNodes; i++) {
      const angle = (2 * Math.PI * i) / woodNodes;
      const reach = 8000 * (0.8 + 0.4 * random());
      put(x + reach * Math.cos(angle), y + 0.7 * reach * Math.sin(angle));
    }
  }
  for (let k = 0; k < places; k++) put(...(at() as [number, number]));
  const texts = new TextTable();
  const tags: number[] = [];
  for (let k = 0; k < tileNodes - places; k++) tags.push(0);
  for (let k = 0; k < places; k++) {
    tags.push(
      texts.number(k % 2 === 0 ? 'amenity' : 'natural'),
      texts.number(k % 2 === 0 ? 'bench' : 'tree'),
    );
    if (k % 4 === 0) tags.push(texts.number('name'), texts.number(`Place ${tile} ${k}`));
    tags.push(0);
  }
  const sets = new Float64Array(tileNodes);
  const times = new Float64Array(tileNodes);
  const editors = new Float64Array(tileNodes);
  const names = new Float64Array(tileNodes);
  for (let k = 0; k < tileNodes; k++) {
    const run = Math.floor(k / 40);
    sets[k] = 100_000 + tile * 50 + ((run * 7919) % 977);
    times[k] = 1_500_000_000 + ((run * 104_729) % 90_000_000) + (k % 40);
    editors[k] = 1000 + (run % 60);
    names[k] = texts.number(`editor ${run % 60}`);
  }
  return dataBlob(
    texts,
    message((group) =>
      group.writeBytesField(
        2,
        message((pbf) => {
          pbf.writePackedSVarint(1, differences(ids));
          pbf.writeBytesField(
            5,
            message((info) => {
              info.writePackedVarint(
                1,
                Array.from(ids, (each) => 1 + (each % 3)),
              );
              info.writePackedSVarint(2, differences(times));
              info.writePackedSVarint(3, differences(sets));
              info.writePackedSVarint(4, differences(editors));
              info.writePackedSVarint(5, differences(names));
            }),
          );
          pbf.writePackedSVarint(8, differences(lat));
          pbf.writePackedSVarint(9, differences(lon));
          pbf.writePackedVarint(10, tags);
        }),
      ),
    ),
  );
}

/** Ids of a tile's nodes, as nodeBlob makes them. */
function tileIds(tile: number): Float64Array {
  const random = seeded(tile + 1);
  const ids = new Float64Array(tileNodes);
  let id = idsOf(tile);
  let n = 0;
  const put = () => {
    id += random() < 0.8 ? 1 : 2;
    ids[n++] = id;
  };
  const skip = (count: number) => {
    for (let k = 0; k < count; k++) random();
  };
  for (let k = 0; k < houses; k++) {
    skip(4);
    for (let i = 0; i < 4; i++) put();
  }
  for (let k = 0; k < roads; k++) {
    skip(2);
    for (let i = 0; i < roadNodes; i++) {
      put();
      skip(2);
    }
  }
  for (let k = 0; k < woods; k++) {
    skip(2);
    for (let i = 0; i < woodNodes; i++) {
      skip(1);
      put();
    }
  }
  for (let k = 0; k < places; k++) {
    skip(2);
    put();
  }
  return ids;
}

const highways = [
  'residential',
  'service',
  'track',
  'tertiary',
  'footway',
  'unclassified',
  'secondary',
  'primary',
];

function wayBlob(from: number, end: number): Uint8Array {
  const texts = new TextTable();
  const group = message((pbf) => {
    for (let tile = from; tile < end; tile++) {
      const ids = tileIds(tile);
      let way = 50_000 + tile * tileWays * 2;
      const write = (refs: Float64Array, tags: [string, string][]) => {
        way += 1 + (way % 2);
        pbf.writeBytesField(
          3,
          message((own) => {
            own.writeVarintField(1, way);
            if (tags.length > 0) {
              own.writePackedVarint(
                2,
                tags.map(([key]) => texts.number(key)),
              );
              own.writePackedVarint(
                3,
                tags.map(([, value]) => texts.number(value)),
              );
            }
            own.writeBytesField(
              4,
              message((info) => {
                info.writeVarintField(1, 1 + (way % 4));
                info.writeVarintField(2, 1_500_000_000 + ((way * 7919) % 90_000_000));
                info.writeVarintField(3, 100_000 + (way % 5000));
                info.writeVarintField(4, 1000 + (way % 60));
                info.writeVarintField(5, texts.number(`editor ${way % 60}`));
              }),
            );
            own.writePackedSVarint(8, differences(refs));
          }),
        );
      };
      for (let k = 0; k < houses; k++) {
        const refs = new Float64Array(5);
        refs.set(ids.subarray(4 * k, 4 * k + 4));
        refs[4] = refs[0];
        write(refs, [
          ['building', k % 3 === 0 ? 'house' : 'yes'],
          ...(k % 2 === 0 ? ([['addr:housenumber', String(k % 90)]] as [string, string][]) : []),
          ...(k % 5 === 0 ? ([['building:levels', String(1 + (k % 4))]] as [string, string][]) : []),
        ]);
      }
      const firstRoad = 4 * houses;
      for (let k = 0; k < roads; k++)
        write(ids.slice(firstRoad + k * roadNodes, firstRoad + (k + 1) * roadNodes), [
          ['highway', highways[k % highways.length]],
          ...(k % 3 === 0 ? ([['name', `Road ${tile % 50} ${k}`]] as [string, string][]) : []),
          ...(k % 2 === 0 ? ([['surface', k % 4 === 0 ? 'asphalt' : 'gravel']] as [string, string][]) : []),
        ]);
      const firstWood = firstRoad + roads * roadNodes;
      for (let k = 0; k < woods; k++) {
        const own = ids.subarray(firstWood + k * woodNodes, firstWood + (k + 1) * woodNodes);
        const half = woodNodes / 2;
        const second = new Float64Array(half + 1);
        second.set(own.subarray(half));
        second[half] = own[0];
        write(own.slice(0, half + 1), []);
        write(second, []);
      }
    }
  });
  return dataBlob(texts, group);
}

/** Ids of the ways of a tile, as wayBlob makes them. */
function tileWayIds(tile: number): Float64Array {
  const ids = new Float64Array(tileWays);
  let way = 50_000 + tile * tileWays * 2;
  for (let k = 0; k < tileWays; k++) {
    way += 1 + (way % 2);
    ids[k] = way;
  }
  return ids;
}

function relationBlob(from: number, end: number): Uint8Array {
  const texts = new TextTable();
  const group = message((pbf) => {
    for (let tile = from; tile < end; tile++) {
      const ways = tileWayIds(tile);
      for (let k = 0; k < woods; k++) {
        const first = houses + roads + 2 * k;
        pbf.writeBytesField(
          4,
          message((own) => {
            own.writeVarintField(1, 9000 + tile * woods + k);
            own.writePackedVarint(2, [
              texts.number('type'),
              texts.number(k % 2 === 0 ? 'landuse' : 'natural'),
            ]);
            own.writePackedVarint(3, [
              texts.number('multipolygon'),
              texts.number(k % 2 === 0 ? 'forest' : 'wood'),
            ]);
            own.writePackedVarint(8, [texts.number('outer'), texts.number('outer')]);
            own.writePackedSVarint(9, differences(Float64Array.of(ways[first], ways[first + 1])));
            own.writePackedVarint(10, [1, 1]);
          }),
        );
      }
    }
  });
  return dataBlob(texts, group);
}

/** The blobs of an extract of so many tiles (about 70 kB each). */
export function* madeExtract(tiles: number): Generator<Uint8Array> {
  yield headerBlob({});
  for (let tile = 0; tile < tiles; tile++) yield nodeBlob(tile);
  for (let tile = 0; tile < tiles; tile += tilesOfWays)
    yield wayBlob(tile, Math.min(tiles, tile + tilesOfWays));
  for (let tile = 0; tile < tiles; tile += 300) yield relationBlob(tile, Math.min(tiles, tile + 300));
}

export const tileCounts = { nodes: tileNodes, ways: tileWays, relations: woods };
