import { closeAccount } from '../../account.ts';
import { crsLabel, sameCrs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { type GeodesicMeasure, geodesicMeasure } from '../../geometry/geodesic.ts';
import { type Box, dimensionOf, emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { BoxTree } from '../../geometry/noding/box-tree.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../../geometry/overlay/clipping.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { reprojectLayer } from './reproject.ts';
import { applyVerb } from './verb.ts';

/** What the fields of a tally are called. */
export interface TallyOptions {
  /** Beginning of the new fields' names; the name of the counted layer when left out. */
  as?: string;
  /** Readable name of what is counted. */
  title?: string;
}

/** Sums of one unit. */
interface Sums {
  count: number;
  kilometres: number;
  squareKilometres: number;
}

/**
 * Counts and measures the features of another layer within each area of this one: how many meet it, how long their lines
 * and how large their areas are inside it, on the ellipsoid. What crosses a border is cut there, so that no piece
 * of it counts in two units that only touch; a line along a border bounds both and counts in both. A point on a border
 * counts for the first unit that has it.
 */
export function tallyFeatures(units: Layer, things: Layer, options: TallyOptions = {}): Layer {
  if (units.crs === null || things.crs === null)
    throw new IsomericError(
      'crs-missing',
      `${units.crs === null ? units.name : things.name} has no CRS, so what lies where cannot be said.`,
      { blame: 'usage', advice: 'Say which CRS it has first.' },
    );
  const own = sameCrs(units.crs, things.crs) ? things : reprojectLayer(things, units.crs);
  const name = (options.as ?? things.name).replace(/[^\p{L}\p{N}_]+/gu, '_');
  const title = options.title ?? name.replace(/_/g, ' ').replace(/^\p{Ll}/u, (c) => c.toUpperCase());
  // Kinds that are not known may be any.
  const dimensions = new Set((things.kinds ?? ['Point', 'LineString', 'Polygon']).map(dimensionOfName));
  const taken = units.schema.map((field) => field.name);
  const field = (end: string, words: string, unit?: string): Field => ({
    name: freeName(`${name}_${end}`, taken),
    type: end === 'count' ? 'integer' : 'real',
    title: words,
    unit,
  });
  const added: Field[] = [
    field('count', title),
    ...(dimensions.has(1) ? [field('km', `${title}, length`, 'km')] : []),
    ...(dimensions.has(2) ? [field('km2', `${title}, area`, 'km²')] : []),
  ];
  return applyVerb('Tally', units, {
    schema: [...units.schema, ...added],
    kinds: units.kinds,
    count: units.count,
    extent: units.extent,
    async *run(account, source, signal) {
      // Units are held: each feature may lie in any of them.
      const batches: Batch[] = [];
      for await (const batch of source) batches.push(batch);
      const counter = new Counter(batches, geodesicMeasure(units.crs!));
      for await (const batch of own.batches(counter.box === null ? { signal } : { box: counter.box, signal }))
        counter.add(batch);
      let n = 0;
      for (const batch of batches) {
        const columns = added.map((each) => new ColumnBuilder(each.type));
        for (let i = 0; i < batch.length; i++, n++) {
          const sums = counter.sums[n];
          for (const [c, each] of added.entries())
            columns[c].number(
              each.type === 'integer'
                ? sums.count
                : each.unit === 'km'
                  ? sums.kilometres
                  : sums.squareKilometres,
            );
        }
        yield batch.with({ columns: [...batch.columns, ...columns.map((column) => column.finish())] });
      }
      const { all, inside, cut, outside, unmeasured } = counter;
      account.counts = { units: n, in: all, inside, cut, outside, unmeasured };
      account.notes.push(
        ...own.accounts.slice(things.accounts.length).map((each) => each.sentence),
        ...(things.kinds === undefined || dimensions.size > 1
          ? [`Lengths are of lines, areas of areas, on the ellipsoid of ${crsLabel(units.crs!)}.`]
          : []),
      );
      closeAccount(
        account,
        [n, `${units.name} in`],
        [inside, `${things.name} inside one of them`],
        [cut, 'across borders, counted in each and measured by parts'],
        [outside, 'outside'],
        ...(unmeasured > 0
          ? ([[unmeasured, 'without geometry or a collection of several kinds, not counted']] as const)
          : []),
      );
    },
  });
}

function dimensionOfName(kind: string): number {
  return /Point/.test(kind) ? 0 : /Line/.test(kind) ? 1 : 2;
}

class Counter {
  readonly sums: Sums[] = [];
  readonly box: [number, number, number, number] | null;
  all = 0;
  inside = 0;
  cut = 0;
  outside = 0;
  unmeasured = 0;
  private readonly index: BoxTree;
  /** Numbers of the units in the index: those that have no area hold nothing. */
  private readonly indexed: number[] = [];
  private readonly areas: (AreaIndex | null)[] = [];
  private readonly geometry: { array: GeometryArray; i: number }[] = [];
  private readonly measure: GeodesicMeasure;
  private readonly builder = new GeometryMaker();

  constructor(batches: readonly Batch[], measure: GeodesicMeasure) {
    this.measure = measure;
    const box = emptyBox();
    const boxes: number[][] = [];
    for (const batch of batches) {
      for (let i = 0; i < batch.length; i++) {
        const array = batch.geometry!;
        const area = dimensionOf(array.kind[i]) === 2 && !array.isEmpty(i);
        if (area) {
          boxes.push([...array.boxOf(i, box)]);
          this.indexed.push(this.geometry.length);
        }
        this.geometry.push({ array, i });
        this.areas.push(null);
        this.sums.push({ count: 0, kilometres: 0, squareKilometres: 0 });
      }
    }
    this.index = new BoxTree(Float64Array.from(boxes.flat()));
    this.box =
      boxes.length === 0
        ? null
        : [
            Math.min(...boxes.map((each) => each[0])),
            Math.min(...boxes.map((each) => each[1])),
            Math.max(...boxes.map((each) => each[2])),
            Math.max(...boxes.map((each) => each[3])),
          ];
  }

  private area(unit: number): AreaIndex {
    let area = this.areas[unit];
    if (area === null) {
      const { array, i } = this.geometry[unit];
      area = new AreaIndex(takeGeometries(array, [i]));
      this.areas[unit] = area;
    }
    return area;
  }

  add(batch: Batch): void {
    const { geometry } = batch;
    if (geometry === null) return;
    const box = emptyBox();
    for (let i = 0; i < batch.length; i++) {
      this.all++;
      geometry.boxOf(i, box);
      // Collections have no one measure.
      if (geometry.kind[i] === Kind.Collection || !(box[0] <= box[2])) {
        this.unmeasured++;
        continue;
      }
      const near: number[] = [];
      this.index.search(box[0], box[1], box[2], box[3], (item) => {
        near.push(this.indexed[item]);
      });
      near.sort((a, b) => a - b);
      const found =
        geometry.kind[i] === Kind.Point ? this.addPoint(box, near) : this.addShape(geometry, i, box, near);
      if (found === Clipped.Outside) this.outside++;
      else if (found === Clipped.Whole) this.inside++;
      else this.cut++;
    }
  }

  /** A point counts in every unit that it lies inside; on borders alone, in the first. */
  private addPoint([x, y]: Box, near: readonly number[]): number {
    let border = -1;
    let inside = 0;
    for (const unit of near) {
      const where = this.area(unit).locate(x, y);
      if (where > 0) {
        this.sums[unit].count++;
        inside++;
      } else if (where === 0 && border < 0) border = unit;
    }
    if (inside > 0) return Clipped.Whole;
    if (border < 0) return Clipped.Outside;
    this.sums[border].count++;
    return Clipped.Whole;
  }

  private addShape(geometry: GeometryArray, i: number, box: Box, near: readonly number[]): number {
    const dimension = dimensionOf(geometry.kind[i]);
    let result: number = Clipped.Outside;
    for (const unit of near) {
      const area = this.area(unit);
      let fate = settleByBox(area, box);
      let part = geometry;
      let at = i;
      if (fate === Clipped.Undecided) {
        fate = clipFeature(geometry, i, box, area, this.builder);
        part = this.builder.finish();
        at = 0;
      }
      if (fate === Clipped.Outside) continue;
      const sums = this.sums[unit];
      sums.count++;
      if (dimension === 1) sums.kilometres += this.measure.length(part, at) / 1e3;
      else if (dimension === 2) sums.squareKilometres += this.measure.area(part, at) / 1e6;
      if (result !== Clipped.Whole) result = fate;
    }
    return result;
  }
}
