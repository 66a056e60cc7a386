import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { type Crs, crsLabel } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { wktFromCrs } from '../../core/crs/wkt-crs.ts';
import { IsomericError } from '../../core/errors.ts';
import {
  emptyBox,
  growBox,
  isEmptyBox,
  Kind,
  type KindName,
  kindNames,
} from '../../core/geometry/geometry-array.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { type Field, type FieldType, freeName } from '../../core/table/schema.ts';
import { quoteName, type SqliteDatabase, type SqlValue } from '../sqlite.ts';
import { WkbWriter } from '../wkb.ts';
import { BoxList, writeRtree } from './rtree.ts';
import { rtreeTriggers } from './triggers.ts';

const sqlTypes: Record<FieldType, string> = {
  integer: 'INTEGER',
  real: 'REAL',
  text: 'TEXT',
  boolean: 'BOOLEAN',
  date: 'DATE',
  timestamp: 'DATETIME',
  bytes: 'BLOB',
  json: 'TEXT',
};

/** Writes layers and tables into a new GeoPackage 1.3 (OGC 12-128r17), each with its R-tree. */
export class GeopackageWriter {
  private readonly database: SqliteDatabase;
  private readonly now: string;
  private nextSrs = 100_000;
  private readonly srsByText = new Map<string, number>();
  private readonly names: string[] = [];

  /** @param now time of the last change, ISO 8601; given so that the same input makes the same file */
  constructor(database: SqliteDatabase, now: string) {
    this.database = database;
    this.now = now;
    database.exec(`PRAGMA page_size=4096; PRAGMA journal_mode=MEMORY; PRAGMA synchronous=OFF;
      PRAGMA application_id=0x47504B47; PRAGMA user_version=10300; PRAGMA writable_schema=ON;
      BEGIN;
      CREATE TABLE gpkg_spatial_ref_sys (srs_name TEXT NOT NULL, srs_id INTEGER NOT NULL PRIMARY KEY, organization TEXT NOT NULL, organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT);
      CREATE TABLE gpkg_contents (table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE, description TEXT DEFAULT '', last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')), min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER, CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id));
      CREATE TABLE gpkg_geometry_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL, srs_id INTEGER NOT NULL, z TINYINT NOT NULL, m TINYINT NOT NULL, CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name), CONSTRAINT uk_gc_table_name UNIQUE (table_name), CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name), CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys (srs_id));
      CREATE TABLE gpkg_extensions (table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL, definition TEXT NOT NULL, scope TEXT NOT NULL, CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name));
      CREATE TABLE gpkg_data_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, name TEXT, title TEXT, description TEXT, mime_type TEXT, constraint_name TEXT, CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name), CONSTRAINT gdc_tn UNIQUE (table_name, name));
      CREATE TABLE gpkg_data_column_constraints (constraint_name TEXT NOT NULL, constraint_type TEXT NOT NULL, value TEXT, min NUMERIC, min_is_inclusive BOOLEAN, max NUMERIC, max_is_inclusive BOOLEAN, description TEXT, CONSTRAINT gdcc_ntv UNIQUE (constraint_name, constraint_type, value));`);
    const undefinedCartesian: SqlValue[] = [
      'Undefined Cartesian SRS',
      -1,
      'NONE',
      -1,
      'undefined',
      'undefined Cartesian coordinate reference system',
    ];
    const undefinedGeographic: SqlValue[] = [
      'Undefined geographic SRS',
      0,
      'NONE',
      0,
      'undefined',
      'undefined geographic coordinate reference system',
    ];
    this.insert('gpkg_spatial_ref_sys', undefinedCartesian);
    this.insert('gpkg_spatial_ref_sys', undefinedGeographic);
    this.srs(wgs84());
    for (const table of ['gpkg_data_columns', 'gpkg_data_column_constraints']) {
      this.insert('gpkg_extensions', [
        table,
        null,
        'gpkg_schema',
        'http://www.geopackage.org/spec130/#extension_schema',
        'read-write',
      ]);
    }
  }

  private insert(table: string, values: readonly SqlValue[]): void {
    const statement = this.database.prepare(
      `INSERT INTO ${quoteName(table)} VALUES(${values.map(() => '?').join(',')})`,
    );
    statement.run(values);
    statement.finish();
  }

  private srs(crs: Crs | null): number {
    if (crs === null) return -1;
    const text = wktFromCrs(crs);
    let id = this.srsByText.get(text);
    if (id !== undefined) return id;
    const epsg = crs.code?.startsWith('EPSG:') ? Number(crs.code.slice(5)) : undefined;
    id = epsg ?? this.nextSrs++;
    this.srsByText.set(text, id);
    this.insert('gpkg_spatial_ref_sys', [crs.name, id, epsg === undefined ? 'NONE' : 'EPSG', id, text, null]);
    return id;
  }

  /** Adds one layer, or one table without geometry; returns the account of the writing. */
  async add(table: Table, description = ''): Promise<Account> {
    const name = freeName(table.name, this.names);
    this.names.push(name);
    return isLayer(table) ? this.addLayer(table, name, description) : this.addTable(table, name, description);
  }

  private columns(table: Table, taken: readonly string[], notes: string[]): { field: Field; name: string }[] {
    const used = [...taken];
    return table.schema.map((field) => {
      // SQLite takes names that differ in letter case alone for the same.
      const lower = used.map((each) => each.toLowerCase());
      let name = field.name;
      for (let n = 2; lower.includes(name.toLowerCase()); n++) name = `${field.name}_${n}`;
      if (name !== field.name)
        notes.push(
          `The field ${field.name} is called ${name} in the GeoPackage, where names do not differ by letter case alone.`,
        );
      used.push(name);
      return { field, name };
    });
  }

  private describe(table: string, columns: readonly { field: Field; name: string }[]): void {
    for (const { field, name } of columns) {
      const unit = field.unit === undefined ? '' : ` (${field.unit})`;
      if (field.title === undefined && field.description === undefined && field.type !== 'json') continue;
      this.insert('gpkg_data_columns', [
        table,
        name,
        null,
        field.title === undefined ? null : field.title + unit,
        field.description ?? null,
        field.type === 'json' ? 'application/json' : null,
        null,
      ]);
    }
  }

  private async addTable(table: Table, name: string, description: string): Promise<Account> {
    const account = openAccount('Write', table.name);
    const columns = this.columns(table, ['fid'], account.notes);
    this.database.exec(
      `CREATE TABLE ${quoteName(name)} (fid INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL${columns.map((c) => `, ${quoteName(c.name)} ${sqlTypes[c.field.type]}`).join('')})`,
    );
    this.insert('gpkg_contents', [
      name,
      'attributes',
      name,
      description,
      this.now,
      null,
      null,
      null,
      null,
      null,
    ]);
    this.describe(name, columns);
    const statement = this.database.prepare(
      `INSERT INTO ${quoteName(name)} VALUES(?${',?'.repeat(columns.length)})`,
    );
    let rows = 0;
    for await (const batch of table.batches()) {
      for (let i = 0; i < batch.length; i++)
        statement.run([++rows, ...batch.columns.map((column) => sqlValue(column, i))]);
    }
    statement.finish();
    account.counts = { written: rows };
    closeAccount(account, [rows, `rows of ${name} written to the GeoPackage`]);
    return account;
  }

  private async addLayer(layer: Layer, name: string, description: string): Promise<Account> {
    const account = openAccount('Write', layer.name);
    const { database } = this;
    const columns = this.columns(layer, ['fid', 'geom'], account.notes);
    const srs = this.srs(layer.crs);
    if (layer.crs === null) account.notes.push('The layer has no CRS; it is written as undefined.');
    const promote = promotion(layer.kinds);
    database.exec(
      `CREATE TABLE ${quoteName(name)} (fid INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, geom GEOMETRY${columns.map((c) => `, ${quoteName(c.name)} ${sqlTypes[c.field.type]}`).join('')})`,
    );
    this.insert('gpkg_contents', [
      name,
      'features',
      name,
      description,
      this.now,
      null,
      null,
      null,
      null,
      srs,
    ]);
    this.describe(name, columns);
    const statement = database.prepare(
      `INSERT INTO ${quoteName(name)} VALUES(?,?${',?'.repeat(columns.length)})`,
    );
    const writer = new WkbWriter();
    const boxes = new BoxList();
    const whole = emptyBox();
    const box = emptyBox();
    let rows = 0;
    let seen = 0;
    let hasZ = false;
    let hasM = false;
    const values: SqlValue[] = new Array(columns.length + 2);
    for await (const batch of layer.batches()) {
      const geometry = batch.geometry!;
      hasZ ||= geometry.z !== null;
      hasM ||= geometry.m !== null;
      for (let i = 0; i < batch.length; i++) {
        values[0] = ++rows;
        const kind = geometry.kind[i];
        if (kind === Kind.None) values[1] = null;
        else {
          const written = promote && kind < Kind.MultiPoint ? kind + 3 : kind;
          seen |= 1 << written;
          geometry.boxOf(i, box);
          const empty = isEmptyBox(box);
          const bytes = writer.write(geometry, i, empty ? 8 : 40, written);
          const head = writer.front;
          head.setUint16(0, 0x4750);
          head.setUint8(2, 0);
          head.setUint8(3, empty ? 0x11 : 0x03);
          head.setInt32(4, srs, true);
          if (!empty) {
            head.setFloat64(8, box[0], true);
            head.setFloat64(16, box[2], true);
            head.setFloat64(24, box[1], true);
            head.setFloat64(32, box[3], true);
            boxes.add(rows, box[0], box[1], box[2], box[3]);
            growBox(whole, box);
          }
          values[1] = bytes;
        }
        for (let c = 0; c < columns.length; c++) values[c + 2] = sqlValue(batch.columns[c], i);
        statement.run(values);
      }
    }
    statement.finish();
    const kinds = kindNames.filter((_, k) => k > 0 && (seen & (1 << k)) !== 0);
    const typeName =
      kinds.length === 1
        ? kinds[0] === 'GeometryCollection'
          ? 'GEOMETRYCOLLECTION'
          : kinds[0].toUpperCase()
        : 'GEOMETRY';
    if (kinds.length > 1)
      account.notes.push(
        `Geometry kinds are mixed (${kinds.join(', ')}); the layer is declared as GEOMETRY.`,
      );
    this.insert('gpkg_geometry_columns', [name, 'geom', typeName, srs, hasZ ? 2 : 0, hasM ? 2 : 0]);
    if (!isEmptyBox(whole)) {
      const update = database.prepare(
        'UPDATE gpkg_contents SET min_x=?, min_y=?, max_x=?, max_y=? WHERE table_name=?',
      );
      update.run([...whole, name]);
      update.finish();
    }
    const tree = `rtree_${name}_geom`;
    writeRtree(database, tree, boxes);
    this.insert('gpkg_extensions', [
      name,
      'geom',
      'gpkg_rtree_index',
      'http://www.geopackage.org/spec130/#extension_rtree',
      'write-only',
    ]);
    const trigger = database.prepare(
      "INSERT INTO sqlite_master(type,name,tbl_name,rootpage,sql) VALUES('trigger',?,?,0,?)",
    );
    for (const [suffix, sql] of rtreeTriggers(name, 'geom', 'fid'))
      trigger.run([`${tree}_${suffix}`, name, sql]);
    trigger.finish();
    account.counts = { written: rows };
    closeAccount(account, [rows, `${name} written to the GeoPackage in ${crsLabel(layer.crs)}`]);
    return account;
  }

  /** Ends the file. Nothing may be added afterwards. */
  close(): void {
    this.database.exec('COMMIT; PRAGMA writable_schema=OFF;');
    this.database.close();
  }

  /** Gives up: closes without keeping anything. */
  abandon(): void {
    try {
      this.database.exec('ROLLBACK');
    } finally {
      this.database.close();
    }
  }
}

/** True when single-part kinds are to be written as their multi-part kinds, so that the column has one kind. */
function promotion(kinds: readonly KindName[] | undefined): boolean {
  if (kinds === undefined) return false;
  const plain = new Set(kinds.map((kind) => kind.replace('Multi', '')));
  return plain.size === 1 && kinds.some((kind) => kind.startsWith('Multi'));
}

function sqlValue(column: Column, i: number): SqlValue {
  if (column.isNull(i)) return null;
  switch (column.type) {
    case 'integer':
    case 'real':
    case 'boolean':
      return column.numbers![i];
    case 'bytes':
      return column.bytes!.slice(column.offsets![i], column.offsets![i + 1]);
    case 'timestamp': {
      const text = column.text(i)!;
      return text.includes('.') ? text : text.replace('Z', '.000Z');
    }
    default:
      return column.text(i);
  }
}

export function refuseEmpty(tables: readonly Table[]): void {
  if (tables.length === 0)
    throw new IsomericError('nothing-to-write', 'There is no layer to write.', { blame: 'usage' });
}
