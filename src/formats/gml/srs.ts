import { type Crs, geographicOf } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { transformer } from '../../core/crs/transformer.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';

/** Projected CRSs of the EPSG registry whose first axis is the northing, as ranges of codes. */
const northingFirst: readonly (readonly [number, number])[] = [
  [2000 + 36, 2036],
  [2044, 2045],
  [2065, 2065],
  [2081, 2083],
  [2085, 2086],
  [2093, 2093],
  [2096, 2098],
  [2105, 2132],
  [2166, 2167],
  [2169, 2180],
  [2193, 2193],
  [2199, 2200],
  [2206, 2212],
  [2319, 2462],
  [2523, 2549],
  [2551, 2735],
  [2738, 2758],
  [2935, 2941],
  [2953, 2953],
  [3006, 3030],
  [3034, 3035],
  [3038, 3051],
  [3058, 3059],
  [3068, 3068],
  [3114, 3118],
  [3126, 3138],
  [3300, 3303],
  [3328, 3335],
  [3346, 3346],
  [3350, 3352],
  [3366, 3366],
  [3386, 3390],
  [3396, 3407],
  [3764, 3764],
  [3788, 3791],
  [3793, 3793],
  [3812, 3812],
  [3833, 3841],
  [3844, 3851],
  [4417, 4417],
  [4434, 4434],
  [4491, 4554],
  [5105, 5130],
  [5167, 5188],
  [5253, 5259],
  [5269, 5275],
  [5518, 5520],
  [5556, 5556],
  [5632, 5632],
  [5634, 5639],
  [5650, 5653],
  [31254, 31259],
  [31275, 31279],
  [31281, 31290],
  [31466, 31470],
  [28402, 28432],
  [20004, 20032],
];

/** EPSG code in any form of srsName; null when it is none. */
function epsgOf(srsName: string): number | null {
  const found =
    /^urn:(?:x-)?ogc:def:crs:EPSG:(?:[^:]*:)?(\d+)$/i.exec(srsName) ??
    /^https?:\/\/www\.opengis\.net\/def\/crs\/EPSG\/[^/]*\/(\d+)$/i.exec(srsName) ??
    /^https?:\/\/www\.opengis\.net\/gml\/srs\/epsg\.xml#(\d+)$/i.exec(srsName) ??
    /^EPSG:(\d+)$/i.exec(srsName);
  return found === null ? null : Number(found[1]);
}

const startsWithNorthing = (code: number) => northingFirst.some(([from, end]) => code >= from && code <= end);

/** URNs and http URIs keep the order of axes that the registry has. */
export const followsRegistry = (srsName: string) => /^urn:|\/def\/crs\//i.test(srsName.trim());

export interface SrsRead {
  crs: Crs | null;
  /** True when coordinates stand as [north, east] (or latitude, longitude) and must be exchanged. */
  exchanged: boolean;
}

/**
 * The CRS of a srsName and the order of its axes: URNs and http URIs keep the order of the registry (OGC 07-092r3,
 * OGC 09-048r5), the older `EPSG:code` and `epsg.xml#code` forms stand for east before north.
 */
export function readSrsName(srsName: string): SrsRead {
  const name = srsName.trim();
  if (/(^|[:/])CRS:?84h?$/i.test(name)) return { crs: wgs84(), exchanged: false };
  const code = epsgOf(name);
  const crs = crsFromText(code === null ? name : `EPSG:${code}`);
  const byRegistry = followsRegistry(name);
  const north =
    crs.kind === 'geographic' || (crs.code !== undefined && startsWithNorthing(Number(crs.code.slice(5))));
  return { crs, exchanged: byRegistry && north };
}

/** The srsName that is written, and whether coordinates are to be exchanged under it. */
export function srsNameFor(crs: Crs): { name: string; exchanged: boolean } | null {
  const code = crs.code?.startsWith('EPSG:') ? crs.code.slice(5) : null;
  if (code === null) return null;
  const name = `http://www.opengis.net/def/crs/EPSG/0/${code}`;
  return { name, exchanged: readSrsName(name).exchanged };
}

/** Degrees around the area of use of a CRS that still count as in it: areas are drawn roughly. */
const margin = 1;

/** Does a position lie where its CRS is meant for? Null when the registry does not say where that is. */
function liesInArea(crs: Crs, x: number, y: number): boolean | null {
  if (crs.area === undefined) return null;
  const position = Float64Array.of(x, y);
  if (crs.kind === 'projected') transformer(crs, geographicOf(crs)).transform(position);
  const [lon, lat] = position;
  const [west, south, east, north] = crs.area;
  if (!(lat >= south - margin && lat <= north + margin)) return false;
  // Areas across the antimeridian begin in the east.
  return west <= east
    ? lon >= west - margin && lon <= east + margin
    : lon >= west - margin || lon <= east + margin;
}

/**
 * The order of axes that the coordinates of a file bear out: that of the srsName, unless no corner of their box lies in
 * the area of the CRS so, and every corner does the other way round.
 *
 * @param box least and greatest first and second ordinates as they stand in the file
 */
export function axesBorneOut(read: SrsRead, box: Box): boolean {
  const { crs, exchanged } = read;
  if (crs === null) return exchanged;
  const corners = [
    [box[0], box[1]],
    [box[2], box[1]],
    [box[0], box[3]],
    [box[2], box[3]],
    [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2],
  ];
  const inArea = (swap: boolean) =>
    corners.map(([first, second]) =>
      swap ? liesInArea(crs, second, first) : liesInArea(crs, first, second),
    );
  const nowhere = inArea(exchanged).every((inside) => inside === false);
  return nowhere && inArea(!exchanged).every((inside) => inside === true) ? !exchanged : exchanged;
}
