import { Kind } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field } from '../../core/table/schema.ts';

/** Most vertices in one batch: large geometries make small batches. */
const vertexLimit = 1_000_000;

/** Gathers features, one after the other, into batches. */
export class BatchMaker {
  readonly geometry = new GeometryMaker();
  readonly columns: ColumnBuilder[];
  readonly ids: ColumnBuilder | null;
  private readonly withGeometry: boolean;
  private first = 0;
  private n = 0;
  private readonly whole: Batch[] = [];

  constructor(
    fields: readonly Field[],
    more: { ids?: 'text' | 'integer' | null; geometry?: boolean; first?: number } = {},
  ) {
    this.columns = fields.map((field) => new ColumnBuilder(field.type));
    this.ids = more.ids ? new ColumnBuilder(more.ids) : null;
    this.withGeometry = more.geometry !== false;
    this.first = more.first ?? 0;
  }

  /** Features of the batch that is being filled. */
  get length(): number {
    return this.n;
  }

  /** Ends a feature: what was not given is blank. */
  end(): void {
    this.n++;
    if (this.withGeometry && this.geometry.features < this.n) this.geometry.feature(Kind.None);
    for (const column of this.columns) if (column.length < this.n) column.null();
    if (this.ids !== null && this.ids.length < this.n) this.ids.null();
    if (this.n === batchLimit || this.geometry.vertices > vertexLimit) this.close();
  }

  private close(): void {
    this.whole.push(
      new Batch({
        length: this.n,
        first: this.first,
        geometry: this.withGeometry ? this.geometry.finish() : null,
        columns: this.columns.map((column) => column.finish()),
        ids: this.ids?.finish() ?? null,
      }),
    );
    this.first += this.n;
    this.n = 0;
  }

  /** Is there a batch to take? */
  get full(): boolean {
    return this.whole.length > 0;
  }

  /** Batches that are full; with `last`, what is left as well. */
  take(last = false): Batch[] {
    if (last && this.n > 0) this.close();
    return this.whole.splice(0);
  }
}
