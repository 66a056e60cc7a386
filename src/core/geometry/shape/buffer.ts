import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import type { Chains } from '../noding/chains.ts';
import { traceAreas } from '../overlay/area-tracing.ts';
import { addAreas, type FillRule, isInside } from '../overlay/fill-rule.ts';
import { withWorkbench } from '../overlay/overlay.ts';
import { flatGround, type Ground } from './ground.ts';

/** How lines end, how corners are filled, and on which side a buffer lies. */
export interface BufferStyle {
  /** Ends of lines: half circles, straight through the last vertex, or half squares. `round` when left out. */
  ends?: 'round' | 'flat' | 'square';
  /** Outer sides of corners: arcs, points up to `mitreLimit` distances away, or cut straight. `round` when left out. */
  joins?: 'round' | 'mitre' | 'bevel';
  /** A pointed corner that would reach further than this many distances is cut straight; 5 when left out. */
  mitreLimit?: number;
  /** Of lines: both sides, or the left or right of their direction. `both` when left out. */
  side?: 'both' | 'left' | 'right';
  /** Pieces of straight line in a quarter of a circle; 16 when left out: 0.12 % of the distance within the arc. */
  quarter?: number;
  /** What rings enclose that cross or overlap themselves; `non-zero` when left out. */
  rule?: FillRule;
  /** Where distances and directions are taken: on the plane of the coordinates when left out. */
  ground?: Ground;
}

/**
 * All points within a distance of feature i, appended to `builder` as one feature. A negative distance leaves those points
 * of an area that lie further than that from its border. Vertices of arcs lie on the circle.
 *
 * The outline drawn is the sum of the outlines of a rectangle along each edge, of what fills the outer side of each
 * corner, and of what closes each end: edges that two of them share are left out, since they cancel. All of these run
 * counter-clockwise, so that what any of them covers has a winding number above zero.
 *
 * @param distance in units of the coordinates, or in those of the ground (metres on an ellipsoid)
 * @returns the number of polygons; 0 when nothing is left, and then no feature is appended
 */
export function bufferFeature(
  array: GeometryArray,
  i: number,
  distance: number,
  builder: GeometryMaker,
  style: BufferStyle = {},
): number {
  const strokes = distance === 0 ? [] : strokesOf(array, i, distance, style);
  const bands = strokes.length > 1 ? bandsOf(strokes) : null;
  const { rule = 'non-zero' } = style;
  return withWorkbench((bench) => {
    if (bands === null) for (const draw of strokes) draw(bench.chains);
    else for (let k = 0; k < bands.length; k++) addAreas(bench.chains, bands, k, 0, 1, 'even-odd');
    addAreas(bench.chains, style.ground?.placed?.(array) ?? array, i, 1, 0, rule);
    const { graph, labels } = bench.solve();
    const keep =
      distance < 0
        ? (a: number, b: number) => isInside(a, rule) && b <= 0
        : (a: number, b: number) => isInside(a, rule) || b > 0;
    return traceAreas(graph, labels, keep, builder);
  });
}

/** Edges that are drawn at once; what is longer is drawn in strokes that are united, neighbours first. */
const atOnce = 200;

type Stroke = (chains: Chains) => void;

/** What draws the band along the points, paths and rings of a feature: one stroke unless it has very many edges. */
function strokesOf(array: GeometryArray, i: number, distance: number, style: BufferStyle): Stroke[] {
  const pieces: { edges: number; draw: Stroke }[] = [];
  const reach = Math.abs(distance);
  const pen = new Pen(reach, style);
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const kind = array.kindOfPart(i, p);
    if (distance < 0 && kind !== Kind.Polygon) continue;
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
      let path = withoutRepeats(array.xy, array.vertexStart[r], array.vertexStart[r + 1]);
      if (path.length > 2) path = style.ground?.divided?.(path, reach) ?? path;
      const n = path.length / 2;
      if (n === 0) continue;
      if (n === 1) {
        if (kind === Kind.Point || style.ends !== 'flat')
          pieces.push({ edges: 64, draw: (chains) => pen.dot(chains, path[0], path[1]) });
        continue;
      }
      const ring = kind === Kind.Polygon;
      const closed = n > 3 && path[0] === path[2 * n - 2] && path[1] === path[2 * n - 1];
      for (let from = 0; from < n - 1; from += atOnce) {
        const to = Math.min(from + atOnce, n - 1);
        pieces.push({ edges: to - from, draw: (chains) => pen.stroke(chains, path, from, to, closed, ring) });
      }
    }
  }
  const strokes: Stroke[] = [];
  let group: Stroke[] = [];
  let edges = 0;
  const end = () => {
    const own = group;
    if (own.length > 0)
      strokes.push((chains) => {
        for (const draw of own) draw(chains);
      });
    group = [];
    edges = 0;
  };
  for (const piece of pieces) {
    if (edges + piece.edges > atOnce) end();
    group.push(piece.draw);
    edges += piece.edges;
  }
  end();
  return strokes;
}

/** Strokes united: what lies within their neighbours is gone before the next ones come. */
function bandsOf(strokes: readonly Stroke[]): GeometryArray {
  let bands = strokes.map((draw) => solved((chains) => draw(chains)));
  while (bands.length > 1) {
    const next: GeometryArray[] = [];
    for (let k = 0; k < bands.length; k += 8) next.push(united(bands.slice(k, k + 8)));
    bands = next;
  }
  return bands[0];
}

function solved(draw: Stroke): GeometryArray {
  const builder = new GeometryMaker(64);
  withWorkbench((bench) => {
    draw(bench.chains);
    const { graph, labels } = bench.solve();
    traceAreas(graph, labels, (_, b) => b > 0, builder);
  });
  return builder.finish();
}

function united(bands: readonly GeometryArray[]): GeometryArray {
  if (bands.length === 1) return bands[0];
  return solved((chains) => {
    for (const band of bands)
      for (let k = 0; k < band.length; k++) addAreas(chains, band, k, 0, 1, 'even-odd');
  });
}

function withoutRepeats(xy: Float64Array, from: number, end: number): Float64Array {
  const path = new Float64Array(2 * (end - from));
  let n = 0;
  for (let v = from; v < end; v++) {
    if (n > 0 && path[2 * n - 2] === xy[2 * v] && path[2 * n - 1] === xy[2 * v + 1]) continue;
    path[2 * n] = xy[2 * v];
    path[2 * n + 1] = xy[2 * v + 1];
    n++;
  }
  return path.subarray(0, 2 * n);
}

/** Draws bands as closed curves that run counter-clockwise around what they cover, with the contribution (0, 1). */
class Pen {
  private readonly reach: number;
  private readonly style: BufferStyle;
  private readonly step: number;
  private readonly ground: Ground;
  private readonly one = new Float64Array(2);
  private readonly other = new Float64Array(2);

  constructor(reach: number, style: BufferStyle) {
    this.reach = reach;
    this.style = style;
    this.step = Math.PI / 2 / (style.quarter ?? 16);
    this.ground = style.ground ?? flatGround;
  }

  /** A point: a circle, or a square where lines end in squares. */
  dot(chains: Chains, x: number, y: number): void {
    const at = (east: number, north: number) => this.to(chains, x, y, east, north);
    chains.begin(0, 1);
    if (this.style.ends === 'square') {
      at(-1, -1);
      at(1, -1);
      at(1, 1);
      at(-1, 1);
      at(-1, -1);
    } else {
      const steps = Math.max(4, Math.ceil((2 * Math.PI) / this.step));
      for (let k = 0; k < steps; k++) {
        const angle = (2 * Math.PI * k) / steps;
        at(Math.cos(angle), Math.sin(angle));
      }
      at(1, 0);
    }
    chains.end();
  }

  /** To the point that lies (east, north) distances from a place. */
  private to(chains: Chains, x: number, y: number, east: number, north: number): void {
    this.ground.to(chains, x, y, east, north, this.reach);
  }

  /** To a vertex of the path itself. */
  private toVertex(chains: Chains, path: Float64Array, v: number): void {
    this.ground.to(chains, path[2 * v], path[2 * v + 1], 0, 0, 0);
  }

  /**
   * Edges from … to of a path. Corners inside are filled on the way, those at the ends of the stroke by themselves where
   * the path goes on.
   */
  stroke(chains: Chains, path: Float64Array, from: number, to: number, closed: boolean, ring: boolean): void {
    const { side = 'both' } = this.style;
    const last = path.length / 2 - 1;
    const sides = ring ? 'both' : side;
    if (closed && from === 0 && to === last) {
      if (sides !== 'left') this.loop(chains, path, to, false);
      if (sides !== 'right') this.loop(chains, path, to, true);
      if (sides === 'left') this.plain(chains, path, from, to, false);
      if (sides === 'right') this.plain(chains, path, from, to, true);
      return;
    }
    chains.begin(0, 1);
    if (sides === 'left') for (let v = from; v <= to; v++) this.toVertex(chains, path, v);
    else this.offset(chains, path, from, to, false);
    // Where the path goes on, the next stroke begins at the vertex itself: on an ellipsoid it does not lie between its sides.
    if (to === last && !closed && sides === 'both') this.cap(chains, path, to - 1, to);
    else if (sides === 'both') this.toVertex(chains, path, to);
    if (sides === 'right') for (let v = to; v >= from; v--) this.toVertex(chains, path, v);
    else this.offset(chains, path, from, to, true);
    if (from === 0 && !closed && sides === 'both') this.cap(chains, path, 1, 0);
    else if (sides === 'both') this.toVertex(chains, path, from);
    this.back(chains, path, from, sides === 'left');
    chains.end();
    // Where the path goes on, the stroke that begins there fills the corner.
    if (from > 0 || closed)
      this.wedges(chains, path, from === 0 ? last - 1 : from - 1, from, from + 1, sides);
  }

  /** A whole ring on one side. */
  private loop(chains: Chains, path: Float64Array, edges: number, left: boolean): void {
    chains.begin(0, 1);
    this.offset(chains, path, 0, edges, left);
    if (left) this.turn(chains, path, 1, 0, edges - 1);
    else this.turn(chains, path, edges - 1, 0, 1);
    // Back to where the curve began.
    if (left) this.beside(chains, path, edges, edges - 1, edges);
    else this.beside(chains, path, 0, 1, 0);
    chains.end();
  }

  /** The path itself, forwards or backwards, as a closed curve. */
  private plain(chains: Chains, path: Float64Array, from: number, to: number, backwards: boolean): void {
    chains.begin(0, 1);
    for (let k = 0; k <= to - from; k++) {
      this.toVertex(chains, path, backwards ? to - k : from + k);
    }
    chains.end();
  }

  /** To where a stroke began. */
  private back(chains: Chains, path: Float64Array, from: number, onLine: boolean): void {
    if (onLine) this.toVertex(chains, path, from);
    else this.beside(chains, path, from, from + 1, from);
  }

  /** The point at vertex `at` on the right of the way u → v. */
  private beside(chains: Chains, path: Float64Array, u: number, v: number, at: number): void {
    const { one } = this;
    this.ground.direction(path, u, v, at, one);
    this.to(chains, path[2 * at], path[2 * at + 1], one[1], -one[0]);
  }

  /** Along edges from … to on the right, or backwards on the left, which then is the right. */
  private offset(chains: Chains, path: Float64Array, from: number, to: number, backwards: boolean): void {
    for (let k = from; k < to; k++) {
      const u = backwards ? to - (k - from) : k;
      const v = backwards ? u - 1 : u + 1;
      this.beside(chains, path, u, v, u);
      this.beside(chains, path, u, v, v);
      if (k + 1 < to) this.turn(chains, path, u, v, backwards ? v - 1 : v + 1);
    }
  }

  /** On the right of the corner u → v → w: around it where it opens, else through it. */
  private turn(chains: Chains, path: Float64Array, u: number, v: number, w: number): void {
    const { joins = 'round', mitreLimit = 5 } = this.style;
    this.ground.direction(path, u, v, v, this.one);
    this.ground.direction(path, v, w, v, this.other);
    const [ax, ay] = this.one;
    const [bx, by] = this.other;
    const turn = ax * by - ay * bx;
    const ahead = ax * bx + ay * by;
    const [x, y] = [path[2 * v], path[2 * v + 1]];
    if (turn < 0) {
      this.toVertex(chains, path, v);
      return;
    }
    const angle = Math.atan2(turn, ahead);
    const begin = Math.atan2(-ax, ay);
    if (joins === 'round') {
      const steps = Math.max(1, Math.ceil(angle / this.step));
      for (let k = 1; k < steps; k++) {
        const at = begin + (angle * k) / steps;
        this.to(chains, x, y, Math.cos(at), Math.sin(at));
      }
    } else if (joins === 'mitre') {
      const far = 1 / Math.cos(angle / 2);
      if (far > 1 && far <= mitreLimit) {
        const middle = begin + angle / 2;
        this.to(chains, x, y, far * Math.cos(middle), far * Math.sin(middle));
      }
    }
  }

  /** What fills the corner u → v → w, as curves of their own. */
  private wedges(
    chains: Chains,
    path: Float64Array,
    u: number,
    v: number,
    w: number,
    sides: 'both' | 'left' | 'right',
  ): void {
    const wedge = (from: number, to: number) => {
      chains.begin(0, 1);
      this.toVertex(chains, path, v);
      this.beside(chains, path, from, v, v);
      this.turn(chains, path, from, v, to);
      this.beside(chains, path, v, to, v);
      this.toVertex(chains, path, v);
      chains.end();
    };
    if (sides !== 'left') wedge(u, w);
    if (sides !== 'right') wedge(w, u);
  }

  /** Around the end of the path, from the right of the way u → v to its left. */
  private cap(chains: Chains, path: Float64Array, u: number, v: number): void {
    const { ends = 'round' } = this.style;
    if (ends === 'flat') return;
    this.ground.direction(path, u, v, v, this.one);
    const [dx, dy] = this.one;
    const [x, y] = [path[2 * v], path[2 * v + 1]];
    if (ends === 'square') {
      this.to(chains, x, y, dy + dx, dy - dx);
      this.to(chains, x, y, dx - dy, dy + dx);
      return;
    }
    const begin = Math.atan2(-dx, dy);
    const steps = Math.max(2, Math.ceil(Math.PI / this.step));
    for (let k = 1; k < steps; k++) {
      const at = begin + (Math.PI * k) / steps;
      this.to(chains, x, y, Math.cos(at), Math.sin(at));
    }
  }
}
