import { GeometryArray, type GeometryBuffers } from '../geometry/geometry-array.ts';
import { takeGeometries } from '../geometry/geometry-maker.ts';
import { Column, type ColumnBuffers } from '../table/column.ts';
import { takeValues } from '../table/column-builder.ts';

/** Most features in one batch. */
export const batchLimit = 16_384;

/** A batch in pieces of at most `most` features. @param keepIds false: features are numbered anew */
export function* pieces(batch: Batch, keepIds: boolean, most = batchLimit): Generator<Batch> {
  if (batch.length <= most) {
    yield batch;
    return;
  }
  for (let from = 0; from < batch.length; from += most) {
    const length = Math.min(most, batch.length - from);
    const part = batch.take(Array.from({ length }, (_, k) => from + k));
    yield new Batch({
      length,
      first: batch.first + from,
      geometry: part.geometry,
      columns: part.columns,
      ids: keepIds ? part.ids : null,
    });
  }
}

/** Batches of at most `most` features, for work that takes long with each: threads share them, and it can be ended between them. */
export async function* smallBatches(source: AsyncIterable<Batch>, most: number): AsyncGenerator<Batch> {
  for await (const batch of source) yield* pieces(batch, batch.ids !== null, most);
}

/** A batch as plain buffers, to be handed to another thread. */
export interface BatchBuffers {
  length: number;
  first: number;
  geometry: GeometryBuffers | null;
  columns: ColumnBuffers[];
  ids: ColumnBuffers | null;
}

/** Up to 16,384 features: one GeometryArray (none in a table), their columns in the order of the schema, their ids. */
export class Batch {
  readonly length: number;
  /** Number of the batch's first feature in its source, counted from 0. */
  readonly first: number;
  readonly geometry: GeometryArray | null;
  readonly columns: readonly Column[];
  /** Ids that the source gave (text or integer); null when it gave none. */
  readonly ids: Column | null;

  constructor(parts: {
    length: number;
    first: number;
    geometry: GeometryArray | null;
    columns: readonly Column[];
    ids?: Column | null;
  }) {
    this.length = parts.length;
    this.first = parts.first;
    this.geometry = parts.geometry;
    this.columns = parts.columns;
    this.ids = parts.ids ?? null;
  }

  /** What to call feature i in messages and findings: its own id, or its number in the source counted from 1. */
  id(i: number): string | number {
    if (this.ids !== null && !this.ids.isNull(i)) return this.ids.value(i) as string | number;
    return this.first + i + 1;
  }

  /** The same features with other parts. */
  with(parts: { geometry?: GeometryArray | null; columns?: readonly Column[]; ids?: Column | null }): Batch {
    return new Batch({
      length: this.length,
      first: this.first,
      geometry: parts.geometry === undefined ? this.geometry : parts.geometry,
      columns: parts.columns ?? this.columns,
      ids: parts.ids === undefined ? this.ids : parts.ids,
    });
  }

  /** The features whose numbers stand in `indices`, with `geometry` in place of theirs when it is given. */
  take(indices: ArrayLike<number>, geometry?: GeometryArray): Batch {
    return new Batch({
      length: indices.length,
      first: this.first,
      geometry: geometry ?? (this.geometry === null ? null : takeGeometries(this.geometry, indices)),
      columns: this.columns.map((column) => takeValues(column, indices)),
      ids: this.idsOf(indices),
    });
  }

  /** Ids of the chosen features; those that only had a number keep it. */
  private idsOf(indices: ArrayLike<number>): Column {
    if (this.ids !== null) return takeValues(this.ids, indices);
    const numbers = new Float64Array(indices.length);
    for (let k = 0; k < indices.length; k++) numbers[k] = this.first + indices[k] + 1;
    return new Column({
      type: 'integer',
      length: indices.length,
      valid: null,
      numbers,
      offsets: null,
      bytes: null,
      codes: null,
      dictionary: null,
    });
  }

  /** Plain buffers for structured cloning, and those of them that can be handed over without copying. */
  toTransfer(): { buffers: BatchBuffers; transfer: ArrayBuffer[] } {
    const buffers: BatchBuffers = {
      length: this.length,
      first: this.first,
      geometry: this.geometry?.buffers() ?? null,
      columns: this.columns.map((column) => column.buffers()),
      ids: this.ids?.buffers() ?? null,
    };
    const transfer = [
      ...(this.geometry?.transferables() ?? []),
      ...this.columns.flatMap((column) => column.transferables()),
      ...(this.ids?.transferables() ?? []),
    ];
    return { buffers, transfer: [...new Set(transfer)] };
  }

  /** A batch from buffers that came from another thread. */
  static fromTransfer(buffers: BatchBuffers): Batch {
    return new Batch({
      length: buffers.length,
      first: buffers.first,
      geometry: buffers.geometry === null ? null : new GeometryArray(buffers.geometry),
      columns: buffers.columns.map((column) => new Column(column)),
      ids: buffers.ids === null ? null : new Column(buffers.ids),
    });
  }
}
