import { type Crs, geographicOf } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { axesOfDefinition, wgs84 } from '../../core/crs/registry.ts';
import { transformer } from '../../core/crs/transformer.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';

/** EPSG code in any form of srsName; null when it is none. */
function epsgOf(srsName: string): number | null {
  const found =
    /^urn:(?:x-)?ogc:def:crs:EPSG:(?:[^:]*:)?(\d+)$/i.exec(srsName) ??
    /^https?:\/\/www\.opengis\.net\/def\/crs\/EPSG\/[^/]*\/(\d+)$/i.exec(srsName) ??
    /^https?:\/\/www\.opengis\.net\/gml\/srs\/epsg\.xml#(\d+)$/i.exec(srsName) ??
    /^EPSG:(\d+)$/i.exec(srsName);
  return found === null ? null : Number(found[1]);
}

/** URNs and http URIs keep the order of axes that the registry has. */
export const followsRegistry = (srsName: string) => /^urn:|\/def\/crs\//i.test(srsName.trim());

/** How ordinates stand in a document. */
export interface Ordinates {
  /** True when they stand as [north, east] (or latitude, longitude) and must be exchanged. */
  exchanged: boolean;
  /** −1 where the definition counts westings or southings: memory holds eastings and northings. */
  east: 1 | -1;
  north: 1 | -1;
}

export const eastNorth: Ordinates = { exchanged: false, east: 1, north: 1 };

export interface SrsRead extends Ordinates {
  crs: Crs | null;
}

/** How ordinates stand in the order and directions of a CRS's own definition. */
function ordinatesOf(crs: Crs): Ordinates {
  const axes = crs.code === undefined ? null : axesOfDefinition(crs.code.slice(5));
  if (axes === null) return { ...eastNorth, exchanged: crs.kind === 'geographic' };
  return {
    exchanged: axes === 'ne' || axes === 'nw' || axes === 'sw',
    east: axes.includes('w') ? -1 : 1,
    north: axes.includes('s') ? -1 : 1,
  };
}

/**
 * The CRS of a srsName and the order of its axes: URNs and http URIs keep the order of the registry (OGC 07-092r3,
 * OGC 09-048r5), the older `EPSG:code` and `epsg.xml#code` forms stand for east before north.
 */
export function readSrsName(srsName: string): SrsRead {
  const name = srsName.trim();
  if (/(^|[:/])CRS:?84h?$/i.test(name)) return { crs: wgs84(), ...eastNorth };
  const code = epsgOf(name);
  const crs = crsFromText(code === null ? name : `EPSG:${code}`);
  return {
    crs,
    ...(followsRegistry(name) ? ordinatesOf(code === null ? crs : definitionOf(crs, code)) : eastNorth),
  };
}

/** The same CRS under the code that the document has: one with heights has the axes of its own definition. */
const definitionOf = (crs: Crs, code: number): Crs => ({ ...crs, code: `EPSG:${code}` });

/** The srsName that is written, and whether coordinates are to be exchanged under it. */
export function srsNameFor(crs: Crs): ({ name: string } & Ordinates) | null {
  const code = crs.code?.startsWith('EPSG:') ? crs.code.slice(5) : null;
  if (code === null) return null;
  const name = `http://www.opengis.net/def/crs/EPSG/0/${code}`;
  const { exchanged, east, north } = readSrsName(name);
  return { name, exchanged, east, north };
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
      swap
        ? liesInArea(crs, read.east * second, read.north * first)
        : liesInArea(crs, read.east * first, read.north * second),
    );
  const nowhere = inArea(exchanged).every((inside) => inside === false);
  return nowhere && inArea(!exchanged).every((inside) => inside === true) ? !exchanged : exchanged;
}
