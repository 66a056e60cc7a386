import { closeAccount, counted } from '../../account.ts';
import { dimensionOf, emptyBox } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { AreaSet } from '../../geometry/overlay/area-set.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import type { Batch } from '../batch.ts';
import { concatenate } from '../concatenate.ts';
import { asPlainField } from '../feature-ids.ts';
import { type Layer, layerOf } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { inCrsOf } from './snap.ts';
import { applyVerb } from './verb.ts';

/**
 * Puts the areas of another layer in the place of what lies there: what of the given layer lies under them goes, they themselves
 * come, with fields of the same names. The other layer is held in memory.
 */
export function patchLayer(layer: Layer, other: Layer, rule?: FillRule): Layer {
  const own = inCrsOf(layer, other);
  const blank = (table: Layer) => layerOf({ ...table, schema: table.schema.map(asPlainField), batches: [] });
  const schema = concatenate(layer.name, [blank(layer), blank(other)]).schema;
  return applyVerb('Patch', layer, {
    schema,
    kinds: undefined,
    async *run(account, source) {
      const held = await HeldLayer.of(other.name, own.batches(), account.findings);
      const areal: number[] = [];
      for (let k = 0; k < held.length; k++) if (dimensionOf(held.geometry.kind[k]) === 2) areal.push(k);
      const areas = new AreaSet(takeGeometries(held.geometry, areal), rule);
      const counts = { in: 0, whole: 0, cut: 0, gone: 0, leftOut: 0 };
      const box = emptyBox();
      const left: Batch[] = [];
      let first = 0;
      for await (const batch of source) {
        const geometry = batch.geometry!;
        const builder = new GeometryMaker(geometry.vertexCount);
        const indices: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          counts.in++;
          geometry.boxOf(i, box);
          if (!(box[0] <= box[2])) {
            counts.leftOut++;
            continue;
          }
          const near = areas.near(box);
          const fate =
            near.length === 0
              ? Clipped.Whole
              : areas.cut(geometry, i, near, builder, { rule, outside: true });
          if (near.length === 0) builder.copy(geometry, i);
          if (fate === Clipped.Outside) {
            counts.gone++;
            continue;
          }
          if (fate === Clipped.Whole) counts.whole++;
          else counts.cut++;
          indices.push(i);
        }
        if (indices.length === 0) continue;
        const kept = batch.take(indices, builder.finish()).with({ ids: null });
        left.push(kept);
      }
      const patched = concatenate(layer.name, [
        layerOf({ ...layer, schema: layer.schema.map(asPlainField), batches: left }),
        layerOf({
          ...own,
          schema: other.schema.map(asPlainField),
          batches: [...held.rows(other.schema, areal, takeGeometries(held.geometry, areal))],
        }),
      ]);
      for await (const batch of patched.batches()) {
        yield batch;
        first += batch.length;
      }
      account.counts = { ...counts, put: areal.length, out: first };
      account.notes.push(...own.accounts.slice(other.accounts.length).map((each) => each.sentence));
      closeAccount(
        account,
        [counts.in, `${layer.name} in`],
        [counts.whole, 'kept whole'],
        [counts.cut, 'cut'],
        [counts.gone, 'replaced'],
        [areal.length, `of ${other.name} put in`],
        ...(counts.leftOut > 0 ? ([[counts.leftOut, 'without geometry dropped']] as const) : []),
      );
      if (held.length > areal.length)
        account.notes.push(
          `${counted(held.length - areal.length, 'feature', 'features')} of ${other.name} that are no areas were left out.`,
        );
    },
  });
}
