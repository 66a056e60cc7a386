import { closeAccount } from '../../account.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { SharedVertices } from '../../geometry/shape/shared-vertices.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, requireField } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

const schema: Field[] = [
  { name: 'left', type: 'text', title: 'Feature on the left' },
  { name: 'right', type: 'text', title: 'Feature on the right' },
  { name: 'shared', type: 'boolean', title: 'Between two features' },
];

/**
 * The borders of areas as lines, each once: from where three meet to the next such place, with the features on both of its sides
 * (blank outside). The layer is held in memory.
 *
 * @param by a field to call features by, in place of their ids
 */
export function bordersOfLayer(layer: Layer, by?: string): Layer {
  const name = by === undefined ? -1 : requireField(layer.schema, by, layer.name);
  return applyVerb('Borders', layer, {
    schema,
    kinds: ['LineString'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const lines = new BorderLines(held);
      const { left, right } = lines;
      const word = (k: number) => (name < 0 ? String(held.id(k)) : held.text(k, name));
      const columns = [left, right].map((side) => {
        const column = new ColumnBuilder('text');
        for (const k of side) {
          const text = k < 0 ? null : word(k);
          if (text === null) column.null();
          else column.text(text);
        }
        return column.finish();
      });
      const shared = new ColumnBuilder('boolean');
      left.forEach((k, n) => {
        shared.number(k >= 0 && right[n] >= 0 ? 1 : 0);
      });
      const both = left.filter((k, n) => k >= 0 && right[n] >= 0).length;
      account.counts = { in: held.all, areas: lines.areas, lines: left.length, shared: both };
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [left.length, left.length === 1 ? 'line' : 'lines'],
        [both, `of them between two features`],
        ...(held.length > lines.areas
          ? ([[held.length - lines.areas, 'without area left out']] as const)
          : []),
        ...held.leftOut(),
      );
      if (left.length > 0)
        yield* held.rows(schema, new Int32Array(left.length), lines.builder.finish(), [
          ...columns,
          shared.finish(),
        ]);
    },
  });
}

/** Lines between nodes, gone along once, with what lies on their sides. */
class BorderLines {
  readonly builder = new GeometryMaker();
  /** Numbers of the features on the sides of each line; −1 outside. */
  readonly left: number[] = [];
  readonly right: number[] = [];
  areas = 0;

  constructor(held: HeldLayer) {
    const { geometry } = held;
    const shared = new SharedVertices(geometry);
    const { of, isNode, positions } = shared;
    /** Lines that were written, by their first two positions in either direction. */
    const known = new Map<string, { line: number; forward: boolean }>();
    for (let i = 0; i < geometry.length; i++) {
      let areal = false;
      for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
        if (geometry.kindOfPart(i, p) !== Kind.Polygon) continue;
        areal = true;
        for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
          const ring: number[] = [];
          for (let v = geometry.vertexStart[r]; v < geometry.vertexStart[r + 1] - 1; v++)
            if (ring.length === 0 || ring[ring.length - 1] !== of[v]) ring.push(of[v]);
          if (ring.length > 1 && ring[0] === ring[ring.length - 1]) ring.pop();
          if (ring.length < 3) continue;
          // The feature lies on the left of shells that run counter-clockwise, and of holes that run clockwise.
          const ccw = this.area(ring, positions.x, positions.y) > 0;
          this.addRing(ring, i, ccw === (r === geometry.ringStart[p]), isNode, positions, known);
        }
      }
      if (areal) this.areas++;
    }
  }

  private area(ring: readonly number[], x: Float64Array, y: Float64Array): number {
    let twice = 0;
    ring.forEach((n, k) => {
      const m = ring[(k + 1) % ring.length];
      twice += (x[n] - x[ring[0]]) * (y[m] - y[ring[0]]) - (x[m] - x[ring[0]]) * (y[n] - y[ring[0]]);
    });
    return twice;
  }

  private addRing(
    ring: readonly number[],
    feature: number,
    onLeft: boolean,
    isNode: Uint8Array,
    { x, y }: SharedVertices['positions'],
    known: Map<string, { line: number; forward: boolean }>,
  ): void {
    // A ring without nodes begins at its least position, so that a hole and what fills it begin alike.
    let first = ring.findIndex((n) => isNode[n] === 1);
    const whole = first < 0;
    if (whole) first = ring.indexOf(ring.reduce((a, b) => Math.min(a, b)));
    const n = ring.length;
    let from = first;
    do {
      const line = [ring[from]];
      let at = from;
      do {
        at = (at + 1) % n;
        line.push(ring[at]);
      } while (isNode[ring[at]] === 0 && at !== first);
      const key = (a: number, b: number) => `${a} ${b}`;
      const own = known.get(key(line[0], line[1]));
      if (own !== undefined) this.side(own.forward === onLeft)[own.line] = feature;
      else {
        const number = this.left.length;
        this.left.push(-1);
        this.right.push(-1);
        this.side(onLeft)[number] = feature;
        known.set(key(line[0], line[1]), { line: number, forward: true });
        known.set(key(line[line.length - 1], line[line.length - 2]), { line: number, forward: false });
        this.builder.feature(Kind.LineString);
        this.builder.part();
        this.builder.ring();
        for (const m of line) this.builder.vertex(x[m], y[m]);
      }
      from = at;
    } while (from !== first);
  }

  private side(isLeft: boolean): number[] {
    return isLeft ? this.left : this.right;
  }
}
