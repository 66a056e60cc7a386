import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import type { ByteSource } from '../byte-source.ts';

/** Bytes of a node: its box and an offset. */
const nodeBytes = 40;

/** First and end node of every level, the leaves first; the root is node 0. */
export function levelBounds(count: number, nodeSize: number): [from: number, end: number][] {
  const sizes = [count];
  for (let n = count; n > 1; ) {
    n = Math.ceil(n / nodeSize);
    sizes.push(n);
  }
  let end = sizes.reduce((sum, size) => sum + size, 0);
  return sizes.map((size) => {
    const bounds: [number, number] = [end - size, end];
    end -= size;
    return bounds;
  });
}

/** Bytes of the index of `count` features; 0 without one. */
export function indexLength(count: number, nodeSize: number): number {
  if (count === 0 || nodeSize < 2) return 0;
  return nodeBytes * levelBounds(count, nodeSize)[0][1];
}

/**
 * A packed R-tree in the layout of FlatGeobuf: levels from the root to the leaves, leaves in the order of the features.
 *
 * @param boxes four numbers a feature; @param offsets where each feature begins, counted from the first
 */
export function* packIndex(
  boxes: Float64Array,
  offsets: Float64Array,
  count: number,
  nodeSize: number,
): Generator<Uint8Array> {
  const levels = levelBounds(count, nodeSize);
  const total = levels[0][1];
  const bytes = new Uint8Array(nodeBytes * total);
  const view = new DataView(bytes.buffer);
  const put = (node: number, box: readonly number[] | Float64Array, at: number, offset: number) => {
    for (let k = 0; k < 4; k++) view.setFloat64(nodeBytes * node + 8 * k, box[at + k], true);
    view.setBigUint64(nodeBytes * node + 32, BigInt(offset), true);
  };
  for (let k = 0; k < count; k++) put(levels[0][0] + k, boxes, 4 * k, offsets[k]);
  for (let level = 0; level + 1 < levels.length; level++) {
    let parent = levels[level + 1][0];
    for (let from = levels[level][0]; from < levels[level][1]; from += nodeSize, parent++) {
      const end = Math.min(levels[level][1], from + nodeSize);
      const box = [Infinity, Infinity, -Infinity, -Infinity];
      for (let node = from; node < end; node++) {
        const at = nodeBytes * node;
        box[0] = Math.min(box[0], view.getFloat64(at, true));
        box[1] = Math.min(box[1], view.getFloat64(at + 8, true));
        box[2] = Math.max(box[2], view.getFloat64(at + 16, true));
        box[3] = Math.max(box[3], view.getFloat64(at + 24, true));
      }
      // A node of a higher level points to the number of its first child.
      put(parent, box, 0, from);
    }
  }
  yield bytes;
}

export interface Hit {
  /** Number of the feature in the file, from 0. */
  number: number;
  /** Where it begins, and where the next one begins (−1: not known), counted from the first feature. */
  offset: number;
  end: number;
}

/** Features whose boxes meet a box: only the nodes on the way to them are read. */
export async function searchIndex(
  source: ByteSource,
  start: number,
  count: number,
  nodeSize: number,
  box: Box,
): Promise<Hit[]> {
  const levels = levelBounds(count, nodeSize);
  const damaged = (node: number): never => {
    throw new IsomericError('flatgeobuf-damaged', 'The spatial index is damaged.', {
      place: { file: source.name, byte: start + nodeBytes * node },
      advice: 'Get the file again.',
    });
  };
  let ranges: [from: number, end: number][] = [[0, 1]];
  const hits: Hit[] = [];
  for (let level = levels.length - 1; level >= 0; level--) {
    const [levelFrom, levelEnd] = levels[level];
    const next: [number, number][] = [];
    // Neighbouring runs of nodes are fetched in one piece.
    for (let k = 0; k < ranges.length; ) {
      let last = k;
      while (last + 1 < ranges.length && ranges[last + 1][0] - ranges[last][1] <= nodeSize) last++;
      const [from, end] = [ranges[k][0], ranges[last][1]];
      // One node more tells where the last feature of the run ends.
      const upTo = level === 0 ? Math.min(levelEnd, end + 1) : end;
      const bytes = await source.bytes(start + nodeBytes * from, start + nodeBytes * upTo);
      if (bytes.length < nodeBytes * (end - from)) damaged(from);
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      for (; k <= last; k++) {
        for (let node = ranges[k][0]; node < ranges[k][1]; node++) {
          const at = nodeBytes * (node - from);
          if (
            view.getFloat64(at, true) > box[2] ||
            view.getFloat64(at + 8, true) > box[3] ||
            view.getFloat64(at + 16, true) < box[0] ||
            view.getFloat64(at + 24, true) < box[1]
          )
            continue;
          const offset = Number(view.getBigUint64(at + 32, true));
          if (level > 0) {
            const [childFrom, childEnd] = levels[level - 1];
            if (offset < childFrom || offset >= childEnd) damaged(node);
            next.push([offset, Math.min(childEnd, offset + nodeSize)]);
          } else {
            const following = at + nodeBytes + nodeBytes <= bytes.length;
            hits.push({
              number: node - levelFrom,
              offset,
              end: following ? Number(view.getBigUint64(at + nodeBytes + 32, true)) : -1,
            });
          }
        }
      }
    }
    next.sort((a, b) => a[0] - b[0]);
    ranges = next;
  }
  return hits;
}
