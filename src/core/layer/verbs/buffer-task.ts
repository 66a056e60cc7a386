import type { Crs } from '../../crs/crs.ts';
import type { GeometryArray } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { overlayAreas } from '../../geometry/overlay/overlay.ts';
import { type BufferStyle, bufferFeature } from '../../geometry/shape/buffer.ts';
import type { ThreadTask } from '../threads.ts';

/** Appends the buffer of feature i as one feature; false, and nothing, when nothing is left. */
export type MakeBuffer = (
  geometry: GeometryArray,
  i: number,
  metres: number,
  builder: GeometryMaker,
  style: BufferStyle,
) => boolean;

/** In which CRS, and in which shape. */
export interface BufferSetup {
  crs: Crs;
  style: BufferStyle;
  /** Metres of rings, in order; null: one buffer of as many metres as each feature's number. */
  rings: readonly number[] | null;
}

/**
 * Buffers of features; negative metres lead inwards. Gives them in order, how many there are of each feature, and of rings
 * how far they begin and end.
 */
export const bufferTask: ThreadTask<BufferSetup> = {
  name: 'buffer',
  async begin({ crs, style, rings }) {
    const maker = await makerFor(crs);
    return ({ geometry, numbers }) => {
      const builder = new GeometryMaker(4 * geometry.vertexCount);
      const counts = new Uint32Array(geometry.length);
      const limits: number[] = [];
      for (let i = 0; i < geometry.length; i++) {
        const before = builder.features;
        if (rings === null) maker(geometry, i, numbers![i], builder, style);
        else ringsOf(geometry, i, rings, maker, style, builder, limits);
        counts[i] = builder.features - before;
      }
      return {
        geometry: builder.features === 0 ? null : builder.finish(),
        arrays: [counts, Float64Array.from(limits)],
      };
    };
  },
};

async function makerFor(crs: Crs): Promise<MakeBuffer> {
  if (crs.kind === 'projected')
    return (geometry, i, metres, builder, style) =>
      bufferFeature(geometry, i, metres / crs.unit, builder, style) > 0;
  const { buffersOnEllipsoid } = await import('./buffer-on-ellipsoid.ts');
  return buffersOnEllipsoid(crs);
}

function ringsOf(
  geometry: GeometryArray,
  i: number,
  rings: readonly number[],
  maker: MakeBuffer,
  style: BufferStyle,
  builder: GeometryMaker,
  limits: number[],
): void {
  let inner: GeometryArray | null = null;
  let beyond = 0;
  for (const metres of rings) {
    const made = new GeometryMaker(64);
    if (!maker(geometry, i, metres, made, style)) continue;
    const outer = made.finish();
    if (inner === null) builder.copy(outer, 0);
    else if (overlayAreas('difference', outer, 0, inner, 0, builder) === 0) continue;
    limits.push(beyond, metres);
    inner = outer;
    beyond = metres;
  }
}
