import { type Account, type Count, closeAccount, grouped } from '../../account.ts';
import { type Fault, faultsOf, faultWords } from '../../checks/validity.ts';
import { emptyBox, type GeometryArray, Kind, type KindName } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { planarArea } from '../../geometry/measures.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import { uniteAreas } from '../../geometry/overlay/unite.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { fillHeights } from './heights.ts';
import { applyVerb } from './verb.ts';

/** How `repairLayer` repairs. */
export interface RepairOptions {
  /** What rings enclose that cross or overlap themselves; `non-zero` where nothing is said. */
  rule?: FillRule;
}

/** Repairs that are told one by one; what is beyond is in the counts. */
const mostFindings = 100;

/** What a repair changed, over all features. */
interface Changes {
  repaired: number;
  emptied: number;
  area: number;
  parts: number;
  vertices: number;
}

/**
 * Makes all geometries of a layer valid under OGC 06-103r4. What is valid comes back bit for bit. Areas become what their
 * rings enclose by the fill rule, cut at their crossings; vertices that are no places, rings without extent and lines
 * without length go. Heights at new corners are interpolated.
 */
export function repairLayer(layer: Layer, options: RepairOptions = {}): Layer {
  const polygons = layer.kinds?.some((kind) => kind === 'Polygon') === true;
  const kinds: readonly KindName[] | undefined =
    polygons && !layer.kinds!.includes('MultiPolygon') ? [...layer.kinds!, 'MultiPolygon'] : layer.kinds;
  return applyVerb('Repair', layer, {
    kinds,
    handOn: (given) => given,
    async *run(account, batches) {
      const changes: Changes = { repaired: 0, emptied: 0, area: 0, parts: 0, vertices: 0 };
      const measure = await areaMeasure(layer);
      let all = 0;
      for await (const batch of batches) {
        all += batch.length;
        yield repairBatch(batch, options, layer.name, measure, account, changes);
      }
      const { repaired, emptied } = changes;
      account.counts = { in: all, valid: all - repaired - emptied, repaired, emptied };
      const counts: Count[] = [
        [all - repaired - emptied, 'valid'],
        [repaired, 'repaired'],
      ];
      if (emptied > 0) counts.push([emptied, 'left without geometry']);
      if (repaired > 0)
        account.notes.push(
          `Repaired: ${change(changes.parts, 'part', 'parts')}, ${change(changes.vertices, 'vertex', 'vertices')}, area ${changes.area === 0 ? 'unchanged' : `${signed(changes.area)}${measure.unit}`}.`,
        );
      closeAccount(account, [all, `${layer.name} in`], ...counts);
    },
  });
}

/** Areas on the ellipsoid where the layer says its CRS, else in squared units of the coordinates. */
interface AreaMeasure {
  area(array: GeometryArray, i: number): number;
  unit: string;
}

async function areaMeasure({ crs }: Layer): Promise<AreaMeasure> {
  if (crs === null) return { area: planarArea, unit: ' squared units' };
  const { geodesicMeasure } = await import('../../geometry/geodesic.ts');
  const measure = geodesicMeasure(crs);
  return { area: (array, i) => measure.area(array, i), unit: ' m²' };
}

const signed = (value: number) => `${value > 0 ? '+' : '−'}${String(Number(Math.abs(value).toPrecision(6)))}`;
const change = (by: number, one: string, many: string) =>
  by === 0
    ? `no ${one} more or less`
    : `${grouped(Math.abs(by))} ${Math.abs(by) === 1 ? one : many} ${by > 0 ? 'more' : 'less'}`;

function repairBatch(
  batch: Batch,
  { rule }: RepairOptions,
  layer: string,
  measure: AreaMeasure,
  account: Account,
  changes: Changes,
): Batch {
  const geometry = batch.geometry!;
  let builder: GeometryMaker | null = null;
  for (let i = 0; i < batch.length; i++) {
    const faults = faultsOf(geometry, i);
    if (faults.length === 0) {
      builder?.copy(geometry, i);
      continue;
    }
    if (builder === null) {
      builder = new GeometryMaker(geometry.vertexCount);
      for (let k = 0; k < i; k++) builder.copy(geometry, k);
    }
    const made = repaired(geometry, i, rule);
    builder.copy(made, 0);
    tell(batch, i, faults, made, layer, measure, account, changes);
  }
  if (builder === null) return batch;
  const made = builder.finish();
  if (geometry.z === null && geometry.m === null) return batch.with({ geometry: made });
  const indices = Array.from({ length: batch.length }, (_, i) => i);
  return batch.with({ geometry: fillHeights(geometry, indices, made) });
}

function tell(
  batch: Batch,
  i: number,
  faults: readonly Fault[],
  made: GeometryArray,
  layer: string,
  measure: AreaMeasure,
  account: Account,
  changes: Changes,
): void {
  const geometry = batch.geometry!;
  const gone = made.kind[0] === Kind.None;
  if (gone) changes.emptied++;
  else changes.repaired++;
  const partsOf = (array: GeometryArray, k: number) => array.partStart[k + 1] - array.partStart[k];
  const verticesOf = (array: GeometryArray, k: number) => array.endVertex(k) - array.firstVertex(k);
  // Of coordinates that are no places there is no area.
  const known = usableBox(geometry, i, emptyBox());
  const [before, after] = known ? [measure.area(geometry, i), measure.area(made, 0)] : [0, 0];
  if (!gone) {
    changes.area += after - before;
    changes.parts += partsOf(made, 0) - partsOf(geometry, i);
    changes.vertices += verticesOf(made, 0) - verticesOf(geometry, i);
  }
  if (account.findings.length >= mostFindings) return;
  const words = [...new Set(faults.map(({ code }) => faultWords[code]))].join('; ');
  const [{ x, y }] = faults;
  const became = (one: string, from: number, to: number, unit = '') =>
    from === to ? null : `${one} ${figure(from, to)} → ${figure(to, from)}${unit}`;
  const changed = [
    became('area', before, after, measure.unit),
    became('parts', partsOf(geometry, i), partsOf(made, 0)),
    became('vertices', verticesOf(geometry, i), verticesOf(made, 0)),
  ].filter((each) => each !== null);
  account.findings.push({
    code: gone ? 'repair-emptied' : 'repaired',
    severity: gone ? 'warning' : 'note',
    layer,
    feature: batch.id(i),
    at: Number.isFinite(x) && Number.isFinite(y) ? [x, y] : undefined,
    words: `${words.replace(/^./, (c) => c.toUpperCase())}: ${gone ? 'nothing with an extent is left, so that it has no geometry now' : changed.length === 0 ? 'repaired' : changed.join(', ')}.`,
  });
}

/** Rounded; what is nothing beside the other figure is 0. */
const figure = (value: number, beside: number) =>
  Math.abs(value) < 1e-6 * Math.abs(beside) ? '0' : grouped(Number(value.toPrecision(9)));

/** Feature i made valid: one feature; of kind None when nothing is left of it. */
function repaired(array: GeometryArray, i: number, rule: FillRule | undefined): GeometryArray {
  const sound = usableBox(array, i, emptyBox()) ? takeGeometries(array, [i]) : withoutUnusable(array, i);
  const kinds = new Set<number>();
  for (let p = 0; p < sound.partStart[1]; p++) kinds.add(sound.kindOfPart(0, p));
  const made = new GeometryMaker();
  if (kinds.size === 1 && kinds.has(Kind.Polygon) && sound.kind[0] !== Kind.Collection) {
    if (uniteAreas(sound, [0], made, rule) === 0) made.feature(Kind.None);
    return made.finish();
  }
  return repairParts(sound, rule);
}

/** Parts one by one: those without extent go, polygons of collections become valid by themselves. */
function repairParts(array: GeometryArray, rule: FillRule | undefined): GeometryArray {
  const parts = new GeometryMaker();
  for (let p = 0; p < array.partStart[1]; p++) {
    const single = new GeometryMaker();
    single.feature(array.kindOfPart(0, p));
    single.part();
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
      single.ring();
      single.run(array.xy, array.vertexStart[r], array.vertexStart[r + 1] - array.vertexStart[r]);
    }
    const own = single.finish();
    if (own.kind[0] === Kind.Polygon && faultsOf(own, 0).length > 0) uniteAreas(own, [0], parts, rule);
    else if (faultsOf(own, 0).length === 0 && own.vertexCount > 0) parts.copy(own, 0);
  }
  const made = new GeometryMaker();
  if (parts.features === 0) {
    made.feature(Kind.None);
    return made.finish();
  }
  const kept = parts.finish();
  const kind = array.kind[0];
  made.feature(kept.length === 1 && kind !== Kind.Collection ? kept.kind[0] : kind);
  for (let k = 0; k < kept.length; k++)
    for (let p = kept.partStart[k]; p < kept.partStart[k + 1]; p++) {
      made.part(kind === Kind.Collection ? kept.kindOfPart(k, p) : undefined);
      for (let r = kept.ringStart[p]; r < kept.ringStart[p + 1]; r++) {
        made.ring();
        made.run(kept.xy, kept.vertexStart[r], kept.vertexStart[r + 1] - kept.vertexStart[r]);
      }
    }
  return made.finish();
}

/** Feature i without the vertices that are no places. */
function withoutUnusable(array: GeometryArray, i: number): GeometryArray {
  const made = new GeometryMaker();
  made.feature(array.kind[i]);
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    made.part(array.kind[i] === Kind.Collection ? array.kindOfPart(i, p) : undefined);
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
      made.ring();
      for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) {
        const [x, y] = [array.xy[2 * v], array.xy[2 * v + 1]];
        if (Math.abs(x) < 1e120 && Math.abs(y) < 1e120) made.vertex(x, y);
      }
    }
  }
  return made.finish();
}
