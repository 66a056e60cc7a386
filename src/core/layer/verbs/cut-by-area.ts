import { type Account, type Count, closeAccount, counted } from '../../account.ts';
import { emptyBox, type GeometryArray, type KindName } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import { type FillRule, isOneWay, turnRings } from '../../geometry/overlay/fill-rule.ts';
import { usableBox } from '../../geometry/unusable.ts';
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
  const box = emptyBox();
  let undecided = 0;
  let stay = 0;
  for (let i = 0; i < n; i++) {
    fate[i] = Clipped.Outside;
    if (!usableBox(geometry, i, box)) {
      tally.unusable++;
      tellUnusable(batch, i, name, account.findings);
      continue;
    }
    if (!(box[0] <= box[2])) {
      tally.without++;
      continue;
    }
    fate[i] = settle(area, box, outside);
    if (fate[i] === Clipped.Undecided) undecided++;
    else if (fate[i] === Clipped.Whole) stay++;
  }
  tally.whole += stay;
  if (stay === n && options.turn !== true) return batch;
  if (stay === 0 && undecided === 0) return null;
  const kept = new Uint32Array(stay + undecided);
  let count = 0;
  const builder = new GeometryMaker(64 + Math.ceil((geometry.vertexCount * (stay + undecided)) / n));
  builder.expect(stay + undecided);
  const plain = geometry.z === null && geometry.m === null && geometry.partKind === null;
  for (let i = 0; i < n; i++) {
    if (fate[i] === Clipped.Whole) {
      const first = i;
      while (i + 1 < n && fate[i + 1] === Clipped.Whole) i++;
      for (let k = first; k <= i; k++) kept[count++] = k;
      if (plain) builder.copyRun(geometry, first, i + 1);
      else for (let k = first; k <= i; k++) builder.copy(geometry, k);
    } else if (fate[i] === Clipped.Undecided) {
      const left = cutAcross(batch, i, area, outside, options, tally);
      if (left === null) continue;
      kept[count++] = i;
      if (left === 'whole') builder.copy(geometry, i);
      else builder.copy(left, 0);
    }
  }
  if (count === 0) return null;
  const indices = kept.subarray(0, count);
  let made = builder.finish();
  if (geometry.z !== null || geometry.m !== null) made = fillHeights(geometry, indices, made);
  if (options.turn === true && !isOneWay(made)) made = turnRings(made);
  return batch.take(indices, made);
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
