import { IsomericError } from '../errors.ts';
import { type Box, boxOfPositions } from '../geometry/geometry-array.ts';
import {
  type Crs,
  crsLabel,
  type DatumShift,
  eccentricitySquared,
  type GeographicCrs,
  geographicOf,
  type ProjectedCrs,
  type ProjectionParameters,
  sameCrs,
  sameDatumName,
  sameEllipsoid,
} from './crs.ts';
import type { Projection } from './projections/projection.ts';
import { methodNamed } from './projections/register.ts';

/** Turns coordinates of one CRS into those of another, in place. */
export interface Transformer {
  readonly from: Crs;
  readonly to: Crs;
  /** True when nothing needs to be done. */
  readonly identity: boolean;
  /** What is done about the datums, in words, with its accuracy. */
  readonly datumWords: string;
  /** Transforms `count` pairs of `xy` from pair `start`. Pairs without an image become NaN; returns how many. */
  transform(xy: Float64Array, start?: number, count?: number): number;
}

type Step = (xy: Float64Array, from: number, count: number) => void;

/** The projection of a projected CRS, between its own geographic radians and metres. */
function projectionOf(crs: ProjectedCrs): Projection {
  const method = methodNamed(crs.method);
  if (method === undefined)
    throw new IsomericError(
      'projection-unsupported',
      `${crs.name}: the projection ${crs.method} is not computed yet.`,
    );
  const degrees = Math.PI / 180;
  const p = crs.parameters;
  const parameters: Required<ProjectionParameters> = {
    latitudeOfOrigin: (p.latitudeOfOrigin ?? 0) * degrees,
    centralMeridian: (p.centralMeridian ?? 0) * degrees,
    scaleFactor: p.scaleFactor ?? 1,
    standardParallel1: (p.standardParallel1 ?? 0) * degrees,
    standardParallel2: (p.standardParallel2 ?? 0) * degrees,
    falseEasting: (p.falseEasting ?? 0) * crs.unit,
    falseNorthing: (p.falseNorthing ?? 0) * crs.unit,
  };
  return method.make(crs.base.ellipsoid, parameters);
}

function scaling(factor: number): Step {
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k++) xy[k] *= factor;
  };
}

/** Radians → radians on another ellipsoid, over geocentric coordinates (EPSG methods 9602 and 9606). */
function datumStep(source: GeographicCrs, target: GeographicCrs): Step {
  const forward = helmert(source.shift!, 1);
  const backward = helmert(target.shift!, -1);
  const a1 = source.ellipsoid.a;
  const e1 = eccentricitySquared(source.ellipsoid);
  const a2 = target.ellipsoid.a;
  const e2 = eccentricitySquared(target.ellipsoid);
  const b2 = a2 * (1 - target.ellipsoid.f);
  const second = e2 / (1 - e2);
  const meridian1 = (source.primeMeridian * Math.PI) / 180;
  const meridian2 = (target.primeMeridian * Math.PI) / 180;
  const point = new Float64Array(3);
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
      const lambda = xy[k] + meridian1;
      const phi = xy[k + 1];
      const s = Math.sin(phi);
      const c = Math.cos(phi);
      const nu = a1 / Math.sqrt(1 - e1 * s * s);
      point[0] = nu * c * Math.cos(lambda);
      point[1] = nu * c * Math.sin(lambda);
      point[2] = nu * (1 - e1) * s;
      forward(point);
      backward(point);
      // Bowring (1976, 1985) for φ: on the surface one step is exact to nanometres; a second one costs little.
      const p = Math.hypot(point[0], point[1]);
      let theta = Math.atan2(point[2] * a2, p * b2);
      let st = Math.sin(theta);
      let ct = Math.cos(theta);
      let latitude = Math.atan2(point[2] + second * b2 * st * st * st, p - e2 * a2 * ct * ct * ct);
      theta = Math.atan2(b2 * Math.sin(latitude), a2 * Math.cos(latitude));
      st = Math.sin(theta);
      ct = Math.cos(theta);
      latitude = Math.atan2(point[2] + second * b2 * st * st * st, p - e2 * a2 * ct * ct * ct);
      xy[k] = Math.atan2(point[1], point[0]) - meridian2;
      xy[k + 1] = latitude;
    }
  };
}

/**
 * Position-vector Helmert transformation (EPSG Guidance Note 7-2, 4.3.3.1). The way back inverts the matrix exactly,
 * so that there and back gives the same point.
 */
function helmert(shift: DatumShift, direction: 1 | -1): (point: Float64Array) => void {
  const arcSecond = Math.PI / 648_000;
  const m = 1 + shift.ppm * 1e-6;
  const rx = shift.rx * arcSecond;
  const ry = shift.ry * arcSecond;
  const rz = shift.rz * arcSecond;
  const { tx, ty, tz } = shift;
  if (direction === 1) {
    return (q) => {
      const [x, y, z] = q;
      q[0] = m * (x - rz * y + ry * z) + tx;
      q[1] = m * (rz * x + y - rx * z) + ty;
      q[2] = m * (-ry * x + rx * y + z) + tz;
    };
  }
  const det = 1 + rx * rx + ry * ry + rz * rz;
  const inverse = [
    (1 + rx * rx) / det,
    (rz + rx * ry) / det,
    (-ry + rx * rz) / det,
    (-rz + rx * ry) / det,
    (1 + ry * ry) / det,
    (rx + ry * rz) / det,
    (ry + rx * rz) / det,
    (-rx + ry * rz) / det,
    (1 + rz * rz) / det,
  ];
  return (q) => {
    const x = (q[0] - tx) / m;
    const y = (q[1] - ty) / m;
    const z = (q[2] - tz) / m;
    q[0] = inverse[0] * x + inverse[1] * y + inverse[2] * z;
    q[1] = inverse[3] * x + inverse[4] * y + inverse[5] * z;
    q[2] = inverse[6] * x + inverse[7] * y + inverse[8] * z;
  };
}

function sameShift(a: DatumShift, b: DatumShift): boolean {
  return (
    a.tx === b.tx &&
    a.ty === b.ty &&
    a.tz === b.tz &&
    a.rx === b.rx &&
    a.ry === b.ry &&
    a.rz === b.rz &&
    a.ppm === b.ppm
  );
}

/** What has to be done between two datums, and its words. */
function betweenDatums(a: GeographicCrs, b: GeographicCrs): { step: Step | null; words: string } {
  const turn = ((a.primeMeridian - b.primeMeridian) * Math.PI) / 180;
  const meridian: Step | null =
    turn === 0
      ? null
      : (xy, from, count) => {
          for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) xy[k] += turn;
        };
  if (sameDatumName(a.datum, b.datum) && sameEllipsoid(a.ellipsoid, b.ellipsoid)) {
    return { step: meridian, words: 'same datum' };
  }
  if (a.shift === null || b.shift === null) {
    const without = a.shift === null ? a : b;
    throw new IsomericError(
      'datum-shift-unknown',
      `No datum shift is known for ${crsLabel(without)} (datum ${without.datum}), so its coordinates cannot be brought to another datum.`,
      {
        advice:
          'Give the layer a CRS text with TOWGS84 from the authority of that datum, or keep the layer in its own CRS.',
      },
    );
  }
  const accuracy = Math.hypot(a.shift.accuracy, b.shift.accuracy);
  const told = Number.isNaN(accuracy)
    ? 'accuracy not stated'
    : `accuracy about ${Math.max(1, Math.round(accuracy))} m`;
  const real = [a, b]
    .filter((crs) => !/WGS 84 itself/.test(crs.shift!.source))
    .map((crs) => `${crs.datum}: ${crs.shift!.source}`);
  if (sameShift(a.shift, b.shift) && sameEllipsoid(a.ellipsoid, b.ellipsoid))
    return { step: meridian, words: `datums equal to WGS 84 (${told})` };
  return { step: datumStep(a, b), words: `datum shift ${real.join('; ')}; ${told}` };
}

/** Plans the way from one CRS to the other. Raises `datum-shift-unknown` when there is none. */
export function transformer(from: Crs, to: Crs): Transformer {
  if (sameCrs(from, to)) {
    return { from, to, identity: true, datumWords: 'same CRS', transform: () => 0 };
  }
  const steps: Step[] = [];
  const a = geographicOf(from);
  const b = geographicOf(to);
  if (from.kind === 'projected') {
    if (from.unit !== 1) steps.push(scaling(from.unit));
    const projection = projectionOf(from);
    steps.push((xy, start, count) => projection.inverse(xy, start, count));
  } else steps.push(scaling(from.unit));
  const { step, words } = betweenDatums(a, b);
  if (step !== null) steps.push(step);
  if (to.kind === 'projected') {
    const projection = projectionOf(to);
    steps.push((xy, start, count) => projection.forward(xy, start, count));
    if (to.unit !== 1) steps.push(scaling(1 / to.unit));
  } else steps.push(scaling(1 / to.unit));
  /** Pairs handled at a time: small enough to stay in the processor's cache between steps. */
  const run = 2048;
  return {
    from,
    to,
    identity: false,
    datumWords: words,
    transform(xy, start = 0, count = xy.length / 2 - start) {
      let lost = 0;
      for (let at = start; at < start + count; at += run) {
        const n = Math.min(run, start + count - at);
        for (const each of steps) each(xy, at, n);
        for (let k = 2 * at; k < 2 * (at + n); k += 2) {
          if (!Number.isFinite(xy[k]) || !Number.isFinite(xy[k + 1])) {
            xy[k] = NaN;
            xy[k + 1] = NaN;
            lost++;
          }
        }
      }
      return lost;
    },
  };
}

/** Box of a box in another CRS: its border, densified, transformed. */
export function transformBox(box: Box, through: Transformer, steps = 32): Box {
  const points: number[] = [];
  for (let i = 0; i <= steps; i++) {
    const x = box[0] + ((box[2] - box[0]) * i) / steps;
    const y = box[1] + ((box[3] - box[1]) * i) / steps;
    points.push(x, box[1], x, box[3], box[0], y, box[2], y, x, (box[1] + box[3]) / 2);
  }
  const xy = Float64Array.from(points);
  through.transform(xy);
  return boxOfPositions(xy);
}
