import { dateText, timestampText } from '../../core/table/time.ts';

/** A cell as spreadsheets and JSON hold it. `days` and `milliseconds` count from 1970-01-01. */
export type Cell = string | number | boolean | null | { days: number } | { milliseconds: number };

/** Rows of cells, however they are held. */
export interface CellGrid {
  rows: number;
  columns: number;
  cell(row: number, column: number): Cell;
}

/** What a cell reads as. */
export function cellText(cell: Cell): string {
  if (cell === null) return '';
  if (typeof cell !== 'object') return String(cell);
  return 'days' in cell ? dateText(cell.days) : timestampText(cell.milliseconds);
}
