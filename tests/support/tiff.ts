import { deflateSync, zlibSync } from 'fflate';

export interface TiffParts {
  width: number;
  height: number;
  bands?: number;
  /** Value of a cell. */
  value: (column: number, row: number, band: number) => number;
  type:
    | 'uint8'
    | 'int8'
    | 'uint16'
    | 'int16'
    | 'uint32'
    | 'int32'
    | 'uint64'
    | 'int64'
    | 'float32'
    | 'float64';
  big?: boolean;
  littleEndian?: boolean;
  /** Tiles of this size; else strips of so many rows. */
  tile?: [number, number];
  rowsPerStrip?: number;
  packing?: 'none' | 'zlib' | 'deflate' | 'packbits';
  predictor?: 1 | 2 | 3;
  planar?: boolean;
  noData?: string;
  keys?: number[];
  doubles?: number[];
  ascii?: string;
  transform?: { scale: [number, number]; tie: [number, number, number, number] } | { matrix: number[] };
  /** Blocks that are left out: offset and length zero. */
  sparse?: ReadonlySet<number>;
}

type Field = [tag: number, type: number, values: number[] | string];

const sizes: Record<number, number> = { 2: 1, 3: 2, 4: 4, 12: 8, 16: 8 };

/** A TIFF made by hand after TIFF 6.0 and the BigTIFF layout, for tests: nothing of it is shared with the reader. */
export function tiffBytes(parts: TiffParts): Uint8Array {
  const little = parts.littleEndian !== false;
  const bands = parts.bands ?? 1;
  const size = Number(/\d+$/.exec(parts.type)![0]) / 8;
  const kind = parts.type.startsWith('float') ? 3 : parts.type.startsWith('int') ? 2 : 1;
  const [bw, bh] = parts.tile ?? [parts.width, parts.rowsPerStrip ?? parts.height];
  const across = Math.ceil(parts.width / bw);
  const down = Math.ceil(parts.height / bh);
  const planes = parts.planar ? bands : 1;
  const samples = parts.planar ? 1 : bands;
  const blocks: Uint8Array[] = [];
  for (let plane = 0; plane < planes; plane++) {
    for (let by = 0; by < down; by++) {
      for (let bx = 0; bx < across; bx++) {
        const rows = parts.tile ? bh : Math.min(bh, parts.height - by * bh);
        const block = new Uint8Array(rows * bw * samples * size);
        const view = new DataView(block.buffer);
        for (let r = 0; r < rows; r++) {
          for (let c = 0; c < bw; c++) {
            for (let s = 0; s < samples; s++) {
              const column = bx * bw + c;
              const row = by * bh + r;
              const inside = column < parts.width && row < parts.height;
              const value = inside ? parts.value(column, row, parts.planar ? plane : s) : 0;
              write(view, ((r * bw + c) * samples + s) * size, parts.type, value, little);
            }
          }
        }
        if (parts.predictor === 2) difference(view, bw * samples, rows, samples, size, little);
        if (parts.predictor === 3) differenceFloats(block, bw * samples, rows, samples, size, little);
        blocks.push(
          parts.sparse?.has(blocks.length) ? new Uint8Array(0) : pack(block, parts.packing ?? 'none'),
        );
      }
    }
  }
  const packing = { none: 1, zlib: 8, deflate: 32946, packbits: 32773 }[parts.packing ?? 'none'];
  const fields: Field[] = [
    [256, 4, [parts.width]],
    [257, 4, [parts.height]],
    [258, 3, new Array<number>(bands).fill(size * 8)],
    [259, 3, [packing]],
    [277, 3, [bands]],
    [284, 3, [parts.planar ? 2 : 1]],
    [339, 3, new Array<number>(bands).fill(kind)],
  ];
  if (parts.predictor !== undefined) fields.push([317, 3, [parts.predictor]]);
  if (parts.tile) fields.push([322, 3, [bw]], [323, 3, [bh]]);
  else fields.push([278, 4, [bh]]);
  const offsetTag = parts.tile ? 324 : 273;
  const wide = parts.big ? 16 : 4;
  fields.push(
    [offsetTag, wide, blocks.map(() => 0)],
    [offsetTag === 324 ? 325 : 279, wide, blocks.map((block) => block.length)],
  );
  if (parts.noData !== undefined) fields.push([42113, 2, parts.noData]);
  if (parts.transform !== undefined && 'matrix' in parts.transform)
    fields.push([34264, 12, parts.transform.matrix]);
  else if (parts.transform !== undefined) {
    const { scale, tie } = parts.transform;
    fields.push([33550, 12, [...scale, 0]], [33922, 12, [tie[0], tie[1], 0, tie[2], tie[3], 0]]);
  }
  if (parts.keys !== undefined) fields.push([34735, 3, parts.keys]);
  if (parts.doubles !== undefined) fields.push([34736, 12, parts.doubles]);
  if (parts.ascii !== undefined) fields.push([34737, 2, parts.ascii]);
  fields.sort((a, b) => a[0] - b[0]);
  return assemble(fields, blocks, offsetTag, parts.big === true, little);
}

function assemble(
  fields: Field[],
  blocks: Uint8Array[],
  offsetTag: number,
  big: boolean,
  little: boolean,
): Uint8Array {
  const head = big ? 16 : 8;
  const entry = big ? 20 : 12;
  const inline = big ? 8 : 4;
  const directory = (big ? 8 : 2) + entry * fields.length + (big ? 8 : 4);
  let at = head + directory;
  const lengthOf = ([, type, values]: Field) =>
    typeof values === 'string' ? values.length + 1 : values.length * sizes[type];
  const places = fields.map((field) => {
    const length = lengthOf(field);
    if (length <= inline) return -1;
    const place = at;
    at += length + (length & 1);
    return place;
  });
  const starts = blocks.map((block) => {
    const place = block.length === 0 ? 0 : at;
    at += block.length;
    return place;
  });
  const file = new Uint8Array(at);
  const view = new DataView(file.buffer);
  file.set(little ? [0x49, 0x49] : [0x4d, 0x4d]);
  view.setUint16(2, big ? 43 : 42, little);
  if (big) {
    view.setUint16(4, 8, little);
    view.setBigUint64(8, 16n, little);
    view.setBigUint64(16, BigInt(fields.length), little);
  } else {
    view.setUint32(4, 8, little);
    view.setUint16(8, fields.length, little);
  }
  fields.forEach(([tag, type, given], k) => {
    const p = head + (big ? 8 : 2) + entry * k;
    const values = tag === offsetTag ? starts : given;
    view.setUint16(p, tag, little);
    view.setUint16(p + 2, type, little);
    const count = typeof values === 'string' ? values.length + 1 : values.length;
    if (big) view.setBigUint64(p + 4, BigInt(count), little);
    else view.setUint32(p + 4, count, little);
    let q = p + (big ? 12 : 8);
    if (places[k] >= 0) {
      if (big) view.setBigUint64(q, BigInt(places[k]), little);
      else view.setUint32(q, places[k], little);
      q = places[k];
    }
    if (typeof values === 'string') file.set(new TextEncoder().encode(values), q);
    else
      for (const value of values) {
        if (type === 3) view.setUint16(q, value, little);
        else if (type === 4) view.setUint32(q, value, little);
        else if (type === 12) view.setFloat64(q, value, little);
        else view.setBigUint64(q, BigInt(value), little);
        q += sizes[type];
      }
  });
  blocks.forEach((block, k) => {
    file.set(block, starts[k] || at - block.length);
  });
  return file;
}

function write(view: DataView, p: number, type: TiffParts['type'], value: number, little: boolean): void {
  switch (type) {
    case 'uint8':
      view.setUint8(p, value);
      return;
    case 'int8':
      view.setInt8(p, value);
      return;
    case 'uint16':
      view.setUint16(p, value, little);
      return;
    case 'int16':
      view.setInt16(p, value, little);
      return;
    case 'uint32':
      view.setUint32(p, value, little);
      return;
    case 'int32':
      view.setInt32(p, value, little);
      return;
    case 'uint64':
      view.setBigUint64(p, BigInt(value), little);
      return;
    case 'int64':
      view.setBigInt64(p, BigInt(value), little);
      return;
    case 'float32':
      view.setFloat32(p, value, little);
      return;
    default:
      view.setFloat64(p, value, little);
      return;
  }
}

function difference(
  view: DataView,
  values: number,
  rows: number,
  samples: number,
  size: number,
  little: boolean,
): void {
  for (let r = 0; r < rows; r++) {
    for (let v = values - 1; v >= samples; v--) {
      const p = (r * values + v) * size;
      const q = p - samples * size;
      if (size === 1) view.setUint8(p, view.getUint8(p) - view.getUint8(q));
      else if (size === 2) view.setUint16(p, view.getUint16(p, little) - view.getUint16(q, little), little);
      else if (size === 4) view.setUint32(p, view.getUint32(p, little) - view.getUint32(q, little), little);
      else view.setBigUint64(p, view.getBigUint64(p, little) - view.getBigUint64(q, little), little);
    }
  }
}

/** TIFF Technical Note 3: bytes by weight, the greatest first, then differenced. */
function differenceFloats(
  block: Uint8Array,
  values: number,
  rows: number,
  samples: number,
  size: number,
  little: boolean,
): void {
  for (let r = 0; r < rows; r++) {
    const row = block.slice(r * values * size, (r + 1) * values * size);
    const sorted = new Uint8Array(row.length);
    for (let v = 0; v < values; v++)
      for (let b = 0; b < size; b++) sorted[b * values + v] = row[v * size + (little ? size - 1 - b : b)];
    for (let k = sorted.length - 1; k >= samples; k--) sorted[k] -= sorted[k - samples];
    block.set(sorted, r * values * size);
  }
}

function pack(block: Uint8Array, packing: NonNullable<TiffParts['packing']>): Uint8Array {
  if (packing === 'zlib') return zlibSync(block);
  if (packing === 'deflate') return deflateSync(block);
  if (packing === 'none') return block;
  const out: number[] = [];
  let k = 0;
  while (k < block.length) {
    let run = 1;
    while (run < 128 && k + run < block.length && block[k + run] === block[k]) run++;
    if (run > 1) {
      out.push(257 - run, block[k]);
      k += run;
    } else {
      const from = k;
      while (k < block.length && k - from < 128 && block[k] !== block[k + 1]) k++;
      out.push(k - from - 1, ...block.subarray(from, k));
    }
  }
  return Uint8Array.from(out);
}
