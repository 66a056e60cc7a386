import { grouped } from '../../core/account.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import {
  checkWindow,
  type Grid,
  type GridBand,
  type GridWindow,
  type SampleType,
} from '../../core/grid/grid.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { crsMissing, crsOrTold } from '../making/layer-findings.ts';
import { baseName } from '../opening/names.ts';
import { crsBeside, worldTransform } from './beside.ts';
import { packings, readPackings, undoDifferences, undoFloatDifferences, unpack } from './decode.ts';
import { damaged, type Entry, TiffFile } from './directory.ts';
import { GeoKeys } from './geo-keys.ts';

/** Tags of a directory (TIFF 6.0; OGC 19-008r4 for the geographic ones). */
const Tag = {
  SubfileType: 254,
  Width: 256,
  Height: 257,
  BitsPerSample: 258,
  Compression: 259,
  StripOffsets: 273,
  Samples: 277,
  RowsPerStrip: 278,
  StripByteCounts: 279,
  PlanarConfiguration: 284,
  Predictor: 317,
  TileWidth: 322,
  TileHeight: 323,
  TileOffsets: 324,
  TileByteCounts: 325,
  SampleFormat: 339,
  PixelScale: 33550,
  TiePoint: 33922,
  Transformation: 34264,
  GeoKeyDirectory: 34735,
  GeoDoubles: 34736,
  GeoAscii: 34737,
  NoData: 42113,
} as const;

/** Most cells of a grid, bytes of one unpacked block, and unpacked blocks that are kept for the next window. */
const mostCells = 2 ** 40;
const cellsPerByte = 20_000;
const largestBlock = 256_000_000;
const keptBytes = 48_000_000;

interface Blocks {
  file: TiffFile;
  offsets: Entry;
  counts: Entry;
  /** Cells of one block, and blocks across and down. */
  width: number;
  height: number;
  across: number;
  down: number;
  packing: number;
  predictor: number;
  /** Samples in one block: all bands, or one where each has its own plane. */
  samples: number;
  size: number;
  type: SampleType;
}

/**
 * Opens a GeoTIFF: the first full image; reduced copies and masks are passed over. What it does not say of its place and
 * CRS, a world file and a .prj beside it may.
 */
export async function openGeotiff(
  source: ByteSource,
  around: Surroundings | null = null,
  path = '',
): Promise<Grid> {
  const file = await TiffFile.open(source);
  const directories = await file.directories();
  const findings: Finding[] = [];
  const say = (code: string, severity: Finding['severity'], words: string) =>
    findings.push({ code, severity, words: `${source.name}: ${words}` });
  const [main, ...rest] = directories;
  let pages = 0;
  for (const directory of rest) if ((await file.number(directory, Tag.SubfileType, 0)) === 0) pages++;
  if (pages > 0)
    say(
      'tiff-pages',
      'warning',
      `it holds ${grouped(pages + 1)} images; the first one is read, the others are left out.`,
    );
  const width = await file.number(main, Tag.Width, 0);
  const height = await file.number(main, Tag.Height, 0);
  // Even cells that are all alike cannot be packed any closer: more than that would keep a reader busy with nothing.
  const most = Math.min(mostCells, cellsPerByte * source.size + 1_000_000);
  if (width < 1 || height < 1 || width * height > most)
    throw damaged(
      source,
      `Its size is ${grouped(width)} × ${grouped(height)} cells, in ${grouped(source.size)} bytes.`,
    );
  const { blocks, bandCount } = await blocksOf(file, main, width, height);
  const noDataText = (await file.text(main, Tag.NoData)).trim();
  const noData = noDataText === '' ? null : Number(noDataText);
  if (noData !== null && Number.isNaN(noData) && noDataText.toLowerCase() !== 'nan')
    say(
      'no-data-wrong',
      'warning',
      `its value for “no data” is “${noDataText.slice(0, 20)}”, which is no number.`,
    );
  const bands = Array.from(
    { length: bandCount },
    (_, b): GridBand => ({
      name: `band_${b + 1}`,
      type: blocks.type,
      noData: noData !== null && Number.isNaN(noData) ? null : noData,
    }),
  );
  if (blocks.type.endsWith('64') && blocks.type !== 'float64')
    say(
      'integers-rounded',
      'note',
      'its values are 64-bit integers; those beyond ±9,007,199,254,740,992 are rounded.',
    );
  const keys = await keysOf(file, main);
  const beside = keys.empty && around !== null ? await crsBeside(around, path, findings) : null;
  const crs: Crs | null = keys.empty
    ? beside
    : crsOrTold(source.name, findings, () => keys.crs() ?? unknown());
  if (keys.empty && beside === null && !findings.some((finding) => finding.code === 'crs-unreadable'))
    findings.push(crsMissing(`${source.name}: it has no CRS keys, so its CRS is not known.`));
  const own = await transformOf(file, main, keys);
  const world = own === null && around !== null ? await worldTransform(around, path) : null;
  const transform = own ?? world?.transform ?? null;
  if (world !== null) say('position-from-world-file', 'note', `${world.name} says where its cells lie.`);
  if (transform === null)
    say(
      'position-missing',
      'error',
      'it says nowhere where its cells lie; they are counted in columns and rows.',
    );
  const across = main.has(Tag.TileWidth) ? 'tiles' : 'strips';
  const grid: Grid = {
    name: baseName(source.name),
    width,
    height,
    bands,
    crs,
    transform: transform ?? [0, 1, 0, 0, 0, -1],
    findings,
    layout: `${file.big ? 'BigTIFF, ' : ''}${across} of ${blocks.width} × ${blocks.height}, ${packings[blocks.packing]}${blocks.predictor > 1 ? `, predictor ${blocks.predictor}` : ''}`,
    read: async (band, window) => {
      checkWindow(grid, band, window);
      return readWindow(blocks, held, grid, band, window);
    },
  };
  const held = new HeldBlocks();
  return grid;
}

function unknown(): never {
  throw new IsomericError('geo-keys-unknown', 'Its keys name no CRS.');
}

async function blocksOf(
  file: TiffFile,
  main: ReadonlyMap<number, Entry>,
  width: number,
  height: number,
): Promise<{ blocks: Blocks; bandCount: number }> {
  const { source } = file;
  const bandCount = await file.number(main, Tag.Samples, 1);
  if (bandCount < 1 || bandCount > 4096) throw damaged(source, `It has ${bandCount} bands.`);
  const all = async (tag: number, otherwise: number) => {
    const entry = main.get(tag);
    return entry === undefined ? [otherwise] : file.numbers(entry, 0, Math.min(entry.count, bandCount));
  };
  const bits = await all(Tag.BitsPerSample, 1);
  const formats = await all(Tag.SampleFormat, 1);
  if (new Set(bits).size > 1 || new Set(formats).size > 1)
    throw new IsomericError(
      'tiff-bands-differ',
      `Its bands are of different types (${bits.join(', ')} bits).`,
      {
        place: { file: source.name },
        advice: 'Ask for one file a band.',
      },
    );
  const type = typeOf(bits[0], formats[0]);
  if (type === null)
    throw new IsomericError('tiff-samples', `Its values have ${bits[0]} bits of the kind ${formats[0]}.`, {
      place: { file: source.name },
      advice: 'Integers of 8 to 64 bits and floating-point numbers of 16 to 64 are read.',
    });
  const packing = await file.number(main, Tag.Compression, 1);
  if (!readPackings.has(packing))
    throw new IsomericError(
      'tiff-packing',
      `Its cells are packed as ${packings[packing] ?? `number ${packing}`}.`,
      {
        place: { file: source.name },
        advice: 'Ask for it unpacked, or packed with deflate, LZW or PackBits.',
      },
    );
  const predictor = await file.number(main, Tag.Predictor, 1);
  if (predictor < 1 || predictor > 3 || (predictor === 3 && !type.startsWith('float')))
    throw damaged(source, `Its predictor is ${predictor}, for ${type}.`);
  const tiled = main.has(Tag.TileWidth);
  const offsets = main.get(tiled ? Tag.TileOffsets : Tag.StripOffsets);
  const counts = main.get(tiled ? Tag.TileByteCounts : Tag.StripByteCounts);
  if (offsets === undefined) throw damaged(source, 'It does not say where its cells lie in the file.');
  const planar = (await file.number(main, Tag.PlanarConfiguration, 1)) === 2;
  const blockWidth = tiled ? await file.number(main, Tag.TileWidth, 0) : width;
  const blockHeight = tiled
    ? await file.number(main, Tag.TileHeight, 0)
    : Math.min(height, await file.number(main, Tag.RowsPerStrip, height));
  const samples = planar ? 1 : bandCount;
  const size = bits[0] / 8;
  const bytes = blockWidth * blockHeight * samples * size;
  if (!(blockWidth > 0) || !(blockHeight > 0) || bytes > largestBlock)
    throw damaged(source, `Its blocks have ${blockWidth} × ${blockHeight} cells.`);
  const across = Math.ceil(width / blockWidth);
  const down = Math.ceil(height / blockHeight);
  const needed = across * down * (planar ? bandCount : 1);
  if (offsets.count < needed || (counts !== undefined && counts.count < needed))
    throw damaged(
      source,
      `It has ${grouped(offsets.count)} blocks, where its size needs ${grouped(needed)}.`,
    );
  // An old file of one strip may leave its length out: then it reaches to the end.
  const lengths = counts ?? { type: 0, count: 0, at: -1 };
  return {
    bandCount,
    blocks: {
      file,
      offsets,
      counts: lengths,
      width: blockWidth,
      height: blockHeight,
      across,
      down,
      packing,
      predictor,
      samples,
      size,
      type,
    },
  };
}

function typeOf(bits: number, format: number): SampleType | null {
  const kind = format === 2 ? 'int' : format === 3 ? 'float' : format === 1 || format === 4 ? 'uint' : null;
  const known = kind === 'float' ? [16, 32, 64] : [8, 16, 32, 64];
  return kind === null || !known.includes(bits) ? null : (`${kind}${bits}` as SampleType);
}

async function keysOf(file: TiffFile, main: ReadonlyMap<number, Entry>): Promise<GeoKeys> {
  const directory = main.get(Tag.GeoKeyDirectory);
  const doubles = main.get(Tag.GeoDoubles);
  return new GeoKeys(
    directory === undefined ? [] : await file.numbers(directory, 0, 8192),
    doubles === undefined ? [] : await file.numbers(doubles, 0, 8192),
    await file.text(main, Tag.GeoAscii),
  );
}

/** From tie point and scale, or the matrix (OGC 19-008r4, section on raster to model transformation). */
async function transformOf(
  file: TiffFile,
  main: ReadonlyMap<number, Entry>,
  keys: GeoKeys,
): Promise<Grid['transform'] | null> {
  const matrix = main.get(Tag.Transformation);
  const scale = main.get(Tag.PixelScale);
  const tie = main.get(Tag.TiePoint);
  let t: [number, number, number, number, number, number];
  if (matrix !== undefined && matrix.count >= 16) {
    const m = await file.numbers(matrix, 0, 16);
    t = [m[3], m[0], m[1], m[7], m[4], m[5]];
  } else if (scale !== undefined && tie !== undefined && scale.count >= 2 && tie.count >= 6) {
    const [sx, sy] = await file.numbers(scale, 0, 3);
    const [i, j, , x, y] = await file.numbers(tie, 0, 6);
    t = [x - i * sx, sx, 0, y + j * sy, 0, -sy];
  } else return null;
  if (!t.every(Number.isFinite) || t[1] * t[5] - t[2] * t[4] === 0) return null;
  // A point in the middle of the first cell: its corner lies half a cell before.
  if (keys.atPoints) {
    t[0] -= (t[1] + t[2]) / 2;
    t[3] -= (t[4] + t[5]) / 2;
  }
  return t;
}

/** Unpacked blocks, the last used ones, up to a number of bytes. */
class HeldBlocks {
  private readonly blocks = new Map<number, DataView | null>();
  private bytes = 0;

  get(number: number): DataView | null | undefined {
    const found = this.blocks.get(number);
    if (found === undefined) return undefined;
    this.blocks.delete(number);
    this.blocks.set(number, found);
    return found;
  }

  set(number: number, block: DataView | null): void {
    this.blocks.set(number, block);
    this.bytes += block?.byteLength ?? 0;
    for (const [key, old] of this.blocks) {
      if (this.bytes <= keptBytes || key === number) break;
      this.blocks.delete(key);
      this.bytes -= old?.byteLength ?? 0;
    }
  }
}

/** How many bytes one packed byte can stand for at most. */
const closest: Readonly<Record<number, number>> = { 1: 1, 5: 2800, 8: 1100, 32773: 66, 32946: 1100 };

/** The last strip has only the rows that are left. */
function lastStrip(blocks: Blocks, number: number): boolean {
  return (number + 1) % (blocks.across * blocks.down) === 0;
}

/** A block, unpacked; null when the file leaves it out (then it has no data). */
async function block(blocks: Blocks, number: number): Promise<DataView | null> {
  const { file, width, samples, size, packing, predictor } = blocks;
  const [offset] = await file.numbers(blocks.offsets, number, number + 1);
  const [count] =
    blocks.counts.at < 0
      ? [file.source.size - offset]
      : await file.numbers(blocks.counts, number, number + 1);
  if (offset === 0 || count === 0) return null;
  const length = width * blocks.height * samples * size;
  // No way of packing does better than this; more would be room for nothing.
  if (length > closest[packing] * count + 4096 && !lastStrip(blocks, number))
    throw damaged(
      file.source,
      `A block of ${grouped(count)} bytes cannot hold the ${grouped(length)} that it should.`,
      offset,
    );
  if (count > 2 * length + 65_536)
    throw damaged(file.source, `A block of cells has ${grouped(count)} bytes.`, offset);
  const packed = await file.bytes(offset, count);
  const { bytes } = unpack(packing, packed, length);
  if (predictor === 2) undoDifferences(bytes, width, samples, size, file.little);
  else if (predictor === 3) undoFloatDifferences(bytes, width, samples, size);
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

/** How to read one value; the floating-point predictor leaves big-endian bytes. */
function reader(type: SampleType, little: boolean): (view: DataView, p: number) => number {
  switch (type) {
    case 'uint8':
      return (view, p) => view.getUint8(p);
    case 'int8':
      return (view, p) => view.getInt8(p);
    case 'uint16':
      return (view, p) => view.getUint16(p, little);
    case 'int16':
      return (view, p) => view.getInt16(p, little);
    case 'uint32':
      return (view, p) => view.getUint32(p, little);
    case 'int32':
      return (view, p) => view.getInt32(p, little);
    case 'uint64':
      return (view, p) => Number(view.getBigUint64(p, little));
    case 'int64':
      return (view, p) => Number(view.getBigInt64(p, little));
    case 'float16':
      return (view, p) => halfFloat(view.getUint16(p, little));
    case 'float32':
      return (view, p) => view.getFloat32(p, little);
    default:
      return (view, p) => view.getFloat64(p, little);
  }
}

/** IEEE 754 binary16. */
function halfFloat(bits: number): number {
  const sign = bits & 0x8000 ? -1 : 1;
  const exponent = (bits >> 10) & 31;
  const fraction = bits & 1023;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  if (exponent === 31) return fraction === 0 ? sign * Number.POSITIVE_INFINITY : NaN;
  return sign * (1 + fraction / 1024) * 2 ** (exponent - 15);
}

async function readWindow(
  blocks: Blocks,
  held: HeldBlocks,
  grid: Grid,
  band: number,
  window: GridWindow,
): Promise<Float64Array> {
  const values = new Float64Array(window.width * window.height).fill(NaN);
  const { width, height, across, down, samples, size, type } = blocks;
  const read = reader(type, blocks.predictor === 3 ? false : blocks.file.little);
  // A file stores “no data” as its own type: −3.4e38 as text is the nearest 32-bit number.
  const { noData: said } = grid.bands[band];
  const noData = said !== null && type === 'float32' ? Math.fround(said) : said;
  const plane = samples === 1 ? band * across * down : 0;
  const sample = samples === 1 ? 0 : band;
  const lastColumn = window.column + window.width;
  const lastRow = window.row + window.height;
  for (let by = Math.floor(window.row / height); by * height < lastRow; by++) {
    for (let bx = Math.floor(window.column / width); bx * width < lastColumn; bx++) {
      const number = plane + by * across + bx;
      let view = held.get(number);
      if (view === undefined) {
        view = await block(blocks, number);
        held.set(number, view);
      }
      if (view === null) continue;
      const fromRow = Math.max(window.row, by * height);
      const toRow = Math.min(lastRow, (by + 1) * height);
      const fromColumn = Math.max(window.column, bx * width);
      const toColumn = Math.min(lastColumn, (bx + 1) * width);
      for (let row = fromRow; row < toRow; row++) {
        let p = (((row - by * height) * width + (fromColumn - bx * width)) * samples + sample) * size;
        let k = (row - window.row) * window.width + (fromColumn - window.column);
        for (let column = fromColumn; column < toColumn; column++, p += samples * size, k++) {
          const value = read(view, p);
          if (value !== noData) values[k] = value;
        }
      }
    }
  }
  return values;
}
