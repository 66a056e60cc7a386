import { type Count, closeAccount, grouped } from '../../account.ts';
import { emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder, takeValues } from '../../table/column-builder.ts';
import type { Field } from '../../table/schema.ts';
import { freeName } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import { type ColumnChoice, columnsBrought } from '../joining/columns-brought.ts';
import type { ClashRule } from '../joining/words.ts';
import type { Layer } from '../layer.ts';
import { HeldUnits, inOneCrs } from '../placing/held-units.ts';
import { intersectLayers } from './intersect.ts';
import { measureFor } from './intersect-task.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** How features get the fields of the units in which they lie. */
export interface WithinOptions {
  /** Fields of the units that come along; all when left out. [name, new name] renames. */
  columns?: ColumnChoice;
  /**
   * What lies in several units: `largest share` takes the unit that has most of its length or area; `split` cuts it, each piece with
   * the fields of its unit.
   */
  across?: 'largest share' | 'split';
  /** With `split`: fields whose figures are shared out by the size of the pieces. */
  split?: readonly string[];
  /** Features in no unit: they stay, with blanks, when left out. */
  unmatched?: 'keep' | 'drop';
  clash?: ClashRule;
}

/**
 * Brings the fields of units to the features that lie in them. A point belongs to the first unit that it lies inside of; on borders
 * alone, to the first on whose border it lies. Lines and areas belong to the unit that has the largest share of their length or
 * area, which a field of its own tells; of equal shares, to the first. The units are held in memory; the layer streams.
 */
export function unitsOfFeatures(layer: Layer, units: Layer, options: WithinOptions = {}): Layer {
  const { unmatched = 'keep' } = options;
  if (options.across === 'split')
    return intersectLayers(layer, units, {
      pieces: unmatched === 'drop' ? 'both' : 'given',
      split: options.split,
    });
  const { layer: own, notes } = inOneCrs(layer, units);
  const brought = columnsBrought({ layer, table: units }, [], { ...options, many: null });
  const names = [...brought.kept.map((c) => layer.schema[c].name), ...brought.added.map(({ name }) => name)];
  const onlyPoints = layer.kinds?.every((kind) => kind === 'Point') === true;
  const share: Field = {
    name: freeName(`${units.name.replace(/[^\p{L}\p{N}_]+/gu, '_')}_share`, names),
    type: 'real',
    title: `Share that lies in the unit of ${units.name}`,
    unit: '%',
  };
  const keeps = unmatched === 'keep';
  return applyVerb('Within', layer, {
    schema: [...brought.kept.map((c) => layer.schema[c]), ...brought.added, ...(onlyPoints ? [] : [share])],
    count: keeps ? layer.count : undefined,
    extent: layer.extent,
    handOn: (reading) => reading,
    async *run(account, source, signal) {
      account.notes.push(...brought.notes);
      const held = await HeldUnits.of(own.batches({ signal }));
      const finder = new UnitFinder(held, await measureFor(layer.crs));
      const columns = unitColumns(held, brought.chosen, units);
      for await (const batch of source) {
        const found = finder.find(batch, (i) => {
          tellUnusable(batch, i, layer.name, account.findings, 'it was brought to no unit');
        });
        const kept = batch.with({ columns: brought.kept.map((c) => batch.columns[c]) });
        yield* withUnits(kept, found, columns, !onlyPoints, keeps);
      }
      const { all, inside, across, outside, unplaced, several } = finder;
      account.counts = { in: all, inside, across, outside, unplaced };
      account.notes.push(...notes());
      if (several > 0)
        account.notes.push(
          `${grouped(several)} points lie inside several units, which overlap: the first one was taken.`,
        );
      const counts: Count[] = [[inside, `inside one of the ${grouped(held.length)} ${units.name}`]];
      if (across > 0) counts.push([across, 'across borders, brought to the largest share']);
      counts.push([outside, `outside of all${keeps ? '' : ', dropped'}`]);
      if (unplaced > 0) counts.push([unplaced, 'without usable geometry']);
      closeAccount(account, [all, `${layer.name} in`], ...counts);
    },
  });
}

/** The chosen fields of all units, a row a unit. */
function unitColumns(held: HeldUnits, chosen: readonly number[], { schema }: Layer): Column[] {
  return chosen.map((c) => {
    const builder = new ColumnBuilder(schema[c].type);
    for (const batch of held.batches) builder.copyAll(batch.columns[c]);
    return builder.finish();
  });
}

interface Found {
  /** The unit of each feature; −1 for none. */
  units: Int32Array;
  /** Per cent of the feature that lies in it. */
  shares: Float64Array;
}

function* withUnits(
  batch: Batch,
  { units, shares }: Found,
  columns: readonly Column[],
  withShare: boolean,
  keeps: boolean,
): Generator<Batch> {
  const taken: number[] = [];
  units.forEach((unit, i) => {
    if (keeps || unit >= 0) taken.push(i);
  });
  if (taken.length === 0) return;
  const own = taken.length === batch.length ? batch : batch.take(taken);
  const at = taken.map((i) => units[i]);
  const added = columns.map((column) => takeValues(column, at));
  if (withShare) {
    const builder = new ColumnBuilder('real');
    for (const i of taken) {
      if (units[i] < 0) builder.null();
      else builder.number(shares[i]);
    }
    added.push(builder.finish());
  }
  yield own.with({ columns: [...own.columns, ...added] });
}

/** Finds the unit of each feature, and counts what it met. */
class UnitFinder {
  all = 0;
  inside = 0;
  across = 0;
  outside = 0;
  unplaced = 0;
  several = 0;

  constructor(
    private readonly held: HeldUnits,
    private readonly measure: (array: GeometryArray, i: number) => number,
  ) {}

  find(batch: Batch, unusable: (i: number) => void): Found {
    const geometry = batch.geometry!;
    const units = new Int32Array(batch.length).fill(-1);
    const shares = new Float64Array(batch.length).fill(100);
    const box = emptyBox();
    for (let i = 0; i < batch.length; i++) {
      this.all++;
      const there = !geometry.isEmpty(i) && geometry.kind[i] !== Kind.Collection;
      if (!there || !usableBox(geometry, i, box)) {
        this.unplaced++;
        if (there) unusable(i);
        continue;
      }
      units[i] =
        geometry.kind[i] === Kind.Point ? this.ofPoint(box[0], box[1]) : this.ofShape(geometry, i, shares);
      if (units[i] < 0) this.outside++;
    }
    return { units, shares };
  }

  private ofPoint(x: number, y: number): number {
    const unit = this.held.locator.find(x, y);
    if (unit >= 0) this.inside++;
    return unit;
  }

  private ofShape(geometry: GeometryArray, i: number, shares: Float64Array): number {
    const { areas } = this.held;
    let best = -1;
    let most = -1;
    let total = 0;
    const met: number[] = [];
    for (const unit of areas.near(geometry.boxOf(i))) {
      const maker = new GeometryMaker(32);
      const fate = areas.cut(geometry, i, [unit], maker);
      if (fate === Clipped.Outside) continue;
      met.push(unit);
      if (fate === Clipped.Whole) {
        this.inside++;
        return unit;
      }
      const size = this.sizeOf(maker.finish());
      total += size;
      if (size > most) [best, most] = [unit, size];
    }
    if (best < 0) return -1;
    const rest = new GeometryMaker(32);
    if (areas.cut(geometry, i, met, rest, { outside: true }) !== Clipped.Outside)
      total += this.sizeOf(rest.finish());
    this.across++;
    shares[i] = total > 0 ? (100 * most) / total : 100;
    return best;
  }

  /** Length or area; of several points their number. */
  private sizeOf(piece: GeometryArray): number {
    const point = piece.kind[0] === Kind.Point || piece.kind[0] === Kind.MultiPoint;
    return point ? piece.endVertex(0) - piece.firstVertex(0) : this.measure(piece, 0);
  }
}
