import { GeometryArray } from './geometry-array.ts';

/**
 * Some features of an array, in order, a few of them with another shape: built at their exact size, runs of neighbours copied in
 * one go. For arrays without heights, measures and collections.
 *
 * @param kept numbers of the features
 * @param shapeOf for each of them, its number in `shapes`; −1: as it is
 */
export function keptFeatures(
  array: GeometryArray,
  kept: Uint32Array,
  shapeOf: Int32Array,
  shapes: GeometryArray | null,
): GeometryArray {
  const length = kept.length;
  let parts = 0;
  let rings = 0;
  let vertices = 0;
  for (let k = 0; k < length; k++) {
    const from = shapeOf[k] < 0 ? array : shapes!;
    const i = shapeOf[k] < 0 ? kept[k] : shapeOf[k];
    const p0 = from.partStart[i];
    const p1 = from.partStart[i + 1];
    const r0 = from.ringStart[p0];
    const r1 = from.ringStart[p1];
    parts += p1 - p0;
    rings += r1 - r0;
    vertices += from.vertexStart[r1] - from.vertexStart[r0];
  }
  const kind = new Uint8Array(length);
  const partStart = new Uint32Array(length + 1);
  const ringStart = new Uint32Array(parts + 1);
  const vertexStart = new Uint32Array(rings + 1);
  const xy = new Float64Array(2 * vertices);
  let part = 0;
  let ring = 0;
  let vertex = 0;
  for (let k = 0; k < length; ) {
    const own = shapeOf[k] < 0;
    const from = own ? array : shapes!;
    const first = own ? kept[k] : shapeOf[k];
    let end = first + 1;
    let next = k + 1;
    if (own)
      while (next < length && shapeOf[next] < 0 && kept[next] === end) {
        next++;
        end++;
      }
    const p0 = from.partStart[first];
    const p1 = from.partStart[end];
    const r0 = from.ringStart[p0];
    const r1 = from.ringStart[p1];
    const v0 = from.vertexStart[r0];
    const v1 = from.vertexStart[r1];
    for (let i = first, f = k; i < end; i++, f++) {
      kind[f] = from.kind[i];
      partStart[f] = from.partStart[i] - p0 + part;
    }
    for (let p = p0; p < p1; p++) ringStart[part++] = from.ringStart[p] - r0 + ring;
    for (let r = r0; r < r1; r++) vertexStart[ring++] = from.vertexStart[r] - v0 + vertex;
    if (v1 - v0 > 24) xy.set(from.xy.subarray(2 * v0, 2 * v1), 2 * vertex);
    // For a few vertices a plain loop costs less than a view.
    else for (let s = 2 * v0, t = 2 * vertex; s < 2 * v1; s++, t++) xy[t] = from.xy[s];
    vertex += v1 - v0;
    k = next;
  }
  partStart[length] = part;
  ringStart[part] = ring;
  vertexStart[ring] = vertex;
  return new GeometryArray({
    length,
    kind,
    partStart,
    ringStart,
    vertexStart,
    xy,
    z: null,
    m: null,
    partKind: null,
  });
}
