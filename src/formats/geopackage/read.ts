import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { crsByEpsg } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { type Box, type KindName, kindNames } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import { type FeatureIds, withIdField } from '../../core/layer/feature-ids.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import { parseDate } from '../../core/table/time.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { quoteName, type SqliteDatabase, type SqliteEngine, type SqlValue } from '../bytes/sqlite.ts';
import { readWkb } from '../geometry/wkb.ts';
import { crsOrTold } from '../making/layer-findings.ts';
import { idDescription } from './tables.ts';

function typeFromSql(declared: string): FieldType {
  const word = declared.toUpperCase().replace(/\(.*/, '').trim();
  if (['INTEGER', 'INT', 'MEDIUMINT', 'SMALLINT', 'TINYINT'].includes(word)) return 'integer';
  if (['REAL', 'DOUBLE', 'FLOAT'].includes(word)) return 'real';
  if (word === 'BOOLEAN') return 'boolean';
  if (word === 'DATE') return 'date';
  if (word === 'DATETIME') return 'timestamp';
  return word === 'BLOB' ? 'bytes' : 'text';
}

function all(database: SqliteDatabase, sql: string, values: readonly SqlValue[] = []): SqlValue[][] {
  const statement = database.prepare(sql);
  try {
    return [...statement.rows(values)];
  } finally {
    statement.finish();
  }
}

/** Bytes of the GeoPackage header of a geometry blob. */
function headerLength(blob: Uint8Array, what: string): number {
  if (blob.length < 8 || blob[0] !== 0x47 || blob[1] !== 0x50) {
    throw new IsomericError('geopackage-geometry', `The geometry of ${what} has no GeoPackage header.`, {
      advice: 'The file is damaged: get it again.',
    });
  }
  const envelope = (blob[3] >> 1) & 7;
  return 8 + ([0, 32, 48, 48, 64][envelope] ?? 0);
}

/** Opens the layers and attribute tables of a GeoPackage. */
export async function openGeopackage(source: ByteSource, engine: SqliteEngine): Promise<(Layer | Table)[]> {
  const database = await engine.openRead(source);
  const fail = (words: string): never => {
    throw new IsomericError('geopackage-incomplete', words, {
      place: { file: source.name },
      advice: 'It is an SQLite file, but no GeoPackage.',
    });
  };
  const tables = new Set(
    all(database, "SELECT name FROM sqlite_master WHERE type IN ('table','view')").map(([name]) =>
      String(name),
    ),
  );
  if (!tables.has('gpkg_contents') || !tables.has('gpkg_spatial_ref_sys'))
    fail('It has no gpkg_contents table.');
  const geometryColumns = tables.has('gpkg_geometry_columns')
    ? all(database, 'SELECT table_name, column_name, geometry_type_name, srs_id FROM gpkg_geometry_columns')
    : [];
  // A query that builds on itself may never end, and the engine cannot be stopped while it runs.
  const endless = new Set(
    all(database, "SELECT name, sql FROM sqlite_master WHERE type='view'").flatMap(([name, sql]) =>
      /\bWITH\b/i.test(String(sql)) ? [String(name)] : [],
    ),
  );
  const opened: (Layer | Table)[] = [];
  const told: Finding[] = [];
  for (const [name, dataType, x0, y0, x1, y1] of all(
    database,
    'SELECT table_name, data_type, min_x, min_y, max_x, max_y FROM gpkg_contents ORDER BY rowid',
  )) {
    const table = String(name);
    const other = dataType !== 'features' && dataType !== 'attributes';
    if (endless.has(table)) {
      told.push({
        code: 'view-unread',
        severity: 'warning',
        words: `${source.name}: the view ${table} builds on itself (WITH) and might never end; it is not read.`,
      });
      continue;
    }
    if (!tables.has(table) || other) {
      told.push({
        code: tables.has(table) ? 'contents-other' : 'contents-missing',
        severity: tables.has(table) ? 'note' : 'error',
        words: tables.has(table)
          ? `${source.name}: ${table} holds ${String(dataType)}, which are not read.`
          : `${source.name}: it lists ${table}, but holds no such table.`,
      });
      continue;
    }
    const geometry = geometryColumns.find(([of]) => of === name);
    const extent = [x0, y0, x1, y1].every((v) => typeof v === 'number')
      ? ([x0, y0, x1, y1] as Box)
      : undefined;
    opened.push(openTable(database, source, table, geometry, extent, tables));
  }
  if (opened.length === 0)
    throw new IsomericError('no-layers', 'It lists no layer or table that can be read.', {
      place: { file: source.name },
      advice: told[0]?.words,
    });
  const [first, ...rest] = opened;
  return told.length === 0 ? opened : [{ ...first, findings: [...told, ...first.findings] }, ...rest];
}

/** What every row of a table can be found by: its key, or the number that SQLite gives rows; views have neither. */
function rowName(database: SqliteDatabase, table: string, key: string | undefined): string | null {
  if (key !== undefined) return quoteName(key);
  try {
    database.prepare(`SELECT rowid FROM ${quoteName(table)} LIMIT 0`).finish();
    return 'rowid';
  } catch (error) {
    if (error instanceof IsomericError) return null;
    throw error;
  }
}

function openTable(
  database: SqliteDatabase,
  source: ByteSource,
  table: string,
  geometry: SqlValue[] | undefined,
  extent: Box | undefined,
  tables: ReadonlySet<string>,
): Layer | Table {
  const findings: Finding[] = [];
  const info = all(database, `PRAGMA table_info(${quoteName(table)})`);
  const key = info.find((row) => Number(row[5]) === 1 && /^INTEGER$/i.test(String(row[2])));
  const geometryName = geometry === undefined ? undefined : String(geometry[1]);
  const titles = tables.has('gpkg_data_columns')
    ? all(
        database,
        'SELECT column_name, title, description, mime_type FROM gpkg_data_columns WHERE table_name=?',
        [table],
      )
    : [];
  const fields: Field[] = info
    .filter((row) => row !== key && String(row[1]) !== geometryName)
    .map((row) => {
      const told = titles.find(([column]) => column === row[1]);
      const type = typeFromSql(String(row[2]));
      return {
        name: String(row[1]),
        type: told?.[3] === 'application/json' ? 'json' : type,
        ...(told?.[1] ? { title: String(told[1]) } : {}),
        ...(told?.[2] ? { description: String(told[2]) } : {}),
      };
    });
  const count = Number(all(database, `SELECT count(*) FROM ${quoteName(table)}`)[0][0]);
  const given = fields.findIndex((field) => field.description === idDescription);
  if (given >= 0) {
    const { description: _, ...plain } = fields[given];
    fields[given] = { ...plain, featureId: 'given' };
  }
  const ids = key === undefined || given >= 0 ? null : idsOf(database, table, String(key[1]), count);
  const common = { name: table, schema: fields, count, findings, accounts: [] };
  const read = async function* (box?: Box) {
    const batches = readBatches(
      database,
      source,
      table,
      fields,
      key === undefined ? undefined : String(key[1]),
      geometryName,
      box,
      tables,
    );
    for await (const batch of batches) yield given < 0 ? batch : batch.with({ ids: batch.columns[given] });
  };
  if (geometry === undefined) return withIdField({ ...common, batches: () => read() }, ids);
  const kind = kindNames.find((known) => known.toUpperCase() === String(geometry[2]).toUpperCase());
  const layer: Layer = {
    ...common,
    crs: crsOf(database, Number(geometry[3]), findings, table),
    kinds: kind === undefined || kind === 'none' ? undefined : ([kind] as KindName[]),
    extent,
    readsByBox: true,
    batches: (options) => read(options?.box),
  };
  return withIdField(layer, ids);
}

/** The primary key as ids of the rows. One that runs from 1 to their count only numbers them. */
function idsOf(database: SqliteDatabase, table: string, key: string, count: number): FeatureIds {
  const [[least, greatest]] = all(
    database,
    `SELECT min(${quoteName(key)}), max(${quoteName(key)}) FROM ${quoteName(table)}`,
  );
  const numbering = count === 0 || (Number(least) === 1 && Number(greatest) === count);
  return { type: 'integer', name: key, numbering };
}

function crsOf(database: SqliteDatabase, id: number, findings: Finding[], table: string): Crs | null {
  if (id === 0 || id === -1) {
    findings.push({
      code: 'crs-missing',
      severity: 'warning',
      layer: table,
      words: `The layer ${table} has no CRS (srs_id ${id}).`,
      repair: 'say which CRS it has',
    });
    return null;
  }
  // The extension for WKT 2 adds a second definition, which may be the only one.
  const second = all(database, 'PRAGMA table_info(gpkg_spatial_ref_sys)').some(
    ([, name]) => name === 'definition_12_063',
  );
  const [row] = all(
    database,
    `SELECT organization, organization_coordsys_id, definition${second ? ', definition_12_063' : ''} FROM gpkg_spatial_ref_sys WHERE srs_id=?`,
    [id],
  );
  const text = [row?.[2], row?.[3]].find((each) => typeof each === 'string' && !/^(undefined)?$/i.test(each));
  return crsOrTold(`The CRS of ${table} cannot be read`, findings, () => {
    const known = row !== undefined && /^epsg$/i.test(String(row[0])) ? crsByEpsg(Number(row[1])) : null;
    return known ?? crsFromText(String(text ?? ''));
  });
}

async function* readBatches(
  database: SqliteDatabase,
  source: ByteSource,
  table: string,
  fields: readonly Field[],
  key: string | undefined,
  geometryName: string | undefined,
  box: Box | undefined,
  tables: ReadonlySet<string>,
): AsyncGenerator<Batch> {
  const row = rowName(database, table, key);
  const names = [
    row ?? 'NULL',
    ...[...(geometryName === undefined ? [] : [geometryName]), ...fields.map((field) => field.name)].map(
      quoteName,
    ),
  ];
  const conditions: SqlValue[] = [];
  let where = '';
  const tree = `rtree_${table}_${geometryName}`;
  if (box !== undefined && geometryName !== undefined && row !== null && tables.has(`${tree}_node`)) {
    const ids = rowsInBox(database, tree, box);
    if (ids !== null) {
      where = ` WHERE ${row} IN (SELECT value FROM json_each(?))`;
      conditions.push(JSON.stringify(ids));
    }
  }
  const statement = database.prepare(
    `SELECT ${names.map((name, c) => `${name} AS c${c}`).join(',')} FROM ${quoteName(table)}${where}`,
  );
  const shift = geometryName === undefined ? 1 : 2;
  const builder = new GeometryMaker();
  let columns = fields.map((field) => new ColumnBuilder(field.type));
  let ids = new ColumnBuilder('integer');
  let first = 0;
  let n = 0;
  const finish = () => {
    const batch = new Batch({
      length: n,
      first,
      geometry: geometryName === undefined ? null : builder.finish(),
      columns: columns.map((each) => each.finish()),
      ids: row === null ? null : ids.finish(),
    });
    columns = fields.map((field) => new ColumnBuilder(field.type));
    ids = new ColumnBuilder('integer');
    first += n;
    n = 0;
    return batch;
  };
  try {
    for (const values of statement.rows(conditions)) {
      if (row !== null) ids.number(Number(values[0]));
      if (geometryName !== undefined) {
        const blob = values[1];
        if (!(blob instanceof Uint8Array)) builder.feature(0);
        else
          readWkb(
            blob,
            headerLength(blob, `${source.name}, ${table}, row ${values[0]}`),
            builder,
            `${source.name}, ${table}, row ${values[0]}`,
          );
      }
      for (let c = 0; c < fields.length; c++) put(columns[c], values[c + shift]);
      if (++n === batchLimit || builder.vertices > 1_000_000) yield finish();
    }
  } finally {
    statement.finish();
  }
  if (n > 0) yield finish();
}

function put(column: ColumnBuilder, value: SqlValue): void {
  if (value === null) {
    column.null();
    return;
  }
  switch (column.type) {
    case 'integer':
    case 'real':
    case 'boolean': {
      const number = Number(value);
      if (Number.isNaN(number)) column.null();
      else column.number(number);
      return;
    }
    case 'date':
    case 'timestamp': {
      const at = column.type === 'date' ? parseDate(String(value)) : Date.parse(String(value));
      if (Number.isNaN(at)) column.null();
      else column.number(at);
      return;
    }
    case 'bytes':
      if (value instanceof Uint8Array) column.raw(value, 0, value.length);
      else column.text(String(value));
      return;
    default:
      column.text(String(value));
  }
}

/** Row ids whose boxes meet a box, by walking the R-tree's own nodes; null when the index is damaged. */
function rowsInBox(database: SqliteDatabase, tree: string, box: Box): number[] | null {
  const node = database.prepare(`SELECT data FROM ${quoteName(`${tree}_node`)} WHERE nodeno=?`);
  try {
    const found: number[] = [];
    const load = (number: number): DataView | null => {
      const [row] = [...node.rows([number])];
      const data = row?.[0];
      return data instanceof Uint8Array ? new DataView(data.buffer, data.byteOffset, data.byteLength) : null;
    };
    const root = load(1);
    if (root === null) return null;
    const visit = (view: DataView, depth: number): boolean => {
      const cells = view.getUint16(2);
      if (4 + 24 * cells > view.byteLength || depth > 40) return false;
      for (let c = 0, at = 4; c < cells; c++, at += 24) {
        if (
          view.getFloat32(at + 8) > box[2] ||
          view.getFloat32(at + 12) < box[0] ||
          view.getFloat32(at + 16) > box[3] ||
          view.getFloat32(at + 20) < box[1]
        )
          continue;
        const id = Number(view.getBigInt64(at));
        if (depth === 0) found.push(id);
        else {
          const child = load(id);
          if (child === null || !visit(child, depth - 1)) return false;
        }
      }
      return true;
    };
    return visit(root, root.getUint16(0)) ? found : null;
  } finally {
    node.finish();
  }
}
