import { cellAlong, groupOf } from './cells.ts';
import { cycled } from './projected-squares.ts';
import type { Cell, MapSheet } from './scheme.ts';
import type { SheetScheme } from './sheet-scheme.ts';
import type { LabelKind } from './templates.ts';

/** What a cell (or cells that are joined: [first, end) in a row) is called. */
export function labelOf(
  scheme: SheetScheme,
  number: number,
  path: readonly Cell[],
  kind: LabelKind,
  first: number,
  end: number,
): string {
  const level = scheme.levels[number];
  const { row } = path[path.length - 1];
  if (level.kind === 'squares') {
    const above = path[path.length - 2].column;
    return kind === 'row' ? cycled(level.rowLetters, above, row) : cycled(level.columnLetters, above, first);
  }
  if (kind === 'row') return level.kind === 'grid' ? level.rows.labels[row] : level.rowLabels[row];
  const labels: string[] = [];
  for (let column = first; column < end; column++)
    labels.push(
      kind === 'number' && level.kind === 'division'
        ? level.numbers[row * level.columns + column]
        : level.kind === 'grid'
          ? level.columns.labels[column]
          : level.columnLabels[column],
    );
  return labels.join(',');
}

/** How many columns from the west and rows from the north a cell of a quad-tree is. */
function countsOf(path: readonly Cell[]): { column: number; row: number } {
  let column = 0;
  let row = 0;
  for (const cell of path.slice(1)) {
    column = 2 * column + cell.column;
    row = 2 * row + (1 - cell.row);
  }
  return { column, row };
}

function written(
  scheme: SheetScheme,
  number: number,
  path: readonly Cell[],
  first: number,
  end: number,
): string {
  const level = scheme.levels[number];
  const { tokens, optional } = level.code;
  const all =
    level.kind === 'grid' ? level.columns.labels.length : level.kind === 'division' ? level.columns : 0;
  const wholeRow = optional !== null && all > 1 && end - first === all;
  let text = '';
  tokens.forEach((token, k) => {
    if (wholeRow && k >= optional[0] && k < optional[1]) return;
    if (token.kind === 'literal') text += token.text;
    else if (token.kind === 'parent') {
      const above = path.slice(0, -1);
      const { column } = above[above.length - 1];
      text += written(scheme, level.kind === 'grid' ? 0 : level.of, above, column, column + 1);
    } else if (token.kind === 'all columns') text += countsOf(path).column;
    else if (token.kind === 'all rows') text += countsOf(path).row;
    else text += labelOf(scheme, number, path, token.kind, first, end);
  });
  return text;
}

/** The code of a sheet. */
export function codeOf(scheme: SheetScheme, { level, path }: MapSheet): string {
  const own = scheme.levels[level];
  const { column } = path[path.length - 1];
  if (own.kind === 'squares' || own.joins.length === 0)
    return written(scheme, level, path, column, column + 1);
  const { first, end } = groupOf(own, cellAlong(scheme.levels, scheme.chains[level], path)!, column);
  return written(scheme, level, path, first, end);
}
