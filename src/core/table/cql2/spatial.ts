import { type Crs, crsLabel } from '../../crs/crs.ts';
import { wgs84 } from '../../crs/registry.ts';
import { transformer } from '../../crs/transformer.ts';
import { boxesMeet, dimensionOf, emptyBox, type GeometryArray } from '../../geometry/geometry-array.ts';
import { intersectsWith } from '../../geometry/intersects.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, settleByBox } from '../../geometry/overlay/clipping.ts';
import { greatestDimension, relate, relations } from '../../geometry/overlay/relate.ts';
import { suggest } from '../../nearest.ts';
import { type Node, node } from './node.ts';
import type { Expression } from './syntax.ts';

/** What a spatial test asks of the condition it stands in. */
export interface SpatialContext {
  /** What is tested, in words. */
  of: string;
  /** CRS of the features; null when it is not known, undefined when there is no geometry. */
  crs: Crs | null | undefined;
  isGeometry(e: Expression): boolean;
  fail(code: string, words: string, at: number, advice?: string): never;
}

/** Spatial tests of CQL2 (OGC 21-065r2, clauses 7.4 and 7.5) → the relation. */
const tests: Readonly<Record<string, string>> = {
  S_INTERSECTS: 'intersects',
  S_EQUALS: 'equals',
  S_DISJOINT: 'disjoint',
  S_TOUCHES: 'touches',
  S_WITHIN: 'within',
  S_OVERLAPS: 'overlaps',
  S_CROSSES: 'crosses',
  S_CONTAINS: 'contains',
};

/** A test of the features with a literal in longitudes and latitudes (CRS84 is the default). */
export function spatialTest(
  e: Extract<Expression, { op: 'call' }>,
  { of, crs, isGeometry, fail }: SpatialContext,
): Node {
  const name = e.name.toUpperCase();
  if (!Object.hasOwn(tests, name))
    return fail('expression-syntax', `${name} is no spatial test,`, e.at, suggest(name, Object.keys(tests)));
  const literal = e.args.find((arg) => arg.op === 'geometry');
  if (e.args.length !== 2 || !e.args.some(isGeometry) || literal?.op !== 'geometry')
    return fail(
      'expression-type',
      `${name} compares the geometry of ${of} with a geometry that is written out,`,
      e.at,
      crs === undefined
        ? `${of} has no geometry.`
        : `Write ${name}(geometry, BBOX(west, south, east, north)), in longitudes and latitudes.`,
    );
  if (crs === null || crs === undefined)
    return fail(
      'crs-missing',
      `${of} has no CRS, so longitudes and latitudes cannot be found in it,`,
      e.at,
      'Say which CRS it has first.',
    );
  const shape = geometriesFrom([literal.value]);
  if (transformer(wgs84(), crs).transform(shape.xy) > 0)
    return fail(
      'expression-type',
      `The geometry reaches where ${crsLabel(crs)} has no coordinates,`,
      literal.at,
    );
  const test =
    name === 'S_INTERSECTS' ? intersectsWith(shape) : relatedTo(shape, tests[name], e.args[0] === literal);
  return node(
    'boolean',
    ({ geometry }) =>
      (i) =>
        geometry === null || geometry.isEmpty(i) ? null : test(geometry, i),
  );
}

/** Makes a test of one relation; `turned`: of the literal to the feature. What lies apart is settled by the boxes. */
function relatedTo(
  shape: GeometryArray,
  relation: string,
  turned: boolean,
): (array: GeometryArray, i: number) => boolean {
  const own = shape.boxOf(0, emptyBox());
  const dimension = greatestDimension(shape, 0);
  // An area is made ready once: what lies well within it, or apart, is settled without a look at its border.
  const area = dimensionOf(shape.kind[0]) === 2 ? new AreaIndex(shape) : null;
  const whenWithin = relation === 'intersects' || relation === (turned ? 'contains' : 'within');
  const box = emptyBox();
  return (array, i) => {
    if (!boxesMeet(own, array.boxOf(i, box))) return relation === 'disjoint';
    const fate = area === null ? Clipped.Undecided : settleByBox(area, box);
    if (fate === Clipped.Outside) return relation === 'disjoint';
    if (fate === Clipped.Whole) return whenWithin;
    const matrix = turned ? relate(shape, 0, array, i) : relate(array, i, shape, 0);
    const other = greatestDimension(array, i);
    return relations[relation](matrix, turned ? dimension : other, turned ? other : dimension);
  };
}
