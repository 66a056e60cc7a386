import {
  Batch,
  type Column,
  ColumnBuilder,
  crsByEpsg,
  crsFromText,
  type Field,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  Kind,
  type Layer,
  layerOf,
  type Table,
  type Value,
} from '../../src/core/index.ts';
import { rowField } from './compare.ts';

function columnOf(field: Field, values: readonly Value[]): Column {
  const builder = new ColumnBuilder(field.type);
  for (const value of values) {
    if (value === null) builder.null();
    else if (value instanceof Uint8Array) builder.raw(value, 0, value.length);
    else if (field.type === 'json') builder.text(JSON.stringify(value));
    else if (field.type === 'date') builder.number(Date.parse(String(value)) / 86_400_000);
    else if (field.type === 'timestamp') builder.number(Date.parse(String(value)));
    else if (typeof value === 'boolean') builder.number(value ? 1 : 0);
    else if (typeof value === 'number') builder.number(value);
    else builder.text(String(value));
  }
  return builder.finish();
}

/** The same table with a field that numbers its rows. */
export function numbered<T extends Table>(table: T): T {
  return {
    ...table,
    schema: [...table.schema, { name: rowField, type: 'integer' }],
    async *batches(options) {
      let row = 0;
      for await (const batch of table.batches(options)) {
        const builder = new ColumnBuilder('integer');
        for (let i = 0; i < batch.length; i++) builder.number(++row);
        yield batch.with({ columns: [...batch.columns, builder.finish()] });
      }
    },
  };
}

const point: GeometryObject = { type: 'Point', coordinates: [-29.5, 45.25] };

function layer(
  name: string,
  fields: Field[],
  rows: Value[][],
  geometries: (GeometryObject | null)[] = rows.map(() => point),
  crs = crsByEpsg(4326),
): Layer {
  return numbered(
    layerOf({
      name,
      schema: fields,
      crs,
      batches: [
        new Batch({
          length: rows.length,
          first: 0,
          geometry: geometriesFrom(geometries),
          columns: fields.map((field, c) =>
            columnOf(
              field,
              rows.map((row) => row[c]),
            ),
          ),
        }),
      ],
    }),
  );
}

/** Lines whose vertices have measures, some of them none. */
function measured(): Layer {
  const plain = layer('measured', [], [[], []], [point, point]);
  return {
    ...plain,
    async *batches() {
      const builder = new GeometryMaker();
      for (const some of [3, 1]) {
        builder.feature(Kind.LineString);
        builder.part();
        builder.ring();
        for (let k = 0; k < 3; k++) {
          builder.vertex(-29.5 + k / 8, 45.25);
          if (k < some) builder.measure(10 * k + 1);
        }
      }
      for await (const batch of plain.batches()) yield batch.with({ geometry: builder.finish() });
    },
  };
}

const square = (x: number, y: number, size: number): number[][] => [
  [x, y],
  [x + size, y],
  [x + size, y + size],
  [x, y + size],
  [x, y],
];

/** Layers that each try one thing that a format may not hold. */
export function probes(): Layer[] {
  const text: Field = { name: 't', type: 'text' };
  return [
    layer(
      'texts',
      [text],
      [
        ['plain'],
        [' before'],
        ['after '],
        ['two\nlines'],
        [''],
        [null],
        ['  '],
        ['"quoted", and; more'],
        ['=1+2'],
        ['Ärmel ß 地図 😀'],
      ],
    ),
    layer('controls', [text], [['bell\u0007'], ['a\u0000b'], ['tab\there'], ['return\rhere'], ['\ufffe']]),
    layer('codes', [{ name: 'code', type: 'text', role: 'code' }], [['0101'], ['0102']]),
    layer('long', [text], [['x'.repeat(300)], ['y'.repeat(40_000)]]),
    layer(
      'whole',
      [{ name: 'n', type: 'integer' }],
      [[0], [-1], [2 ** 31], [Number.MAX_SAFE_INTEGER], [-Number.MAX_SAFE_INTEGER], [null]],
    ),
    layer('real', [{ name: 'r', type: 'real' }], [[0.1], [1e300], [5e-324], [-2.5], [1 / 3], [3], [null]]),
    layer('truth', [{ name: 'ok', type: 'boolean' }], [[true], [false], [null]]),
    layer(
      'days',
      [{ name: 'd', type: 'date' }],
      [['2024-02-29'], ['1899-12-31'], ['0044-03-15'], ['9999-12-31'], [null]],
    ),
    layer(
      'moments',
      [{ name: 'at', type: 'timestamp' }],
      [['2024-02-29T23:59:59.125Z'], ['1969-07-20T20:17:40Z'], [null]],
    ),
    layer('bytes', [{ name: 'b', type: 'bytes' }], [[Uint8Array.of(0, 255, 10)], [null]]),
    layer('json', [{ name: 'j', type: 'json' }], [[{ a: [1, 'x', null] } as never], ['text'], [5], [null]]),
    layer(
      'names',
      [
        { name: 'Fläche m²', type: 'real' },
        { name: 'a name of more than ten signs', type: 'text' },
        { name: '', type: 'text' },
        { name: 'A', type: 'text' },
        { name: 'a', type: 'text' },
      ],
      [[1.5, 'x', 'y', 'p', 'q']],
    ),
    layer(
      'described',
      [{ name: 'n', type: 'integer', title: 'Households', unit: 'number', description: 'Counted by hand' }],
      [[5]],
    ),
    layer(
      'marked',
      [{ name: 'n', type: 'integer', marks: [{ text: '*', reason: 'suppressed' }] }],
      [[5], [null]],
    ),
    layer(
      'kinds',
      [],
      [[], [], [], [], [], []],
      [
        { type: 'Point', coordinates: [-29, 45] },
        {
          type: 'MultiPoint',
          coordinates: [
            [-29, 45],
            [-28, 45],
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [-29, 45],
            [-28, 45],
          ],
        },
        {
          type: 'MultiLineString',
          coordinates: [
            [
              [-29, 45],
              [-28, 45],
            ],
            [
              [-27, 45],
              [-26, 44],
            ],
          ],
        },
        { type: 'Polygon', coordinates: [square(-29, 45, 1), square(-28.75, 45.25, 0.5).reverse()] },
        { type: 'MultiPolygon', coordinates: [[square(-29, 45, 1)], [square(-27, 45, 1)]] },
      ],
    ),
    layer(
      'single areas',
      [],
      [[], []],
      [
        { type: 'Polygon', coordinates: [square(-29, 45, 1)] },
        { type: 'MultiPolygon', coordinates: [[square(-27, 45, 1)]] },
      ],
    ),
    layer(
      'collection',
      [],
      [[]],
      [
        {
          type: 'GeometryCollection',
          geometries: [
            { type: 'Point', coordinates: [-29, 45] },
            {
              type: 'LineString',
              coordinates: [
                [-29, 45],
                [-28, 45],
              ],
            },
          ],
        },
      ],
    ),
    layer('none', [], [[], []], [point, null]),
    layer('empty', [], [[], []], [{ type: 'Point', coordinates: [] }, point]),
    layer(
      'heights',
      [],
      [[], []],
      [
        {
          type: 'LineString',
          coordinates: [
            [-29, 45, 5],
            [-28, 45, 6],
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [-29, 45, 7],
            [-28, 45],
          ] as number[][],
        },
      ],
    ),
    measured(),
    layer('precise', [], [[]], [{ type: 'Point', coordinates: [-29.1234567890123, 45.9876543210987] }]),
    layer(
      'order',
      [text],
      [['north east'], ['south west'], ['middle']],
      [
        { type: 'Point', coordinates: [-20, 50] },
        { type: 'Point', coordinates: [-40, 40] },
        { type: 'Point', coordinates: [-30, 45] },
      ],
    ),
    layer(
      'metres',
      [],
      [[]],
      [{ type: 'Point', coordinates: [500_000.125, 5_000_000.25] }],
      crsByEpsg(32626),
    ),
    layer('no CRS', [], [[]], [{ type: 'Point', coordinates: [5, 6] }], null),
    layer(
      'CRS of its own',
      [],
      [[]],
      [{ type: 'Point', coordinates: [5, 6] }],
      crsFromText(
        'PROJCS["Own",GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["latitude_of_origin",0],PARAMETER["central_meridian",-29],PARAMETER["scale_factor",1],PARAMETER["false_easting",0],PARAMETER["false_northing",0],UNIT["metre",1]]',
      ),
    ),
  ];
}
