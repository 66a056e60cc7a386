import { type Count, closeAccount } from '../../account.ts';
import { emptyBox, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { usableBox } from '../../geometry/unusable.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import { Batch, batchLimit, pieces } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb, type Plan } from './verb.ts';

/** What became of the features of a layer that is reshaped. */
export interface Reshaped {
  in: number;
  /** Features that something was made of, and what was made of them. */
  features: number;
  made: number;
  /** Features of which nothing was made. */
  nothing: number;
}

/** How a verb makes new shapes of features, one by one. */
export interface Reshaping {
  verb: string;
  kinds: Plan['kinds'];
  /** True: one feature becomes at most one, which keeps its id. */
  single: boolean;
  /** New fields; `shape` puts a value into each column for every feature that it appends. */
  added?: readonly Omit<Field, 'name'>[];
  names?: readonly string[];
  /** Called when reading begins; gives what makes the shapes. */
  begin(): Promise<MakeShapes> | MakeShapes;
  /** The counts behind the first one, in words. */
  words(counts: Reshaped): Count[];
  /** What else is to be told at the end. */
  notes?(): string[];
}

/** Appends what feature i of a batch becomes: any number of features, or nothing. */
export type MakeShapes = (
  batch: Batch,
  i: number,
  builder: GeometryMaker,
  columns: readonly ColumnBuilder[],
) => void;

/**
 * Makes new shapes of the features of a layer, batch by batch. Features without geometry are dropped and counted, those with
 * unusable coordinates told too.
 */
export function reshapeLayer(layer: Layer, reshaping: Reshaping): Layer {
  const { added = [], names = [], single } = reshaping;
  const taken = layer.schema.map(({ name }) => name);
  const fields: Field[] = added.map((field, k) => {
    const name = freeName(names[k], taken);
    taken.push(name);
    return { ...field, name };
  });
  const kept = single ? layer.schema : layer.schema.map(asPlainField);
  return applyVerb(reshaping.verb, layer, {
    schema: [...kept, ...fields],
    kinds: reshaping.kinds,
    async *run(account, source) {
      const counts: Reshaped = { in: 0, features: 0, made: 0, nothing: 0 };
      let without = 0;
      let unusable = 0;
      const shape = await reshaping.begin();
      const box = emptyBox();
      for await (const batch of source) {
        const geometry = batch.geometry!;
        let builder = new GeometryMaker(Math.max(64, geometry.vertexCount));
        let columns = fields.map((field) => new ColumnBuilder(field.type));
        let indices: number[] = [];
        const finish = (): Batch => {
          const rows = batch.take(indices, builder.finish());
          const made = new Batch({
            length: rows.length,
            first: single ? rows.first : counts.made - rows.length,
            geometry: rows.geometry,
            columns: [...rows.columns, ...columns.map((column) => column.finish())],
            ids: single ? rows.ids : null,
          });
          builder = new GeometryMaker();
          columns = fields.map((field) => new ColumnBuilder(field.type));
          indices = [];
          return made;
        };
        for (let i = 0; i < batch.length; i++) {
          counts.in++;
          if (geometry.kind[i] === Kind.None) {
            without++;
            continue;
          }
          if (!usableBox(geometry, i, box)) {
            unusable++;
            tellUnusable(batch, i, layer.name, account.findings);
            continue;
          }
          const before = builder.features;
          shape(batch, i, builder, columns);
          const made = builder.features - before;
          counts.made += made;
          if (made === 0) counts.nothing++;
          else counts.features++;
          for (let k = 0; k < made; k++) indices.push(i);
          if (indices.length > 4 * batchLimit) yield* pieces(finish(), single);
        }
        if (indices.length > 0) yield* pieces(finish(), single);
      }
      account.counts = { ...counts, without, unusable };
      const words = reshaping.words(counts);
      if (without > 0) words.push([without, 'without geometry dropped']);
      if (unusable > 0) words.push([unusable, 'with unusable coordinates left out']);
      account.notes.push(...(reshaping.notes?.() ?? []));
      closeAccount(account, [counts.in, `${layer.name} in`], ...words);
    },
  });
}
