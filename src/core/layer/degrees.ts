import { crsLabel } from '../crs/crs.ts';
import { wgs84 } from '../crs/registry.ts';
import { transformer } from '../crs/transformer.ts';
import { IsomericError } from '../errors.ts';
import { type Box, boxOfPositions, emptyBox, growBox, isEmptyBox } from '../geometry/geometry-array.ts';
import type { Layer } from './layer.ts';

/** Vertices of a layer that are looked at, evenly spread, at most. */
const mostSampled = 4000;

/** The box of a layer's coordinates and a sample of them, as they stand in it. */
export async function coordinatesOf(
  layer: Layer,
): Promise<{ box: Box; sample: Float64Array; count: number }> {
  const box = emptyBox();
  let sample: number[] = [];
  let every = 1;
  let seen = 0;
  let count = 0;
  for await (const batch of layer.batches()) {
    count += batch.length;
    if (batch.geometry === null) continue;
    growBox(box, batch.geometry.box());
    const { xy, vertexCount } = batch.geometry;
    for (let v = 0; v < vertexCount; v++) {
      if (seen++ % every !== 0 || Number.isNaN(xy[2 * v])) continue;
      sample.push(xy[2 * v], xy[2 * v + 1]);
      if (sample.length < 4 * mostSampled) continue;
      // Twice too many: every other one stays.
      sample = sample.filter((_, k) => (k >> 1) % 2 === 0);
      every *= 2;
    }
  }
  return { box, sample: Float64Array.from(sample), count };
}

/** The box of a layer in longitudes and latitudes on WGS 84, west greater than east across the antimeridian. */
export async function degreesOfLayer(layer: Layer): Promise<Box> {
  if (layer.crs === null)
    throw new IsomericError(
      'crs-missing',
      `The layer ${layer.name} has no CRS, so where it lies is not known.`,
      {
        place: { layer: layer.name },
        advice: 'Say it with --from; isomeric locate finds candidates.',
        blame: 'usage',
      },
    );
  const { box, sample } = await coordinatesOf(layer);
  if (isEmptyBox(box))
    throw new IsomericError('layer-empty', `The layer ${layer.name} holds no coordinates.`, {
      blame: 'input',
    });
  // Its corners as well: a sample may miss them.
  const xy = new Float64Array(sample.length + 8);
  xy.set(sample);
  xy.set([box[0], box[1], box[2], box[1], box[2], box[3], box[0], box[3]], sample.length);
  const through = transformer(layer.crs, wgs84());
  if (through.transform(xy) === xy.length / 2)
    throw new IsomericError(
      'outside-projection',
      `The coordinates of ${layer.name} cannot be coordinates of ${crsLabel(layer.crs)}.`,
      { place: { layer: layer.name }, advice: 'isomeric locate finds candidates for its CRS.' },
    );
  const plain = boxOfPositions(xy);
  if (plain[2] - plain[0] < 180) return plain;
  // Counted from the other side it may be narrow: then it crosses the antimeridian.
  const turned = boxOfPositions(xy.map((value, k) => (k % 2 === 0 && value < 0 ? value + 360 : value)));
  return turned[2] - turned[0] < plain[2] - plain[0]
    ? [turned[0], turned[1], turned[2] - 360, turned[3]]
    : plain;
}
