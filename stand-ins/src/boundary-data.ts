import { readFileSync } from 'node:fs';
import { join } from 'node:path';

export interface Feature {
  type: 'Feature';
  id: string;
  geometry: { type: string; coordinates: unknown };
  properties: Record<string, string | number | null>;
}

export interface Collection {
  id: string;
  level: string;
  vintage: number;
  title: string;
  features: Feature[];
}

const levels = { provinces: [2024], districts: [2024], wards: [2024, 2019] } as const;

/** West, south, east, north of coordinates, however deep they are nested. */
export function boxOf(coordinates: unknown, box = [Infinity, Infinity, -Infinity, -Infinity]): number[] {
  if (!Array.isArray(coordinates)) return box;
  if (typeof coordinates[0] === 'number') {
    box[0] = Math.min(box[0], coordinates[0]);
    box[1] = Math.min(box[1], coordinates[1]);
    box[2] = Math.max(box[2], coordinates[0]);
    box[3] = Math.max(box[3], coordinates[1]);
  } else for (const inner of coordinates) boxOf(inner, box);
  return box;
}

export function meets(feature: Feature, box: readonly number[]): boolean {
  const own = boxOf(feature.geometry.coordinates);
  return own[0] <= box[2] && box[0] <= own[2] && own[1] <= box[3] && box[1] <= own[3];
}

/** The collections of the boundary office: a level each, older vintages as collections of their own. */
export function collectionsIn(folder: string): Map<string, Collection> {
  const found = new Map<string, Collection>();
  for (const [level, vintages] of Object.entries(levels))
    vintages.forEach((vintage, k) => {
      const id = k === 0 ? level : `${level}-${vintage}`;
      let features: Feature[] | undefined;
      found.set(id, {
        id,
        level,
        vintage,
        title: `${level[0].toUpperCase()}${level.slice(1)} of Teskaria, ${vintage}`,
        get features() {
          features ??= (
            JSON.parse(readFileSync(join(folder, `${level}-${vintage}.geojson`), 'utf8')) as {
              features: Feature[];
            }
          ).features;
          return features;
        },
      });
    });
  return found;
}

/** Longitudes and latitudes on WGS 84 → Web Mercator, metres (EPSG:3857, method 1024 of EPSG Guidance Note 7-2). */
export function mercator([lon, lat]: readonly number[]): [number, number] {
  const radius = 6378137;
  const radians = Math.PI / 180;
  const x = radius * lon * radians;
  const y = radius * Math.log(Math.tan(Math.PI / 4 + (lat * radians) / 2));
  return [Math.round(x * 1000) / 1000, Math.round(y * 1000) / 1000];
}

export function unmercator([x, y]: readonly number[]): [number, number] {
  const radius = 6378137;
  const radians = Math.PI / 180;
  return [x / radius / radians, (2 * Math.atan(Math.exp(y / radius)) - Math.PI / 2) / radians];
}

/** Coordinates with every position put through `change`. */
export function mapped(coordinates: unknown, change: (position: number[]) => number[]): unknown {
  if (!Array.isArray(coordinates)) return coordinates;
  return typeof coordinates[0] === 'number'
    ? change(coordinates as number[])
    : coordinates.map((inner) => mapped(inner, change));
}
