export interface AsciiGridHeader {
  columns: number;
  rows: number;
  x: number;
  y: number;
  /** x and y are the middle of the lower left cell, not its corner. */
  atCentre: boolean;
  cellWidth: number;
  cellHeight: number;
  noData: number | null;
  /** Bytes of the header. */
  length: number;
}

const line =
  /^\s*(ncols|nrows|xllcorner|yllcorner|xllcenter|yllcenter|cellsize|dx|dy|nodata_value)\s+(\S+)[ \t]*(\r\n|\r|\n)/i;

/** The header of an ASCII grid: lines of a word and a number; null when it is none. */
export function gridHeader(text: string): AsciiGridHeader | null {
  const values = new Map<string, number>();
  let length = 0;
  for (;;) {
    const found = line.exec(text.slice(length));
    if (found === null) break;
    const number = Number(found[2].replace(',', '.'));
    values.set(found[1].toLowerCase(), number);
    length += found[0].length;
  }
  const get = (...names: string[]) =>
    names.map((name) => values.get(name)).find((value) => value !== undefined);
  const columns = get('ncols');
  const rows = get('nrows');
  const x = get('xllcorner', 'xllcenter');
  const y = get('yllcorner', 'yllcenter');
  const cellWidth = get('cellsize', 'dx');
  const cellHeight = get('cellsize', 'dy');
  if (
    [columns, rows, x, y, cellWidth, cellHeight].some(
      (value) => value === undefined || !Number.isFinite(value),
    )
  )
    return null;
  return {
    columns: columns!,
    rows: rows!,
    x: x!,
    y: y!,
    atCentre: values.has('xllcenter'),
    cellWidth: cellWidth!,
    cellHeight: cellHeight!,
    noData: values.get('nodata_value') ?? null,
    length,
  };
}
