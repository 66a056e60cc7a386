import { type GeometryArray, GeometryMaker, Kind } from '../../src/core/index.ts';

/**
 * Cells that tile a square without gaps or overlaps, with winding borders that neighbours share vertex for vertex.
 *
 * @param pieces edges of each border
 */
export function coverageOf(side: number, pieces: number, random: () => number, size = 100): GeometryArray {
  const nodes: [number, number][][] = [];
  for (let r = 0; r <= side; r++) {
    nodes.push([]);
    for (let c = 0; c <= side; c++) {
      const shift = (inner: boolean) => (inner ? (random() - 0.5) * 0.3 : 0);
      nodes[r].push([(c + shift(c > 0 && c < side)) * size, (r + shift(r > 0 && r < side)) * size]);
    }
  }
  const arcs = new Map<string, [number, number][]>();
  /** The border from one node to another; the same one, turned, from the other to the one. */
  const border = (r0: number, c0: number, r1: number, c1: number): [number, number][] => {
    const key = `${r0} ${c0} ${r1} ${c1}`;
    const known = arcs.get(key);
    if (known !== undefined) return known;
    const [ax, ay] = nodes[r0][c0];
    const [bx, by] = nodes[r1][c1];
    const arc: [number, number][] = [];
    for (let k = 0; k <= pieces; k++) {
      const t = k / pieces;
      const off = (random() - 0.5) * 0.12 * Math.sin(Math.PI * t);
      arc.push(
        k === 0
          ? [ax, ay]
          : k === pieces
            ? [bx, by]
            : [ax + (bx - ax) * t - (by - ay) * off, ay + (by - ay) * t + (bx - ax) * off],
      );
    }
    arcs.set(key, arc);
    arcs.set(`${r1} ${c1} ${r0} ${c0}`, [...arc].reverse());
    return arc;
  };
  const builder = new GeometryMaker();
  for (let r = 0; r < side; r++)
    for (let c = 0; c < side; c++) {
      builder.feature(Kind.Polygon);
      builder.part();
      builder.ring();
      const ring = [
        ...border(r, c, r, c + 1).slice(0, -1),
        ...border(r, c + 1, r + 1, c + 1).slice(0, -1),
        ...border(r + 1, c + 1, r + 1, c).slice(0, -1),
        ...border(r + 1, c, r, c),
      ];
      for (const [x, y] of ring) builder.vertex(x, y);
    }
  return builder.finish();
}
