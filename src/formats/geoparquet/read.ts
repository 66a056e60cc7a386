import {
  type AsyncBuffer,
  type FileMetaData,
  parquetMetadataAsync,
  parquetRead,
  type RowGroup,
} from 'hyparquet';
import { compressors } from 'hyparquet-compressors';
import { counted } from '../../core/account.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { crsFromProjjson, wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { type Box, boxesMeet, Kind, type KindName, kindNames } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { freeName } from '../../core/table/schema.ts';
import { BatchMaker } from '../batch-maker.ts';
import type { ByteSource } from '../byte-source.ts';
import { crsMissing, crsOrTold } from '../layer-findings.ts';
import { baseName } from '../names.ts';
import { readWkb } from '../wkb.ts';
import { type ParquetColumn, parquetColumn, parsers, topLevel } from './columns.ts';

/** Row groups up to this size are read whole; larger ones in pieces of this many rows. */
const rowsAtOnce = 65_536;
/** Longest footer that is believed. */
const longestFooter = 256 * 2 ** 20;

interface GeoColumn {
  encoding?: string;
  geometry_types?: string[];
  crs?: unknown;
  bbox?: number[];
  covering?: { bbox?: Record<string, string[]> };
}

interface Opened {
  source: ByteSource;
  file: AsyncBuffer;
  metadata: FileMetaData;
  columns: ParquetColumn[];
  geometry: string | null;
  covering: Record<string, string[]> | undefined;
  findings: Finding[];
}

function asBuffer(source: ByteSource): AsyncBuffer {
  return {
    byteLength: source.size,
    async slice(start, end = source.size) {
      const from = start < 0 ? Math.max(0, source.size + start) : start;
      const bytes = await source.bytes(from, Math.min(end, source.size));
      return bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;
    },
  };
}

function damaged(source: ByteSource, error: unknown): IsomericError {
  if (error instanceof IsomericError) return error;
  return new IsomericError(
    'parquet-damaged',
    `The Parquet file cannot be read (${error instanceof Error ? error.message.slice(0, 120) : String(error)}).`,
    {
      place: { file: source.name },
      advice: 'The file is damaged, was cut short, or uses what is not read: get it again.',
      cause: error,
    },
  );
}

/** Opens Parquet as a table, and GeoParquet 1.0 or 1.1 (WKB) as a layer; its row groups can be chosen by box. */
export async function openGeoparquet(source: ByteSource): Promise<(Layer | Table)[]> {
  const file = asBuffer(source);
  const tail = await source.bytes(Math.max(0, source.size - 8), source.size);
  const footer = tail.length === 8 ? new DataView(tail.buffer, tail.byteOffset).getUint32(0, true) : -1;
  if (
    footer < 0 ||
    String.fromCharCode(...tail.subarray(4)) !== 'PAR1' ||
    footer > Math.min(longestFooter, source.size - 12)
  ) {
    throw new IsomericError('parquet-damaged', 'The footer that a Parquet file ends with is not there.', {
      place: { file: source.name, byte: Math.max(0, source.size - 8) },
      advice: 'The file was cut short: get it again.',
    });
  }
  let metadata: FileMetaData;
  try {
    metadata = await parquetMetadataAsync(file, { geoparquet: false });
    checkGroups(metadata, source);
  } catch (error) {
    throw damaged(source, error);
  }
  const findings: Finding[] = [];
  const geo = geoMetadata(metadata, findings, source.name);
  const primary = geo?.primary ?? null;
  const skipped = new Set<string>();
  const own = primary === null ? undefined : geo!.columns[primary];
  const covering = own?.covering?.bbox;
  // The column that only repeats the boxes is no attribute.
  for (const path of Object.values(covering ?? {})) if (path.length > 1) skipped.add(path[0]);
  const columns: ParquetColumn[] = [];
  const names: string[] = [];
  for (const { element, size } of topLevel(metadata)) {
    if (element.name === primary || skipped.has(element.name)) continue;
    const column = parquetColumn(element, size);
    const name = freeName(column.field.name, names);
    names.push(name);
    columns.push({ ...column, field: { ...column.field, name } });
  }
  const titles = fieldTitles(metadata);
  const schema = columns.map(({ field, path }) => ({ ...field, ...(titles[path] ?? {}) }));
  const opened: Opened = { source, file, metadata, columns, geometry: primary, covering, findings };
  const common = {
    name: baseName(source.name),
    schema,
    count: Number(metadata.num_rows),
    findings,
    accounts: [],
  };
  if (primary === null) return [{ ...common, batches: () => read(opened, schema) }];
  const kinds = kindsOf(own!.geometry_types);
  const { bbox } = own!;
  return [
    {
      ...common,
      crs: crsOf(own!, findings, source.name),
      kinds,
      extent: bbox === undefined ? undefined : boxFrom(bbox),
      readsByBox: covering !== undefined,
      batches: (options) => read(opened, schema, options?.box),
    },
  ];
}

/** Offsets and counts in the footer are held against the bytes that are there. */
function checkGroups(metadata: FileMetaData, source: ByteSource): void {
  let rows = 0;
  for (const group of metadata.row_groups) {
    rows += Number(group.num_rows);
    for (const { meta_data: column } of group.columns) {
      if (column === undefined) continue;
      const start = Number(column.dictionary_page_offset ?? column.data_page_offset);
      if (
        start < 0 ||
        start + Number(column.total_compressed_size) > source.size ||
        Number(column.num_values) < 0
      )
        throw new Error('a column chunk lies outside the file');
      // A value takes a thousandth of a bit at the least, even where all are alike.
      if (Number(group.num_rows) > 1e6 + 1e4 * Number(column.total_compressed_size))
        throw new Error('a row group claims more rows than its bytes can hold');
    }
  }
  if (rows !== Number(metadata.num_rows))
    throw new Error('the row groups do not add up to the number of rows');
}

function geoMetadata(
  metadata: FileMetaData,
  findings: Finding[],
  file: string,
): { primary: string; columns: Record<string, GeoColumn> } | null {
  const text = metadata.key_value_metadata?.find(({ key }) => key === 'geo')?.value;
  if (text === undefined) return null;
  let geo: { primary_column?: unknown; columns?: unknown };
  try {
    geo = JSON.parse(text) as typeof geo;
  } catch {
    geo = {};
  }
  const columns = geo?.columns as Record<string, GeoColumn> | undefined;
  const primary = geo?.primary_column;
  if (
    typeof primary !== 'string' ||
    typeof columns !== 'object' ||
    columns === null ||
    !Object.hasOwn(columns, primary) ||
    !topLevel(metadata).some(({ element }) => element.name === primary)
  ) {
    findings.push({
      code: 'geo-metadata-damaged',
      severity: 'error',
      words: `${file}: the “geo” metadata are damaged; it is read as a table.`,
    });
    return null;
  }
  const { encoding } = columns[primary];
  if (encoding !== 'WKB') {
    findings.push({
      code: 'geometry-unsupported',
      severity: 'error',
      words: `${file}: geometry in the encoding “${String(encoding)}” is not read; WKB is. It is read as a table.`,
    });
    return null;
  }
  return { primary, columns };
}

function fieldTitles(metadata: FileMetaData): Record<string, object> {
  const text = metadata.key_value_metadata?.find(({ key }) => key === 'isomeric:fields')?.value;
  try {
    return text === undefined ? {} : (JSON.parse(text) as Record<string, object>);
  } catch {
    return {};
  }
}

function kindsOf(types: string[] | undefined): KindName[] | undefined {
  if (!Array.isArray(types) || types.length === 0) return undefined;
  const names = new Set(types.map((type) => String(type).replace(/ Z$/, '')));
  const kinds = kindNames.filter((name, k) => k > 0 && names.has(name));
  return kinds.length === names.size ? kinds : undefined;
}

function boxFrom(bbox: readonly number[]): Box | undefined {
  const box: Box =
    bbox.length >= 6 ? [bbox[0], bbox[1], bbox[3], bbox[4]] : [bbox[0], bbox[1], bbox[2], bbox[3]];
  return box.every((value) => typeof value === 'number' && Number.isFinite(value)) && box[0] <= box[2]
    ? box
    : undefined;
}

function crsOf(column: GeoColumn, findings: Finding[], file: string): Crs | null {
  // Left out means longitude and latitude (GeoParquet 1.1, “crs”); null means unknown.
  if (column.crs === undefined) return wgs84();
  if (column.crs === null) {
    findings.push(crsMissing(`${file} says that its CRS is not known.`));
    return null;
  }
  return crsOrTold(file, findings, () => {
    const id = (column.crs as { id?: { authority?: string; code?: unknown } }).id;
    return id?.authority === 'OGC' && id.code === 'CRS84' ? wgs84() : crsFromProjjson(column.crs);
  });
}

/** The box of a row group by the statistics of its bounding columns; null when they do not say. */
export function groupBox(group: RowGroup, covering: Record<string, string[]> | undefined): Box | null {
  if (covering === undefined) return null;
  const bound = (side: string, least: boolean): number => {
    const path = covering[side]?.join('.');
    const column = group.columns.find(({ meta_data: each }) => each?.path_in_schema.join('.') === path);
    const statistics = column?.meta_data?.statistics;
    const value = least
      ? (statistics?.min_value ?? statistics?.min)
      : (statistics?.max_value ?? statistics?.max);
    return typeof value === 'number' ? value : NaN;
  };
  const box: Box = [bound('xmin', true), bound('ymin', true), bound('xmax', false), bound('ymax', false)];
  return box.some(Number.isNaN) ? null : box;
}

async function* read(opened: Opened, schema: Layer['schema'], box?: Box): AsyncGenerator<Batch> {
  const { metadata, source, covering, findings } = opened;
  const maker = new BatchMaker(schema, {
    geometry: opened.geometry !== null,
    ids: box === undefined ? null : 'integer',
  });
  const troubles = { values: 0 };
  let first = 0;
  for (const group of metadata.row_groups) {
    const rows = Number(group.num_rows);
    const own = box === undefined ? null : groupBox(group, covering);
    if (own === null || boxesMeet(own, box!)) {
      for (let from = first; from < first + rows; from += rowsAtOnce) {
        await readRows(opened, from, Math.min(first + rows, from + rowsAtOnce), maker, troubles);
        yield* maker.take();
      }
    }
    first += rows;
  }
  yield* maker.take(true);
  if (troubles.values > 0 && !findings.some((finding) => finding.code === 'value-unreadable'))
    findings.push({
      code: 'value-unreadable',
      severity: 'warning',
      words: `${source.name}: ${counted(troubles.values, 'value does', 'values do')} not fit the column and became blank.`,
    });
}

async function readRows(
  opened: Opened,
  rowStart: number,
  rowEnd: number,
  maker: BatchMaker,
  troubles: { values: number },
): Promise<void> {
  const { file, metadata, columns, geometry, source } = opened;
  const names = [...(geometry === null ? [] : [geometry]), ...columns.map((column) => column.path)];
  // One column after the other: of several that are damaged the package would reject all, and one of those rejections
  // would find nobody waiting for it.
  const values: unknown[][] = [];
  for (const name of names) {
    let rows: unknown[][] = [];
    try {
      await parquetRead({
        file,
        metadata,
        columns: [name],
        rowStart,
        rowEnd,
        compressors,
        utf8: false,
        parsers,
        geoparquet: false,
        onComplete: (done) => {
          rows = done;
        },
      });
    } catch (error) {
      throw damaged(source, error);
    }
    if (rows.length !== rowEnd - rowStart)
      throw damaged(source, new Error(`${rows.length} rows came where ${rowEnd - rowStart} are promised`));
    values.push(rows.map((row) => row[0]));
  }
  const shift = geometry === null ? 0 : 1;
  for (let r = 0; r < rowEnd - rowStart; r++) {
    if (geometry !== null) {
      const value = values[0][r];
      if (value instanceof Uint8Array)
        readWkb(value, 0, maker.geometry, `${source.name}, row ${rowStart + r + 1}`);
      else maker.geometry.feature(Kind.None);
    }
    for (let c = 0; c < columns.length; c++) {
      const value = values[c + shift][r];
      if (value === null || value === undefined) maker.columns[c].null();
      else columns[c].put(maker.columns[c], value, troubles);
    }
    maker.ids?.number(rowStart + r + 1);
    maker.end();
  }
}
