import { type Crs, crsLabel } from '../../crs/crs.ts';
import { wgs84 } from '../../crs/registry.ts';
import { transformer } from '../../crs/transformer.ts';
import { intersectsWith } from '../../geometry/intersects.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
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

/** S_INTERSECTS of the features with a literal in longitudes and latitudes (CQL2, clause 7.4; CRS84 is the default). */
export function spatialTest(
  e: Extract<Expression, { op: 'call' }>,
  { of, crs, isGeometry, fail }: SpatialContext,
): Node {
  const name = e.name.toUpperCase();
  if (name !== 'S_INTERSECTS')
    return fail('expression-syntax', `${name} is not known yet,`, e.at, 'S_INTERSECTS is.');
  const literal = e.args.find((arg) => arg.op === 'geometry');
  if (e.args.length !== 2 || !e.args.some(isGeometry) || literal?.op !== 'geometry')
    return fail(
      'expression-type',
      `S_INTERSECTS compares the geometry of ${of} with a geometry that is written out,`,
      e.at,
      crs === undefined
        ? `${of} has no geometry.`
        : 'Write S_INTERSECTS(geometry, BBOX(west, south, east, north)), in longitudes and latitudes.',
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
  const test = intersectsWith(shape);
  return node(
    'boolean',
    ({ geometry }) =>
      (i) =>
        geometry === null || geometry.isEmpty(i) ? null : test(geometry, i),
  );
}
