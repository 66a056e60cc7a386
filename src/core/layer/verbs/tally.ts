import { type Count, closeAccount, grouped } from '../../account.ts';
import { crsLabel } from '../../crs/crs.ts';
import { type GeodesicMeasure, geodesicMeasure } from '../../geometry/geodesic.ts';
import { type Box, dimensionOf, emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../../geometry/overlay/clipping.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type FigureComputation, FigurePlan, type Figures } from '../../table/figures-gathered.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { HeldUnits, inOneCrs } from '../placing/held-units.ts';
import { applyVerb } from './verb.ts';

/** What the fields of a tally are called, and what is computed besides. */
export interface TallyOptions {
  /** Beginning of the new fields' names; the name of the counted layer when left out. */
  as?: string;
  /** Readable name of what is counted. */
  title?: string;
  /** Figures of the things in each unit: `homes = sum(households)`, `kinds = list(kind)` … */
  compute?: readonly FigureComputation[];
}

/**
 * Counts and measures the features of another layer within each area of this one: how many meet it, how long their lines
 * and how large their areas are inside it, on the ellipsoid; and computes figures of them. What crosses a border is cut there, so
 * that no piece of it counts in two units that only touch: sums take of each thing the share of its length or area that lies in the
 * unit, means weigh it so. A line along a border bounds both and counts in both. A point on a border counts for the first unit that
 * has it.
 */
export function tallyFeatures(units: Layer, things: Layer, options: TallyOptions = {}): Layer {
  const { layer: own, notes } = inOneCrs(units, things);
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
  const plan = new FigurePlan(options.compute ?? [], own, { crs: own.crs }, [
    ...taken,
    ...added.map((each) => each.name),
  ]);
  return applyVerb('Tally', units, {
    schema: [...units.schema, ...added, ...plan.fields],
    kinds: units.kinds,
    count: units.count,
    extent: units.extent,
    async *run(account, source, signal) {
      // Units are held: each feature may lie in any of them.
      const held = await HeldUnits.of(source);
      const figures = plan.start(true);
      const counter = new Counter(held, geodesicMeasure(units.crs!), figures);
      const { box } = held;
      // Without units that have a place, all things are read and lie outside.
      for await (const batch of own.batches(box === null ? { signal } : { box, signal })) counter.add(batch);
      let first = 0;
      for (const batch of held.batches) {
        const columns = [
          ...added.map((each) => counter.column(each, first, batch.length)),
          ...figures.columns(first, batch.length),
        ];
        first += batch.length;
        yield batch.with({ columns: [...batch.columns, ...columns] });
      }
      const { all, inside, cut, outside, unmeasured } = counter;
      account.counts = { units: first, in: all, inside, cut, outside, unmeasured };
      account.notes.push(
        ...notes(),
        ...(things.kinds === undefined || dimensions.size > 1
          ? [`Lengths are of lines, areas of areas, on the ellipsoid of ${crsLabel(units.crs!)}.`]
          : []),
        ...(plan.fields.length > 0 && cut > 0
          ? [
              `Of the ${grouped(cut)} that cross borders, sums take the share that lies in each unit, and means weigh it so.`,
            ]
          : []),
        ...(counter.several > 0
          ? [`${grouped(counter.several)} lie in several units that overlap, and count in each.`]
          : []),
      );
      figures.tellBlanks(account, things.name, 'unit');
      const counts: Count[] = [
        [inside, `${things.name} inside one of them`],
        [cut, 'across borders, counted in each and measured by parts'],
        [outside, 'outside'],
      ];
      if (unmeasured > 0)
        counts.push([unmeasured, 'without usable geometry or a collection of several kinds, not counted']);
      closeAccount(account, [first, `${units.name} in`], ...counts);
    },
  });
}

function dimensionOfName(kind: string): number {
  return /Point/.test(kind) ? 0 : /Line/.test(kind) ? 1 : 2;
}

/** A part of a thing in a unit. */
interface Part {
  unit: number;
  kilometres: number;
  squareKilometres: number;
}

class Counter {
  all = 0;
  inside = 0;
  cut = 0;
  outside = 0;
  unmeasured = 0;
  /** Points that lie inside more than one unit. */
  several = 0;
  private readonly counts: Float64Array;
  private readonly kilometres: Float64Array;
  private readonly squareKilometres: Float64Array;
  private readonly areas: (AreaIndex | null)[];
  private readonly builder = new GeometryMaker();
  private readonly parts: Part[] = [];

  constructor(
    private readonly held: HeldUnits,
    private readonly measure: GeodesicMeasure,
    private readonly figures: Figures,
  ) {
    this.counts = new Float64Array(held.length);
    this.kilometres = new Float64Array(held.length);
    this.squareKilometres = new Float64Array(held.length);
    this.areas = new Array(held.length).fill(null);
  }

  /** A column of what was counted, of some units. */
  column({ type, unit }: Field, first: number, length: number): Column {
    const from = type === 'integer' ? this.counts : unit === 'km' ? this.kilometres : this.squareKilometres;
    const builder = new ColumnBuilder(type);
    for (let k = first; k < first + length; k++) builder.number(from[k]);
    return builder.finish();
  }

  private area(unit: number): AreaIndex {
    let area = this.areas[unit];
    if (area === null) {
      area = AreaIndex.ofNormalised(takeGeometries(this.held.areas.areas, [unit]));
      this.areas[unit] = area;
    }
    return area;
  }

  add(batch: Batch): void {
    const { geometry } = batch;
    if (geometry === null) return;
    this.figures.bind(batch);
    const box = emptyBox();
    for (let i = 0; i < batch.length; i++) {
      this.all++;
      // Collections have no one measure.
      if (geometry.kind[i] === Kind.Collection || geometry.isEmpty(i) || !usableBox(geometry, i, box)) {
        this.unmeasured++;
        continue;
      }
      const found = geometry.kind[i] === Kind.Point ? this.addPoint(box, i) : this.addShape(geometry, i, box);
      if (found === Clipped.Outside) this.outside++;
      else if (found === Clipped.Whole) this.inside++;
      else this.cut++;
    }
  }

  /** A point counts in every unit that it lies inside; on borders alone, in the first. */
  private addPoint([x, y]: Box, i: number): number {
    let border = -1;
    let inside = 0;
    this.held.locator.each(x, y, (unit, within) => {
      if (within) {
        this.counts[unit]++;
        this.figures.add(unit, i);
        inside++;
      } else if (border < 0) border = unit;
    });
    if (inside > 1) this.several++;
    if (inside > 0) return Clipped.Whole;
    if (border < 0) return Clipped.Outside;
    this.counts[border]++;
    this.figures.add(border, i);
    return Clipped.Whole;
  }

  private addShape(geometry: GeometryArray, i: number, box: Box): number {
    const dimension = dimensionOf(geometry.kind[i]);
    const { parts } = this;
    parts.length = 0;
    let result: number = Clipped.Outside;
    for (const unit of this.held.areas.near(box)) {
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
      parts.push({
        unit,
        kilometres: dimension === 1 ? this.measure.length(part, at) / 1e3 : 0,
        squareKilometres: dimension === 2 ? this.measure.area(part, at) / 1e6 : 0,
      });
      if (result !== Clipped.Whole) result = fate;
    }
    this.addParts(geometry, i, result, dimension);
    return result;
  }

  /** Takes the parts of a thing into the figures of their units. */
  private addParts(geometry: GeometryArray, i: number, result: number, dimension: number): void {
    const { parts } = this;
    const sizeOf = ({ kilometres, squareKilometres }: Part) =>
      dimension === 1 ? kilometres : squareKilometres;
    const whole = result === Clipped.Whole || dimension === 0 ? 0 : this.wholeOf(geometry, i, dimension);
    for (const part of parts) {
      this.counts[part.unit]++;
      this.kilometres[part.unit] += part.kilometres;
      this.squareKilometres[part.unit] += part.squareKilometres;
      this.figures.add(part.unit, i, whole > 0 ? sizeOf(part) / whole : 1);
    }
  }

  /** Size of a thing as the sum of its parts, what lies outside of all units among them. */
  private wholeOf(geometry: GeometryArray, i: number, dimension: number): number {
    const outside = new GeometryMaker();
    const units = this.parts.map(({ unit }) => unit);
    let whole = 0;
    for (const part of this.parts) whole += dimension === 1 ? part.kilometres : part.squareKilometres;
    if (this.held.areas.cut(geometry, i, units, outside, { outside: true }) === Clipped.Outside) return whole;
    const rest = outside.finish();
    return whole + (dimension === 1 ? this.measure.length(rest, 0) / 1e3 : this.measure.area(rest, 0) / 1e6);
  }
}
