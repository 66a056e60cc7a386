import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { sameCrs } from '../../core/crs/crs.ts';
import { projjsonFromCrs } from '../../core/crs/projjson.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import {
  emptyBox,
  type GeometryArray,
  isEmptyBox,
  Kind,
  kindNames,
} from '../../core/geometry/geometry-array.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
import { WkbWriter } from '../geometry/wkb.ts';
import { Physical } from '../parquet/footer.ts';
import type { ThriftWriter } from '../parquet/thrift-writer.ts';
import {
  bytesColumn,
  encodeNumbers,
  physicalOf,
  type WrittenColumn,
  writtenColumn,
} from '../parquet/write-column.ts';
import { ParquetFile, type SchemaElement } from '../parquet/write-file.ts';
import { roundDown, roundUp } from '../writing/feature-boxes.ts';
import { HilbertSpool } from '../writing/spool.ts';
import type { ByteSink, Target } from '../writing/target.ts';

/** Rows in a group of a layer: few enough that a reading by box passes most of a file over, enough to pack well. */
const groupRows = 16_384;
/** Rows in a group of a table, which is read whole. */
const tableRows = 65_536;

/** Logical types by their numbers in the union (parquet.thrift, LogicalType). */
const logical = {
  string: (writer: ThriftWriter) => writer.struct(1, () => {}),
  date: (writer: ThriftWriter) => writer.struct(6, () => {}),
  /** Milliseconds in UTC. */
  timestamp: (writer: ThriftWriter) =>
    writer.struct(8, () => {
      writer.flag(1, true);
      writer.struct(2, () => writer.struct(1, () => {}));
    }),
  json: (writer: ThriftWriter) => writer.struct(12, () => {}),
};

/** Converted types, for readers that know no logical ones (parquet.thrift, enum ConvertedType). */
const converted = { utf8: 0, date: 6, milliseconds: 9, json: 19 } as const;

function element({ name, type }: Field): SchemaElement {
  const optional = { name, repetition: 'optional', type: physicalOf[type] } as const;
  switch (type) {
    case 'date':
      return { ...optional, converted: converted.date, logical: logical.date };
    case 'timestamp':
      return { ...optional, converted: converted.milliseconds, logical: logical.timestamp };
    case 'json':
      return { ...optional, converted: converted.json, logical: logical.json };
    case 'text':
      return { ...optional, converted: converted.utf8, logical: logical.string };
    default:
      return optional;
  }
}

const bboxFields = ['xmin', 'ymin', 'xmax', 'ymax'] as const;

/**
 * Writes GeoParquet 1.1: WKB, features in Hilbert order, row groups of 16,384 rows, and a bounding-box column whose
 * statistics let a reader pass row groups over. A table without geometry becomes plain Parquet.
 */
export async function writeGeoparquet(table: Table, target: Target): Promise<Account[]> {
  const account = openAccount('Write', table.name);
  const sink = target.create(target.name);
  const rows = isLayer(table)
    ? await writeLayer(table, target, sink, account)
    : await writeTable(table, sink);
  account.counts = { written: rows };
  closeAccount(account, [rows, `${isLayer(table) ? '' : 'rows of '}${table.name} written to ${target.name}`]);
  return [account];
}

function described(table: Table): [key: string, value: string][] {
  const told = table.schema.filter(
    (field) => field.title !== undefined || field.unit !== undefined || field.description !== undefined,
  );
  if (told.length === 0) return [];
  const entries = told.map(({ name, title, unit, description }) => [name, { title, unit, description }]);
  return [['isomeric:fields', JSON.stringify(Object.fromEntries(entries))]];
}

async function writeTable(table: Table, sink: ByteSink): Promise<number> {
  const file = new ParquetFile(sink, table.schema.map(element));
  const builders = table.schema.map((field) => new ColumnBuilder(field.type));
  let rows = 0;
  let held = 0;
  const group = () => {
    file.group(
      held,
      table.schema.map((field, c) => [[field.name], writtenColumn(builders[c].finish())] as const),
    );
    held = 0;
  };
  for await (const batch of table.batches()) {
    rows += batch.length;
    for (let from = 0; from < batch.length; ) {
      const end = Math.min(batch.length, from + tableRows - held);
      builders.forEach((builder, c) => {
        for (let i = from; i < end; i++) builder.copy(batch.columns[c], i);
      });
      held += end - from;
      from = end;
      if (held === tableRows) group();
    }
  }
  if (held > 0) group();
  file.finish(described(table));
  return rows;
}

async function writeLayer(layer: Layer, target: Target, sink: ByteSink, account: Account): Promise<number> {
  const spool = new HilbertSpool(layer, target);
  await spool.fill();
  const names = layer.schema.map((field) => field.name);
  const geometryName = freeName('geometry', names);
  const bboxName = freeName('bbox', [...names, geometryName]);
  const kinds = kindNames.filter((_, k) => k > 0 && (spool.kinds & (1 << k)) !== 0);
  const geo = {
    version: '1.1.0',
    primary_column: geometryName,
    columns: {
      [geometryName]: {
        encoding: 'WKB',
        geometry_types: spool.z ? [] : kinds,
        ...(layer.crs === null
          ? { crs: null }
          : sameCrs(layer.crs, wgs84())
            ? {}
            : { crs: projjsonFromCrs(layer.crs) }),
        ...(isEmptyBox(spool.extent) ? {} : { bbox: spool.extent }),
        covering: { bbox: Object.fromEntries(bboxFields.map((side) => [side, [bboxName, side]])) },
      },
    },
  };
  const file = new ParquetFile(sink, [
    { name: geometryName, type: Physical.ByteArray, repetition: 'optional' },
    ...layer.schema.map(element),
    { name: bboxName, repetition: 'optional', children: 4 },
    ...bboxFields.map((name): SchemaElement => ({ name, type: Physical.Float, repetition: 'required' })),
  ]);
  for (const piece of spool.inOrder(groupRows)) {
    const boxes = boxColumns(piece.geometry);
    file.group(piece.length, [
      [[geometryName], blobColumn(piece.geometry)],
      ...layer.schema.map((field, c) => [[field.name], writtenColumn(piece.columns[c])] as const),
      ...bboxFields.map((side, k) => [[bboxName, side], boxes[k]] as const),
    ]);
  }
  file.finish([['geo', JSON.stringify(geo)], ...described(layer)]);
  if (layer.crs === null) account.notes.push('The layer has no CRS; it is written as unknown.');
  account.notes.push('Features stand in the order of their places, not in that of the source.');
  return spool.count;
}

/** Geometries as WKB, one after the other. */
function blobColumn(geometry: GeometryArray): WrittenColumn {
  const wkb = new WkbWriter();
  const builder = new ColumnBuilder('bytes');
  for (let i = 0; i < geometry.length; i++) {
    if (geometry.kind[i] === Kind.None) builder.null();
    else {
      const bytes = wkb.write(geometry, i);
      builder.raw(bytes, 0, bytes.length);
    }
  }
  const column = builder.finish();
  return bytesColumn(column.bytes!, column.offsets!, column.length, (i) => column.isNull(i), false);
}

/** Boxes in single precision, outwards, so that none is smaller than its feature; none where there is no vertex. */
function boxColumns(geometry: GeometryArray): WrittenColumn[] {
  const box = emptyBox();
  const there = new Uint8Array(geometry.length);
  const sides = bboxFields.map(() => new Float64Array(geometry.length));
  let n = 0;
  for (let i = 0; i < geometry.length; i++) {
    geometry.boxOf(i, box);
    if (isEmptyBox(box)) continue;
    there[i] = 1;
    sides[0][n] = roundDown(box[0]);
    sides[1][n] = roundDown(box[1]);
    sides[2][n] = roundUp(box[2]);
    sides[3][n] = roundUp(box[3]);
    n++;
  }
  return sides.map((values) =>
    encodeNumbers(
      values.subarray(0, n),
      Physical.Float,
      geometry.length,
      n === geometry.length ? null : there,
    ),
  );
}
