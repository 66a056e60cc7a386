import { zlibSync } from 'fflate';
import { flats } from './units.ts';

/** Cells of the grid: metres, columns, rows. */
const cell = 250;
const tile = 64;

const west = Math.floor((Math.min(...flats.map((ward) => ward.centre[0])) - 4000) / cell) * cell;
const north = Math.ceil((Math.max(...flats.map((ward) => ward.centre[1])) + 4000) / cell) * cell;
const columns = Math.ceil((Math.max(...flats.map((ward) => ward.centre[0])) + 4000 - west) / cell);
const rows = Math.ceil((north - Math.min(...flats.map((ward) => ward.centre[1])) + 4000) / cell);

/** Depth of the hundred-year flood in centimetres: deepest towards the river mouth, none on high ground. */
function depth(column: number, row: number): number {
  const x = west + (column + 0.5) * cell;
  const y = north - (row + 0.5) * cell;
  const low = 310 - Math.hypot(x - 219_000, (y - 96_000) * 1.3) / 75;
  const waves = 34 * Math.sin(x / 1900) * Math.cos(y / 2300);
  const value = Math.round(low + waves);
  return value > 0 ? value : -9999;
}

/**
 * flood-depth.tif: a GeoTIFF of 16-bit integers in tiles, packed with deflate and horizontal differencing, its CRS
 * spelt out in keys.
 */
export function floodDepth(): Uint8Array {
  const across = Math.ceil(columns / tile);
  const down = Math.ceil(rows / tile);
  const tiles: Uint8Array[] = [];
  for (let ty = 0; ty < down; ty++) {
    for (let tx = 0; tx < across; tx++) {
      const view = new DataView(new ArrayBuffer(2 * tile * tile));
      for (let r = 0; r < tile; r++) {
        let before = 0;
        for (let c = 0; c < tile; c++) {
          const inside = tx * tile + c < columns && ty * tile + r < rows;
          const value = inside ? depth(tx * tile + c, ty * tile + r) : -9999;
          view.setInt16(2 * (r * tile + c), c === 0 ? value : value - before, true);
          before = value;
        }
      }
      tiles.push(zlibSync(new Uint8Array(view.buffer), { level: 9 }));
    }
  }
  const doubles = [6378388, 297, 45.6, -30, 45.35, 45.85, 200_000, 100_000];
  const ascii = 'Teskaria National Grid|Teskaria_1931|';
  // Key, place, length, value: a projected CRS of its own (32767), Lambert conformal conic with two parallels (8).
  const keys = [
    [1024, 0, 1, 1],
    [1025, 0, 1, 1],
    [1026, 34737, 23, 0],
    [2048, 0, 1, 32767],
    [2049, 34737, 14, 23],
    [2050, 0, 1, 32767],
    [2057, 34736, 1, 0],
    [2059, 34736, 1, 1],
    [3072, 0, 1, 32767],
    [3075, 0, 1, 8],
    [3076, 0, 1, 9001],
    [3078, 34736, 1, 4],
    [3079, 34736, 1, 5],
    [3084, 34736, 1, 3],
    [3085, 34736, 1, 2],
    [3086, 34736, 1, 6],
    [3087, 34736, 1, 7],
  ];
  const directory = [1, 1, 0, keys.length, ...keys.flat()];
  const bytesOf = (numbers: readonly number[], size: 2 | 4 | 8) => {
    const view = new DataView(new ArrayBuffer(size * numbers.length));
    numbers.forEach((value, k) => {
      if (size === 2) view.setUint16(2 * k, value, true);
      else if (size === 4) view.setUint32(4 * k, value, true);
      else view.setFloat64(8 * k, value, true);
    });
    return new Uint8Array(view.buffer);
  };
  const textOf = (text: string) => new TextEncoder().encode(`${text}\0`);
  const offsets = tiles.map(() => 0);
  const fields: [tag: number, type: number, count: number, bytes: Uint8Array][] = [
    [256, 4, 1, bytesOf([columns], 4)],
    [257, 4, 1, bytesOf([rows], 4)],
    [258, 3, 1, bytesOf([16], 2)],
    [259, 3, 1, bytesOf([8], 2)],
    [262, 3, 1, bytesOf([1], 2)],
    [277, 3, 1, bytesOf([1], 2)],
    [317, 3, 1, bytesOf([2], 2)],
    [322, 3, 1, bytesOf([tile], 2)],
    [323, 3, 1, bytesOf([tile], 2)],
    [324, 4, tiles.length, bytesOf(offsets, 4)],
    [
      325,
      4,
      tiles.length,
      bytesOf(
        tiles.map((each) => each.length),
        4,
      ),
    ],
    [339, 3, 1, bytesOf([2], 2)],
    [33550, 12, 3, bytesOf([cell, cell, 0], 8)],
    [33922, 12, 6, bytesOf([0, 0, 0, west, north, 0], 8)],
    [34735, 3, directory.length, bytesOf(directory, 2)],
    [34736, 12, doubles.length, bytesOf(doubles, 8)],
    [34737, 2, ascii.length + 1, textOf(ascii)],
    [42113, 2, 6, textOf('-9999')],
  ];
  const head = 8 + 2 + 12 * fields.length + 4;
  let at = head;
  const places = fields.map(([, , , bytes]) => {
    if (bytes.length <= 4) return -1;
    const place = at;
    at += bytes.length + (bytes.length & 1);
    return place;
  });
  const starts = tiles.map((each) => {
    const place = at;
    at += each.length + (each.length & 1);
    return place;
  });
  const file = new Uint8Array(at);
  const view = new DataView(file.buffer);
  file.set([0x49, 0x49, 42, 0, 8, 0, 0, 0]);
  view.setUint16(8, fields.length, true);
  fields.forEach(([tag, type, count, given], k) => {
    const bytes = tag === 324 ? bytesOf(starts, 4) : given;
    const p = 10 + 12 * k;
    view.setUint16(p, tag, true);
    view.setUint16(p + 2, type, true);
    view.setUint32(p + 4, count, true);
    if (places[k] < 0) file.set(bytes, p + 8);
    else {
      view.setUint32(p + 8, places[k], true);
      file.set(bytes, places[k]);
    }
  });
  tiles.forEach((each, k) => {
    file.set(each, starts[k]);
  });
  return file;
}
