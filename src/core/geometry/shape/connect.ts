import { type GeometryArray, Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import { Positions } from './shared-vertices.ts';

/**
 * Paths that are joined end to end wherever exactly two of the same group meet; where three or more meet, all of them end.
 *
 * @param groupOf the group of each path's feature: paths of different groups are not joined
 * @param made called for each path that comes of it, with the numbers of the features in it, in order; what it is called for is
 * in `builder` as a feature by itself
 */
export function connectPaths(
  array: GeometryArray,
  groupOf: (feature: number) => number,
  builder: GeometryMaker,
  made: (features: readonly number[]) => void,
): void {
  const positions = new Positions(64);
  interface Path {
    feature: number;
    first: number;
    end: number;
    from: string;
    to: string;
    done: boolean;
  }
  const paths: Path[] = [];
  const endsAt = new Map<string, Path[]>();
  for (let i = 0; i < array.length; i++)
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== Kind.LineString) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const [first, end] = [array.vertexStart[r], array.vertexStart[r + 1]];
        if (end - first < 2) continue;
        const node = (v: number) => `${groupOf(i)} ${positions.at(array.xy[2 * v], array.xy[2 * v + 1])}`;
        const path = { feature: i, first, end, from: node(first), to: node(end - 1), done: false };
        paths.push(path);
        for (const at of [path.from, path.to]) {
          const known = endsAt.get(at);
          if (known === undefined) endsAt.set(at, [path]);
          else known.push(path);
        }
      }
    }
  /** The other path at a place where a path ends, if there is exactly one. */
  const onward = (path: Path, at: string): Path | null => {
    const there = endsAt.get(at)!;
    if (there.length !== 2 || path.from === path.to) return null;
    const other = there[0] === path ? there[1] : there[0];
    return other === path || other.done ? null : other;
  };
  for (const start of paths) {
    if (start.done) continue;
    start.done = true;
    // Forwards from its end, then backwards from its beginning.
    const chain: { path: Path; forward: boolean }[] = [{ path: start, forward: true }];
    let at = start.to;
    for (let path = onward(start, at), last = start; path !== null; path = onward(last, at)) {
      path.done = true;
      const forward = path.from === at;
      chain.push({ path, forward });
      at = forward ? path.to : path.from;
      last = path;
    }
    at = start.from;
    for (let path = onward(start, at), last = start; path !== null; path = onward(last, at)) {
      path.done = true;
      const forward = path.to === at;
      chain.unshift({ path, forward });
      at = forward ? path.from : path.to;
      last = path;
    }
    builder.feature(Kind.LineString);
    builder.part();
    builder.ring();
    chain.forEach(({ path, forward }, k) => {
      for (let n = k === 0 ? 0 : 1; n < path.end - path.first; n++) {
        const v = forward ? path.first + n : path.end - 1 - n;
        builder.vertex(array.xy[2 * v], array.xy[2 * v + 1]);
        if (array.z !== null) builder.height(array.z[v]);
        if (array.m !== null) builder.measure(array.m[v]);
      }
    });
    made(chain.map(({ path }) => path.feature));
  }
}
