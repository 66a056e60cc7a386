import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Table } from '../../core/layer/layer.ts';
import { type Mark, markReasons } from '../../core/table/marks.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { Cell } from '../cells/cell.ts';
import { tableFromCells } from '../cells/from-cells.ts';
import { baseName } from '../opening/names.ts';
import { atPointer, isObject, type JsonObject, readJson } from './json.ts';

/** Deepest place in a document where rows are looked for, and most columns of objects. */
const deepest = 6;
const mostColumns = 5000;
/** Objects in objects become columns with a dotted name, so deep. */
const deepestColumn = 4;

export interface JsonRowsReading {
  /** JSON Pointer to the rows. */
  at?: string;
  marks?: readonly Mark[];
  /** Rows of the header, where rows are lists of cells. */
  headerRows?: number;
}

const isRows = (value: unknown): value is unknown[] =>
  Array.isArray(value) && value.length > 0 && (value.every(Array.isArray) || value.every(isObject));

/** Rows in a document and where they are: the longest array of arrays or objects that lies least deep. */
function findRows(root: unknown): { rows: unknown[]; at: string } | null {
  let level: { value: unknown; at: string }[] = [{ value: root, at: '' }];
  for (let depth = 0; depth < deepest && level.length > 0; depth++) {
    let best: { rows: unknown[]; at: string } | null = null;
    const next: typeof level = [];
    for (const { value, at } of level) {
      if (isRows(value)) {
        if (best === null || value.length > best.rows.length) best = { rows: value, at };
      } else if (isObject(value))
        for (const [key, inner] of Object.entries(value).slice(0, 1000))
          next.push({ value: inner, at: `${at}/${key.replaceAll('~', '~0').replaceAll('/', '~1')}` });
      else if (Array.isArray(value))
        value.slice(0, 100).forEach((inner, k) => {
          next.push({ value: inner, at: `${at}/${k}` });
        });
    }
    if (best !== null) return best;
    level = next;
  }
  return null;
}

/** Opens rows in JSON: an array of arrays with a header row, or an array of objects, at a pointer or found. */
export async function openJsonRows(source: ByteSource, reading: JsonRowsReading = {}): Promise<Table[]> {
  const root = await readJson(source);
  let rows: unknown[];
  let at = reading.at ?? '';
  if (reading.at !== undefined) {
    const value = atPointer(root, reading.at);
    if (!isRows(value)) {
      const found = findRows(root);
      throw new IsomericError(
        'rows-missing',
        `There are no rows at ${reading.at === '' ? 'the root' : reading.at}.`,
        {
          place: { file: source.name },
          advice:
            found === null
              ? 'Rows are an array of arrays, or of objects.'
              : `There are ${grouped(found.rows.length)} at ${found.at || 'the root'}.`,
          blame: 'usage',
        },
      );
    }
    rows = value;
  } else {
    const found = findRows(root);
    if (found === null)
      throw new IsomericError('rows-missing', 'It holds no rows: no array of arrays, and none of objects.', {
        place: { file: source.name },
        advice: 'If they lie very deep, say where: --rows-at /data/rows.',
      });
    ({ rows, at } = found);
  }
  const marks = markReasons(reading.marks ?? []);
  const options = { name: baseName(source.name), place: source.name, marks };
  const table = Array.isArray(rows[0])
    ? tableFromCells(gridOfArrays(rows as unknown[][], source), {
        ...options,
        numbersInText: true,
        headerRows: reading.headerRows,
      })
    : tableOfObjects(rows as JsonObject[], options, source);
  if (table === null)
    throw new IsomericError('rows-missing', 'Its rows hold nothing.', { place: { file: source.name } });
  if (at === '' || reading.at !== undefined) return [table];
  const found = {
    code: 'rows-found',
    severity: 'note' as const,
    words: `${source.name}: the rows are those at ${at}.`,
  };
  return [{ ...table, findings: [found, ...table.findings] }];
}

function cellOf(value: unknown): Cell {
  if (value === null || value === undefined) return null;
  return typeof value === 'object' ? JSON.stringify(value) : (value as Cell);
}

function tooMany(source: ByteSource, columns: number): IsomericError {
  return new IsomericError('columns-too-many', `Its rows have ${grouped(columns)} columns or more.`, {
    place: { file: source.name },
    advice: `At most ${grouped(mostColumns)} are sensible.`,
  });
}

function gridOfArrays(rows: readonly unknown[][], source: ByteSource) {
  let columns = 0;
  for (const row of rows) columns = Math.max(columns, row.length);
  if (columns > mostColumns) throw tooMany(source, columns);
  return { rows: rows.length, columns, cell: (r: number, c: number): Cell => cellOf(rows[r][c]) };
}

/** Objects whose keys are the columns, in the order in which they come up. */
function tableOfObjects(
  rows: readonly JsonObject[],
  options: { name: string; place: string; marks: ReadonlyMap<string, string> },
  source: ByteSource,
): Table | null {
  const numbers = new Map<string, number>();
  const flat = rows.map((row) => {
    const cells: Cell[] = [];
    const add = (object: JsonObject, prefix: string, depth: number) => {
      for (const [key, value] of Object.entries(object)) {
        const name = prefix === '' ? key : `${prefix}.${key}`;
        if (isObject(value) && depth < deepestColumn) {
          add(value, name, depth + 1);
          continue;
        }
        let number = numbers.get(name);
        if (number === undefined) {
          number = numbers.size;
          if (number >= mostColumns) throw tooMany(source, number);
          numbers.set(name, number);
        }
        cells[number] = cellOf(value);
      }
    };
    add(row, '', 0);
    return cells;
  });
  return tableFromCells(
    { rows: flat.length, columns: numbers.size, cell: (r, c) => flat[r][c] ?? null },
    { ...options, names: [...numbers.keys()] },
  );
}
