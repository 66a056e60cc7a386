import type { SchemaElement } from 'hyparquet';
import { ByteWriter, type ColumnSource, ParquetWriter } from 'hyparquet-writer';
import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { sameCrs } from '../../core/crs/crs.ts';
import { projjsonFromCrs } from '../../core/crs/projjson.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { emptyBox, isEmptyBox, Kind, kindNames } from '../../core/geometry/geometry-array.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
import { WkbWriter } from '../wkb.ts';
import { roundDown, roundUp } from '../writing/feature-boxes.ts';
import { HilbertSpool } from '../writing/spool.ts';
import type { ByteSink, Target } from '../writing/target.ts';

/** Rows in a group: few enough that a reading by box passes most of a file over, enough to pack well. */
const groupRows = 16_384;

function element(field: Field): SchemaElement {
  const optional = { name: field.name, repetition_type: 'OPTIONAL' } as const;
  switch (field.type) {
    case 'integer':
      return { ...optional, type: 'INT64' };
    case 'real':
      return { ...optional, type: 'DOUBLE' };
    case 'boolean':
      return { ...optional, type: 'BOOLEAN' };
    case 'date':
      return { ...optional, type: 'INT32', converted_type: 'DATE', logical_type: { type: 'DATE' } };
    case 'timestamp':
      return {
        ...optional,
        type: 'INT64',
        converted_type: 'TIMESTAMP_MILLIS',
        logical_type: { type: 'TIMESTAMP', isAdjustedToUTC: true, unit: 'MILLIS' },
      };
    case 'json':
      return { ...optional, type: 'BYTE_ARRAY', converted_type: 'JSON', logical_type: { type: 'JSON' } };
    case 'bytes':
      return { ...optional, type: 'BYTE_ARRAY' };
    default:
      return { ...optional, type: 'BYTE_ARRAY', converted_type: 'UTF8', logical_type: { type: 'STRING' } };
  }
}

function valuesOf(column: Column): unknown[] {
  const values = new Array<unknown>(column.length);
  for (let i = 0; i < column.length; i++) {
    if (column.isNull(i)) values[i] = undefined;
    else if (column.type === 'integer') values[i] = BigInt(column.numbers![i]);
    else if (column.type === 'boolean') values[i] = column.numbers![i] === 1;
    else if (column.type === 'json') values[i] = column.value(i);
    else if (column.numbers !== null) values[i] = column.numbers[i];
    else if (column.offsets !== null)
      values[i] = column.bytes!.subarray(column.offsets[i], column.offsets[i + 1]);
    else values[i] = column.text(i);
  }
  return values;
}

/** A writer of the package whose bytes go on to a sink after every row group. */
class SinkWriter extends ByteWriter {
  private readonly sink: ByteSink;
  constructor(sink: ByteSink) {
    super(1 << 20);
    this.sink = sink;
  }
  flush(): void {
    this.sink.write(new Uint8Array(this.buffer, 0, this.index).slice());
    this.index = 0;
  }
  override finish(): void {
    this.flush();
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

function described(table: Table): { key: string; value: string }[] {
  const told = table.schema.filter(
    (field) => field.title !== undefined || field.unit !== undefined || field.description !== undefined,
  );
  if (told.length === 0) return [];
  const entries = told.map(({ name, title, unit, description }) => [name, { title, unit, description }]);
  return [{ key: 'isomeric:fields', value: JSON.stringify(Object.fromEntries(entries)) }];
}

async function writeTable(table: Table, sink: ByteSink): Promise<number> {
  const writer = new ParquetWriter({
    writer: new SinkWriter(sink),
    schema: [{ name: 'root', num_children: table.schema.length }, ...table.schema.map(element)],
    kvMetadata: described(table),
    createdBy: 'Isomeric',
  });
  let rows = 0;
  for await (const batch of table.batches()) {
    rows += batch.length;
    const columnData = table.schema.map(
      (field, c): ColumnSource => ({
        name: field.name,
        data: valuesOf(batch.columns[c]) as ColumnSource['data'],
      }),
    );
    await writer.write({ columnData, rowGroupSize: groupRows });
  }
  await writer.finish();
  return rows;
}

async function writeLayer(layer: Layer, target: Target, sink: ByteSink, account: Account): Promise<number> {
  const spool = new HilbertSpool(layer, target.scratch());
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
  const writer = new ParquetWriter({
    writer: new SinkWriter(sink),
    schema: [
      { name: 'root', num_children: layer.schema.length + 2 },
      { name: geometryName, type: 'BYTE_ARRAY', repetition_type: 'OPTIONAL' },
      ...layer.schema.map(element),
      { name: bboxName, repetition_type: 'OPTIONAL', num_children: 4 },
      ...bboxFields.map((name): SchemaElement => ({ name, type: 'FLOAT', repetition_type: 'REQUIRED' })),
    ],
    kvMetadata: [{ key: 'geo', value: JSON.stringify(geo) }, ...described(layer)],
    createdBy: 'Isomeric',
  });
  const wkb = new WkbWriter();
  const box = emptyBox();
  for (const piece of spool.inOrder(groupRows)) {
    const { geometry } = piece;
    const blobs: (Uint8Array | undefined)[] = new Array(piece.length);
    const boxes: (Record<string, number> | undefined)[] = new Array(piece.length);
    for (let i = 0; i < piece.length; i++) {
      blobs[i] = geometry.kind[i] === Kind.None ? undefined : wkb.write(geometry, i).slice();
      geometry.boxOf(i, box);
      // Single precision, outwards, so that no box is smaller than its feature.
      boxes[i] = isEmptyBox(box)
        ? undefined
        : { xmin: roundDown(box[0]), ymin: roundDown(box[1]), xmax: roundUp(box[2]), ymax: roundUp(box[3]) };
    }
    const columnData: ColumnSource[] = [
      { name: geometryName, data: blobs as ColumnSource['data'], statistics: false },
      ...layer.schema.map(
        (field, c): ColumnSource => ({
          name: field.name,
          data: valuesOf(piece.columns[c]) as ColumnSource['data'],
        }),
      ),
      { name: bboxName, data: boxes as ColumnSource['data'] },
    ];
    await writer.write({ columnData, rowGroupSize: groupRows });
  }
  await writer.finish();
  if (layer.crs === null) account.notes.push('The layer has no CRS; it is written as unknown.');
  account.notes.push('Features stand in the order of their places, not in that of the source.');
  return spool.count;
}
