import type { Box } from '../geometry/geometry-array.ts';

/** Degrees of longitude of a box that may cross the antimeridian. */
export const boxWidth = ([west, , east]: Readonly<Box>): number =>
  east < west ? east + 360 - west : east - west;

/** Degrees beyond an area that still count as in it: areas are drawn roughly, and maps go a little further. */
export const reachOf = (area: Readonly<Box>): number =>
  Math.max(1, 0.5 * Math.min(boxWidth(area), area[3] - area[1]));

/** Does a place (degrees) lie in a box, or no further from it than `reach` degrees? */
export function holdsPlace(area: Readonly<Box>, longitude: number, latitude: number, reach = 0): boolean {
  if (!(latitude >= area[1] - reach && latitude <= area[3] + reach)) return false;
  const beyond = (((longitude - area[0] + reach) % 360) + 360) % 360;
  return beyond <= boxWidth(area) + 2 * reach;
}

const degreesWords = (value: number, positive: string, negative: string) =>
  `${Math.abs(Number(value.toFixed(2)))}° ${value < 0 ? negative : positive}`;

/** `45.2° N, 30.1° W` */
export const placeWords = (longitude: number, latitude: number): string =>
  `${degreesWords(latitude, 'N', 'S')}, ${degreesWords(longitude, 'E', 'W')}`;

/** `45.2° N to 46° N, 30.7° W to 29.3° W` */
export const areaWords = ([west, south, east, north]: Readonly<Box>): string =>
  `${degreesWords(south, 'N', 'S')} to ${degreesWords(north, 'N', 'S')}, ${degreesWords(west, 'E', 'W')} to ${degreesWords(east, 'E', 'W')}`;
