import { closeAccount, counted } from '../../account.ts';
import { dimensionOf, emptyBox } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { frechetDistance, hausdorffDistance } from '../../geometry/measure/distances.ts';
import { planarArea } from '../../geometry/measures.ts';
import { overlayAreas } from '../../geometry/overlay/overlay.ts';
import { rulerFor } from '../../geometry/ruler.ts';
import { usableBox } from '../../geometry/unusable.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { inCrsOf } from './snap.ts';
import { applyVerb } from './verb.ts';

/**
 * Holds the shapes of features against those of another layer with the same key: how far a place of one lies from the other at most
 * (Hausdorff), the shortest leash along both (discrete Fréchet), both in metres, and of areas the share that they have in common (of
 * what either covers). The other layer is held in memory.
 *
 * @param on a field of the layer, and one of the other, with the same values
 */
export function compareLayer(layer: Layer, other: Layer, on: readonly [string, string]): Layer {
  const own = inCrsOf(layer, other);
  const key = requireField(layer.schema, on[0], layer.name);
  const otherKey = requireField(other.schema, on[1], other.name);
  const taken = layer.schema.map(({ name }) => name);
  const fields = (
    [
      ['hausdorff', 'Hausdorff distance', 'm'],
      ['frechet', 'Discrete Fréchet distance', 'm'],
      ['in_common', 'Share of the areas in common', undefined],
    ] as const
  ).map(([wanted, title, unit]): Field => {
    const name = freeName(wanted, taken);
    taken.push(name);
    return { name, title, unit, type: 'real' };
  });
  return applyVerb('Compare', layer, {
    schema: [...layer.schema, ...fields],
    count: layer.count,
    extent: layer.extent,
    handOn: (reading) => reading,
    async *run(account, source) {
      const held = await HeldLayer.of(other.name, own.batches(), account.findings);
      const ruler = await rulerFor(layer);
      const byKey = new Map<string, number>();
      let twice = 0;
      for (let k = 0; k < held.length; k++) {
        const value = held.text(k, otherKey);
        if (value === null) continue;
        if (byKey.has(value)) twice++;
        else byKey.set(value, k);
      }
      const box = emptyBox();
      let all = 0;
      let compared = 0;
      let same = 0;
      for await (const batch of source) {
        const geometry = batch.geometry!;
        const builders = fields.map(() => new ColumnBuilder('real'));
        const put = (k: number, value: number) =>
          Number.isFinite(value) ? builders[k].number(value) : builders[k].null();
        for (let i = 0; i < batch.length; i++) {
          all++;
          const value = batch.columns[key].text(i);
          const k = value === null ? undefined : byKey.get(value);
          if (k === undefined || geometry.isEmpty(i) || !usableBox(geometry, i, box)) {
            for (const builder of builders) builder.null();
            continue;
          }
          compared++;
          const far = hausdorffDistance(geometry, i, held.geometry, k, ruler);
          if (far === 0) same++;
          put(0, far);
          put(1, frechetDistance(geometry, i, held.geometry, k, ruler));
          put(2, inCommon(geometry, i, held.geometry, k));
        }
        yield batch.with({ columns: [...batch.columns, ...builders.map((builder) => builder.finish())] });
      }
      account.counts = { in: all, compared, same, twice };
      if (twice > 0)
        account.notes.push(
          `${counted(twice, 'feature', 'features')} of ${other.name} with a key that another one has before it ${twice === 1 ? 'was' : 'were'} not compared.`,
        );
      closeAccount(
        account,
        [all, `${layer.name} in`],
        [compared, `compared with ${other.name}`],
        [same, 'the same in shape'],
        [all - compared, 'without their like'],
      );
    },
  });
}

/** The share of two areas that both cover, of what either does; NaN where one is no area. */
function inCommon(
  a: Parameters<typeof planarArea>[0],
  i: number,
  b: Parameters<typeof planarArea>[0],
  j: number,
): number {
  if (dimensionOf(a.kind[i]) !== 2 || dimensionOf(b.kind[j]) !== 2) return Number.NaN;
  const areaOf = (operation: 'intersection' | 'union') => {
    const made = new GeometryMaker();
    return overlayAreas(operation, a, i, b, j, made) === 0 ? 0 : planarArea(made.finish(), 0);
  };
  return areaOf('intersection') / areaOf('union');
}
