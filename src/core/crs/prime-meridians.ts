/** Prime meridians of the EPSG registry, degrees east of Greenwich (the longitudes of their definitions). */
export const primeMeridians: readonly (readonly [name: string, longitude: number])[] = [
  ['Greenwich', 0],
  ['Lisbon', -(9 + 7 / 60 + 54.862 / 3600)],
  // 2.5969213 grads.
  ['Paris', 2.5969213 * 0.9],
  // As the older triangulation counted: 2°20′13.95″.
  ['Paris RGS', 2 + 20 / 60 + 13.95 / 3600],
  ['Bogota', -(74 + 4 / 60 + 51.3 / 3600)],
  ['Madrid', -(3 + 41 / 60 + 14.55 / 3600)],
  ['Rome', 12 + 27 / 60 + 8.4 / 3600],
  ['Bern', 7 + 26 / 60 + 22.5 / 3600],
  ['Jakarta', 106 + 48 / 60 + 27.79 / 3600],
  ['Ferro', -(17 + 40 / 60)],
  ['Brussels', 4 + 22 / 60 + 4.71 / 3600],
  ['Stockholm', 18 + 3 / 60 + 29.8 / 3600],
  ['Athens', 23 + 42 / 60 + 58.815 / 3600],
  ['Oslo', 10 + 43 / 60 + 22.5 / 3600],
];

/** What a number of so many decimals may be off by from what was rounded to it; a metre of arc at the least precise. */
const rounding = (value: number) => 0.6 * 10 ** -Math.max(4, (String(value).split('.')[1] ?? '').length);
/** Without the name it must be as near as this (5 cm). */
const byValue = 5e-7;

const plain = (name: string) => name.toLowerCase().replace(/[^a-z]/g, '');

/**
 * The longitude of a prime meridian that a text gives as a name and a number: the exact one where the number is a
 * rounded form of it, also where it stands in the unit of the CRS instead of degrees.
 *
 * @param perUnit degrees in one unit of the CRS
 */
export function primeMeridianOf(name: string, value: number, perUnit: number): number {
  const word = plain(name);
  for (const [each, longitude] of primeMeridians) {
    if (plain(each) !== word) continue;
    for (const candidate of [value, value * perUnit])
      if (Math.abs(candidate - longitude) <= Math.max(1e-9, rounding(value))) return longitude;
  }
  return primeMeridians.find(([, longitude]) => Math.abs(value - longitude) <= byValue)?.[1] ?? value;
}

/** The name of a prime meridian, or null. */
export function primeMeridianName(longitude: number): string | null {
  return primeMeridians.find(([, each]) => Math.abs(each - longitude) <= byValue)?.[0] ?? null;
}
