import fc from 'fast-check';
import {
  type Column,
  ColumnBuilder,
  type Field,
  type FieldType,
  type GeometryObject,
  type Position,
  type Value,
} from '../../src/core/index.ts';

/** Coordinates without −0, which JSON does not keep. */
const coordinate = fc
  .double({ min: -1e6, max: 1e6, noNaN: true })
  .map((v) => Math.round(v * 4096) / 4096 + v * 1e-9 + 0)
  .map((v) => (Math.abs(v) < 1e-6 ? 0 : v));

/** Any geometry of one dimension count (2 or 3), or null; lines with two points and more, closed rings. */
export function anyGeometry(options: { collections?: boolean } = {}): fc.Arbitrary<GeometryObject | null> {
  const ofDimension = (dimension: 2 | 3): fc.Arbitrary<GeometryObject | null> => {
    const position: fc.Arbitrary<Position> = fc.array(coordinate, {
      minLength: dimension,
      maxLength: dimension,
    });
    const path = fc.array(position, { minLength: 2, maxLength: 6 });
    const ring = fc
      .array(position, { minLength: 3, maxLength: 6 })
      .map((points) => [...points, [...points[0]]]);
    const rings = fc.array(ring, { minLength: 1, maxLength: 3 });
    const single = fc.oneof(
      position.map((coordinates): GeometryObject => ({ type: 'Point', coordinates })),
      path.map((coordinates): GeometryObject => ({ type: 'LineString', coordinates })),
      rings.map((coordinates): GeometryObject => ({ type: 'Polygon', coordinates })),
    );
    const others: fc.Arbitrary<GeometryObject | null>[] = [
      fc
        .array(position, { maxLength: 4 })
        .map((coordinates): GeometryObject => ({ type: 'MultiPoint', coordinates })),
      fc
        .array(path, { maxLength: 3 })
        .map((coordinates): GeometryObject => ({ type: 'MultiLineString', coordinates })),
      fc
        .array(rings, { maxLength: 3 })
        .map((coordinates): GeometryObject => ({ type: 'MultiPolygon', coordinates })),
      fc.constantFrom<GeometryObject | null>(
        null,
        { type: 'Point', coordinates: [] },
        { type: 'LineString', coordinates: [] },
        { type: 'Polygon', coordinates: [] },
      ),
    ];
    if (options.collections !== false)
      others.push(
        fc
          .array(single, { maxLength: 3 })
          .map((geometries): GeometryObject => ({ type: 'GeometryCollection', geometries })),
      );
    return fc.oneof(single, ...others);
  };
  return fc.oneof(ofDimension(2), ofDimension(3));
}

const valuesOf: Record<FieldType, fc.Arbitrary<Value>> = {
  integer: fc.maxSafeInteger(),
  real: fc.double({ noNaN: true, noDefaultInfinity: true }).map((v) => v + 0),
  text: fc.string({ unit: 'grapheme', maxLength: 12 }),
  boolean: fc.boolean(),
  date: fc
    .integer({ min: -20000, max: 40000 })
    .map((days) => new Date(days * 86_400_000).toISOString().slice(0, 10)),
  timestamp: fc
    .integer({ min: 0, max: 2_000_000_000 })
    .map((s) => new Date(s * 1000).toISOString().replace('.000Z', 'Z')),
  bytes: fc.uint8Array({ maxLength: 6 }),
  json: fc.oneof(
    fc.dictionary(
      fc.string({ maxLength: 4 }).filter((key) => key !== '__proto__'),
      fc.integer(),
      { maxKeys: 3 },
    ),
    fc.array(fc.integer(), { maxLength: 3 }),
  ),
};

function columnOf(type: FieldType, values: readonly Value[]): Column {
  const builder = new ColumnBuilder(type);
  for (const value of values) {
    if (value === null) builder.null();
    else if (type === 'bytes') builder.raw(value as Uint8Array, 0, (value as Uint8Array).length);
    else if (type === 'json') builder.text(JSON.stringify(value));
    else if (type === 'date') builder.number(Date.parse(value as string) / 86_400_000);
    else if (type === 'timestamp') builder.number(Date.parse(value as string));
    else if (typeof value === 'string') builder.text(value);
    else builder.number(Number(value));
  }
  return builder.finish();
}

export interface Rows {
  fields: Field[];
  rows: Value[][];
  columns: Column[];
}

/** Rows with fields of the given types (each at most once or twice), with blanks. */
export function anyRows(
  types: readonly FieldType[] = ['integer', 'real', 'text', 'boolean', 'date', 'timestamp', 'bytes', 'json'],
  least = 0,
): fc.Arbitrary<Rows> {
  return fc
    .record({
      types: fc.array(fc.constantFrom(...types), { minLength: 1, maxLength: 5 }),
      count: fc.integer({ min: least, max: 25 }),
    })
    .chain(({ types: chosen, count }) =>
      fc
        .tuple(
          ...chosen.map((type) =>
            fc.array(fc.option(valuesOf[type], { freq: 6 }), { minLength: count, maxLength: count }),
          ),
        )
        .map((columns) => ({
          fields: chosen.map((type, k): Field => ({ name: `${type}_${k}`, type })),
          rows: Array.from({ length: count }, (_, i) => columns.map((column) => column[i] as Value)),
          columns: chosen.map((type, k) => columnOf(type, columns[k] as Value[])),
        })),
    );
}
