import type { Box } from '../geometry/geometry-array.ts';
import { type Crs, degreesFrame, eccentricitySquared, geographicOf } from './crs.ts';
import { transformer } from './transformer.ts';

/** How a CRS distorts at one place. */
export interface Distortion {
  /** Degrees, on the CRS's own datum from Greenwich. */
  longitude: number;
  latitude: number;
  /** Least and greatest scale of lengths, over all directions: 1 is true. */
  leastScale: number;
  greatestScale: number;
  /** Scale of areas. */
  areaScale: number;
  /** Greatest change of an angle, degrees. */
  angle: number;
}

/** A CRS over an area. */
export interface DistortionReport {
  crs: Crs;
  points: Distortion[];
  /** Corners of the box: south-west, south-east, north-east, north-west. */
  corners: Distortion[];
  /** Where lengths are most wrong. */
  worst: Distortion;
  leastScale: number;
  greatestScale: number;
  leastArea: number;
  greatestArea: number;
  greatestAngle: number;
  /** Places of the grid that have no image. */
  without: number;
}

const step = 2e-6;

/**
 * Scale, area and angle by numerical differentiation of the transformation, on the ellipsoid (Tissot's indicatrix; Snyder
 * 1987, eqs. 4-10 to 4-16). A geographic CRS is looked at as it is drawn and measured: degrees as lengths, true along the
 * meridian.
 */
export function distortionAt(crs: Crs): (longitude: number, latitude: number) => Distortion | null {
  const base = geographicOf(crs);
  const through = transformer(degreesFrame(crs), crs);
  const { a } = base.ellipsoid;
  const e2 = eccentricitySquared(base.ellipsoid);
  const metres = crs.kind === 'projected' ? crs.unit : crs.unit * a;
  const xy = new Float64Array(8);
  const degree = Math.PI / 180;
  return (longitude, latitude) => {
    const phi = latitude * degree;
    const dPhi = Math.abs(latitude) > 89.99 ? 0 : step / degree;
    if (dPhi === 0) return null;
    const dLambda = step / degree / Math.cos(phi);
    xy.set([
      longitude - dLambda,
      latitude,
      longitude + dLambda,
      latitude,
      longitude,
      latitude - dPhi,
      longitude,
      latitude + dPhi,
    ]);
    if (through.identity) xy.set(xy);
    if (through.transform(xy) > 0) return null;
    const w = Math.sqrt(1 - e2 * Math.sin(phi) ** 2);
    const parallel = (2 * dLambda * degree * (a * Math.cos(phi))) / w;
    const meridian = (2 * dPhi * degree * a * (1 - e2)) / w ** 3;
    const xl = ((xy[2] - xy[0]) * metres) / parallel;
    const yl = ((xy[3] - xy[1]) * metres) / parallel;
    const xp = ((xy[6] - xy[4]) * metres) / meridian;
    const yp = ((xy[7] - xy[5]) * metres) / meridian;
    const area = Math.abs(xl * yp - xp * yl);
    const squares = xl * xl + yl * yl + xp * xp + yp * yp;
    const sum = Math.sqrt(Math.max(0, squares + 2 * area));
    const difference = Math.sqrt(Math.max(0, squares - 2 * area));
    const greatest = (sum + difference) / 2;
    const least = (sum - difference) / 2;
    if (!Number.isFinite(greatest) || greatest > 1e6) return null;
    return {
      longitude,
      latitude,
      leastScale: least,
      greatestScale: greatest,
      areaScale: area,
      angle: (2 * Math.asin(Math.min(1, difference / sum))) / degree,
    };
  };
}

const off = ({ leastScale, greatestScale }: Distortion) =>
  Math.max(Math.abs(Math.log(leastScale)), Math.abs(Math.log(greatestScale)));

/** Looks at a CRS over a box in degrees (west greater than east across the antimeridian), on a grid of `side` × `side`. */
export function distortionOver(crs: Crs, box: Box, side = 9): DistortionReport | null {
  const [west, south, e, north] = box;
  const east = e < west ? e + 360 : e;
  const at = distortionAt(crs);
  // All around the globe, the edge of the area is the edge of the map: a hair within.
  const hair = east - west > 359 ? 1e-4 : 0;
  const points: Distortion[] = [];
  const corners: Distortion[] = [];
  let without = 0;
  for (let row = 0; row < side; row++) {
    for (let column = 0; column < side; column++) {
      const found = at(
        west + (east - west) * (hair + ((1 - 2 * hair) * column) / (side - 1)),
        Math.max(-89.9, Math.min(89.9, south + ((north - south) * row) / (side - 1))),
      );
      if (found === null) without++;
      else {
        points.push(found);
        if (row % (side - 1) === 0 && column % (side - 1) === 0) corners.push(found);
      }
    }
  }
  if (points.length === 0) return null;
  const of = (pick: (each: Distortion) => number, most: boolean) =>
    points.reduce(
      (best, each) => (most ? Math.max(best, pick(each)) : Math.min(best, pick(each))),
      pick(points[0]),
    );
  return {
    crs,
    points,
    corners,
    worst: points.reduce((worst, each) => (off(each) > off(worst) ? each : worst)),
    leastScale: of((each) => each.leastScale, false),
    greatestScale: of((each) => each.greatestScale, true),
    leastArea: of((each) => each.areaScale, false),
    greatestArea: of((each) => each.areaScale, true),
    greatestAngle: of((each) => each.angle, true),
    without,
  };
}

/** Greatest error of a length, as a share: 0.0004 is 40 cm in a kilometre. */
export const lengthError = (report: DistortionReport) =>
  Math.max(report.greatestScale - 1, 1 - report.leastScale);
/** By what share areas of equal size may come out unequal. */
export const areaSpread = (report: DistortionReport) => report.greatestArea / report.leastArea - 1;
