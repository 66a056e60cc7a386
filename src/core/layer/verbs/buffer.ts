import { type Account, type Count, closeAccount, counted } from '../../account.ts';
import type { Crs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { overlayAreas } from '../../geometry/overlay/overlay.ts';
import { type BufferStyle, bufferFeature } from '../../geometry/shape/buffer.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import { type Batch, batchLimit } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
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

/** Appends the buffer of feature i as one feature; false, and nothing, when nothing is left. */
export type MakeBuffer = (
  geometry: GeometryArray,
  i: number,
  metres: number,
  builder: GeometryMaker,
  style: BufferStyle,
) => boolean;

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
      const work = new Buffering(layer.name, options, rings, field, await makerFor(crs), account);
      for await (const batch of batches) yield* work.make(batch);
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

async function makerFor(crs: Crs): Promise<MakeBuffer> {
  if (crs.kind === 'projected')
    return (geometry, i, metres, builder, style) =>
      bufferFeature(geometry, i, metres / crs.unit, builder, style) > 0;
  const { buffersOnEllipsoid } = await import('./buffer-on-ellipsoid.ts');
  return buffersOnEllipsoid(crs);
}

class Buffering {
  private all = 0;
  private made = 0;
  private nothing = 0;
  private without = 0;
  private unusable = 0;
  private readonly box = emptyBox();

  constructor(
    private readonly name: string,
    private readonly options: BufferOptions,
    private readonly rings: readonly number[] | null,
    private readonly field: number,
    private readonly maker: MakeBuffer,
    private readonly account: Account,
  ) {}

  *make(batch: Batch): Generator<Batch> {
    const geometry = batch.geometry!;
    const builder = new GeometryMaker(4 * geometry.vertexCount);
    const { options, rings } = this;
    let indices: number[] = [];
    let limits: number[] = [];
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
      const before = builder.features;
      if (rings === null)
        this.maker(geometry, i, options.inwards === true ? -metres : metres, builder, options);
      else this.ringsOf(geometry, i, builder, limits);
      if (builder.features === before) this.nothing++;
      else this.made++;
      for (let k = before; k < builder.features; k++) indices.push(i);
      if (indices.length >= batchLimit - (rings?.length ?? 0)) {
        yield this.batchOf(batch, indices, limits, builder);
        indices = [];
        limits = [];
      }
    }
    if (indices.length > 0) yield this.batchOf(batch, indices, limits, builder);
  }

  private ringsOf(geometry: GeometryArray, i: number, builder: GeometryMaker, limits: number[]): void {
    let inner: GeometryArray | null = null;
    let beyond = 0;
    for (const metres of this.rings!) {
      const made = new GeometryMaker(64);
      if (!this.maker(geometry, i, metres, made, this.options)) continue;
      const outer = made.finish();
      if (inner === null) builder.copy(outer, 0);
      else if (overlayAreas('difference', outer, 0, inner, 0, builder) === 0) continue;
      limits.push(beyond, metres);
      inner = outer;
      beyond = metres;
    }
  }

  private batchOf(
    batch: Batch,
    indices: readonly number[],
    limits: readonly number[],
    builder: GeometryMaker,
  ): Batch {
    const taken = batch.take(indices, builder.finish());
    if (this.rings === null) return taken;
    const columns = [0, 1].map((side) => {
      const column = new ColumnBuilder('real');
      for (let k = side; k < limits.length; k += 2) column.number(limits[k]);
      return column.finish();
    });
    // One feature became several: its id is theirs no longer.
    return taken.with({ columns: [...taken.columns, ...columns], ids: null });
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
