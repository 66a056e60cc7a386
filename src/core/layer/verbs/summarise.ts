import { type Account, type Count, closeAccount, counted, grouped, listed } from '../../account.ts';
import { authalicLatitude } from '../../crs/auxiliary-latitudes.ts';
import { crsLabel, sameCrs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { type CellFigure, CellSums, mostCategories, parseCellFigure } from '../../grid/cell-figures.ts';
import { CellEdges } from '../../grid/coverage.ts';
import { type Grid, placeOf, strips, windowOfBox } from '../../grid/grid.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder, sliceValues } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { HeldUnits } from '../placing/held-units.ts';
import { valuesAtPoints } from './grid-values.ts';
import { reprojectLayer } from './reproject.ts';
import { applyVerb } from './verb.ts';

/** What is computed of the cells of each unit. */
export interface SummariseOptions {
  /** `mean`, `sum`, `count`, `least`, `greatest`, `median`, `deviation`, `above 0.5`, `majority`, `shares`, `covered`; the mean when left out. */
  figures?: readonly string[];
  /** Cells count by the share of them that a unit covers, or by their centres. */
  by?: 'share' | 'centre';
  /** Beginning of the new fields' names; the name of the grid when left out. */
  as?: string;
  /** For points: the value of the cell that holds each, or between the centres of four. */
  at?: 'cell' | 'between';
}

/** One band of one grid, with the beginning of its fields' names. */
interface Band {
  grid: Grid;
  band: number;
  name: string;
  title: string;
  unit: string | undefined;
}

/** A figure of a band, and the field that holds it. */
interface Planned {
  band: number;
  figure: CellFigure;
  /** Of `shares`: the value. */
  value?: number;
  field: Field;
}

const plain = (name: string) => name.replace(/[^\p{L}\p{N}_]+/gu, '_');

/** All bands of all grids, each with a name of its own. */
function bandsOf(grids: readonly Grid[], as: string | undefined): Band[] {
  return grids.flatMap((grid) =>
    grid.bands.map(({ name, unit }, band) => {
      const own = plain(
        grids.length === 1 ? (as ?? grid.name) : as === undefined ? grid.name : `${as}_${grid.name}`,
      );
      const title = own.replace(/_/g, ' ').replace(/^\p{Ll}/u, (c) => c.toUpperCase());
      return {
        grid,
        band,
        name: grid.bands.length === 1 ? own : `${own}_${plain(name)}`,
        title: grid.bands.length === 1 ? title : `${title}, ${name}`,
        unit,
      };
    }),
  );
}

const figureWords: Readonly<Record<CellFigure['figure'], string>> = {
  mean: 'mean',
  sum: 'sum',
  count: 'cells',
  least: 'least value',
  greatest: 'greatest value',
  median: 'median',
  deviation: 'standard deviation',
  above: 'share above',
  majority: 'commonest value',
  shares: 'share',
  covered: 'share of the unit with data',
};

/** Different values of a band, for shares; an error when they are too many to be categories. */
async function categoriesOf({ grid, band }: Band): Promise<number[]> {
  const found = new Set<number>();
  for (const strip of strips(grid))
    for (const value of await grid.read(band, strip)) {
      if (Number.isNaN(value)) continue;
      found.add(value);
      if (found.size > mostCategories)
        throw new IsomericError(
          'categories-too-many',
          `${grid.name} has more than ${mostCategories} different values: it holds measures, not categories.`,
          { blame: 'usage', advice: 'Ask for mean, median or “above …” in place of shares.' },
        );
    }
  return [...found].sort((a, b) => a - b);
}

async function planned(
  bands: readonly Band[],
  figures: readonly CellFigure[],
  taken: string[],
): Promise<Planned[]> {
  const result: Planned[] = [];
  const add = (
    band: number,
    figure: CellFigure,
    end: string,
    words: string,
    unit: string | undefined,
    value?: number,
  ) => {
    const { name, title } = bands[band];
    const field: Field = {
      name: freeName(plain(`${name}_${end}`), taken),
      type: 'real',
      title: `${title}, ${words}`,
      ...(unit === undefined ? {} : { unit }),
    };
    taken.push(field.name);
    result.push({ band, figure, field, ...(value === undefined ? {} : { value }) });
  };
  for (const [band, each] of bands.entries())
    for (const figure of figures) {
      const words = figureWords[figure.figure];
      if (figure.figure === 'shares')
        for (const value of await categoriesOf(each))
          add(band, figure, `${value}_share`, `${words} of ${value}`, '%', value);
      else if (figure.figure === 'above')
        add(
          band,
          figure,
          `above_${String(figure.bound).replace('-', 'minus_').replace('.', '_')}`,
          `${words} ${figure.bound}`,
          '%',
        );
      else if (figure.figure === 'covered') add(band, figure, 'covered', words, '%');
      else add(band, figure, figure.figure, words, figure.figure === 'count' ? undefined : each.unit);
    }
  return result;
}

/**
 * Sums up the cells of grids by unit. Cells count by the share of them that a unit covers – exactly, as the area of overlap; where
 * coordinates are degrees also by the size of cells on the ellipsoid – or by their centres. Units are brought to the CRS of each grid,
 * edges kept straight where they were; grids are read once, strip by strip. For points: the value at each.
 *
 * Holds the units in memory; for medians, majorities and shares also the different values of each.
 *
 * @throws IsomericError `cell-figure-unknown`, `crs-missing`, `categories-too-many`
 */
export async function summariseGrids(
  units: Layer,
  grids: readonly Grid[],
  options: SummariseOptions = {},
): Promise<Layer> {
  for (const grid of grids)
    if (units.crs === null || grid.crs === null)
      throw new IsomericError(
        'crs-missing',
        `${units.crs === null ? units.name : grid.name} has no CRS, so what lies where cannot be said.`,
        { blame: 'usage', advice: 'Say which CRS it has first.' },
      );
  const bands = bandsOf(grids, options.as);
  const taken = units.schema.map(({ name }) => name);
  if (await onlyPoints(units)) return valuesAtPoints(units, bands, taken, options.at ?? 'cell');
  const figures = (options.figures ?? ['mean']).map(parseCellFigure);
  const plan = await planned(bands, figures, taken);
  return applyVerb('Summarise', units, {
    schema: [...units.schema, ...plan.map(({ field }) => field)],
    count: units.count,
    extent: units.extent,
    async *run(account, source) {
      const held = await HeldUnits.of(source);
      const columns: Column[] = [];
      for (const [k, band] of bands.entries()) {
        const own = plan.filter((each) => each.band === k);
        const sums = await sumsOf(held, units, band, own, options.by ?? 'share', account);
        for (const each of own) columns.push(columnOf(sums, each));
        tellUnits(account, units, held, sums, band);
      }
      let first = 0;
      for (const batch of held.batches) {
        const { length } = batch;
        const from = first;
        first += length;
        yield batch.with({
          columns: [...batch.columns, ...columns.map((column) => sliceValues(column, from, length))],
        });
      }
      closeSummary(account, units, held.length, bands, options.by ?? 'share');
    },
  });
}

/** Are all features points? Kinds that are not known are looked at. */
async function onlyPoints(layer: Layer): Promise<boolean> {
  if (layer.kinds !== undefined)
    return layer.kinds.length > 0 && layer.kinds.every((kind) => kind === 'Point');
  for await (const { geometry } of layer.batches())
    for (let i = 0; i < (geometry?.length ?? 0); i++)
      if (geometry!.kind[i] !== Kind.None) return geometry!.kind[i] === Kind.Point;
  return false;
}

function columnOf(sums: readonly CellSums[], { figure, value }: Planned): Column {
  const builder = new ColumnBuilder('real');
  for (const each of sums) {
    const result = value === undefined ? each.figure(figure) : each.shareOf(value);
    if (result === null) builder.null();
    else builder.number(result);
  }
  return builder.finish();
}

/** The units in the CRS of a grid, their edges as they are drawn. */
async function inGridCrs(held: HeldUnits, units: Layer, grid: Grid, account: Account): Promise<HeldUnits> {
  if (sameCrs(units.crs!, grid.crs!)) return held;
  const t = grid.transform;
  const cell = Math.sqrt(Math.abs(t[1] * t[5] - t[2] * t[4]));
  const metres = grid.crs!.kind === 'projected' ? cell * grid.crs!.unit : cell * grid.crs!.unit * 6_371_000;
  const layer: Layer = {
    ...units,
    async *batches() {
      yield* held.batches;
    },
  };
  const moved = reprojectLayer(layer, grid.crs!, { densify: { path: 'straight', within: metres / 100 } });
  const result = await HeldUnits.of(moved.batches());
  account.notes.push(
    `Units were brought from ${crsLabel(units.crs!)} to ${crsLabel(grid.crs!)}, the CRS of ${grid.name}.`,
  );
  return result;
}

/** Relative size of the cells of each row: all 1 but where coordinates are degrees (Snyder 1987, equation 3-12, by the authalic latitude). */
function rowSizes(grid: Grid): ((row: number) => number) | null {
  const { crs } = grid;
  if (crs?.kind !== 'geographic') return null;
  const authalic = authalicLatitude(crs.ellipsoid);
  const sine = (row: number) => authalic.sine(Math.sin(placeOf(grid, 0, row)[1] * crs.unit));
  const whole = Math.abs(grid.transform[5]) * crs.unit;
  return (row) => Math.abs(sine(row + 1) - sine(row)) / whole;
}

async function sumsOf(
  held: HeldUnits,
  units: Layer,
  { grid, band }: Band,
  plan: readonly Planned[],
  by: 'share' | 'centre',
  account: Account,
): Promise<CellSums[]> {
  const bounds = plan.flatMap(({ figure }) => (figure.bound === undefined ? [] : [figure.bound]));
  const keeps = plan.some(({ figure }) => ['median', 'majority', 'shares'].includes(figure.figure));
  const sums = Array.from({ length: held.length }, () => new CellSums(bounds, keeps));
  const own = await inGridCrs(held, units, grid, account);
  const { box } = own;
  const edges = new CellEdges(grid, own.areas.areas);
  sums.forEach((each, unit) => {
    each.all = edges.size(unit);
  });
  const window = box === null ? null : windowOfBox(grid, box);
  if (window === null) return sums;
  const sizes = rowSizes(grid);
  for (const strip of strips(grid, window)) {
    const values = await grid.read(band, strip);
    for (let unit = 0; unit < held.length; unit++) {
      const cells = edges.cellsOf(unit, strip);
      if (cells === null) continue;
      const cover = by === 'share' ? edges.shares(unit, cells) : edges.centres(unit, cells);
      for (let row = 0; row < cells.height; row++) {
        const size = sizes === null ? 1 : sizes(cells.row + row);
        let from = (cells.row + row - strip.row) * strip.width + (cells.column - strip.column);
        for (let k = row * cells.width; k < (row + 1) * cells.width; k++, from++)
          if (cover[k] > 0) sums[unit].add(values[from], cover[k], cover[k] * size);
      }
    }
  }
  return sums;
}

/** Units that are smaller than a cell, and those without data. */
function tellUnits(
  account: Account,
  units: Layer,
  held: HeldUnits,
  sums: readonly CellSums[],
  { grid, name }: Band,
): void {
  const without: (string | number)[] = [];
  const small: (string | number)[] = [];
  const short: (string | number)[] = [];
  sums.forEach((each, unit) => {
    if (each.cells === 0) without.push(held.id(unit));
    else if (each.all < 1) small.push(held.id(unit));
    if (each.cells > 0 && each.cells < 0.99 * each.all) short.push(held.id(unit));
  });
  const named = (ids: readonly (string | number)[]) =>
    ids.length > 5
      ? `${ids.slice(0, 5).join(', ')} and ${grouped(ids.length - 5)} more`
      : listed(ids.map(String));
  if (without.length > 0)
    account.findings.push({
      code: 'grid-without-data',
      severity: without.length === sums.length ? 'error' : 'warning',
      layer: units.name,
      words: `${counted(without.length, 'unit has', 'units have')} no cell of ${name} with data (${named(without)}).`,
      ...(without.length === sums.length ? { repair: `look whether ${grid.name} covers them` } : {}),
    });
  if (small.length > 0)
    account.findings.push({
      code: 'unit-under-cell',
      severity: 'warning',
      layer: units.name,
      words: `${counted(small.length, 'unit covers', 'units cover')} less than one cell of ${name} (${named(small)}): the grid is too coarse for ${small.length === 1 ? 'it' : 'them'}.`,
    });
  if (short.length > 0)
    account.notes.push(
      `${counted(short.length, 'unit has', 'units have')} data of ${name} on a part only (${named(short)}); figures are of that part.`,
    );
}

function closeSummary(account: Account, units: Layer, all: number, bands: readonly Band[], by: string): void {
  account.counts = { ...account.counts, units: all, grids: bands.length };
  const counts: Count[] = [
    [
      bands.length,
      bands.length === 1
        ? `grid summed up (${bands[0].name})`
        : `grids summed up (${listed(bands.map(({ name }) => name))})`,
    ],
  ];
  account.notes.push(
    by === 'share'
      ? 'Cells count by the share of them that lies in a unit.'
      : 'Cells count where their centre lies in a unit.',
  );
  closeAccount(account, [all, `${units.name} in`], ...counts);
}
