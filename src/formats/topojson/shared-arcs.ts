import type { GeometryArray } from '../../core/geometry/geometry-array.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';

const words = new Uint32Array(2);
const double = new Float64Array(words.buffer);

function hashOf(x: number, y: number): number {
  double[0] = x;
  let h = Math.imul(words[0] ^ Math.imul(words[1], 0x9e3779b1), 0x85ebca6b);
  double[0] = y;
  h ^= Math.imul(words[0] ^ Math.imul(words[1], 0xc2b2ae35), 0x27d4eb2f);
  h ^= h >>> 15;
  return h >>> 0;
}

/** Numbers for positions: equal ones get the same. */
class Positions {
  count = 0;
  xy = new Float64Array(8192);
  private slots = new Int32Array(8192).fill(-1);

  number(x: number, y: number): number {
    if (2 * this.count >= this.slots.length) this.grow();
    const mask = this.slots.length - 1;
    // +0 and −0 are one place.
    const px = x + 0;
    const py = y + 0;
    let slot = hashOf(px, py) & mask;
    for (;;) {
      const found = this.slots[slot];
      if (found < 0) break;
      if (this.xy[2 * found] === px && this.xy[2 * found + 1] === py) return found;
      slot = (slot + 1) & mask;
    }
    if (2 * this.count + 2 > this.xy.length) {
      const larger = new Float64Array(2 * this.xy.length);
      larger.set(this.xy);
      this.xy = larger;
    }
    this.xy[2 * this.count] = px;
    this.xy[2 * this.count + 1] = py;
    this.slots[slot] = this.count;
    return this.count++;
  }

  private grow(): void {
    this.slots = new Int32Array(2 * this.slots.length).fill(-1);
    const mask = this.slots.length - 1;
    for (let k = 0; k < this.count; k++) {
      let slot = hashOf(this.xy[2 * k], this.xy[2 * k + 1]) & mask;
      while (this.slots[slot] >= 0) slot = (slot + 1) & mask;
      this.slots[slot] = k;
    }
  }
}

/** A path of numbered positions; a ring repeats its first one at the end. */
interface Path {
  ids: Uint32Array;
  ring: boolean;
}

/**
 * Cuts all paths of some layers where borders part or meet, so that every stretch common to several of them is one arc.
 * A position is such a place when the positions beside it are not the same two everywhere, or when an open path ends
 * there.
 */
export class SharedArcs {
  /** Arcs as numbers of positions. */
  readonly arcs: Uint32Array[] = [];
  private readonly positions = new Positions();
  private readonly paths: Path[] = [];
  private readonly byEnds = new Map<string, number[]>();
  private junction = new Uint8Array(0);

  /** Takes the paths of feature i; returns the number of its first one, the others follow. */
  add(array: GeometryArray, i: number): number {
    const first = this.paths.length;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      const single = array.kindOfPart(i, p);
      if (single === Kind.Point) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const from = array.vertexStart[r];
        const ids = new Uint32Array(array.vertexStart[r + 1] - from);
        for (let k = 0; k < ids.length; k++)
          ids[k] = this.positions.number(array.xy[2 * (from + k)], array.xy[2 * (from + k) + 1]);
        this.paths.push({
          ids,
          ring: single === Kind.Polygon && ids.length > 3 && ids[0] === ids[ids.length - 1],
        });
      }
    }
    return first;
  }

  /** Position k of an arc. */
  x(id: number): number {
    return this.positions.xy[2 * id];
  }

  y(id: number): number {
    return this.positions.xy[2 * id + 1];
  }

  /** Ends the gathering: finds where paths part. */
  cut(): void {
    const n = this.positions.count;
    this.junction = new Uint8Array(n);
    const left = new Int32Array(n).fill(-1);
    const right = new Int32Array(n);
    const meet = (id: number, a: number, b: number) => {
      const low = Math.min(a, b);
      const high = Math.max(a, b);
      if (left[id] < 0) {
        left[id] = low;
        right[id] = high;
      } else if (left[id] !== low || right[id] !== high) this.junction[id] = 1;
    };
    for (const { ids, ring } of this.paths) {
      const last = ids.length - 1;
      if (last < 0) continue;
      for (let k = 1; k < last; k++) meet(ids[k], ids[k - 1], ids[k + 1]);
      if (ring) meet(ids[0], ids[last - 1], ids[1]);
      else {
        this.junction[ids[0]] = 1;
        this.junction[ids[last]] = 1;
      }
    }
  }

  /** Numbers of the arcs that make a path; `~number` runs backwards. */
  of(path: number): number[] {
    const { ids, ring } = this.paths[path];
    if (ids.length === 0) return [];
    if (!ring) return this.pieces(ids);
    const last = ids.length - 1;
    let start = 0;
    while (start < last && this.junction[ids[start]] === 0) start++;
    if (start === last) {
      // No border parts from this ring: it is one arc, begun where every copy of it begins.
      start = 0;
      for (let k = 1; k < last; k++) if (ids[k] < ids[start]) start = k;
      const turned = rotated(ids, start);
      return [this.arc(turned)];
    }
    return this.pieces(rotated(ids, start));
  }

  private pieces(ids: Uint32Array): number[] {
    const numbers: number[] = [];
    let from = 0;
    for (let k = 1; k < ids.length; k++) {
      if (k < ids.length - 1 && this.junction[ids[k]] === 0) continue;
      numbers.push(this.arc(ids.subarray(from, k + 1)));
      from = k;
    }
    return numbers.length === 0 ? [this.arc(ids)] : numbers;
  }

  private arc(ids: Uint32Array): number {
    const n = ids.length;
    const [a, b] = [ids[0], ids[n - 1]];
    const key = `${Math.min(a, b)} ${Math.max(a, b)} ${n}`;
    const known = this.byEnds.get(key);
    for (const number of known ?? []) {
      const other = this.arcs[number];
      let forward = true;
      let backward = true;
      for (let k = 0; k < n && (forward || backward); k++) {
        if (other[k] !== ids[k]) forward = false;
        if (other[n - 1 - k] !== ids[k]) backward = false;
      }
      if (forward) return number;
      if (backward) return ~number;
    }
    const number = this.arcs.push(ids.slice()) - 1;
    if (known === undefined) this.byEnds.set(key, [number]);
    else known.push(number);
    return number;
  }
}

/** A closed ring begun at another of its positions. */
function rotated(ids: Uint32Array, start: number): Uint32Array {
  const last = ids.length - 1;
  const turned = new Uint32Array(ids.length);
  for (let k = 0; k < last; k++) turned[k] = ids[(start + k) % last];
  turned[last] = turned[0];
  return turned;
}
