import { type Account, type Count, closeAccount, counted } from '../../account.ts';
import type { GeometryArray, KindName } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { keptFeatures } from '../../geometry/kept-features.ts';
import type { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import { type FillRule, isOneWay, turnRings } from '../../geometry/overlay/fill-rule.ts';
import { greatestCoordinate } from '../../geometry/predicates.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { type TaskResult, withThreads } from '../threads.ts';
import { settle } from './cut-one.ts';
import { cutTask, Left } from './cut-task.ts';
import { fillHeights } from './heights.ts';
import { tellSlivers } from './slivers.ts';
import { splitColumn, splitWords } from './splitting.ts';
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
  /** Adds a field with the share of each feature that is left. */
  share?: boolean;
  /** Fields whose figures are split by that share: counts, not rates. */
  split?: readonly string[];
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
  const shares = options.share === true || (options.split?.length ?? 0) > 0 ? sharing(layer, options) : null;
  return applyVerb(verb, layer, {
    kinds,
    schema: shares?.schema,
    // What the source passes over is outside: it is counted all the same.
    handOn: (given) => (byBox ? { ...given, box: area.box } : given),
    async *run(account, batches) {
      const tally = new Tally();
      const setup = {
        area: area.geometry.buffers(),
        outside,
        least: options.least ?? 0,
        rule: options.rule,
        shares: shares === null ? null : { crs: layer.crs },
      };
      const scanned = async function* () {
        for await (const batch of batches)
          yield settledBatch(batch, area, outside, tally, account, layer.name);
      };
      yield* withThreads(
        cutTask,
        setup,
        scanned(),
        ({ batch, undecided }) =>
          undecided.length === 0
            ? null
            : { geometry: takeGeometries(batch.geometry!, undecided), numbers: null },
        (settled, result) => {
          const cut = assembled(settled, result, options, tally, shares);
          return cut === null ? [] : [cut];
        },
      );
      if (byBox && layer.count !== undefined) tally.all = layer.count;
      if (shares !== null && shares.split.length > 0)
        account.notes.push(splitWords(layer, shares.split, 'what is left of each'));
      close(account, layer.name, tally, outside, options);
    },
  });
}

/** A batch whose features are settled by their boxes. */
interface Settled {
  batch: Batch;
  /** What becomes of each feature, of `Clipped`. */
  fate: Uint8Array;
  stay: number;
  /** Numbers of the features that may reach across the border. */
  undecided: number[];
}

/** Which fields are split by the shares that are left, and whether the shares are told. */
interface Sharing {
  schema: Field[];
  split: readonly number[];
  told: boolean;
}

function sharing(layer: Layer, { split = [], share = false }: CutOptions): Sharing {
  const columns = split.map((name) => splitColumn(layer, name));
  const schema = layer.schema.map((field, c) =>
    columns.includes(c) ? { ...field, type: 'real' as const } : field,
  );
  if (!share) return { schema, split: columns, told: false };
  const name = freeName(
    'share',
    schema.map((field) => field.name),
  );
  return {
    schema: [...schema, { name, type: 'real', title: 'Share that is left' }],
    split: columns,
    told: true,
  };
}

/** Rows with figures split by shares, and the shares beside them. */
function shared(rows: Batch, shares: Float64Array, { split, told }: Sharing): Batch {
  const columns = rows.columns.map((column, c) => {
    if (!split.includes(c)) return column;
    const builder = new ColumnBuilder('real');
    for (let i = 0; i < rows.length; i++)
      if (column.isNull(i)) builder.null();
      else builder.number(column.number(i) * shares[i]);
    return builder.finish();
  });
  if (!told) return rows.with({ columns });
  const own = new ColumnBuilder('real');
  for (let i = 0; i < rows.length; i++) own.number(shares[i]);
  return rows.with({ columns: [...columns, own.finish()] });
}

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

function settledBatch(
  batch: Batch,
  area: AreaIndex,
  outside: boolean,
  tally: Tally,
  account: Account,
  name: string,
): Settled {
  const geometry = batch.geometry!;
  const n = batch.length;
  tally.all += n;
  const fate = new Uint8Array(n);
  settleAll(geometry, area, outside, fate);
  const undecided: number[] = [];
  let stay = 0;
  for (let i = 0; i < n; i++) {
    if (fate[i] === Clipped.Whole) stay++;
    else if (fate[i] === Clipped.Undecided) undecided.push(i);
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
  return { batch, fate, stay, undecided };
}

/** What is left of a batch; null when that is nothing. */
function assembled(
  { batch, fate, stay, undecided }: Settled,
  result: TaskResult | null,
  options: CutOptions,
  tally: Tally,
  sharing: Sharing | null,
): Batch | null {
  const geometry = batch.geometry!;
  const n = batch.length;
  if (stay === n && options.turn !== true && sharing === null) return batch;
  if (stay === 0 && undecided.length === 0) return null;
  const kept = new Uint32Array(stay + undecided.length);
  const shapeOf = new Int32Array(kept.length).fill(-1);
  const shares = new Float64Array(sharing === null ? 0 : kept.length).fill(1);
  const [left, marks, sharesLeft] = result?.arrays ?? [];
  let count = 0;
  let shapes = 0;
  let next = 0;
  for (let i = 0; i < n; i++) {
    if (fate[i] === Clipped.Outside) continue;
    if (fate[i] === Clipped.Undecided) {
      const k = next++;
      if (left[k] === Left.Nothing) continue;
      if ((marks[k] & 1) !== 0) tally.ruled.push(batch.id(i));
      if (left[k] === Left.Dropped) {
        tally.dropped++;
        continue;
      }
      if (left[k] === Left.Whole) tally.whole++;
      else {
        tally.cut++;
        if ((marks[k] & 2) !== 0) tally.slivers++;
        const shape = shapes++;
        if (options.mode !== 'whole') {
          shapeOf[count] = shape;
          if (sharing !== null) shares[count] = sharesLeft[k];
        }
      }
    }
    kept[count++] = i;
  }
  if (count === 0) return null;
  const indices = kept.subarray(0, count);
  const plain = geometry.z === null && geometry.m === null && geometry.partKind === null;
  let made = (plain ? keptFeatures : copied)(geometry, indices, shapeOf, result?.geometry ?? null);
  if (geometry.z !== null || geometry.m !== null) made = fillHeights(geometry, indices, made);
  if (options.turn === true && !isOneWay(made)) made = turnRings(made);
  const rows = batch.take(indices, made);
  return sharing === null ? rows : shared(rows, shares, sharing);
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
