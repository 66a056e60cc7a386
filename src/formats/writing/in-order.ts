import type { FeaturePlaces } from './feature-boxes.ts';
import type { Scratch, Target } from './target.ts';

/** Least bytes of a bucket, and bytes that wait for each bucket while all of them are filled. */
const leastBucket = 32 * 2 ** 20;
const room = 2 ** 18;
/** Bytes that are read of a scratch at a time. */
const step = 2 ** 20;

/** The bytes of features that were put aside, in the order in which they were. */
function* asPutAside(scratch: Scratch, places: FeaturePlaces): Generator<[k: number, bytes: Uint8Array]> {
  let held: Uint8Array = new Uint8Array(0);
  let from = 0;
  const last = places.count - 1;
  const total = last < 0 ? 0 : places.offset(last) + places.length(last);
  for (let k = 0; k <= last; k++) {
    const at = places.offset(k);
    const end = at + places.length(k);
    if (end > from + held.length) {
      from = at;
      held = scratch.read(at, Math.max(end, Math.min(total, at + step)));
    }
    yield [k, held.subarray(at - from, end - from)];
  }
}

/**
 * The bytes of features that were put aside, in another order. Reading them one by one would go to and fro over the disk;
 * so they are dealt out, in one pass, to buckets that follow each other in the new order, each small enough to be held.
 *
 * @param order numbers of the features in the new order
 */
export function* inOrder(
  scratch: Scratch,
  places: FeaturePlaces,
  order: Uint32Array,
  target: Pick<Target, 'scratch'>,
): Generator<Uint8Array> {
  if (scratch.inMemory === true) {
    for (const k of order) yield scratch.read(places.offset(k), places.offset(k) + places.length(k));
    return;
  }
  let total = 0;
  for (let k = 0; k < places.count; k++) total += places.length(k);
  // As many buckets as need no more memory, all together, than one that is held.
  const most = Math.max(leastBucket, Math.sqrt(total * room));
  const bucketOf = new Uint16Array(places.count);
  const sizes: number[] = [0];
  const starts: number[] = [0];
  order.forEach((k, position) => {
    const length = places.length(k);
    if (sizes[sizes.length - 1] > 0 && sizes[sizes.length - 1] + length > most) {
      sizes.push(0);
      starts.push(position);
    }
    bucketOf[k] = sizes.length - 1;
    sizes[sizes.length - 1] += length;
  });
  starts.push(order.length);
  if (sizes.length === 1) {
    const all = scratch.read(0, total);
    for (const k of order) yield all.subarray(places.offset(k), places.offset(k) + places.length(k));
    return;
  }
  const buckets = sizes.map(() => target.scratch(room));
  const within = new Uint32Array(places.count);
  for (const [k, bytes] of asPutAside(scratch, places)) within[k] = buckets[bucketOf[k]].append(bytes);
  scratch.remove?.();
  for (let b = 0; b < buckets.length; b++) {
    const all = buckets[b].read(0, sizes[b]);
    for (let position = starts[b]; position < starts[b + 1]; position++) {
      const k = order[position];
      yield all.subarray(within[k], within[k] + places.length(k));
    }
    buckets[b].remove?.();
  }
}
