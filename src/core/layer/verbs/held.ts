import type { Finding } from '../../findings.ts';
import { emptyBox, GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder, sliceValues } from '../../table/column-builder.ts';
import type { Schema } from '../../table/schema.ts';
import { Batch, batchLimit } from '../batch.ts';
import { tellUnusable } from './unusable-feature.ts';

/**
 * A whole layer in memory, its geometries in one array, for verbs that must see all of it. Features without geometry and with
 * unusable coordinates are counted and left out.
 */
export class HeldLayer {
  readonly geometry: GeometryArray;
  /** Which batch, and which feature in it, each geometry belongs to. */
  readonly batchOf: Uint32Array;
  readonly rowOf: Uint32Array;

  private constructor(
    readonly name: string,
    readonly batches: readonly Batch[],
    rows: { geometry: GeometryArray; batchOf: number[]; rowOf: number[] },
    /** All features, and those that were left out. */
    readonly all: number,
    readonly without: number,
    readonly unusable: number,
  ) {
    this.geometry = rows.geometry;
    this.batchOf = Uint32Array.from(rows.batchOf);
    this.rowOf = Uint32Array.from(rows.rowOf);
  }

  /** Reads a layer; tells unusable features in `findings`. */
  static async of(name: string, source: AsyncIterable<Batch>, findings: Finding[]): Promise<HeldLayer> {
    const batches: Batch[] = [];
    const batchOf: number[] = [];
    const rowOf: number[] = [];
    const maker = new GeometryMaker();
    const box = emptyBox();
    let all = 0;
    let without = 0;
    let unusable = 0;
    for await (const batch of source) {
      all += batch.length;
      for (let i = 0; i < batch.length; i++) {
        if (batch.geometry === null || batch.geometry.kind[i] === Kind.None || batch.geometry.isEmpty(i)) {
          without++;
          continue;
        }
        if (!usableBox(batch.geometry, i, box)) {
          unusable++;
          tellUnusable(batch, i, name, findings);
          continue;
        }
        maker.copy(batch.geometry, i);
        batchOf.push(batches.length);
        rowOf.push(i);
      }
      batches.push(batch.with({ geometry: null }));
    }
    const geometry = maker.features === 0 ? nothing() : maker.finish();
    return new HeldLayer(name, batches, { geometry, batchOf, rowOf }, all, without, unusable);
  }

  get length(): number {
    return this.geometry.length;
  }

  /** What to call a feature. */
  id(k: number): string | number {
    return this.batches[this.batchOf[k]].id(this.rowOf[k]);
  }

  /** A column, and the row in it, that hold a value of feature k. */
  column(k: number, c: number): { column: Column; row: number } {
    return { column: this.batches[this.batchOf[k]].columns[c], row: this.rowOf[k] };
  }

  /** Value of a feature as text; null for a blank. */
  text(k: number, c: number): string | null {
    const { column, row } = this.column(k, c);
    return column.text(row);
  }

  /** Have two features the same values in some columns? */
  alike(k: number, l: number, columns: readonly number[]): boolean {
    return columns.every((c) => this.text(k, c) === this.text(l, c));
  }

  /** The counts of what was left out, for the account. */
  leftOut(): [number, string][] {
    const counts: [number, string][] = [];
    if (this.without > 0) counts.push([this.without, 'without geometry dropped']);
    if (this.unusable > 0) counts.push([this.unusable, 'with unusable coordinates left out']);
    return counts;
  }

  /**
   * Batches of features: each takes its values from a feature held (−1: blanks), and its geometry from an array; ids stay where
   * `ids` says so.
   *
   * @param columns more columns, a value for each row
   */
  *rows(
    schema: Schema,
    from: ArrayLike<number>,
    geometry: GeometryArray,
    columns: readonly Column[] = [],
    ids = false,
  ): Generator<Batch> {
    const own = schema.length - columns.length;
    for (let first = 0; first < from.length; first += batchLimit) {
      const length = Math.min(batchLimit, from.length - first);
      const made: Column[] = [];
      for (let c = 0; c < own; c++) {
        const builder = new ColumnBuilder(schema[c].type);
        for (let r = first; r < first + length; r++) {
          if (from[r] < 0) builder.null();
          else builder.copy(this.batches[this.batchOf[from[r]]].columns[c], this.rowOf[from[r]]);
        }
        made.push(builder.finish());
      }
      for (const column of columns) made.push(sliceValues(column, first, length));
      const whole = from.length <= batchLimit;
      yield new Batch({
        length,
        first,
        geometry: whole ? geometry : takeGeometries(geometry, rangeOf(first, length)),
        columns: made,
        ids: ids ? this.idsOf(from, first, length) : null,
      });
    }
  }

  private idsOf(from: ArrayLike<number>, first: number, length: number): Column {
    const all = rangeOf(first, length).map((r) => this.id(from[r]));
    const whole = all.every((id) => typeof id === 'number');
    const builder = new ColumnBuilder(whole ? 'integer' : 'text');
    for (const id of all) {
      if (whole) builder.number(id as number);
      else builder.text(String(id));
    }
    return builder.finish();
  }
}

const rangeOf = (first: number, length: number) => Array.from({ length }, (_, k) => first + k);

function nothing(): GeometryArray {
  const none = () => new Uint32Array(1);
  return new GeometryArray({
    length: 0,
    kind: new Uint8Array(0),
    partStart: none(),
    ringStart: none(),
    vertexStart: none(),
    xy: new Float64Array(0),
    z: null,
    m: null,
    partKind: null,
  });
}
