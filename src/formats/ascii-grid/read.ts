import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { checkWindow, type Grid, type GridWindow } from '../../core/grid/grid.ts';
import { numberFrom } from '../../core/table/number-text.ts';
import { type ByteSource, type Surroundings, wholeSource } from '../bytes/byte-source.ts';
import { crsMissing, crsOrTold } from '../making/layer-findings.ts';
import { besideOf, stem } from '../opening/beside.ts';
import { baseName } from '../opening/names.ts';
import { gridHeader } from './sniff.ts';

const mostCells = 2 ** 34;

/** Where every so many rows begin in the file: 8 bytes a step, a million rows at most a megabyte. */
const step = 8;

/** Opens an ASCII grid. The header is read; where its rows lie is found out when the first window is asked for. */
export async function openAsciiGrid(
  source: ByteSource,
  around: Surroundings | null,
  path: string,
): Promise<Grid> {
  const head = new TextDecoder('latin1').decode(await source.bytes(0, 4096));
  const header = gridHeader(head);
  if (header === null) throw damaged(source, 'Its header is not whole.');
  const findings: Finding[] = [];
  const { columns, rows, noData } = header;
  if (
    columns < 1 ||
    rows < 1 ||
    columns * rows > mostCells ||
    !Number.isInteger(columns) ||
    !Number.isInteger(rows)
  )
    throw damaged(source, `Its size is ${columns} × ${rows} cells.`);
  const [dx, dy] = [header.cellWidth, header.cellHeight];
  if (!(dx > 0) || !(dy > 0)) throw damaged(source, `Its cells measure ${dx} × ${dy}.`);
  const west = header.atCentre ? header.x - dx / 2 : header.x;
  const south = header.atCentre ? header.y - dy / 2 : header.y;
  let index: Promise<Float64Array> | null = null;
  const grid: Grid = {
    name: baseName(source.name),
    width: columns,
    height: rows,
    bands: [{ name: 'value', type: 'float64', noData }],
    crs: await crsBeside(source, around, path, findings),
    transform: [west, dx, 0, south + rows * dy, 0, -dy],
    findings,
    layout: 'ASCII grid',
    read: async (band, window) => {
      checkWindow(grid, band, window);
      index ??= indexRows(source, header.length, columns, rows);
      return readWindow(source, await index, grid, window);
    },
  };
  return grid;
}

async function crsBeside(
  source: ByteSource,
  around: Surroundings | null,
  path: string,
  findings: Finding[],
): Promise<Crs | null> {
  const found = around === null ? undefined : (await besideOf(around)).named(`${stem(path)}.prj`);
  if (around === null || found === undefined) {
    findings.push(crsMissing(`${source.name}: there is no .prj beside it, so its CRS is not known.`));
    return null;
  }
  const text = new TextDecoder().decode(await wholeSource(await around.open(found), 100_000));
  return crsOrTold(found, findings, () => crsFromText(text));
}

function damaged(source: ByteSource, words: string): IsomericError {
  return new IsomericError('grid-damaged', words, {
    place: { file: source.name },
    advice: 'The file is damaged or was cut short: get it again.',
  });
}

/** Goes through the values once: the byte at which every eighth row begins; last, where the file's values end. */
async function indexRows(
  source: ByteSource,
  from: number,
  columns: number,
  rows: number,
): Promise<Float64Array> {
  const starts = new Float64Array(Math.ceil(rows / step) + 1);
  const every = columns * step;
  const all = columns * rows;
  let values = 0;
  let inside = false;
  let at = 0;
  for await (const chunk of source.stream()) {
    for (let k = 0; k < chunk.length; k++) {
      const c = chunk[k];
      if (c <= 32) {
        inside = false;
        continue;
      }
      if (inside || at + k < from) continue;
      inside = true;
      if (values % every === 0 && values < all) starts[values / every] = at + k;
      values++;
    }
    at += chunk.length;
  }
  if (values !== all)
    throw damaged(
      source,
      `It has ${values} values, where its header announces ${columns} × ${rows} = ${all}.`,
    );
  starts[starts.length - 1] = at;
  return starts;
}

async function readWindow(
  source: ByteSource,
  index: Float64Array,
  grid: Grid,
  window: GridWindow,
): Promise<Float64Array> {
  const values = new Float64Array(window.width * window.height).fill(NaN);
  const { noData } = grid.bands[0];
  const last = window.row + window.height;
  for (let group = Math.floor(window.row / step); group * step < last; group++) {
    const bytes = await source.bytes(index[group], index[group + 1]);
    let place = group * step * grid.width;
    const end = Math.min(grid.height, last) * grid.width;
    let k = 0;
    while (k < bytes.length && place < end) {
      while (k < bytes.length && bytes[k] <= 32) k++;
      const start = k;
      while (k < bytes.length && bytes[k] > 32) k++;
      if (k === start) break;
      const row = Math.floor(place / grid.width) - window.row;
      const column = (place % grid.width) - window.column;
      place++;
      if (row < 0 || column < 0 || column >= window.width) continue;
      // A decimal comma is the only comma that occurs here.
      const value = numberFrom(bytes, start, k, bytes.subarray(start, k).includes(44));
      if (Number.isNaN(value))
        throw damaged(
          source,
          `The value in row ${row + window.row + 1}, column ${column + window.column + 1} is no number.`,
        );
      if (value !== noData) values[row * window.width + column] = value;
    }
  }
  return values;
}
