import type { Box, GeometryArray } from '../core/geometry/geometry-array.ts';

/** Dots of a braille character: bit by column and row. */
const bits = [
  [0x01, 0x02, 0x04, 0x40],
  [0x08, 0x10, 0x20, 0x80],
] as const;

/** How many characters a picture takes, at most. */
export interface PictureSize {
  columns: number;
  rows: number;
}

/** Something that is drawn: outlines, in a style; what comes later lies above. */
export interface Drawn {
  geometry: GeometryArray;
  paint(text: string): string;
}

/**
 * Outlines as lines of braille characters, two by four dots each, so that a terminal shows where things lie.
 *
 * @param box what is shown, in the coordinates of the geometries
 * @param stretch how much longer a unit of x is on the ground than one of y: the cosine of the latitude in degrees
 */
export function dotPicture(drawn: readonly Drawn[], box: Box, size: PictureSize, stretch = 1): string[] {
  const [x0, y0, x1, y1] = box;
  const width = Math.max((x1 - x0) * stretch, 1e-12);
  const height = Math.max(y1 - y0, 1e-12);
  const scale = Math.min((2 * size.columns - 1) / width, (4 * size.rows - 1) / height);
  const columns = Math.max(1, Math.ceil((width * scale + 1) / 2));
  const rows = Math.max(1, Math.ceil((height * scale + 1) / 4));
  const layers = drawn.map(({ geometry }) => {
    const cells = new Uint8Array(columns * rows);
    const dot = (px: number, py: number) => {
      const [column, row] = [px >> 1, py >> 2];
      if (px >= 0 && py >= 0 && column < columns && row < rows)
        cells[row * columns + column] |= bits[px & 1][py & 3];
    };
    const { xy } = geometry;
    const rings = geometry.ringStart[geometry.partStart[geometry.length]];
    for (let r = 0; r < rings; r++)
      for (let v = geometry.vertexStart[r]; v < geometry.vertexStart[r + 1] - 1; v++)
        line(
          (xy[2 * v] - x0) * stretch * scale,
          (y1 - xy[2 * v + 1]) * scale,
          (xy[2 * v + 2] - x0) * stretch * scale,
          (y1 - xy[2 * v + 3]) * scale,
          dot,
          2 * columns,
          4 * rows,
        );
    return cells;
  });
  const lines: string[] = [];
  for (let row = 0; row < rows; row++) {
    let text = '';
    for (let column = 0; column < columns; column++) {
      const at = row * columns + column;
      let shown = 0;
      let paint: ((text: string) => string) | null = null;
      layers.forEach((cells, k) => {
        if (cells[at] === 0) return;
        shown |= cells[at];
        paint = drawn[k].paint;
      });
      const character = String.fromCharCode(0x2800 + shown);
      text += paint === null ? ' ' : (paint as (text: string) => string)(character);
    }
    lines.push(text.trimEnd());
  }
  return lines;
}

/** Dots along a line, those outside left out before they are counted. */
function line(
  ax: number,
  ay: number,
  bx: number,
  by: number,
  dot: (x: number, y: number) => void,
  width: number,
  height: number,
): void {
  if (Math.max(ax, bx) < 0 || Math.min(ax, bx) > width || Math.max(ay, by) < 0 || Math.min(ay, by) > height)
    return;
  const steps = Math.min(4096, Math.max(1, Math.ceil(Math.max(Math.abs(bx - ax), Math.abs(by - ay)))));
  for (let k = 0; k <= steps; k++)
    dot(Math.round(ax + ((bx - ax) * k) / steps), Math.round(ay + ((by - ay) * k) / steps));
}
