import { type Account, type Count, closeAccount, counted } from '../../account.ts';
import type { GeometryArray, KindName } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { keptFeatures } from '../../geometry/kept-features.ts';
import type { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import { type FillRule, isOneWay, turnRings } from '../../geometry/overlay/fill-rule.ts';
import { greatestCoordinate } from '../../geometry/predicates.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { cutOne, settle } from './cut-one.ts';
import { fillHeights } from './heights.ts';
import { hasArea, shareLeft, sliver, tellSlivers } from './slivers.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** How `clipLayer` and `eraseLayer` cut. */
export interface CutOptions {
  /** `cut`: at the border (default). `whole`: features of which something stays, stay whole. */
  mode?: 'cut' | 'whole';
  /** Features across the border that keep less than this of their area (or length) are dropped, in per cent. */
  least?: number;
  /** What the rings of features enclose that cross or overlap themselves; `non-zero` where nothing is said. */
  rule?: FillRule;
  /** Turns the rings of all features one way, also of those kept whole: shells counter-clockwise, holes clockwise. */
  turn?: boolean;
  /** Added to the account: how the area was brought into the layer's CRS. */
  note?: string;
}

const multi: Partial<Record<KindName, KindName>> = {
  Point: 'MultiPoint',
  LineString: 'MultiLineString',
  Polygon: 'MultiPolygon',
};

/** What became of the features so far. */
class Tally {
  all = 0;
  whole = 0;
  cut = 0;
  without = 0;
  unusable = 0;
  slivers = 0;
  dropped = 0;
  /** Features that enclose something else by another fill rule. */
  ruled: (string | number)[] = [];
}

/**
 * Cuts a layer to an area that stands in the layer's CRS, or to what lies outside of it. Features wholly inside or
 * outside are settled by the area's raster and index and never reach the overlay. Heights at new corners are
 * interpolated along the cut border.
 */
export function cutByArea(
  verb: 'Clip' | 'Erase',
  layer: Layer,
  area: AreaIndex,
  options: CutOptions = {},
): Layer {
  const whole = options.mode === 'whole';
  const outside = verb === 'Erase';
  const kinds =
    layer.kinds && !whole
      ? [...new Set(layer.kinds.flatMap((kind) => [kind, multi[kind] ?? kind]))]
      : layer.kinds;
  const byBox = layer.readsByBox && !outside;
  return applyVerb(verb, layer, {
    kinds,
    // What the source passes over is outside: it is counted all the same.
    handOn: (given) => (byBox ? { ...given, box: area.box } : given),
    async *run(account, batches) {
      const tally = new Tally();
      for await (const batch of batches) {
        const cut = cutBatch(batch, area, outside, options, tally, account, layer.name);
        if (cut !== null) yield cut;
      }
      if (byBox && layer.count !== undefined) tally.all = layer.count;
      close(account, layer.name, tally, outside, options);
    },
  });
}

const verdicts = new Uint8Array(16_384);

/** Beside the fates: without vertices, or with such that geometry cannot be computed with. */
const noPlace = 255;

/** Settles all features of an array by their boxes. The loop that all features go through, however many are left out. */
function settleAll(geometry: GeometryArray, area: AreaIndex, outside: boolean, fate: Uint8Array): void {
  const { xy, partStart, ringStart, vertexStart, length } = geometry;
  const box = new Float64Array(4);
  let vertex = 2 * geometry.firstVertex(0);
  for (let i = 0; i < length; i++) {
    const end = 2 * vertexStart[ringStart[partStart[i + 1]]];
    let x0 = Number.POSITIVE_INFINITY;
    let y0 = Number.POSITIVE_INFINITY;
    let x1 = Number.NEGATIVE_INFINITY;
    let y1 = Number.NEGATIVE_INFINITY;
    // Comparisons pass NaN over; a sum keeps it.
    let sum = 0;
    for (; vertex < end; vertex += 2) {
      const x = xy[vertex];
      const y = xy[vertex + 1];
      sum += x + y;
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
    }
    box[0] = x0;
    box[1] = y0;
    box[2] = x1;
    box[3] = y1;
    // As isUsable has it; a call would need memory for its numbers.
    const usable =
      sum - sum === 0 &&
      x0 > -greatestCoordinate &&
      y0 > -greatestCoordinate &&
      x1 < greatestCoordinate &&
      y1 < greatestCoordinate;
    fate[i] = usable && x0 <= x1 ? settle(area, box, outside) : noPlace;
  }
}

/** What is left of a batch; null when that is nothing. */
function cutBatch(
  batch: Batch,
  area: AreaIndex,
  outside: boolean,
  options: CutOptions,
  tally: Tally,
  account: Account,
  name: string,
): Batch | null {
  const geometry = batch.geometry!;
  const n = batch.length;
  tally.all += n;
  const fate = n <= verdicts.length ? verdicts : new Uint8Array(n);
  settleAll(geometry, area, outside, fate);
  let undecided = 0;
  let stay = 0;
  for (let i = 0; i < n; i++) {
    if (fate[i] === Clipped.Whole) stay++;
    else if (fate[i] === Clipped.Undecided) undecided++;
    else if (fate[i] === noPlace) {
      fate[i] = Clipped.Outside;
      if (geometry.isEmpty(i)) tally.without++;
      else {
        tally.unusable++;
        tellUnusable(batch, i, name, account.findings);
      }
    }
  }
  tally.whole += stay;
  if (stay === n && options.turn !== true) return batch;
  if (stay === 0 && undecided === 0) return null;
  const kept = new Uint32Array(stay + undecided);
  const shapeOf = new Int32Array(stay + undecided).fill(-1);
  const shapes = new GeometryMaker(64);
  let count = 0;
  for (let i = 0; i < n; i++) {
    if (fate[i] === Clipped.Outside) continue;
    if (fate[i] === Clipped.Undecided) {
      const left = cutAcross(batch, i, area, outside, options, tally);
      if (left === null) continue;
      if (left !== 'whole') {
        shapeOf[count] = shapes.features;
        shapes.copy(left, 0);
      }
    }
    kept[count++] = i;
  }
  if (count === 0) return null;
  const indices = kept.subarray(0, count);
  const cut = shapes.features === 0 ? null : shapes.finish();
  const plain = geometry.z === null && geometry.m === null && geometry.partKind === null;
  let made = (plain ? keptFeatures : copied)(geometry, indices, shapeOf, cut);
  if (geometry.z !== null || geometry.m !== null) made = fillHeights(geometry, indices, made);
  if (options.turn === true && !isOneWay(made)) made = turnRings(made);
  return batch.take(indices, made);
}

/** The same as `keptFeatures`, for arrays with heights, measures or collections. */
function copied(
  array: GeometryArray,
  kept: Uint32Array,
  shapeOf: Int32Array,
  shapes: GeometryArray | null,
): GeometryArray {
  const builder = new GeometryMaker();
  for (let k = 0; k < kept.length; k++)
    if (shapeOf[k] < 0) builder.copy(array, kept[k]);
    else builder.copy(shapes!, shapeOf[k]);
  return builder.finish();
}

/** What stays of a feature that may reach across the border; `whole`: all of it, as it is. */
function cutAcross(
  batch: Batch,
  i: number,
  area: AreaIndex,
  outside: boolean,
  { mode, least = 0, rule }: CutOptions,
  tally: Tally,
): GeometryArray | 'whole' | null {
  const geometry = batch.geometry!;
  const piece = new GeometryMaker(32);
  let ruled = false;
  const result = cutOne(geometry, i, geometry.boxOf(i), area, piece, {
    rule,
    outside,
    onRule: () => {
      ruled = true;
    },
  });
  if (ruled && result !== Clipped.Outside) tally.ruled.push(batch.id(i));
  if (result === Clipped.Outside) return null;
  if (result === Clipped.Whole) {
    tally.whole++;
    return 'whole';
  }
  const left = piece.finish();
  const share = shareLeft(left, geometry, i);
  if (share < least / 100) {
    tally.dropped++;
    return null;
  }
  tally.cut++;
  if (share < sliver && hasArea(geometry, i)) tally.slivers++;
  return mode === 'whole' ? 'whole' : left;
}

function close(
  account: Account,
  name: string,
  tally: Tally,
  outside: boolean,
  { mode, least = 0, rule = 'non-zero', note }: CutOptions,
): void {
  const { all, whole, cut, without, unusable, slivers, dropped, ruled } = tally;
  const gone = all - whole - cut - dropped - without - unusable;
  account.counts = { in: all, whole, cut, outside: gone, dropped, withoutGeometry: without, unusable };
  if (outside) {
    account.counts.erased = gone;
    delete account.counts.outside;
  }
  if (note) account.notes.push(note);
  const counts: Count[] = [
    [whole, 'kept whole'],
    [cut, mode === 'whole' ? 'kept whole across the border' : 'cut'],
    [gone, outside ? 'erased' : 'outside'],
  ];
  if (dropped > 0)
    counts.push([
      dropped,
      `with less than ${least} % of themselves ${outside ? 'outside' : 'inside'} dropped`,
    ]);
  if (slivers > 0) tellSlivers(account, name, slivers, cut);
  if (without > 0) counts.push([without, 'without geometry dropped']);
  if (unusable > 0) counts.push([unusable, 'with unusable coordinates left out']);
  if (ruled.length > 0)
    account.findings.push({
      code: 'fill-rule-matters',
      severity: 'warning',
      layer: name,
      feature: ruled[0],
      words: `${counted(ruled.length, 'feature crosses or overlaps itself, so that what it covers', 'features cross or overlap themselves, so that what they cover')} depends on the fill rule; it was “${rule}”.`,
      repair: `repair them first, or say “rule: ${rule === 'non-zero' ? 'even-odd' : 'non-zero'}”`,
    });
  closeAccount(account, [all, `${name} in`], ...counts);
}
