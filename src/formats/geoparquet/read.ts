import { counted } from '../../core/account.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { crsFromProjjson } from '../../core/crs/from-text.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { type Box, boxesMeet, Kind, type KindName, kindNames } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { readWkb } from '../geometry/wkb.ts';
import { crsMissing, crsOrTold } from '../making/layer-findings.ts';
import { baseName } from '../opening/names.ts';
import { BuilderSink, columnRows, type Troubles } from '../parquet/columns.ts';
import { type Footer, type RowGroup, readFooter, type SchemaNode } from '../parquet/footer.ts';
import { typeOfNode, type ValueSink } from '../parquet/values.ts';

/** Most vertices in one batch: large geometries make small batches. */
const vertexLimit = 1_000_000;
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
  footer: Footer;
  columns: ParquetColumn[];
  geometry: SchemaNode | null;
  covering: Record<string, string[]> | undefined;
  findings: Finding[];
}

/** A top-level column: its field, and where it stands in the schema. */
interface ParquetColumn {
  node: SchemaNode;
  field: Field;
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
  const tail = await source.bytes(Math.max(0, source.size - 8), source.size);
  const length = tail.length === 8 ? new DataView(tail.buffer, tail.byteOffset).getUint32(0, true) : -1;
  if (
    length < 0 ||
    String.fromCharCode(...tail.subarray(4)) !== 'PAR1' ||
    length > Math.min(longestFooter, source.size - 12)
  ) {
    throw new IsomericError('parquet-damaged', 'The footer that a Parquet file ends with is not there.', {
      place: { file: source.name, byte: Math.max(0, source.size - 8) },
      advice: 'The file was cut short: get it again.',
    });
  }
  let footer: Footer;
  try {
    footer = readFooter(await source.bytes(source.size - 8 - length, source.size - 8), source.size);
  } catch (error) {
    throw damaged(source, error);
  }
  const findings: Finding[] = [];
  const geo = geoMetadata(footer, findings, source.name);
  const primary = geo?.primary ?? null;
  const skipped = new Set<string>();
  const own = primary === null ? undefined : geo!.columns[primary];
  const covering = own?.covering?.bbox;
  // The column that only repeats the boxes is no attribute.
  for (const path of Object.values(covering ?? {})) if (path.length > 1) skipped.add(path[0]);
  const columns: ParquetColumn[] = [];
  const names: string[] = [];
  for (const node of footer.top) {
    if (node.name === primary || skipped.has(node.name)) continue;
    const name = freeName(node.name, names);
    names.push(name);
    columns.push({ node, field: { name, type: typeOfNode(node, footer) } });
  }
  const titles = fieldTitles(footer);
  const schema = columns.map(({ field, node }) => ({ ...field, ...(titles[node.name] ?? {}) }));
  const geometry = footer.top.find((node) => node.name === primary) ?? null;
  const opened: Opened = { source, footer, columns, geometry, covering, findings };
  const common = {
    name: baseName(source.name),
    schema,
    count: footer.rows,
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

function geoMetadata(
  footer: Footer,
  findings: Finding[],
  file: string,
): { primary: string; columns: Record<string, GeoColumn> } | null {
  const text = footer.texts.get('geo');
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
    !footer.top.some((node) => node.name === primary)
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

function fieldTitles(footer: Footer): Record<string, object> {
  const text = footer.texts.get('isomeric:fields');
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
    const statistics = group.chunks.get(covering[side]?.join('.'))?.statistics;
    const bytes = least ? statistics?.least : statistics?.greatest;
    if (bytes === undefined) return NaN;
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    return bytes.length === 4
      ? view.getFloat32(0, true)
      : bytes.length === 8
        ? view.getFloat64(0, true)
        : NaN;
  };
  const box: Box = [bound('xmin', true), bound('ymin', true), bound('xmax', false), bound('ymax', false)];
  return box.some(Number.isNaN) ? null : box;
}

async function* read(opened: Opened, schema: Layer['schema'], box?: Box): AsyncGenerator<Batch> {
  const { footer, source, covering, findings } = opened;
  const troubles: Troubles = { values: 0 };
  let first = 0;
  try {
    for (const group of footer.groups) {
      const own = box === undefined ? null : groupBox(group, covering);
      if (own === null || boxesMeet(own, box!))
        yield* readGroup(opened, group, schema, { first, troubles, ids: box !== undefined });
      first += group.rows;
    }
  } catch (error) {
    throw damaged(source, error);
  }
  if (troubles.values > 0 && !findings.some((finding) => finding.code === 'value-unreadable'))
    findings.push({
      code: 'value-unreadable',
      severity: 'warning',
      words: `${source.name}: ${counted(troubles.values, 'value does', 'values do')} not fit the column and became blank.`,
    });
}

/** The rows of a group, in batches; where geometries are large, a batch has few of them. */
async function* readGroup(
  opened: Opened,
  group: RowGroup,
  schema: Layer['schema'],
  { first, troubles, ids }: { first: number; troubles: Troubles; ids: boolean },
): AsyncGenerator<Batch> {
  const { source, columns, geometry } = opened;
  const builders = schema.map((field) => new ColumnBuilder(field.type));
  const rows = columns.map(({ node, field }) => columnRows(source, group, node, field.type));
  const places = geometry === null ? null : columnRows(source, group, geometry, 'bytes');
  const sink = new BuilderSink(troubles);
  const geometries = new GeometryMaker();
  for (let done = 0; done < group.rows; ) {
    let count = Math.min(batchLimit, group.rows - done);
    if (places !== null) {
      let row = first + done;
      const wkb: ValueSink = {
        bytes: (bytes, start, end) =>
          readWkb(bytes.subarray(start, end), 0, geometries, `${source.name}, row ${++row}`),
        number: () => geometries.feature(Kind.None),
        text: () => geometries.feature(Kind.None),
        unfit: () => geometries.feature(Kind.None),
      };
      const blank = () => {
        row++;
        geometries.feature(Kind.None);
      };
      count = await places.rows(count, wkb, blank, () => geometries.vertices <= vertexLimit);
    }
    for (let c = 0; c < rows.length; c++) {
      const builder = builders[c];
      sink.builder = builder;
      const got = await rows[c].rows(count, sink, () => builder.null());
      if (got !== count) throw new Error(`a column has ${done + got} rows where ${group.rows} are promised`);
    }
    if (count === 0) throw new Error(`a column has ${done} rows where ${group.rows} are promised`);
    yield new Batch({
      length: count,
      first: first + done,
      geometry: places === null ? null : geometries.finish(),
      columns: builders.map((builder) => builder.finish()),
      ids: ids ? rowNumbers(first + done, count) : null,
    });
    done += count;
  }
}

/** Numbers of the rows as ids: read by box, they would not be known otherwise. */
function rowNumbers(first: number, count: number) {
  const builder = new ColumnBuilder('integer');
  for (let k = 0; k < count; k++) builder.number(first + k + 1);
  return builder.finish();
}
