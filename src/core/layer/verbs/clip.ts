import { type Account, type Count, closeAccount, grouped } from '../../account.ts';
import { emptyBox, type GeometryArray, Kind, type KindName } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { planarArea, planarLength } from '../../geometry/measures.ts';
import type { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../../geometry/overlay/clipping.ts';
import type { Layer } from '../layer.ts';
import { fillHeights } from './heights.ts';
import { applyVerb } from './verb.ts';

/** How `clipLayer` cuts. */
export interface ClipOptions {
  /** `cut`: at the border (default). `whole`: features that share inner points or a stretch with the area stay whole. */
  mode?: 'cut' | 'whole';
  /** Features across the border that keep less than this of their area (or length) are dropped, in per cent. */
  least?: number;
  /** Added to the account: how the area was brought into the layer's CRS. */
  note?: string;
}

const multi: Partial<Record<KindName, KindName>> = {
  Point: 'MultiPoint',
  LineString: 'MultiLineString',
  Polygon: 'MultiPolygon',
};

/**
 * Cuts a layer to an area that stands in the layer's CRS. Features wholly inside or outside are settled by the area's
 * raster and index and never reach the overlay. Heights at new corners are interpolated along the cut border.
 */
export function clipLayer(layer: Layer, area: AreaIndex, options: ClipOptions = {}): Layer {
  const whole = options.mode === 'whole';
  const { least = 0 } = options;
  const kinds =
    layer.kinds && !whole
      ? [...new Set(layer.kinds.flatMap((kind) => [kind, multi[kind] ?? kind]))]
      : layer.kinds;
  return applyVerb('Clip', layer, {
    kinds,
    // What the source passes over is outside: it is counted all the same.
    handOn: (given) => (layer.readsByBox ? { ...given, box: area.box } : given),
    async *run(account, batches) {
      let all = 0;
      let keptWhole = 0;
      let cut = 0;
      let without = 0;
      let unusable = 0;
      let slivers = 0;
      let dropped = 0;
      const box = emptyBox();
      const verdicts = new Uint8Array(16_384);
      for await (const batch of batches) {
        const geometry = batch.geometry!;
        const n = batch.length;
        all += n;
        const fate = n <= verdicts.length ? verdicts : new Uint8Array(n);
        let undecided = 0;
        let stay = 0;
        for (let i = 0; i < n; i++) {
          geometry.boxOf(i, box);
          if (!(box[0] <= box[2])) {
            without++;
            fate[i] = Clipped.Outside;
            continue;
          }
          fate[i] = settleByBox(area, box);
          if (fate[i] === Clipped.Undecided) undecided++;
          else if (fate[i] === Clipped.Whole) stay++;
        }
        keptWhole += stay;
        if (stay === n) {
          yield batch;
          continue;
        }
        if (stay === 0 && undecided === 0) continue;
        const indices: number[] = [];
        const builder = new GeometryMaker(64 + Math.ceil((geometry.vertexCount * (stay + undecided)) / n));
        for (let i = 0; i < n; i++) {
          if (fate[i] === Clipped.Outside) continue;
          if (fate[i] === Clipped.Whole) {
            builder.copy(geometry, i);
            indices.push(i);
            continue;
          }
          if (!allFinite(geometry, i)) {
            unusable++;
            if (account.findings.length < 100) {
              account.findings.push({
                code: 'coordinate-not-finite',
                severity: 'error',
                layer: layer.name,
                feature: batch.id(i),
                words: 'A coordinate is not a number, so the feature cannot be cut; it was left out.',
              });
            }
            continue;
          }
          const piece = new GeometryMaker();
          const result = clipOne(geometry, i, area, piece);
          if (result === Clipped.Outside) continue;
          if (result === Clipped.Whole) keptWhole++;
          else {
            const left = piece.finish();
            const share = shareLeft(left, geometry, i);
            if (share < least / 100) {
              dropped++;
              continue;
            }
            cut++;
            if (share < sliver && hasArea(geometry, i)) slivers++;
            indices.push(i);
            if (whole) builder.copy(geometry, i);
            else builder.copy(left, 0);
            continue;
          }
          indices.push(i);
          builder.copy(geometry, i);
        }
        if (indices.length === 0) continue;
        const clipped = builder.finish();
        yield batch.take(
          indices,
          geometry.z === null && geometry.m === null ? clipped : fillHeights(geometry, indices, clipped),
        );
      }
      if (layer.readsByBox && layer.count !== undefined) all = layer.count;
      const outside = all - keptWhole - cut - dropped - without - unusable;
      account.counts = {
        in: all,
        whole: keptWhole,
        cut,
        outside,
        dropped,
        withoutGeometry: without,
        unusable,
      };
      if (options.note) account.notes.push(options.note);
      const counts: Count[] = [
        [keptWhole, 'kept whole'],
        [cut, whole ? 'kept whole across the border' : 'cut'],
        [outside, 'outside'],
      ];
      if (dropped > 0) counts.push([dropped, `with less than ${least} % of themselves inside dropped`]);
      if (slivers > 0) tellSlivers(account, layer.name, slivers, cut);
      if (without > 0) counts.push([without, 'without geometry dropped']);
      if (unusable > 0) counts.push([unusable, 'with unusable coordinates left out']);
      closeAccount(account, [all, `${layer.name} in`], ...counts);
    },
  });
}

/** What keeps less of its area than this is hardly meant: its border runs otherwise than that of the area. */
const sliver = 0.02;

/** Pieces of neighbours whose border comes from another generalisation than that of the area. */
function tellSlivers(account: Account, layer: string, slivers: number, cut: number): void {
  const words = `Of ${grouped(cut)} cut, ${grouped(slivers)} kept less than 2 % of ${slivers === 1 ? 'itself' : 'themselves'}`;
  account.counts.slivers = slivers;
  account.notes.push(`${words}: “least: 2” (--least 2) drops such slivers.`);
  // A few are as it happens; many are another border.
  if (slivers < 3 || slivers * 5 < cut) return;
  account.findings.push({
    code: 'clip-slivers',
    severity: 'warning',
    layer,
    words: `${words}: the border of the area runs otherwise than theirs, so that neighbours came in.`,
    repair: 'clip with “least: 2” (--least 2), which drops them',
  });
}

/** The part of a feature that is left, by its area, or its length where it has none; 1 where it has neither. */
function shareLeft(left: GeometryArray, geometry: GeometryArray, i: number): number {
  for (const measure of [planarArea, planarLength]) {
    const before = measure(geometry, i);
    if (before > 0) return left.length === 0 ? 0 : measure(left, 0) / before;
  }
  return 1;
}

const hasArea = (geometry: GeometryArray, i: number) => planarArea(geometry, i) > 0;

function allFinite(geometry: GeometryArray, i: number): boolean {
  for (let k = 2 * geometry.firstVertex(i); k < 2 * geometry.endVertex(i); k++)
    if (!Number.isFinite(geometry.xy[k])) return false;
  return true;
}

function clipOne(geometry: GeometryArray, i: number, area: AreaIndex, builder: GeometryMaker): number {
  const box = geometry.boxOf(i);
  if (geometry.kind[i] !== Kind.Collection) return clipFeature(geometry, i, box, area, builder);
  return clipCollection(geometry, i, area, builder);
}

/** Each part by itself; what is left stays one collection. */
function clipCollection(geometry: GeometryArray, i: number, area: AreaIndex, builder: GeometryMaker): number {
  const single = new GeometryMaker();
  for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
    single.feature(geometry.kindOfPart(i, p));
    single.part();
    for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
      single.ring();
      single.run(geometry.xy, geometry.vertexStart[r], geometry.vertexStart[r + 1] - geometry.vertexStart[r]);
    }
  }
  const parts = single.finish();
  const left = new GeometryMaker();
  let changed = false;
  for (let k = 0; k < parts.length; k++) {
    const box = parts.boxOf(k);
    let result = settleByBox(area, box);
    if (result === Clipped.Undecided) result = clipFeature(parts, k, box, area, left);
    else if (result === Clipped.Whole) left.copy(parts, k);
    if (result !== Clipped.Whole) changed = true;
  }
  if (!changed) {
    builder.copy(geometry, i);
    return Clipped.Whole;
  }
  const pieces = left.finish();
  if (pieces.length === 0) return Clipped.Outside;
  builder.feature(Kind.Collection);
  for (let k = 0; k < pieces.length; k++) {
    for (let p = pieces.partStart[k]; p < pieces.partStart[k + 1]; p++) {
      builder.part(pieces.kindOfPart(k, p));
      for (let r = pieces.ringStart[p]; r < pieces.ringStart[p + 1]; r++) {
        builder.ring();
        builder.run(pieces.xy, pieces.vertexStart[r], pieces.vertexStart[r + 1] - pieces.vertexStart[r]);
      }
    }
  }
  return Clipped.Cut;
}
