import { closeAccount } from '../../account.ts';
import { dimensionOf } from '../../geometry/geometry-array.ts';
import { takeGeometries } from '../../geometry/geometry-maker.ts';
import { coverSets } from '../../geometry/overlay/cover-sets.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/**
 * Cuts the areas of a layer by each other, so that nothing overlaps: one feature for each set of areas that cover something
 * together, with the fields of the first of them, how many they are, and which. The layer is held in memory.
 */
export function flattenLayer(layer: Layer, rule?: FillRule): Layer {
  const taken = layer.schema.map(({ name }) => name);
  const covers: Field = { name: freeName('covers', taken), type: 'integer', title: 'Features that cover it' };
  const features: Field = { name: freeName('features', taken), type: 'text', title: 'Which features' };
  const schema = [...layer.schema.map(asPlainField), covers, features];
  return applyVerb('Flatten', layer, {
    schema,
    kinds: ['Polygon', 'MultiPolygon'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const areal: number[] = [];
      for (let k = 0; k < held.length; k++) if (dimensionOf(held.geometry.kind[k]) === 2) areal.push(k);
      const { geometry, sets } = coverSets(
        areal.length === held.length ? held.geometry : takeGeometries(held.geometry, areal),
        rule,
      );
      const counts = new ColumnBuilder('integer');
      const which = new ColumnBuilder('text');
      for (const set of sets) {
        counts.number(set.length);
        which.text(set.map((n) => String(held.id(areal[n]))).join(', '));
      }
      const several = sets.filter((set) => set.length > 1).length;
      account.counts = { in: held.all, areas: areal.length, pieces: sets.length, several };
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [sets.length, sets.length === 1 ? 'piece' : 'pieces'],
        [several, 'covered by more than one'],
        ...(held.length > areal.length
          ? ([[held.length - areal.length, 'that are no areas left out']] as const)
          : []),
        ...held.leftOut(),
      );
      if (sets.length > 0)
        yield* held.rows(
          schema,
          sets.map((set) => areal[set[0]]),
          geometry,
          [counts.finish(), which.finish()],
        );
    },
  });
}
