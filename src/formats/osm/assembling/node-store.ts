import type { Scratch } from '../../writing/target.ts';
import type { NodeBlock, Positions } from '../reading/primitives.ts';

interface Chunk {
  first: number;
  last: number;
  length: number;
  /** ids − first. Float64Array where they do not fit into 32 bits. */
  ids: Uint32Array | Float64Array;
  lon: Int32Array | Float64Array;
  lat: Int32Array | Float64Array;
  unit: number;
  /** Where it lies in the scratch, once it is there; then its arrays are blank. */
  at: number;
}

const blank = new Uint32Array(0);
const blankPositions = new Int32Array(0);

/**
 * Positions of all nodes of an extract, by id, in chunks of sorted typed arrays: 12 bytes a node (20 where positions are
 * finer than 10⁻⁷ degree). Beyond `most` bytes chunks go to the scratch, and then what is asked for is looked up in the
 * order of ids, so that the scratch is read from its beginning to its end once for each large batch.
 */
export class NodeStore {
  private readonly chunks: Chunk[] = [];
  private readonly scratch: (() => Scratch) | null;
  private file: Scratch | null = null;
  private readonly most: number;
  private held = 0;
  /** True when the ranges of chunks follow each other. */
  private ordered = true;
  /** Nodes in it. */
  count = 0;

  constructor(scratch: (() => Scratch) | null, most = 256 * 2 ** 20) {
    this.scratch = scratch;
    this.most = most;
  }

  /** Are positions outside memory, so that many of them should be asked for together? */
  get outside(): boolean {
    return this.file !== null;
  }

  /** Takes the nodes of a block over; its positions stay here as they are. */
  add(block: NodeBlock): void {
    const given = sortedNodes(placed(block));
    const n = given.ids.length;
    if (n === 0) return;
    const first = given.ids[0];
    const last = given.ids[n - 1];
    const ids = last - first < 2 ** 32 ? new Uint32Array(n) : new Float64Array(n);
    for (let i = 0; i < n; i++) ids[i] = given.ids[i] - first;
    const chunk: Chunk = { first, last, length: n, ids, ...coarser(given), at: -1 };
    const before = this.chunks[this.chunks.length - 1];
    if (before !== undefined && first <= before.last) this.ordered = false;
    this.chunks.push(chunk);
    this.count += n;
    this.held += ids.byteLength + chunk.lon.byteLength + chunk.lat.byteLength;
    if (this.scratch === null || this.held <= this.most) return;
    if (this.file === null) for (const each of this.chunks) this.putOut(each);
    else this.putOut(chunk);
  }

  private putOut(chunk: Chunk): void {
    if (chunk.at >= 0) return;
    this.file ??= this.scratch!();
    const bytes = (array: Uint32Array | Float64Array | Int32Array) =>
      new Uint8Array(array.buffer, array.byteOffset, array.byteLength);
    // Positions first: then whatever is read back begins at a multiple of its own size.
    chunk.at = this.file.append(bytes(chunk.lon));
    this.file.append(bytes(chunk.lat));
    this.file.append(bytes(chunk.ids));
    chunk.ids = chunk.ids instanceof Float64Array ? new Float64Array(0) : blank;
    chunk.lon = chunk.unit === 1e7 ? blankPositions : new Float64Array(0);
    chunk.lat = chunk.lon;
  }

  /** The chunk with its arrays, from the scratch if it is there. */
  private whole(chunk: Chunk): Chunk {
    if (chunk.at < 0) return chunk;
    const idBytes = chunk.ids instanceof Float64Array ? 8 : 4;
    const positionBytes = chunk.unit === 1e7 ? 4 : 8;
    const n = chunk.length;
    const size = n * (idBytes + 2 * positionBytes);
    const { buffer } = this.file!.read(chunk.at, chunk.at + size).slice();
    const Positions = chunk.unit === 1e7 ? Int32Array : Float64Array;
    return {
      ...chunk,
      lon: new Positions(buffer, 0, n),
      lat: new Positions(buffer, n * positionBytes, n),
      ids:
        idBytes === 8
          ? new Float64Array(buffer, 2 * n * positionBytes, n)
          : new Uint32Array(buffer, 2 * n * positionBytes, n),
    };
  }

  /** Positions of nodes in degrees, as [longitude, latitude] pairs; NaN for those that are not there. */
  lookUp(refs: Float64Array): Float64Array {
    const xy = new Float64Array(2 * refs.length);
    if (this.file === null && this.ordered) this.lookUpHere(refs, xy);
    else this.lookUpInOrder(refs, xy);
    return xy;
  }

  private lookUpHere(refs: Float64Array, xy: Float64Array): void {
    const { chunks } = this;
    let chunk: Chunk | null = null;
    let k = -1;
    for (let i = 0; i < refs.length; i++) {
      const ref = refs[i];
      if (chunk === null || ref < chunk.first || ref > chunk.last) {
        chunk = this.chunkOf(ref);
        k = -1;
        if (chunk === null) {
          xy[2 * i] = Number.NaN;
          xy[2 * i + 1] = Number.NaN;
          continue;
        }
      }
      const wanted: number = ref - chunk.first;
      // The nodes of a way often follow each other, and lead back to where it began.
      k = k >= 0 && chunk.ids[k + 1] === wanted ? k + 1 : nearIndex(chunk.ids, wanted, k);
      put(chunk, k, xy, i);
    }
    if (chunks.length === 0) xy.fill(Number.NaN);
  }

  private chunkOf(ref: number): Chunk | null {
    const { chunks } = this;
    let low = 0;
    let high = chunks.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (chunks[middle].last < ref) low = middle + 1;
      else high = middle;
    }
    const chunk = chunks[low];
    return chunk !== undefined && ref >= chunk.first ? chunk : null;
  }

  /** Sorted first, then each chunk once. */
  private lookUpInOrder(refs: Float64Array, xy: Float64Array): void {
    const sorted = Float64Array.from(refs).sort();
    let unique = 0;
    for (let i = 0; i < sorted.length; i++)
      if (i === 0 || sorted[i] !== sorted[i - 1]) sorted[unique++] = sorted[i];
    const wanted = sorted.subarray(0, unique);
    const found = new Float64Array(2 * unique).fill(Number.NaN);
    for (const each of this.chunks) {
      let k = lowerBound(wanted, each.first);
      if (k >= unique || wanted[k] > each.last) continue;
      const chunk = this.whole(each);
      let at = 0;
      for (; k < unique && wanted[k] <= chunk.last; k++) {
        const offset = wanted[k] - chunk.first;
        // Close to the last one found, or anywhere behind it.
        let steps = 0;
        while (at < chunk.length && chunk.ids[at] < offset && steps++ < 16) at++;
        if (at < chunk.length && chunk.ids[at] < offset) at = lowerBound(chunk.ids, offset, at);
        if (at < chunk.length && chunk.ids[at] === offset) put(chunk, at, found, k);
      }
    }
    let last = -1;
    for (let i = 0; i < refs.length; i++) {
      const ref = refs[i];
      if (last >= 0 && wanted[last + 1] === ref) last++;
      else last = lowerBound(wanted, ref);
      xy[2 * i] = found[2 * last];
      xy[2 * i + 1] = found[2 * last + 1];
    }
  }
}

function put(chunk: Chunk, k: number, xy: Float64Array, i: number): void {
  // A quotient of whole numbers is rounded once: the double next to the decimal number.
  xy[2 * i] = k < 0 ? Number.NaN : chunk.lon[k] / chunk.unit;
  xy[2 * i + 1] = k < 0 ? Number.NaN : chunk.lat[k] / chunk.unit;
}

interface GivenNodes extends Positions {
  ids: Float64Array;
}

/** Without nodes that have no position. */
function placed({ ids, lon, lat, unit }: NodeBlock): GivenNodes {
  if (lon instanceof Int32Array) return { ids, lon, lat, unit };
  const there = Uint32Array.from(ids.keys()).filter((i) => !Number.isNaN(lon[i]) && !Number.isNaN(lat[i]));
  return there.length === ids.length ? { ids, lon, lat, unit } : taken({ ids, lon, lat, unit }, there);
}

function taken({ ids, lon, lat, unit }: GivenNodes, indices: Uint32Array): GivenNodes {
  const some = (array: Float64Array | Int32Array) => Float64Array.from(indices, (i) => array[i]);
  const whole = lon instanceof Int32Array;
  return {
    ids: some(ids),
    lon: whole ? Int32Array.from(some(lon)) : some(lon),
    lat: whole ? Int32Array.from(some(lat)) : some(lat),
    unit,
  };
}

function sortedNodes(nodes: GivenNodes): GivenNodes {
  const { ids } = nodes;
  let rising = true;
  for (let i = 1; i < ids.length && rising; i++) rising = ids[i] > ids[i - 1];
  return rising
    ? nodes
    : taken(
        nodes,
        Uint32Array.from(ids.keys()).sort((a, b) => ids[a] - ids[b]),
      );
}

/** Nanodegrees as 10⁻⁷ degrees, in half the room, where nothing is lost by it. */
function coarser({ lon, lat, unit }: GivenNodes): Positions {
  const fits = (array: Float64Array | Int32Array) => {
    for (let i = 0; i < array.length; i++) if (array[i] % 100 !== 0) return false;
    return true;
  };
  if (unit !== 1e9 || !fits(lon) || !fits(lat)) return { lon, lat, unit };
  const half = (array: Float64Array | Int32Array) => Int32Array.from(array, (value) => value / 100);
  return { lon: half(lon), lat: half(lat), unit: 1e7 };
}

/** First index at which `array` is not below `value`. */
function lowerBound(array: ArrayLike<number>, value: number, from = 0): number {
  let low = from;
  let high = array.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (array[middle] < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** As `indexOf`, but looks a few places before `near` first. */
function nearIndex(array: ArrayLike<number>, value: number, near: number): number {
  for (let k = near; k > near - 6 && k >= 0; k--) if (array[k] === value) return k;
  return indexOf(array, value);
}

function indexOf(array: ArrayLike<number>, value: number): number {
  const k = lowerBound(array, value);
  return array[k] === value ? k : -1;
}
