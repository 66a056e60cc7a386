import { closeAccount } from '../../account.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { connectPaths } from '../../geometry/shape/connect.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/**
 * Joins lines end to end wherever exactly two of them meet, into one; with `by`, only those whose values of these fields are the
 * same. Each keeps the fields of the first line in it where all agree, and tells how many lines are in it. What is no line is
 * counted and left out. The layer is held in memory.
 */
export function connectLayer(layer: Layer, by: readonly string[] = []): Layer {
  const keys = by.map((name) => requireField(layer.schema, name, layer.name));
  const count: Field = {
    name: freeName(
      'lines',
      layer.schema.map(({ name }) => name),
    ),
    type: 'integer',
    title: 'Lines joined',
  };
  const schema = [...layer.schema.map(asPlainField), count];
  return applyVerb('Connect', layer, {
    schema,
    kinds: ['LineString'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const groups = new Map<string, number>();
      const groupOf = (k: number) => {
        const key = JSON.stringify(keys.map((c) => held.text(k, c)));
        let group = groups.get(key);
        if (group === undefined) groups.set(key, (group = groups.size));
        return group;
      };
      const builder = new GeometryMaker(held.geometry.vertexCount);
      const members: (readonly number[])[] = [];
      connectPaths(held.geometry, groupOf, builder, (features) => {
        members.push(features);
      });
      const lines = new Set(members.flat()).size;
      const joined = members.reduce((sum, own) => sum + own.length, 0);
      account.counts = { in: held.all, paths: joined, made: members.length, others: held.length - lines };
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [joined, joined === 1 ? 'path' : 'paths'],
        [
          members.length,
          `lines, of which ${members.filter((own) => own.length > 1).length} were joined of several`,
        ],
        ...(held.length > lines ? ([[held.length - lines, 'without a line left out']] as const) : []),
        ...held.leftOut(),
      );
      if (members.length === 0) return;
      const columns = layer.schema.map((field, c) => {
        const column = new ColumnBuilder(field.type);
        for (const own of members) {
          const { column: from, row } = held.column(own[0], c);
          // What the lines do not agree on is said of none.
          if (own.every((k) => held.text(k, c) === held.text(own[0], c))) column.copy(from, row);
          else column.null();
        }
        return column.finish();
      });
      const counts = new ColumnBuilder('integer');
      for (const own of members) counts.number(own.length);
      yield* held.rows(schema, new Int32Array(members.length), builder.finish(), [
        ...columns,
        counts.finish(),
      ]);
    },
  });
}
