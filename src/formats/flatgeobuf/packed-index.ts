import { IsomericError } from '../../core/errors.ts';
import { type Box, emptyBox, growBox } from '../../core/geometry/geometry-array.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { FeatureBoxes, FeaturePlaces } from '../writing/feature-boxes.ts';

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

/** Nodes encoded at a time. */
const nodesAtOnce = 8192;

/**
 * A packed R-tree in the layout of FlatGeobuf: levels from the root to the leaves, leaves in the order of the features.
 * Boxes of the leaves are taken as they are needed; only those of higher levels are held.
 *
 * @param order numbers of the features as they will lie in the file
 */
export function* packIndex(
  boxes: FeatureBoxes,
  places: FeaturePlaces,
  order: Uint32Array,
  nodeSize: number,
): Generator<Uint8Array> {
  const levels = levelBounds(order.length, nodeSize);
  const box = emptyBox();
  // Boxes of every level above the leaves, four numbers a node.
  const above: Float64Array[] = [];
  for (let level = 1; level < levels.length; level++) {
    const [from, end] = levels[level];
    const below = levels[level - 1][1] - levels[level - 1][0];
    const own = new Float64Array(4 * (end - from));
    for (let node = 0; node < end - from; node++) {
      const whole = emptyBox();
      for (let child = node * nodeSize; child < Math.min(below, (node + 1) * nodeSize); child++) {
        if (level === 1) boxes.get(order[child], box);
        else for (let n = 0; n < 4; n++) box[n] = above[level - 2][4 * child + n];
        growBox(whole, box);
      }
      own.set(whole, 4 * node);
    }
    above.push(own);
  }
  const bytes = new Uint8Array(nodeBytes * nodesAtOnce);
  const view = new DataView(bytes.buffer);
  let used = 0;
  let offset = 0;
  for (let level = levels.length - 1; level >= 0; level--) {
    const [from, end] = levels[level];
    for (let node = 0; node < end - from; node++) {
      if (level === 0) boxes.get(order[node], box);
      else for (let n = 0; n < 4; n++) box[n] = above[level - 1][4 * node + n];
      const at = nodeBytes * used;
      for (let n = 0; n < 4; n++) view.setFloat64(at + 8 * n, box[n], true);
      // A leaf says where its feature begins, a node of a higher level which node is its first child.
      const target = level === 0 ? offset : levels[level - 1][0] + node * nodeSize;
      view.setUint32(at + 32, target % 4_294_967_296, true);
      view.setUint32(at + 36, Math.floor(target / 4_294_967_296), true);
      if (level === 0) offset += places.length(order[node]);
      if (++used === nodesAtOnce) {
        yield bytes;
        used = 0;
      }
    }
  }
  yield bytes.subarray(0, nodeBytes * used);
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
