import { GeometryArray } from '../../geometry/geometry-array.ts';

/**
 * Heights and measures for geometries that an overlay made: original corners keep theirs; new ones on an edge
 * of the source get theirs by their share of it, others interpolated by distance between the nearest original corners of the same ring or path; NaN where a ring has none.
 */
export function fillHeights(
  source: GeometryArray,
  indices: ArrayLike<number>,
  made: GeometryArray,
): GeometryArray {
  const z = source.z === null ? null : ordinates(source, indices, made, source.z);
  const m = source.m === null ? null : ordinates(source, indices, made, source.m);
  return new GeometryArray({ ...made.buffers(), z, m });
}

function ordinates(
  source: GeometryArray,
  indices: ArrayLike<number>,
  made: GeometryArray,
  from: Float64Array,
): Float64Array {
  const out = new Float64Array(made.vertexCount).fill(NaN);
  Array.from(indices).forEach((i, k) => {
    const known = new Map<number, Map<number, number>>();
    for (let v = source.firstVertex(i); v < source.endVertex(i); v++) {
      const x = source.xy[2 * v];
      let column = known.get(x);
      if (column === undefined) known.set(x, (column = new Map()));
      column.set(source.xy[2 * v + 1], from[v]);
    }
    for (let r = made.ringStart[made.partStart[k]]; r < made.ringStart[made.partStart[k + 1]]; r++) {
      const first = made.vertexStart[r];
      const end = made.vertexStart[r + 1];
      for (let v = first; v < end; v++)
        out[v] =
          known.get(made.xy[2 * v])?.get(made.xy[2 * v + 1]) ??
          onEdge(source, i, from, made.xy[2 * v], made.xy[2 * v + 1]);
      interpolate(made.xy, out, first, end);
    }
  });
  return out;
}

/** The value at a place on an edge of feature i, by its share of the edge; NaN where no edge passes. */
function onEdge(source: GeometryArray, i: number, from: Float64Array, x: number, y: number): number {
  const { xy, vertexStart, ringStart, partStart } = source;
  for (let r = ringStart[partStart[i]]; r < ringStart[partStart[i + 1]]; r++) {
    for (let v = vertexStart[r]; v + 1 < vertexStart[r + 1]; v++) {
      const dx = xy[2 * v + 2] - xy[2 * v];
      const dy = xy[2 * v + 3] - xy[2 * v + 1];
      const length = dx * dx + dy * dy;
      const share = ((x - xy[2 * v]) * dx + (y - xy[2 * v + 1]) * dy) / length;
      if (!(share >= 0 && share <= 1)) continue;
      const aside = Math.abs((x - xy[2 * v]) * dy - (y - xy[2 * v + 1]) * dx);
      // Crossings are rounded: a place on an edge lies off it by what the digits of its coordinates leave.
      if (aside <= Math.sqrt(length) * 1e-14 * (Math.abs(x) + Math.abs(y)) + length * 1e-12)
        return from[v] + share * (from[v + 1] - from[v]);
    }
  }
  return NaN;
}

function interpolate(xy: Float64Array, out: Float64Array, first: number, end: number): void {
  let before = -1;
  for (let v = first; v < end; v++) {
    if (!Number.isNaN(out[v])) {
      before = v;
      continue;
    }
    let after = v + 1;
    while (after < end && Number.isNaN(out[after])) after++;
    if (before < 0 && after >= end) return;
    if (before < 0) out[v] = out[after];
    else if (after >= end) out[v] = out[before];
    else {
      const distance = (a: number, b: number) => {
        let sum = 0;
        for (let k = a; k < b; k++)
          sum += Math.hypot(xy[2 * k + 2] - xy[2 * k], xy[2 * k + 3] - xy[2 * k + 1]);
        return sum;
      };
      const share = distance(before, v) / (distance(before, after) || 1);
      out[v] = out[before] + share * (out[after] - out[before]);
    }
    before = v;
  }
}
