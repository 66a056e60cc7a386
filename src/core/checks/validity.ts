import { boxOfPositions, type GeometryArray, Kind } from '../geometry/geometry-array.ts';
import { BoxTree } from '../geometry/noding/box-tree.ts';
import { crossingPoint } from '../geometry/noding/crossing.ts';
import { Meeting, meetingOf } from '../geometry/noding/segment-meeting.ts';
import { withWorkbench } from '../geometry/overlay/overlay.ts';
import { greatestCoordinate } from '../geometry/predicates.ts';
import { RingLocator } from './ring-locator.ts';

/** Kinds of fault under OGC 06-103r4 (Simple Features), section 6.1.11 and 6.1.14. */
export type FaultCode =
  | 'coordinate-not-finite'
  | 'unclosed-ring'
  | 'too-few-points'
  | 'self-intersection'
  | 'ring-self-touch'
  | 'spike'
  | 'ring-overlap'
  | 'rings-cross'
  | 'shared-edge'
  | 'hole-outside-shell'
  | 'nested-holes'
  | 'nested-shells'
  | 'polygons-overlap'
  | 'disconnected-interior';

/** One thing that makes a geometry invalid (OGC 06-103r4, clause 6.1). */
export interface Fault {
  code: FaultCode;
  x: number;
  y: number;
}

/** What a fault means, for people. */
export const faultWords: Record<FaultCode, string> = {
  'coordinate-not-finite': 'a coordinate is not a number, or too great to compute with',
  'unclosed-ring': 'a ring does not end where it begins',
  'too-few-points': 'a ring or line has too few different points',
  'self-intersection': 'a ring crosses itself',
  'ring-self-touch': 'a ring touches itself',
  spike: 'a ring runs back along itself in a spike',
  'ring-overlap': 'a ring runs twice along the same stretch',
  'rings-cross': 'two rings of a polygon cross',
  'shared-edge': 'two rings run along the same stretch',
  'hole-outside-shell': 'a hole lies outside its shell',
  'nested-holes': 'a hole lies inside another hole',
  'nested-shells': 'a part lies inside another part',
  'polygons-overlap': 'two parts overlap',
  'disconnected-interior': 'rings touch so that the interior falls apart',
};

/** The faults of feature i, at most one a code and pair of rings; empty when it is valid. Exact for every input. */
export function faultsOf(array: GeometryArray, i: number): Fault[] {
  const faults: Fault[] = [];
  const { xy } = array;
  for (let v = array.firstVertex(i); v < array.endVertex(i); v++) {
    if (!(Math.abs(xy[2 * v]) < greatestCoordinate && Math.abs(xy[2 * v + 1]) < greatestCoordinate)) {
      return [{ code: 'coordinate-not-finite', x: xy[2 * v], y: xy[2 * v + 1] }];
    }
  }
  let areas = false;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const kind = array.kindOfPart(i, p);
    if (kind === Kind.Polygon) areas = true;
    else if (kind === Kind.LineString) {
      const first = array.vertexStart[array.ringStart[p]];
      const end = array.vertexStart[array.ringStart[p] + 1];
      let different = false;
      for (let v = first + 1; v < end && !different; v++)
        different = xy[2 * v] !== xy[2 * first] || xy[2 * v + 1] !== xy[2 * first + 1];
      if (!different)
        faults.push({ code: 'too-few-points', x: xy[2 * first] ?? NaN, y: xy[2 * first + 1] ?? NaN });
    }
  }
  return areas ? new AreaCheck(array, i, faults).run() : faults;
}

class AreaCheck {
  private readonly array: GeometryArray;
  private readonly feature: number;
  private readonly faults: Fault[];
  /** ax, ay, bx, by of each edge, without zero-length ones. */
  private readonly ends: number[] = [];
  private readonly ringOf: number[] = [];
  /** Of each ring: its part, whether it is a hole, first and one past its last edge. */
  private readonly part: number[] = [];
  private readonly hole: boolean[] = [];
  private readonly firstEdge: number[] = [];
  private readonly endEdge: number[] = [];
  /** Points where two rings (key r·rings + s, r ≤ s) touch without crossing. */
  /** Where the last crossing was. */
  private readonly point = new Float64Array(2);
  private readonly touches = new Map<number, [number, number][]>();
  private readonly told = new Set<string>();
  private crossed = new Set<number>();

  constructor(array: GeometryArray, feature: number, faults: Fault[]) {
    this.array = array;
    this.feature = feature;
    this.faults = faults;
  }

  run(): Fault[] {
    if (this.readRings()) {
      this.findMeetings();
      this.judgeTouches();
      this.judgeContainment();
    }
    return this.faults;
  }

  private tell(code: FaultCode, x: number, y: number, r = -1, s = -1): void {
    const key = `${code} ${r} ${s}`;
    if (this.told.has(key)) return;
    this.told.add(key);
    this.faults.push({ code, x, y });
  }

  /** Takes the edges in; false when a ring is too damaged to look at the others. */
  private readRings(): boolean {
    const { array, feature } = this;
    const { xy, vertexStart, ringStart } = array;
    let sound = true;
    for (let p = array.partStart[feature]; p < array.partStart[feature + 1]; p++) {
      if (array.kindOfPart(feature, p) !== Kind.Polygon) continue;
      for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
        const first = vertexStart[r];
        const end = vertexStart[r + 1];
        const x0 = xy[2 * first];
        const y0 = xy[2 * first + 1];
        if (end === first) continue;
        if (xy[2 * end - 2] !== x0 || xy[2 * end - 1] !== y0) {
          this.tell('unclosed-ring', x0, y0, r);
          sound = false;
          continue;
        }
        const edge = this.ringOf.length;
        const ring = this.part.length;
        for (let v = first; v < end - 1; v++) {
          const k = 2 * v;
          if (xy[k] === xy[k + 2] && xy[k + 1] === xy[k + 3]) continue;
          this.ends.push(xy[k], xy[k + 1], xy[k + 2], xy[k + 3]);
          this.ringOf.push(ring);
        }
        if (this.ringOf.length - edge < 3) {
          // Two edges there and back make no ring either.
          this.tell('too-few-points', x0, y0, r);
          sound = false;
        }
        this.part.push(p);
        this.hole.push(r > ringStart[p]);
        this.firstEdge.push(edge);
        this.endEdge.push(this.ringOf.length);
      }
    }
    return sound;
  }

  private findMeetings(): void {
    const { ends } = this;
    const count = this.ringOf.length;
    if (count < 48) {
      for (let e = 0; e < count; e++) for (let f = e + 1; f < count; f++) this.meet(e, f);
      return;
    }
    const boxes = new Float64Array(4 * count);
    for (let k = 0; k < 4 * count; k += 4) {
      boxes[k] = Math.min(ends[k], ends[k + 2]);
      boxes[k + 1] = Math.min(ends[k + 1], ends[k + 3]);
      boxes[k + 2] = Math.max(ends[k], ends[k + 2]);
      boxes[k + 3] = Math.max(ends[k + 1], ends[k + 3]);
    }
    new BoxTree(boxes).pairs((e, f) => this.meet(Math.min(e, f), Math.max(e, f)));
  }

  private areNeighbours(e: number, f: number): boolean {
    const ring = this.ringOf[e];
    return f === e + 1 || (e === this.firstEdge[ring] && f === this.endEdge[ring] - 1);
  }

  private meet(e: number, f: number): void {
    const { ends } = this;
    const k = 4 * e;
    const l = 4 * f;
    if (
      Math.max(ends[k], ends[k + 2]) < Math.min(ends[l], ends[l + 2]) ||
      Math.max(ends[l], ends[l + 2]) < Math.min(ends[k], ends[k + 2])
    )
      return;
    if (
      Math.max(ends[k + 1], ends[k + 3]) < Math.min(ends[l + 1], ends[l + 3]) ||
      Math.max(ends[l + 1], ends[l + 3]) < Math.min(ends[k + 1], ends[k + 3])
    )
      return;
    const how = meetingOf(ends, k, l);
    if (how === Meeting.None) return;
    const ringE = this.ringOf[e];
    const ringF = this.ringOf[f];
    const same = ringE === ringF;
    if (how === Meeting.Crossing) {
      crossingPoint([...ends.slice(k, k + 4), ...ends.slice(l, l + 4)], this.point);
      const sameParts = this.part[ringE] === this.part[ringF];
      this.crossed.add(this.pair(ringE, ringF));
      this.tell(
        same ? 'self-intersection' : sameParts ? 'rings-cross' : 'polygons-overlap',
        this.point[0],
        this.point[1],
        ringE,
        ringF,
      );
      return;
    }
    if (how & Meeting.OneLine) {
      this.meetOnLine(e, f);
      return;
    }
    if (same && this.areNeighbours(e, f)) return;
    const at =
      how & Meeting.SecondsFirst
        ? l
        : how & Meeting.SecondsLast
          ? l + 2
          : how & Meeting.FirstsFirst
            ? k
            : k + 2;
    this.touch(ringE, ringF, ends[at], ends[at + 1]);
  }

  /** Both edges on one line: they share a stretch, a point, or nothing. */
  private meetOnLine(e: number, f: number): void {
    const { ends } = this;
    const k = 4 * e;
    const l = 4 * f;
    // Along the axis in which the first edge is longer.
    const axis = Math.abs(ends[k + 2] - ends[k]) >= Math.abs(ends[k + 3] - ends[k + 1]) ? 0 : 1;
    const vertices = [k, k + 2, l, l + 2];
    const [a0, a1, b0, b1] = vertices.map((vertex) => ends[vertex + axis]);
    const low = Math.max(Math.min(a0, a1), Math.min(b0, b1));
    const high = Math.min(Math.max(a0, a1), Math.max(b0, b1));
    if (low > high) return;
    const at = vertices.find((vertex) => ends[vertex + axis] === high)!;
    const [x, y] = [ends[at], ends[at + 1]];
    const ringE = this.ringOf[e];
    const ringF = this.ringOf[f];
    const same = ringE === ringF;
    if (low < high) {
      this.crossed.add(this.pair(ringE, ringF));
      this.tell(
        !same ? 'shared-edge' : this.areNeighbours(e, f) ? 'spike' : 'ring-overlap',
        x,
        y,
        ringE,
        ringF,
      );
    } else if (!(same && this.areNeighbours(e, f))) this.touch(ringE, ringF, x, y);
  }

  private pair(r: number, s: number): number {
    return Math.min(r, s) * this.part.length + Math.max(r, s);
  }

  private touch(r: number, s: number, x: number, y: number): void {
    const key = this.pair(r, s);
    const list = this.touches.get(key) ?? [];
    if (!list.some((point) => point[0] === x && point[1] === y)) list.push([x, y]);
    this.touches.set(key, list);
  }

  private faces(r: number, s: number | null): { a: number; b: number }[] {
    return withWorkbench((bench) => {
      const add = (ring: number, a: number, b: number) => {
        const xy = this.ringCoordinates(ring);
        bench.chains.addPath(xy, 0, xy.length / 2, a, b);
      };
      add(r, 1, 0);
      if (s !== null) add(s, 0, 1);
      const { labels } = bench.solve();
      return Array.from(labels.a, (a, h) => ({ a, b: labels.b[h] }));
    });
  }

  /** Rings that touch at points only: do they cross there all the same, and does the interior stay in one piece? */
  private judgeTouches(): void {
    const rings = this.part.length;
    for (const [key, points] of this.touches) {
      if (this.crossed.has(key)) continue;
      const r = Math.floor(key / rings);
      const s = key % rings;
      const [x, y] = points[0];
      if (r === s) {
        const windings = new Set(
          this.faces(r, null)
            .map((face) => face.a)
            .filter((a) => a !== 0),
        );
        const [only] = windings;
        this.tell(
          windings.size > 1 || Math.abs(only) > 1 ? 'self-intersection' : 'ring-self-touch',
          x,
          y,
          r,
          s,
        );
        continue;
      }
      const faces = this.faces(r, s);
      const both = faces.some((face) => face.a !== 0 && face.b !== 0);
      const first = faces.some((face) => face.a !== 0 && face.b === 0);
      const second = faces.some((face) => face.a === 0 && face.b !== 0);
      const crossing = both && first && second;
      if (crossing) {
        this.crossed.add(key);
        this.tell(this.part[r] === this.part[s] ? 'rings-cross' : 'polygons-overlap', x, y, r, s);
      }
    }
    this.judgeConnection();
  }

  /** The interior of a polygon falls apart when rings and the points where they touch form a cycle. */
  private judgeConnection(): void {
    const rings = this.part.length;
    const home = new Map<string, string>();
    const root = (name: string): string => {
      let at = name;
      while (home.has(at) && home.get(at) !== at) at = home.get(at)!;
      return at;
    };
    const joined = new Set<string>();
    for (const [key, points] of this.touches) {
      const r = Math.floor(key / rings);
      const s = key % rings;
      if (r === s || this.crossed.has(key) || this.part[r] !== this.part[s]) continue;
      for (const [x, y] of points) {
        for (const ring of [r, s]) {
          const link = `${ring} ${x} ${y}`;
          if (joined.has(link)) continue;
          joined.add(link);
          const a = root(`ring ${ring}`);
          const b = root(`point ${this.part[r]} ${x} ${y}`);
          if (a === b) this.tell('disconnected-interior', x, y, this.part[r]);
          else home.set(a, b);
        }
      }
    }
  }

  /** 1 when ring s lies inside ring r, −1 when outside, 0 when they are the same curve. */
  private inside(s: number, r: number): number {
    const locator = this.locator(r);
    for (let k = 4 * this.firstEdge[s]; k < 4 * this.endEdge[s]; k += 4) {
      const where = locator.locate(this.ends[k], this.ends[k + 1]);
      if (where !== 0) return where;
    }
    // All corners of s lie on r: the faces tell.
    const faces = this.faces(r, s).filter((face) => face.b !== 0);
    if (faces.length === 0) return 0;
    return faces.every((face) => face.a !== 0) ? 1 : -1;
  }

  private readonly locators = new Map<number, RingLocator>();

  private locator(r: number): RingLocator {
    let locator = this.locators.get(r);
    if (locator === undefined) {
      locator = new RingLocator(this.ringCoordinates(r));
      this.locators.set(r, locator);
    }
    return locator;
  }

  private readonly coordinates = new Map<number, Float64Array>();

  private ringCoordinates(r: number): Float64Array {
    let xy = this.coordinates.get(r);
    if (xy === undefined) {
      const first = 4 * this.firstEdge[r];
      const end = 4 * this.endEdge[r];
      xy = new Float64Array((end - first) / 2 + 2);
      for (let k = first, n = 0; k < end; k += 4) {
        xy[n++] = this.ends[k];
        xy[n++] = this.ends[k + 1];
      }
      xy[xy.length - 2] = xy[0];
      xy[xy.length - 1] = xy[1];
      this.coordinates.set(r, xy);
    }
    return xy;
  }

  private judgeContainment(): void {
    const rings = this.part.length;
    if (rings < 2) return;
    const boxes = new Float64Array(4 * rings);
    for (let r = 0; r < rings; r++) boxes.set(boxOfPositions(this.ringCoordinates(r)), 4 * r);
    const tree = new BoxTree(boxes);
    const within = (s: number, r: number) =>
      boxes[4 * s] >= boxes[4 * r] &&
      boxes[4 * s + 1] >= boxes[4 * r + 1] &&
      boxes[4 * s + 2] <= boxes[4 * r + 2] &&
      boxes[4 * s + 3] <= boxes[4 * r + 3];
    /** Rings whose box holds that of another one, in order. */
    const around = (s: number): number[] => {
      const found: number[] = [];
      // What holds the box holds its corner.
      tree.search(boxes[4 * s], boxes[4 * s + 1], boxes[4 * s], boxes[4 * s + 1], (r) => {
        if (r !== s && within(s, r)) found.push(r);
      });
      return found.sort((a, b) => a - b);
    };
    const at = (r: number): [number, number] => [
      this.ends[4 * this.firstEdge[r]],
      this.ends[4 * this.firstEdge[r] + 1],
    ];
    const holesOf = new Map<number, number[]>();
    const shellOf = new Map<number, number>();
    for (let r = 0; r < rings; r++) {
      if (!this.hole[r]) shellOf.set(this.part[r], r);
      else if (holesOf.has(this.part[r])) holesOf.get(this.part[r])!.push(r);
      else holesOf.set(this.part[r], [r]);
    }
    for (let r = 0; r < rings; r++) {
      if (this.hole[r]) this.judgeHole(r, shellOf.get(this.part[r]), around(r), within, at);
      else this.judgeShell(r, around(r), holesOf, at);
    }
  }

  private judgeHole(
    hole: number,
    shell: number | undefined,
    around: readonly number[],
    within: (s: number, r: number) => boolean,
    at: (r: number) => [number, number],
  ): void {
    if (shell !== undefined && !this.crossed.has(this.pair(shell, hole)))
      if (!within(hole, shell) || this.inside(hole, shell) < 0)
        this.tell('hole-outside-shell', ...at(hole), hole);
    for (const outer of around) {
      if (!this.hole[outer] || this.part[outer] !== this.part[hole]) continue;
      if (this.crossed.has(this.pair(hole, outer))) continue;
      if (this.inside(hole, outer) > 0) this.tell('nested-holes', ...at(hole), hole);
    }
  }

  private judgeShell(
    shell: number,
    around: readonly number[],
    holesOf: ReadonlyMap<number, readonly number[]>,
    at: (r: number) => [number, number],
  ): void {
    for (const other of around) {
      if (this.hole[other] || this.crossed.has(this.pair(shell, other))) continue;
      if (this.inside(shell, other) <= 0) continue;
      // Inside the other's shell is right when it is inside one of the other's holes.
      const holes = holesOf.get(this.part[other]) ?? [];
      const inHole = around.some(
        (hole) =>
          this.hole[hole] &&
          this.part[hole] === this.part[other] &&
          !this.crossed.has(this.pair(shell, hole)) &&
          this.inside(shell, hole) >= 0,
      );
      const acrossHole = () => holes.some((hole) => this.crossed.has(this.pair(shell, hole)));
      if (!inHole && !acrossHole()) this.tell('nested-shells', ...at(shell), shell);
    }
  }
}
