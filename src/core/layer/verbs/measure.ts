import { closeAccount, counted } from '../../account.ts';
import { type Crs, crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { innerPoint } from '../../geometry/inner-point.ts';
import { leastCircle, leastRectangle } from '../../geometry/measure/enclosing.ts';
import { convexHull } from '../../geometry/measure/hull.ts';
import { centroid, greatestCircleWithin } from '../../geometry/measure/inner-circle.ts';
import { areaUnits, lengthUnits, perUnit } from '../../geometry/measure/units.ts';
import { planarArea, planarPathLength } from '../../geometry/measures.ts';
import { usableBox } from '../../geometry/unusable.ts';
import { suggest } from '../../nearest.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** What `measureLayer` adds. */
export interface MeasureOptions {
  /** Names of `measures`. */
  what: readonly string[];
  /** Unit of lengths, of `lengthUnits`; `m` when left out. */
  lengths?: string;
  /** Unit of areas, of `areaUnits`; `m2` when left out. */
  areas?: string;
  /** Areas and lengths on the plane of a projected CRS, not on the ellipsoid. */
  planar?: boolean;
}

/** Lengths and areas of a feature in metres, on the ellipsoid or on the plane. */
interface Scales {
  area(array: GeometryArray, i: number): number;
  length(array: GeometryArray, i: number): number;
  perimeter(array: GeometryArray, i: number): number;
  /** Metres in one unit of the coordinates near a feature, for figures that are drawn on the plane. */
  metres: number;
}

interface Measure {
  words: string;
  /** What it measures: its unit, and the ending of its field. */
  kind: 'area' | 'length' | 'share' | 'count' | 'coordinate' | 'planar length';
  of(array: GeometryArray, i: number, scales: Scales): number | null;
}

const hasArea = (array: GeometryArray, i: number) => {
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
    if (array.kindOfPart(i, p) === Kind.Polygon) return true;
  return false;
};
const hasPath = (array: GeometryArray, i: number) => {
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
    if (array.kindOfPart(i, p) === Kind.LineString) return true;
  return false;
};
const areal =
  (of: Measure['of']): Measure['of'] =>
  (array, i, scales) =>
    hasArea(array, i) ? of(array, i, scales) : null;
const point: [number, number] = [0, 0];
const vertices = (array: GeometryArray, i: number) =>
  array.xy.subarray(2 * array.firstVertex(i), 2 * array.endVertex(i));

/** All measures, by name; of a feature without what is measured, the value is blank. */
export const measures: Readonly<Record<string, Measure>> = {
  area: { words: 'area', kind: 'area', of: areal((array, i, { area }) => area(array, i)) },
  length: {
    words: 'length of lines',
    kind: 'length',
    of: (array, i, { length }) => (hasPath(array, i) ? length(array, i) : null),
  },
  perimeter: {
    words: 'length of the borders of areas, holes included',
    kind: 'length',
    of: areal((array, i, { perimeter }) => perimeter(array, i)),
  },
  compactness: {
    words: 'area over that of the circle with the same perimeter: 1 for a circle',
    kind: 'share',
    of: areal((array, i, { area, perimeter }) => (4 * Math.PI * area(array, i)) / perimeter(array, i) ** 2),
  },
  roundness: {
    words: 'area over that of the least circle around it',
    kind: 'share',
    of: areal((array, i) => {
      const circle = leastCircle(vertices(array, i));
      return circle === null ? null : planarArea(array, i) / (Math.PI * circle.radius ** 2);
    }),
  },
  fullness: {
    words: 'area over that of its convex hull',
    kind: 'share',
    of: areal((array, i) => planarArea(array, i) / hullArea(vertices(array, i))),
  },
  elongation: {
    words: 'short over long side of the least rectangle around it',
    kind: 'share',
    of(array, i) {
      const corners = leastRectangle(vertices(array, i));
      if (corners === null) return null;
      const one = Math.hypot(corners[2] - corners[0], corners[3] - corners[1]);
      const other = Math.hypot(corners[4] - corners[2], corners[5] - corners[3]);
      return Math.min(one, other) / Math.max(one, other);
    },
  },
  'inner radius': {
    words: 'radius of the greatest circle within, on the plane',
    kind: 'planar length',
    of: areal((array, i, { metres }) => {
      const circle = greatestCircleWithin(array, i);
      return circle === null ? null : circle.radius * metres;
    }),
  },
  'outer radius': {
    words: 'radius of the least circle around, on the plane',
    kind: 'planar length',
    of: (array, i, { metres }) => (leastCircle(vertices(array, i))?.radius ?? Number.NaN) * metres,
  },
  centroid_x: {
    words: 'easting or longitude of the centroid',
    kind: 'coordinate',
    of: (array, i) => centroid(array, i)[0],
  },
  centroid_y: {
    words: 'northing or latitude of the centroid',
    kind: 'coordinate',
    of: (array, i) => centroid(array, i)[1],
  },
  inside_x: {
    words: 'easting or longitude of a point inside',
    kind: 'coordinate',
    of: areal((array, i) => (innerPoint(array, i, point) ? point[0] : null)),
  },
  inside_y: {
    words: 'northing or latitude of a point inside',
    kind: 'coordinate',
    of: areal((array, i) => (innerPoint(array, i, point) ? point[1] : null)),
  },
  parts: {
    words: 'number of parts',
    kind: 'count',
    of: (array, i) => array.partStart[i + 1] - array.partStart[i],
  },
  holes: {
    words: 'number of holes',
    kind: 'count',
    of: areal(
      (array, i) =>
        array.ringStart[array.partStart[i + 1]] -
        array.ringStart[array.partStart[i]] -
        (array.partStart[i + 1] - array.partStart[i]),
    ),
  },
  vertices: {
    words: 'number of vertices, as they are written',
    kind: 'count',
    of: (array, i) => array.endVertex(i) - array.firstVertex(i),
  },
};

function hullArea(xy: Float64Array): number {
  const hull = convexHull(xy);
  let twice = 0;
  hull.forEach((p, k) => {
    const q = hull[(k + 1) % hull.length];
    twice += (xy[2 * p] - xy[0]) * (xy[2 * q + 1] - xy[1]) - (xy[2 * q] - xy[0]) * (xy[2 * p + 1] - xy[1]);
  });
  return twice / 2;
}

/**
 * Adds fields with measures of each feature: areas and lengths on the ellipsoid, whatever the CRS, unless those of its plane
 * are asked for; figures that are drawn (circles, rectangles) on the plane of the coordinates.
 */
export function measureLayer(layer: Layer, options: MeasureOptions): Layer {
  const { crs } = layer;
  const { lengths = 'm', areas = 'm2', planar = false } = options;
  const chosen = options.what.map((name) => {
    if (!Object.hasOwn(measures, name))
      throw new IsomericError('measure-unknown', `There is no measure “${name}”.`, {
        blame: 'usage',
        wrong: name,
        advice:
          `${suggest(name, Object.keys(measures))} There are ${Object.keys(measures).join(', ')}.`.trim(),
      });
    return { name, ...measures[name] };
  });
  const perLength = perUnit(lengths, lengthUnits);
  const perArea = perUnit(areas, areaUnits);
  checkPlane(layer, crs, planar, chosen);
  const taken = layer.schema.map(({ name }) => name);
  const fields = chosen.map(({ name, kind, words }): Field => {
    const unit =
      kind === 'area' ? areas : kind === 'length' || kind === 'planar length' ? lengths : undefined;
    const own = freeName(
      [...name.split(' '), ...(unit === undefined ? [] : [unit])].join('_').replace(/\W+/g, '_'),
      taken,
    );
    taken.push(own);
    return {
      name: own,
      type: kind === 'count' ? 'integer' : 'real',
      title: `${words[0].toUpperCase()}${words.slice(1)}`,
      unit: unit?.replace('2', '²'),
    };
  });
  return applyVerb('Measure', layer, {
    schema: [...layer.schema, ...fields],
    count: layer.count,
    extent: layer.extent,
    handOn: (reading) => reading,
    async *run(account, source) {
      const scales = await scalesOf(crs, planar);
      const box = emptyBox();
      let all = 0;
      let measured = 0;
      let unusable = 0;
      for await (const batch of source) {
        const geometry = batch.geometry!;
        const builders = fields.map((field) => new ColumnBuilder(field.type));
        for (let i = 0; i < batch.length; i++) {
          all++;
          const usable = !geometry.isEmpty(i) && usableBox(geometry, i, box);
          if (usable) measured++;
          else if (!geometry.isEmpty(i)) {
            unusable++;
            tellUnusable(batch, i, layer.name, account.findings, 'it was not measured');
          }
          chosen.forEach(({ of, kind }, k) => {
            const value = usable ? of(geometry, i, scales) : null;
            const per =
              kind === 'area' ? perArea : kind === 'length' || kind === 'planar length' ? perLength : 1;
            if (value === null || !Number.isFinite(value)) builders[k].null();
            else builders[k].number(value / per);
          });
        }
        yield batch.with({ columns: [...batch.columns, ...builders.map((builder) => builder.finish())] });
      }
      account.counts = { in: all, measured, unusable };
      if (chosen.some(({ kind }) => kind === 'area' || kind === 'length'))
        account.notes.push(
          planar || crs === null
            ? `Areas and lengths are those of the plane${crs === null ? '' : ` of ${crsLabel(crs)}`}.`
            : 'Areas and lengths are those on the ellipsoid.',
        );
      closeAccount(
        account,
        [all, `${layer.name} in`],
        [measured, `measured: ${counted(fields.length, 'field', 'fields')} more`],
        ...(all - measured > 0 ? ([[all - measured, 'without usable geometry left blank']] as const) : []),
      );
    },
  });
}

function checkPlane(layer: Layer, crs: Crs | null, planar: boolean, chosen: readonly Measure[]): void {
  const wrong = (words: string, advice: string) =>
    new IsomericError('measure-degrees', words, { place: { layer: layer.name }, blame: 'usage', advice });
  if (crs !== null && crs.kind === 'geographic') {
    if (planar)
      throw wrong(
        `${layer.name} is in ${crsLabel(crs)}, whose coordinates are degrees: they have no plane in metres.`,
        'Leave “planar” away, or reproject the layer first.',
      );
    if (chosen.some(({ kind }) => kind === 'planar length'))
      throw wrong(
        `${layer.name} is in ${crsLabel(crs)}, whose coordinates are degrees: circles cannot be drawn in it.`,
        'Reproject the layer first, for example to the best CRS for distances.',
      );
  }
}

async function scalesOf(crs: Crs | null, planar: boolean): Promise<Scales> {
  const unit = crs?.kind === 'projected' ? crs.unit : 1;
  if (planar || crs === null)
    return {
      area: (array, i) => planarArea(array, i) * unit * unit,
      length: (array, i) => planarPathLength(array, i, Kind.LineString) * unit,
      perimeter: (array, i) => planarPathLength(array, i, Kind.Polygon) * unit,
      metres: unit,
    };
  const { geodesicMeasure } = await import('../../geometry/geodesic.ts');
  return { ...geodesicMeasure(crs), metres: unit };
}
