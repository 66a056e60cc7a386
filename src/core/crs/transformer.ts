import { IsomericError } from '../errors.ts';
import { type Box, boxOfPositions } from '../geometry/geometry-array.ts';
import {
  type Crs,
  crsLabel,
  geographicOf,
  type ProjectedCrs,
  parameterKind,
  parameterNames,
  sameCrs,
} from './crs.ts';
import { type DatumPath, datumPath } from './datum-path.ts';
import type { Step } from './datum-step.ts';
import type { GridShift } from './ntv2.ts';
import type { MethodParameters, Projection } from './projections/projection.ts';
import { methodNamed } from './projections/register.ts';

/** Turns coordinates of one CRS into those of another, in place. */
export interface Transformer {
  readonly from: Crs;
  readonly to: Crs;
  /** True when nothing needs to be done. */
  readonly identity: boolean;
  /** What is done about the datums, in words, with its accuracy. */
  readonly datumWords: string;
  /** The way between the datums, with what else there would be. */
  readonly datum: Omit<DatumPath, 'steps'>;
  /** The whole way in words, a step each. */
  readonly steps: readonly string[];
  /** Transforms `count` pairs of `xy` from pair `start`. Pairs without an image become NaN; returns how many. */
  transform(xy: Float64Array, start?: number, count?: number): number;
}

/** What a way between two CRSs may use. */
export interface TransformerOptions {
  /** Grids of shifts; the first that leads between the two datums is used. */
  grids?: readonly GridShift[];
}

/** The projection of a projected CRS, between its own geographic radians and metres. */
export function projectionOf(crs: ProjectedCrs): Projection {
  const method = methodNamed(crs.method);
  if (method === undefined)
    throw new IsomericError(
      'projection-unsupported',
      `${crs.name}: the projection ${crs.method} is not computed.`,
    );
  const { ellipsoid } = crs.base;
  if (ellipsoid.f > 0.02)
    throw new IsomericError(
      'projection-unsupported',
      `${crs.name} is on an ellipsoid flattened by 1/${(1 / ellipsoid.f).toFixed(1)}; the series used here are made for bodies like the earth (up to 1/50).`,
    );
  const parameters = {} as MethodParameters;
  for (const name of parameterNames) {
    const use = method.parameters.find((each) => each.name === name);
    const value = crs.parameters[name] ?? use?.otherwise ?? (name === 'scaleFactor' ? 1 : 0);
    const kind = parameterKind(name);
    parameters[name] =
      kind === 'angle' ? (value * Math.PI) / 180 : kind === 'length' ? value * crs.unit : value;
  }
  return method.make(ellipsoid, parameters);
}

function scaling(factor: number): Step {
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k++) xy[k] *= factor;
  };
}

/** Degrees (or another unit) to radians. What is no latitude or no longitude has no image: metres, most likely. */
function toRadians(unit: number): Step {
  const latitude = Math.PI / 2 / unit + 1e-9;
  const longitude = (3 * Math.PI) / unit;
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
      const x = xy[k];
      const y = xy[k + 1];
      if (y <= latitude && y >= -latitude && x <= longitude && x >= -longitude) {
        xy[k] = x * unit;
        xy[k + 1] = y * unit;
      } else {
        xy[k] = NaN;
        xy[k + 1] = NaN;
      }
    }
  };
}

/** Plans the way from one CRS to the other. Raises `datum-shift-unknown` when there is none. */
export function transformer(from: Crs, to: Crs, { grids = [] }: TransformerOptions = {}): Transformer {
  if (sameCrs(from, to)) {
    const datum = { words: 'same CRS', accuracy: 0, areas: [], alternatives: [] };
    return { from, to, identity: true, datumWords: 'same CRS', datum, steps: [], transform: () => 0 };
  }
  const steps: Step[] = [];
  const words: string[] = [];
  if (from.kind === 'projected') {
    if (from.unit !== 1) {
      steps.push(scaling(from.unit));
      words.push(`${from.unitName} to metres`);
    }
    const projection = projectionOf(from);
    steps.push((xy, start, count) => projection.inverse(xy, start, count));
    words.push(`back from ${methodNamed(from.method)!.title} (${crsLabel(from)})`);
  } else steps.push(toRadians(from.unit));
  const path = datumPath(geographicOf(from), geographicOf(to), grids);
  steps.push(...path.steps);
  words.push(path.words);
  if (to.kind === 'projected') {
    const projection = projectionOf(to);
    steps.push((xy, start, count) => projection.forward(xy, start, count));
    words.push(`${methodNamed(to.method)!.title} (${crsLabel(to)})`);
    if (to.unit !== 1) {
      steps.push(scaling(1 / to.unit));
      words.push(`metres to ${to.unitName}`);
    }
  } else steps.push(scaling(1 / to.unit));
  /** Pairs handled at a time: small enough to stay in the processor's cache between steps. */
  const run = 2048;
  return {
    from,
    to,
    identity: false,
    datumWords: path.words,
    datum: path,
    steps: words,
    transform(xy, start = 0, count = xy.length / 2 - start) {
      let lost = 0;
      for (let at = start; at < start + count; at += run) {
        const n = Math.min(run, start + count - at);
        for (const each of steps) each(xy, at, n);
        for (let k = 2 * at; k < 2 * (at + n); k += 2) {
          // Anything that is no number makes its sum none.
          const sum = xy[k] + xy[k + 1];
          if (sum - sum !== 0) {
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
