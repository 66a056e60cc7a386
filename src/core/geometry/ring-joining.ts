import { boxOfPositions, Kind } from './geometry-array.ts';
import type { GeometryMaker } from './geometry-maker.ts';
import { ringDoubleArea } from './measures.ts';
import { traceAreas } from './overlay/area-tracing.ts';
import { withWorkbench } from './overlay/overlay.ts';
import { locateInRing } from './predicates.ts';

/** A piece of a border: where equal node numbers stand, pieces hang together. */
export interface Chain {
  nodes: Float64Array;
  /** x and y in turn, one pair a node. */
  xy: Float64Array;
}

/** A closed ring, and the chains that it was made of. */
export interface JoinedRing {
  nodes: Float64Array;
  /** Closed: the last vertex is the first. */
  xy: Float64Array;
  chains: number[];
}

/** An end that no other chain meets. */
export interface OpenEnd {
  node: number;
  x: number;
  y: number;
  chain: number;
}

export interface Joined {
  rings: JoinedRing[];
  open: OpenEnd[];
}

interface Step {
  chain: number;
  backwards: boolean;
}

/**
 * Joins chains in any order and direction to rings. Where rings touch in a node, they are taken apart there. Chains
 * whose ends stay open take part in no ring; how they hang together is not guessed.
 */
export function joinRings(chains: readonly Chain[]): Joined {
  const rings: JoinedRing[] = [];
  const open: OpenEnd[] = [];
  const at = new Map<number, number[]>();
  const used = new Uint8Array(chains.length);
  const first = (c: number) => chains[c].nodes[0];
  const last = (c: number) => chains[c].nodes[chains[c].nodes.length - 1];
  chains.forEach(({ nodes }, c) => {
    if (nodes.length < 2) {
      used[c] = 1;
      return;
    }
    if (first(c) === last(c)) {
      used[c] = 1;
      addRing(chains, [{ chain: c, backwards: false }], rings);
      return;
    }
    for (const node of [first(c), last(c)]) {
      const there = at.get(node);
      if (there === undefined) at.set(node, [c]);
      else there.push(c);
    }
  });
  for (const [node, there] of at) {
    if (there.length % 2 === 0) continue;
    const [chain] = there;
    const k = first(chain) === node ? 0 : chains[chain].nodes.length - 1;
    open.push({ node, x: chains[chain].xy[2 * k], y: chains[chain].xy[2 * k + 1], chain });
  }
  const next = (node: number): number => {
    const there = at.get(node)!;
    while (there.length > 0) {
      const c = there[there.length - 1];
      if (used[c] === 0) return c;
      there.pop();
    }
    return -1;
  };
  /** Goes on from a node until nothing leads on; whatever closes on the way is cut off as a ring. */
  const walk = (start: number) => {
    const path: Step[] = [];
    const visited = new Map<number, number>([[start, 0]]);
    let node = start;
    for (;;) {
      const chain = next(node);
      if (chain < 0) return;
      used[chain] = 1;
      const backwards = first(chain) !== node;
      path.push({ chain, backwards });
      node = backwards ? first(chain) : last(chain);
      const before = visited.get(node);
      if (before === undefined) {
        visited.set(node, path.length);
        continue;
      }
      const ring = path.splice(before);
      for (const step of ring) {
        const end = step.backwards ? first(step.chain) : last(step.chain);
        if (end !== node) visited.delete(end);
      }
      addRing(chains, ring, rings);
    }
  };
  // From open ends first: what leads from one to another belongs to no ring.
  for (const end of open) walk(end.node);
  for (const node of at.keys()) walk(node);
  return { rings, open };
}

function addRing(chains: readonly Chain[], steps: readonly Step[], rings: JoinedRing[]): void {
  let count = 1;
  for (const { chain } of steps) count += chains[chain].nodes.length - 1;
  if (count < 4) return;
  const nodes = new Float64Array(count);
  const xy = new Float64Array(2 * count);
  let n = 0;
  for (const { chain, backwards } of steps) {
    const own = chains[chain];
    const length = own.nodes.length;
    // The last node of a chain is the first of the next.
    for (let k = 0; k < length - 1; k++) {
      const from = backwards ? length - 1 - k : k;
      nodes[n] = own.nodes[from];
      xy[2 * n] = own.xy[2 * from];
      xy[2 * n + 1] = own.xy[2 * from + 1];
      n++;
    }
  }
  nodes[n] = nodes[0];
  xy[2 * n] = xy[0];
  xy[2 * n + 1] = xy[1];
  rings.push({ nodes, xy, chains: steps.map((step) => step.chain) });
}

/**
 * Fills rings by the even–odd rule and writes the area as one feature: holes are placed, islands in holes are parts of
 * their own, rings that share borders or touch are united or cut as the rule says.
 *
 * @returns the number of polygons (0: nothing was written), and how many crossings there were that are no vertices
 */
export function fillRings(
  rings: readonly JoinedRing[],
  builder: GeometryMaker,
): { polygons: number; crossings: number } {
  const [{ nodes, xy }] = rings;
  // A single ring that touches itself nowhere is the area as it stands.
  if (rings.length === 1 && new Set(nodes).size === nodes.length - 1) {
    const twice = ringDoubleArea(xy, 0, xy.length / 2);
    if (twice === 0) return { polygons: 0, crossings: 0 };
    builder.feature(Kind.Polygon);
    builder.part();
    builder.ring();
    builder.run(xy, 0, xy.length / 2);
    if (twice < 0) builder.reverseLastRing();
    return { polygons: 1, crossings: 0 };
  }
  return withWorkbench((bench) => {
    for (const { xy: own } of rings) bench.chains.addPath(own, 0, own.length / 2, 1, 0, true);
    const vertices = bench.chains.nodes;
    const { graph, labels } = bench.solve();
    const polygons = traceAreas(graph, labels, (winding) => (winding & 1) !== 0, builder);
    return { polygons, crossings: bench.chains.nodes - vertices };
  });
}

/** Most rings whose depths are worked out. */
const mostRings = 500;

/** In how many of the other rings each ring lies; null when there are too many to ask. */
export function ringDepths(rings: readonly JoinedRing[]): Uint32Array | null {
  if (rings.length > mostRings) return null;
  const depths = new Uint32Array(rings.length);
  const boxes = rings.map(({ xy }) => boxOfPositions(xy));
  rings.forEach(({ xy }, i) => {
    for (let j = 0; j < rings.length; j++) {
      const outer = boxes[j];
      const inner = boxes[i];
      if (j === i || inner[0] < outer[0] || inner[1] < outer[1] || inner[2] > outer[2] || inner[3] > outer[3])
        continue;
      const other = rings[j].xy;
      // A vertex that both have says nothing.
      for (let k = 0; k < xy.length; k += 2) {
        const where = locateInRing(xy[k], xy[k + 1], other, 0, other.length / 2);
        if (where === 0) continue;
        if (where > 0) depths[i]++;
        break;
      }
    }
  });
  return depths;
}
