import { plainBoxes } from '../core/crs/area-extent.ts';
import type { Box } from '../core/geometry/geometry-array.ts';

/** Mean radius of the Earth in kilometres: enough to tell how large an order is. */
const radius = 6371;

/** Square kilometres of a box in degrees, on the sphere. */
export function squareKilometres(box: Box): number {
  return plainBoxes(box).reduce((sum, each) => sum + squareKilometresOf(each), 0);
}

function squareKilometresOf([west, south, east, north]: Box): number {
  const radians = Math.PI / 180;
  return radius ** 2 * (east - west) * radians * (Math.sin(north * radians) - Math.sin(south * radians));
}

/** Both halves of a box, cut across its longer side. */
export function halves(box: Box): [Box, Box] {
  const [west, south, east, north] = box;
  const wide = (east - west) * Math.cos((((south + north) / 2) * Math.PI) / 180);
  if (wide >= north - south) {
    const middle = (west + east) / 2;
    return [
      [west, south, middle, north],
      [middle, south, east, north],
    ];
  }
  const middle = (south + north) / 2;
  return [
    [west, south, east, middle],
    [west, middle, east, north],
  ];
}

/** Pieces of a box none of which is larger than allowed, and none of which crosses the antimeridian. */
export function piecesOf(box: Box, tooLarge: (box: Box) => boolean, depth = 0): Box[] {
  if (box[0] > box[2]) return plainBoxes(box).flatMap((part) => piecesOf(part, tooLarge, depth));
  if (depth > 16 || !tooLarge(box)) return [box];
  return halves(box).flatMap((half) => piecesOf(half, tooLarge, depth + 1));
}

/** A box as text, the same each time. */
export function boxName(box: Box): string {
  return box.map((value) => Number(value.toFixed(7))).join(',');
}

export function boxNamed(name: string): Box {
  return name.split(',').map(Number) as unknown as Box;
}
