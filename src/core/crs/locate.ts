import { type Box, boxOfPositions } from '../geometry/geometry-array.ts';
import { boxWidth, placeWords } from './area-of-use.ts';
import { type Crs, crsLabel, degreesFrame, sameCrs } from './crs.ts';
import { crsByNumber, registryRows, wgs84 } from './registry.ts';
import { transformer } from './transformer.ts';

/** What the coordinates may have gone through before they were written. */
export const mishaps = [
  'as they stand',
  'axes exchanged',
  'feet written where metres are meant',
  'US survey feet written where metres are meant',
  'metres written where feet are meant',
  'signs turned (westings and southings)',
  'kilometres written where metres are meant',
] as const;
export type Mishap = (typeof mishaps)[number];

/** A CRS that coordinates may have. */
export interface Location {
  crs: Crs;
  mishap: Mishap;
  /** Where they would lie, degrees on WGS 84 (or on the CRS's own datum where no shift is known). */
  at: [longitude: number, latitude: number];
  /** Share of the coordinates' box that falls into the area looked for; NaN when none was given. */
  share: number;
  /** Kilometres between the middles of the coordinates and of the area; NaN when none was given. */
  away: number;
}

/** Coordinates to be placed: a sample of vertices and their box, as they stand. */
export interface Coordinates {
  box: Box;
  /** x and y in turn. */
  sample: Float64Array;
}

const foot = 0.3048;
const surveyFoot = 1200 / 3937;

/** What a reason of its own outweighs: a size that puts a CRS before those of the registry. */
const likely = -80_000;

/** The coordinates before the mishap. */
const undo: Record<Mishap, (xy: Float64Array, unit: number) => Float64Array | null> = {
  'as they stand': (xy) => xy.slice(),
  'axes exchanged': (xy) => xy.map((_, k) => xy[k ^ 1]),
  'feet written where metres are meant': (xy, unit) => (unit === 1 ? xy.map((v) => v * foot) : null),
  'US survey feet written where metres are meant': (xy, unit) =>
    unit === 1 ? xy.map((v) => v * surveyFoot) : null,
  'metres written where feet are meant': (xy, unit) =>
    unit > 0.29 && unit < 0.32 ? xy.map((v) => v / unit) : null,
  'signs turned (westings and southings)': (xy) => xy.map((v) => -v),
  'kilometres written where metres are meant': (xy, unit) => (unit === 1 ? xy.map((v) => v * 1000) : null),
};

/** How likely each mishap is, in kilometres of distance that it outweighs: the plain reading goes first. */
const penalty: Record<Mishap, number> = {
  'as they stand': 0,
  'axes exchanged': 20,
  'signs turned (westings and southings)': 40,
  'feet written where metres are meant': 40,
  'US survey feet written where metres are meant': 41,
  'metres written where feet are meant': 40,
  'kilometres written where metres are meant': 60,
};

/** The share of points within a box of degrees that is grown by a twentieth. */
function shareWithin(degrees: Float64Array, area: Box): number {
  const grow = 0.05 * Math.max(boxWidth(area), area[3] - area[1]);
  let inside = 0;
  for (let k = 0; k < degrees.length; k += 2) {
    const beyond = (((degrees[k] - area[0] + grow) % 360) + 360) % 360;
    if (
      beyond <= boxWidth(area) + 2 * grow &&
      degrees[k + 1] >= area[1] - grow &&
      degrees[k + 1] <= area[3] + grow
    )
      inside++;
  }
  return inside / (degrees.length / 2);
}

function kilometres(l0: number, p0: number, l1: number, p1: number): number {
  const r = Math.PI / 180;
  const cosine =
    Math.sin(p0 * r) * Math.sin(p1 * r) + Math.cos(p0 * r) * Math.cos(p1 * r) * Math.cos((l1 - l0) * r);
  return 6371 * Math.acos(Math.max(-1, Math.min(1, cosine)));
}

function touches(area: Box, near: Box, reach: number): boolean {
  if (area[1] > near[3] + reach || area[3] < near[1] - reach) return false;
  const beyond = (((near[0] - area[0] + reach) % 360) + 360) % 360;
  return beyond <= boxWidth(area) + 2 * reach || 360 - beyond <= boxWidth(near) + 2 * reach;
}

/**
 * CRSs that coordinates may have, by where they would fall: with an area (degrees), those that bring them there, also
 * through the common mishaps and from grids of neighbouring zones; without, those in whose own area of use they would lie.
 * Nothing is applied: it is for a person to choose.
 *
 * @param also CRSs that are likely for a reason of their own, as those of other layers of one delivery
 */
export function locate(
  coordinates: Coordinates,
  near?: Box,
  most = 10,
  also: readonly Crs[] = [],
): Location[] {
  const found: (Location & { rank: number })[] = [];
  const middle = near && ([near[0] + boxWidth(near) / 2, (near[1] + near[3]) / 2] as const);
  const reach = near === undefined ? 0 : Math.max(3, 0.5 * Math.max(boxWidth(near), near[3] - near[1]));
  const consider = (crs: Crs, size: number) => {
    const unit = crs.kind === 'projected' ? crs.unit : 0;
    let back: ReturnType<typeof transformer> | null = null;
    for (const mishap of mishaps) {
      if (crs.kind === 'geographic' && !['as they stand', 'axes exchanged'].includes(mishap)) continue;
      // Without an area only the plain reading and exchanged axes say anything.
      if (near === undefined && !['as they stand', 'axes exchanged'].includes(mishap)) continue;
      const xy = undo[mishap](coordinates.sample, unit);
      if (xy === null) continue;
      back ??= transformer(crs, degreesFrame(crs));
      if (back.transform(xy) > 0) continue;
      const box = boxOfPositions(xy);
      const at: [number, number] = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
      if (near === undefined || middle === undefined) {
        if (size !== likely && (crs.area === undefined || shareWithin(xy, crs.area) < 0.98)) continue;
        found.push({
          crs,
          mishap,
          at,
          share: NaN,
          away: NaN,
          rank: size + (mishap === 'as they stand' ? 0 : 1e6),
        });
        continue;
      }
      const share = shareWithin(xy, near);
      const away = kilometres(at[0], at[1], middle[0], middle[1]);
      if (share === 0 && away > 300) continue;
      const outside = crs.area !== undefined && shareWithin(xy, crs.area) < 0.5 ? 25 : 0;
      found.push({
        crs,
        mishap,
        at,
        share,
        away,
        rank: away + penalty[mishap] + outside + (1 - share) * 200 + Math.min(5, size / 4000),
      });
    }
  };
  const { box } = coordinates;
  const degreesLike =
    Math.abs(box[0]) <= 360 && Math.abs(box[2]) <= 360 && Math.abs(box[1]) <= 360 && Math.abs(box[3]) <= 360;
  for (const crs of also) consider(crs, likely);
  if (degreesLike) consider(wgs84(), 0);
  // Degrees are no grid coordinates, but for a map within metres of its origin.
  if (!degreesLike || (near !== undefined && found.length === 0)) {
    for (const [code, row] of registryRows().projected) {
      const parts = row.split('|');
      const area = parts[6] === '' ? undefined : (parts[6].split(' ').map(Number) as Box);
      if (near !== undefined && area !== undefined && !touches(area, near, reach)) continue;
      if (near !== undefined && area === undefined) continue;
      const crs = crsByNumber(code)!;
      if (crs.code === undefined || also.some((each) => sameCrs(each, crs))) continue;
      try {
        consider(crs, area === undefined ? 64_800 : boxWidth(area) * (area[3] - area[1]));
      } catch {}
    }
  }
  found.sort((a, b) => a.rank - b.rank || Number(a.crs.code?.slice(5)) - Number(b.crs.code?.slice(5)));
  // Where one fits, those that bring nothing to the area are no candidates.
  const fits = found.length > 0 && found[0].share > 0.5;
  return found
    .filter(({ share }) => !fits || share > 0)
    .slice(0, most)
    .map(({ crs, mishap, at, share, away }) => ({ crs, mishap, at, share, away }));
}

/** One candidate as a sentence without a full stop. */
export function locationWords({ crs, mishap, at, share, away }: Location): string {
  const place = placeWords(at[0], at[1]);
  const fit = Number.isNaN(share)
    ? ''
    : `; ${Math.round(share * 100)} % in the area, ${Math.round(away).toLocaleString('en-GB')} km from its middle`;
  return `${crsLabel(crs)}, ${mishap}: around ${place}${fit}`;
}
