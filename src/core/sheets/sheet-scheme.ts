import { transformer } from '../crs/transformer.ts';
import { IsomericError } from '../errors.ts';
import { type Box, boxesMeet, type GeometryArray } from '../geometry/geometry-array.ts';
import { geometriesFrom } from '../geometry/object-view.ts';
import { relate } from '../geometry/overlay/relate.ts';
import { suggest } from '../nearest.ts';
import { cellAlong, divisionCell, evenIntervalOf, gridCell, groupOf, intervalOf, joinedAt } from './cells.ts';
import { type CutSquares, squareOutline, squaresIn } from './projected-squares.ts';
import type {
  Cell,
  DivisionLevel,
  GridLevel,
  MapSheet,
  SchemeRules,
  SheetLevel,
  SquaresLevel,
} from './scheme.ts';

/** Cells whose squares are kept at a time. */
const keptSquares = 24;

/** A map series made ready: sheets by place, their footprints, what lies above, below and beside them. */
export class SheetScheme {
  readonly rules: SchemeRules;
  readonly levels: readonly SheetLevel[];
  /** For each level, the levels that lead to it, itself the last. */
  readonly chains: readonly (readonly number[])[];
  private readonly squares = new Map<string, CutSquares>();

  constructor(rules: SchemeRules) {
    this.rules = rules;
    this.levels = rules.levels;
    const chains: number[][] = [];
    rules.levels.forEach((level, k) => {
      chains.push(level.kind === 'grid' ? [k] : [...chains[level.of], k]);
    });
    this.chains = chains;
  }

  /**
   * The number of a level, by its name; by the number that its scale is one over, too.
   *
   * @throws IsomericError `sheet-level-unknown`
   */
  levelNumber(name: string): number {
    const folded = name.trim().toLowerCase();
    const digits = folded.replace(/^1\s*:/, '').replace(/[\s,.’']/g, '');
    const found = this.levels.findIndex(
      (level) =>
        level.name.toLowerCase() === folded ||
        level.title.toLowerCase() === folded ||
        String(level.scale) === digits,
    );
    if (found >= 0) return found;
    const names = this.levels.map((level) => level.name);
    throw new IsomericError('sheet-level-unknown', `${this.rules.title} has no level “${name}”.`, {
      advice: suggest(name, names),
      blame: 'usage',
      wrong: name,
    });
  }

  /**
   * The sheet of a level that a place lies on. A sheet has its western and southern edges; the outermost edges belong to the last
   * sheets. @param x east or longitude, in the CRS of the scheme
   */
  at(level: number, x: number, y: number): MapSheet | null {
    const place = this.rules.round === null ? x : turned(x, this.rules.round);
    const path: Cell[] = [];
    let box: Box | null = null;
    for (const k of this.chains[level]) {
      const own = this.levels[k];
      const found: { cell: Cell; box: Box } | null =
        own.kind === 'grid'
          ? gridPlace(own, place, y)
          : own.kind === 'division'
            ? divisionPlace(own, box!, place, y)
            : this.squarePlace(own, path, box!, place, y);
      if (found === null) return null;
      path.push(found.cell);
      box = found.box;
    }
    return this.sheet(level, path);
  }

  /** The sheet of a single cell: where cells are joined, the one that it is a part of. */
  sheet(level: number, path: readonly Cell[]): MapSheet {
    const own = this.levels[level];
    if (own.kind === 'squares' || own.joins.length === 0) return { level, path };
    const box = cellAlong(this.levels, this.chains[level], path)!;
    const cell = path[path.length - 1];
    const { first } = groupOf(own, box, cell.column);
    return { level, path: [...path.slice(0, -1), { column: first, row: cell.row }] };
  }

  /** The columns of the cells that make a sheet: [first, end). */
  group({ level, path }: MapSheet): { first: number; end: number } {
    const own = this.levels[level];
    const { column } = path[path.length - 1];
    if (own.kind === 'squares' || own.joins.length === 0) return { first: column, end: column + 1 };
    return groupOf(own, cellAlong(this.levels, this.chains[level], path)!, column);
  }

  /** The box around a sheet, in the CRS of the scheme. */
  box(sheet: MapSheet): Box {
    const { level, path } = sheet;
    if (this.levels[level].kind === 'squares') return this.footprint(sheet).box();
    const chain = this.chains[level];
    const { first, end } = this.group(sheet);
    const { row } = path[path.length - 1];
    const above = path.slice(0, -1);
    const west = cellAlong(this.levels, chain, [...above, { column: first, row }])!;
    const east = cellAlong(this.levels, chain, [...above, { column: end - 1, row }])!;
    return [west[0], west[1], east[2], east[3]];
  }

  /** The outline of a sheet, in the CRS of the scheme: one feature, its corners only unless sides bend. */
  footprint(sheet: MapSheet): GeometryArray {
    const own = this.levels[sheet.level];
    if (own.kind === 'squares') {
      const above = sheet.path.slice(0, -1);
      const cut = squareOutline(this.squaresOf(own, above), sheet.path[sheet.path.length - 1]);
      return cut ?? geometriesFrom([null]);
    }
    const [x0, y0, x1, y1] = this.box(sheet);
    const ring = [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
      [x0, y0],
    ];
    return geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]);
  }

  /** The squares in a cell of the level above them. @param path leads to that cell */
  squaresOf(level: SquaresLevel, path: readonly Cell[]): CutSquares {
    const { column, row } = path[path.length - 1];
    const key = `${this.levels.indexOf(level)} ${path.map((cell) => `${cell.column},${cell.row}`).join(' ')}`;
    let found = this.squares.get(key);
    if (found === undefined) {
      const box = cellAlong(this.levels, this.chains[level.of], path)!;
      found = squaresIn(level, this.rules.crs, box, level.crsOf(column, row));
      if (this.squares.size >= keptSquares) this.squares.delete(this.squares.keys().next().value!);
      this.squares.set(key, found);
    }
    return found;
  }

  /** The sheet of the level above that holds a sheet; null for those of the first level. */
  parent({ level, path }: MapSheet): MapSheet | null {
    const own = this.levels[level];
    return own.kind === 'grid' ? null : this.sheet(own.of, path.slice(0, -1));
  }

  /** All sheets of a level below that lie within a sheet; the level right below it when none is named. */
  *children(sheet: MapSheet, level?: number): Generator<MapSheet> {
    const wanted =
      level === undefined
        ? this.levels
            .flatMap((own, k) => (own.kind !== 'grid' && own.of === sheet.level ? [k] : []))
            .slice(0, 1)
        : [level];
    for (const target of wanted) {
      const chain = this.chains[target];
      const at = chain.indexOf(sheet.level);
      if (at < 0 || at === chain.length - 1) continue;
      const { first, end } = this.group(sheet);
      const { row } = sheet.path[sheet.path.length - 1];
      for (let column = first; column < end; column++) {
        const path = [...sheet.path.slice(0, -1), { column, row }];
        const cell = cellAlong(this.levels, chain, path);
        if (cell !== null) yield* this.below(target, path, cell, null);
      }
    }
  }

  /** The sheets of a level whose boxes meet a box, their borders too; all of them without one. From the north, then from the west. */
  *within(level: number, box: Box | null): Generator<MapSheet> {
    for (const part of box === null
      ? [null]
      : this.rules.round === null
        ? [box]
        : turnedBoxes(box, this.rules.round))
      yield* this.below(level, [], null, part);
  }

  /** Sheets that share an edge or a corner with a sheet; those around the antimeridian too. */
  neighbours(sheet: MapSheet): MapSheet[] {
    const box = this.box(sheet);
    const own = JSON.stringify(sheet.path);
    const reach = 1e-9 * Math.max(1, ...box.map(Math.abs));
    const wide: Box = [box[0] - reach, box[1] - reach, box[2] + reach, box[3] + reach];
    const found = new Map<string, MapSheet>();
    for (const other of this.within(sheet.level, wide)) {
      const key = JSON.stringify(other.path);
      if (key !== own && this.touch(sheet, other)) found.set(key, other);
    }
    return [...found.values()];
  }

  /** How many sheets a level has; null where nobody counts them. */
  count(level: number): number | null {
    const chain = this.chains[level].map((k) => this.levels[k]);
    if (chain.some(({ kind }) => kind === 'squares')) return null;
    const [grid, ...divisions] = chain as [GridLevel, ...DivisionLevel[]];
    const per = (south: number, north: number, k: number): number => {
      const own = divisions[k];
      if (own === undefined) return 1;
      const last = k === divisions.length - 1;
      if (chain.every(({ joins }) => joins.length === 0))
        return divisions.slice(k).reduce((all, each) => all * each.columns * each.rows, 1);
      let all = 0;
      for (let row = 0; row < own.rows; row++) {
        const [, low, , high] = divisionCell(own, [0, south, 1, north], { column: 0, row });
        const joined = last ? joinedAt(own.joins, low, high, own.columns) : 1;
        all += Math.ceil(own.columns / joined) * per(low, high, k + 1);
      }
      return all;
    };
    let all = 0;
    for (let row = 0; row < grid.rows.labels.length; row++) {
      const [south, north] = [grid.rows.edges[row], grid.rows.edges[row + 1]];
      const columns = grid.columns.labels.length;
      const missing = grid.exceptions.filter((each) => each.row === row && each.sides === undefined).length;
      const joined = divisions.length === 0 ? joinedAt(grid.joins, south, north, columns) : 1;
      all += (Math.ceil(columns / joined) - missing) * per(south, north, 0);
    }
    return all;
  }

  private touch(a: MapSheet, b: MapSheet): boolean {
    if (this.levels[a.level].kind === 'squares') {
      const [first, second] = [this.footprint(a), this.footprint(b)];
      return relate(first, 0, second, 0)[4] !== 'F' || around(this.rules.round, first.box(), second.box());
    }
    const [first, second] = [this.box(a), this.box(b)];
    return boxesMeet(first, second) || around(this.rules.round, first, second);
  }

  /** Sheets below a cell whose boxes meet a box. @param cell the cell that the path leads to; null: the whole plane */
  private *below(
    level: number,
    path: readonly Cell[],
    cell: Box | null,
    box: Box | null,
  ): Generator<MapSheet> {
    const chain = this.chains[level];
    const own = this.levels[chain[path.length]];
    const last = path.length === chain.length - 1;
    if (own.kind === 'squares') {
      const squares = this.squaresOf(own, path);
      const place: Box = [0, 0, 0, 0];
      for (let k = 0; k < squares.cells.length; k++) {
        squares.geometry.boxOf(k, place);
        if (box === null || boxesMeet(place, box)) yield { level, path: [...path, squares.cells[k]] };
      }
      return;
    }
    const [columns, rows] =
      own.kind === 'grid' ? [own.columns.labels.length, own.rows.labels.length] : [own.columns, own.rows];
    const boxOf = (column: number, row: number) =>
      own.kind === 'grid' ? gridCell(own, { column, row }) : divisionCell(own, cell!, { column, row });
    const [c0, r0, c1, r1] =
      box === null ? [0, 0, columns - 1, rows - 1] : rangesOf(own, cell, box, columns, rows);
    for (let row = r1; row >= r0; row--) {
      for (let column = c0; column <= c1; column++) {
        const single = boxOf(column, row);
        if (single === null) continue;
        if (!last) {
          if (box === null || boxesMeet(single, box))
            yield* this.below(level, [...path, { column, row }], single, box);
          continue;
        }
        const { first, end } = groupOf(own, single, column);
        const sheet = { level, path: [...path, { column: first, row }] };
        const whole = end - first === 1 ? single : this.box(sheet);
        if (box === null || boxesMeet(whole, box)) yield sheet;
        column = end - 1;
      }
    }
  }

  private squarePlace(
    own: SquaresLevel,
    path: readonly Cell[],
    box: Box,
    x: number,
    y: number,
  ): { cell: Cell; box: Box } {
    const { column, row } = path[path.length - 1];
    const xy = Float64Array.of(x, y);
    transformer(this.rules.crs, own.crsOf(column, row)).transform(xy);
    return { cell: { column: Math.floor(xy[0] / own.size), row: Math.floor(xy[1] / own.size) }, box };
  }
}

type Round = NonNullable<SchemeRules['round']>;

/** A longitude from the western up to the eastern edge. */
function turned(x: number, [low, high]: Round): number {
  return x >= low && x < high ? x : x - (high - low) * Math.floor((x - low) / (high - low));
}

/** The one or two boxes between the edges that a box which reaches beyond them covers. */
function turnedBoxes([west, south, east, north]: Box, [low, high]: Round): Box[] {
  const width = high - low;
  if (east - west >= width) return [[low, south, high, north]];
  const boxes: Box[] = [[Math.max(low, west), south, Math.min(high, east), north]];
  if (west < low) boxes.push([west + width, south, high, north]);
  if (east > high) boxes.push([low, south, east - width, north]);
  return boxes;
}

function around(round: Round | null, a: Box, b: Box): boolean {
  if (round === null || a[1] > b[3] || b[1] > a[3]) return false;
  const [low, high] = round;
  return (a[2] === high && b[0] === low) || (b[2] === high && a[0] === low);
}

function gridPlace(level: GridLevel, x: number, y: number): { cell: Cell; box: Box } | null {
  const row = intervalOf(level.rows.edges, y);
  if (row < 0) return null;
  const special = level.exceptions.find(
    ({ row: own, sides }) => own === row && sides !== undefined && x >= sides[0] && x < sides[1],
  );
  const column = special?.column ?? intervalOf(level.columns.edges, x);
  if (column < 0) return null;
  const cell = { column, row };
  const box = gridCell(level, cell);
  return box === null || x < box[0] || x > box[2] ? null : { cell, box };
}

function divisionPlace(level: DivisionLevel, box: Box, x: number, y: number): { cell: Cell; box: Box } {
  const cell = {
    column: evenIntervalOf(box[0], box[2], level.columns, x),
    row: evenIntervalOf(box[1], box[3], level.rows, y),
  };
  return { cell, box: divisionCell(level, box, cell) };
}

/** Columns and rows that may meet a box: [first column, first row, last column, last row]. */
function rangesOf(
  level: GridLevel | DivisionLevel,
  cell: Box | null,
  box: Box,
  columns: number,
  rows: number,
): [number, number, number, number] {
  if (level.kind === 'grid') {
    const along = (edges: Float64Array, low: number, high: number): [number, number] => {
      let first = 0;
      while (first < edges.length - 2 && edges[first + 1] < low) first++;
      let last = edges.length - 2;
      while (last > 0 && edges[last] > high) last--;
      return [first, last];
    };
    // Cells with other sides than their column may reach beyond it: one more to each side.
    const more = level.exceptions.length > 0 ? 2 : 0;
    const [c0, c1] = along(level.columns.edges, box[0], box[2]);
    const [r0, r1] = along(level.rows.edges, box[1], box[3]);
    return [Math.max(0, c0 - more), r0, Math.min(columns - 1, c1 + more), r1];
  }
  const [x0, y0, x1, y1] = cell!;
  const first = (low: number, high: number, n: number, value: number) =>
    Math.max(0, Math.floor(((value - low) / (high - low)) * n) - 1);
  const last = (low: number, high: number, n: number, value: number) =>
    Math.min(n - 1, Math.floor(((value - low) / (high - low)) * n) + 1);
  return [
    first(x0, x1, columns, box[0]),
    first(y0, y1, rows, box[1]),
    last(x0, x1, columns, box[2]),
    last(y0, y1, rows, box[3]),
  ];
}
