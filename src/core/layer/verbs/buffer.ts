import { type Account, type Count, closeAccount, counted } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { emptyBox, Kind } from '../../geometry/geometry-array.ts';
import { takeGeometries } from '../../geometry/geometry-maker.ts';
import type { BufferStyle } from '../../geometry/shape/buffer.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import { Batch, pieces, smallBatches } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { type TaskGiven, type TaskResult, withThreads } from '../threads.ts';
import { bufferTask } from './buffer-task.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** How far, and in which shape. */
export interface BufferOptions extends BufferStyle {
  /** Metres. */
  distance?: number;
  /** A field with the metres of each feature, in place of one distance for all. */
  field?: string;
  /** Metres of several buffers, of which each feature becomes one ring a distance: what lies beyond the one before. */
  rings?: readonly number[];
  /** Takes the distance away from areas instead of adding it. */
  inwards?: boolean;
}

/**
 * All points within a distance of each feature: on the plane of a projected CRS, on the ellipsoid where coordinates are
 * degrees. Features of which nothing is left, and those whose distance is blank or not above zero, are dropped and counted.
 */
export function bufferLayer(layer: Layer, options: BufferOptions): Layer {
  const { crs } = layer;
  if (crs === null)
    throw new IsomericError(
      'crs-missing',
      `${layer.name} has no CRS, so nobody knows how long a metre is in it.`,
      {
        blame: 'usage',
        advice: 'Say which CRS it has first.',
      },
    );
  const field = options.field === undefined ? -1 : requireField(layer.schema, options.field, layer.name);
  const ways = [options.distance, options.field, options.rings].filter((way) => way !== undefined);
  if (ways.length !== 1)
    throw new IsomericError(
      'buffer-distance',
      'Say one distance in metres, the distances of several rings, or the field that has it: one of the three.',
      { blame: 'usage' },
    );
  const rings = checkRings(options);
  const names = layer.schema.map(({ name }) => name);
  const added: Field[] =
    rings === null
      ? []
      : ['beyond', 'within'].map((name) => ({
          name: freeName(name, names),
          type: 'real' as const,
          unit: 'm',
          title: name === 'within' ? 'Within' : 'Beyond',
        }));
  return applyVerb('Buffer', layer, {
    schema: rings === null ? layer.schema : [...layer.schema.map(asPlainField), ...added],
    kinds: ['Polygon', 'MultiPolygon'],
    async *run(account, batches) {
      const work = new Buffering(layer.name, options, rings, field, account);
      const { ends, joins, mitreLimit, side, quarter, rule } = options;
      const style = { ends, joins, mitreLimit, side, quarter, rule };
      yield* withThreads(
        bufferTask,
        { crs, style, rings },
        smallBatches(batches, 512),
        (batch) => work.ask(batch),
        (batch, result) => work.accept(batch, result),
      );
      work.close();
    },
  });
}

function checkRings({ rings, inwards }: BufferOptions): number[] | null {
  if (rings === undefined) return null;
  const sorted = [...rings].sort((a, b) => a - b);
  if (inwards === true || sorted.length === 0 || !(sorted[0] > 0) || new Set(sorted).size < sorted.length)
    throw new IsomericError(
      'buffer-rings',
      inwards === true
        ? 'Rings of several distances lie around features, not within them.'
        : `The distances of rings are different numbers of metres above zero, not “${rings.join(', ')}”.`,
      { blame: 'usage', advice: 'For example 250, 500, 1000.' },
    );
  return sorted;
}

class Buffering {
  private all = 0;
  private made = 0;
  private nothing = 0;
  private without = 0;
  private unusable = 0;
  private rows = 0;
  private readonly box = emptyBox();
  /** Numbers of the features of each batch that were asked for. */
  private readonly asked = new WeakMap<Batch, number[]>();

  constructor(
    private readonly name: string,
    private readonly options: BufferOptions,
    private readonly rings: readonly number[] | null,
    private readonly field: number,
    private readonly account: Account,
  ) {}

  /** The features of a batch that can have buffers, with the metres of each. */
  ask(batch: Batch): TaskGiven | null {
    const geometry = batch.geometry!;
    const { options, rings } = this;
    const indices: number[] = [];
    const numbers: number[] = [];
    for (let i = 0; i < batch.length; i++) {
      this.all++;
      const metres =
        rings !== null
          ? rings[0]
          : this.field < 0
            ? options.distance!
            : numberAt(batch.columns[this.field], i);
      if (geometry.kind[i] === Kind.None || !(metres > 0)) {
        this.without++;
        continue;
      }
      if (!usableBox(geometry, i, this.box)) {
        this.unusable++;
        tellUnusable(batch, i, this.name, this.account.findings);
        continue;
      }
      indices.push(i);
      numbers.push(options.inwards === true ? -metres : metres);
    }
    if (indices.length === 0) return null;
    this.asked.set(batch, indices);
    return { geometry: takeGeometries(geometry, indices), numbers: Float64Array.from(numbers) };
  }

  /** The batches that come of one. */
  *accept(batch: Batch, result: TaskResult | null): Generator<Batch> {
    if (result === null) return;
    const [counts, limits] = result.arrays;
    const from: number[] = [];
    this.asked.get(batch)!.forEach((i, k) => {
      if (counts[k] === 0) this.nothing++;
      else this.made++;
      for (let n = 0; n < counts[k]; n++) from.push(i);
    });
    if (result.geometry === null) return;
    const rows = batch.take(from, result.geometry);
    if (this.rings === null) {
      yield* pieces(rows, true);
      return;
    }
    const columns = [0, 1].map((side) => {
      const column = new ColumnBuilder('real');
      for (let k = side; k < limits.length; k += 2) column.number(limits[k]);
      return column.finish();
    });
    // One feature became several: its id is theirs no longer.
    yield* pieces(
      new Batch({
        length: rows.length,
        first: this.rows,
        geometry: rows.geometry,
        columns: [...rows.columns, ...columns],
      }),
      false,
    );
    this.rows += rows.length;
  }

  close(): void {
    const { all, made, nothing, without, unusable, rings, account } = this;
    account.counts = { in: all, made, nothing, without, unusable };
    const words =
      rings !== null
        ? `given ${counted(rings.length, 'ring', 'rings')} each`
        : this.options.inwards === true
          ? 'made smaller'
          : 'made larger';
    const counts: Count[] = [[made, words]];
    if (nothing > 0) counts.push([nothing, 'of which nothing is left']);
    if (without > 0) counts.push([without, 'without geometry or distance dropped']);
    if (unusable > 0) counts.push([unusable, 'with unusable coordinates left out']);
    closeAccount(account, [all, `${this.name} in`], ...counts);
  }
}

const numberAt = (column: Column, i: number) => (column.isNull(i) ? Number.NaN : column.number(i));
