import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { type Crs, crsLabel } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { wktFromCrs } from '../../core/crs/wkt-write.ts';
import { IsomericError } from '../../core/errors.ts';
import { isEmptyBox, type KindName } from '../../core/geometry/geometry-array.ts';
import { idFieldIndex, withIdsAsColumn, withOwnIds } from '../../core/layer/feature-ids.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { Field } from '../../core/table/schema.ts';
import { quoteName, type SqliteDatabase, type SqlValue } from '../bytes/sqlite.ts';
import { FeatureRows } from './feature-rows.ts';
import { RowInserter } from './insert.ts';
import { KeyUnfit, keyOf } from './keys.ts';
import { writeRtree } from './rtree.ts';
import { idDescription, sqlTypes, sqlValue, tableDefinitions } from './tables.ts';
import { rtreeTriggers } from './triggers.ts';

/** What a GeoPackage that is there already means for the writer. */
export interface GeopackageWriteOptions {
  /** The database is a GeoPackage already; layers are added to it. */
  existing?: boolean;
  /** Layers of the same name give way. */
  replace?: boolean;
}

/** Writes layers and tables into a GeoPackage 1.4 (OGC 12-128r19), new or there already, each with its R-tree. */
export class GeopackageWriter {
  private readonly database: SqliteDatabase;
  private readonly now: string;
  private nextSrs = 100_000;
  private readonly srsByText = new Map<string, number>();
  private readonly names: string[] = [];
  private readonly existing: boolean;
  private readonly replace: boolean;

  /** @param now time of the last change, ISO 8601; given so that the same input makes the same file */
  constructor(database: SqliteDatabase, now: string, options: GeopackageWriteOptions = {}) {
    this.database = database;
    this.now = now;
    this.existing = options.existing === true;
    this.replace = options.replace === true;
    if (this.existing) this.begin();
    else this.create();
  }

  /** Takes up a GeoPackage that is there. */
  private begin(): void {
    const { database } = this;
    database.exec('PRAGMA journal_mode=MEMORY; PRAGMA synchronous=OFF; PRAGMA writable_schema=ON; BEGIN;');
    const tables = allRows(database, "SELECT name FROM sqlite_master WHERE type IN ('table','view')").map(
      ([name]) => String(name).toLowerCase(),
    );
    if (!tables.includes('gpkg_contents') || !tables.includes('gpkg_spatial_ref_sys')) {
      throw new IsomericError(
        'geopackage-incomplete',
        'Layers can be added to a GeoPackage only; this is none.',
        {
          advice: 'Choose another file for --out.',
          blame: 'usage',
        },
      );
    }
    for (const [name, sql] of tableDefinitions) if (!tables.includes(name)) database.exec(sql);
    for (const [id, organization, number, definition] of allRows(
      database,
      'SELECT srs_id, organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys',
    )) {
      this.nextSrs = Math.max(this.nextSrs, Number(id) + 1);
      this.srsByText.set(String(definition), Number(id));
      if (/^epsg$/i.test(String(organization))) this.srsByText.set(`EPSG:${number}`, Number(id));
    }
    this.names.push(...tables.filter((name) => !name.startsWith('gpkg_')));
  }

  private create(): void {
    const { database } = this;
    database.exec(`PRAGMA page_size=4096; PRAGMA journal_mode=MEMORY; PRAGMA synchronous=OFF;
      PRAGMA application_id=0x47504B47; PRAGMA user_version=10400; PRAGMA writable_schema=ON;
      BEGIN;`);
    for (const [, sql] of tableDefinitions) database.exec(sql);
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
        'http://www.geopackage.org/spec140/#extension_schema',
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
    let id = this.srsByText.get(text) ?? this.srsByText.get(crs.code ?? '');
    if (id !== undefined) return id;
    const epsg = crs.code?.startsWith('EPSG:') ? Number(crs.code.slice(5)) : undefined;
    id = epsg ?? this.nextSrs++;
    this.srsByText.set(text, id);
    this.insert('gpkg_spatial_ref_sys', [crs.name, id, epsg === undefined ? 'NONE' : 'EPSG', id, text, null]);
    return id;
  }

  /** Adds one layer, or one table without geometry; returns the account of the writing. */
  async add(table: Table, description = ''): Promise<Account> {
    const name = this.nameFor(storableName(table.name));
    this.names.push(name.toLowerCase());
    const account = await this.addWithIds(table, name, description);
    if (name !== table.name)
      account.notes.unshift(
        `There is a ${table.name} already: this one is called ${name} in the GeoPackage.`,
      );
    return account;
  }

  /** Ids that are whole numbers become the primary key, when no two are alike; others stay a column. */
  private async addWithIds(table: Table, name: string, description: string): Promise<Account> {
    const write = (each: Table, keyed: boolean) =>
      isLayer(each)
        ? this.addLayer(each, name, description, keyed)
        : this.addTable(each, name, description, keyed);
    const field = table.schema[idFieldIndex(table.schema)];
    if (field?.type === 'integer') {
      try {
        const account = await write(withOwnIds(table), true);
        if (field.name !== 'fid')
          account.notes.push(`The ids of the features (${field.name}) are the primary key fid.`);
        return account;
      } catch (error) {
        if (!(error instanceof KeyUnfit) && !/UNIQUE constraint failed/.test(String(error))) throw error;
        this.dropLayer(name);
        this.names.push(name.toLowerCase());
      }
    }
    const { table: plain, note } = withIdsAsColumn(table);
    const account = await write(plain, false);
    if (note !== undefined) account.notes.push(note);
    return account;
  }

  /** The name of the new table. SQLite takes names that differ in letter case alone for the same. */
  private nameFor(wanted: string): string {
    if (/^(gpkg|sqlite|rtree)_/i.test(wanted)) return this.nameFor(`layer_${wanted}`);
    if (!this.names.includes(wanted.toLowerCase())) return wanted;
    if (this.existing && this.replace && this.dropLayer(wanted)) return wanted;
    if (this.existing) {
      throw new IsomericError('layer-exists', `There is a layer ${wanted} in the GeoPackage already.`, {
        place: { layer: wanted },
        advice: 'Say --replace to put the new one in its place, or give it another name.',
        blame: 'usage',
      });
    }
    let name = wanted;
    for (let n = 2; this.names.includes(name.toLowerCase()); n++) name = `${wanted}_${n}`;
    return name;
  }

  /** Takes a layer or table out, with its index; false when it is no layer of the GeoPackage. */
  private dropLayer(wanted: string): boolean {
    const { database } = this;
    const [found] = allRows(
      database,
      'SELECT table_name FROM gpkg_contents WHERE lower(table_name)=lower(?)',
      [wanted],
    );
    if (found === undefined) return false;
    const name = String(found[0]);
    const columns = allRows(database, 'SELECT column_name FROM gpkg_geometry_columns WHERE table_name=?', [
      name,
    ]);
    for (const [trigger] of allRows(
      database,
      "SELECT name FROM sqlite_master WHERE type='trigger' AND tbl_name=?",
      [name],
    ))
      database.exec(`DROP TRIGGER ${quoteName(String(trigger))}`);
    for (const [column] of columns) {
      const tree = `rtree_${name}_${column}`;
      // The engine has no rtree module, so the virtual table goes by its entry and its shadows by name.
      this.run('DELETE FROM sqlite_master WHERE name=?', [tree]);
      for (const shadow of ['node', 'parent', 'rowid'])
        database.exec(`DROP TABLE IF EXISTS ${quoteName(`${tree}_${shadow}`)}`);
    }
    for (const table of ['gpkg_geometry_columns', 'gpkg_extensions', 'gpkg_data_columns', 'gpkg_contents'])
      this.run(`DELETE FROM ${table} WHERE table_name=?`, [name]);
    database.exec(`DROP TABLE IF EXISTS ${quoteName(name)}`);
    this.names.splice(this.names.indexOf(name.toLowerCase()), 1);
    return true;
  }

  private run(sql: string, values: readonly SqlValue[]): void {
    const statement = this.database.prepare(sql);
    statement.run(values);
    statement.finish();
  }

  private columns(table: Table, taken: readonly string[], notes: string[]): { field: Field; name: string }[] {
    const used = [...taken];
    return table.schema.map((field) => {
      // SQLite takes names that differ in letter case alone for the same.
      const lower = used.map((each) => each.toLowerCase());
      const wanted = storableName(field.name);
      let name = wanted;
      for (let n = 2; lower.includes(name.toLowerCase()); n++) name = `${wanted}_${n}`;
      if (wanted !== field.name)
        notes.push(
          `The field ${field.name} is called ${name} in the GeoPackage: not every sign can stand in a name there.`,
        );
      else if (name !== field.name)
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
      const told = field.description ?? (field.featureId === 'given' ? idDescription : undefined);
      if (field.title === undefined && told === undefined && field.type !== 'json') continue;
      this.insert('gpkg_data_columns', [
        table,
        name,
        null,
        field.title === undefined ? null : field.title + unit,
        told ?? null,
        field.type === 'json' ? 'application/json' : null,
        null,
      ]);
    }
  }

  private async addTable(table: Table, name: string, description: string, keyed: boolean): Promise<Account> {
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
    const inserter = new RowInserter(this.database, quoteName(name), columns.length + 1);
    let rows = 0;
    for await (const batch of table.batches()) {
      for (let i = 0; i < batch.length; i++) {
        inserter.set(0, keyed ? keyOf(batch, i) : rows + 1);
        rows++;
        for (let c = 0; c < columns.length; c++) inserter.set(c + 1, sqlValue(batch.columns[c], i));
        inserter.end();
      }
    }
    inserter.finish();
    account.counts = { written: rows };
    closeAccount(account, [rows, `rows of ${name} written to the GeoPackage`]);
    return account;
  }

  private async addLayer(layer: Layer, name: string, description: string, keyed: boolean): Promise<Account> {
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
    const rows = new FeatureRows(database, { name, columns: columns.length, srs, promote, keyed });
    for await (const batch of layer.batches()) rows.add(batch);
    rows.finish();
    this.registerGeometry(name, srs, rows, account.notes);
    this.addTree(name, rows);
    account.counts = { written: rows.count };
    closeAccount(account, [rows.count, `${name} written to the GeoPackage in ${crsLabel(layer.crs)}`]);
    return account;
  }

  /** Says which kinds of geometry a layer holds, and where: that shows when all of it has been written. */
  private registerGeometry(name: string, srs: number, rows: FeatureRows, notes: string[]): void {
    const { kinds, hasZ, hasM, extent } = rows;
    const typeName =
      kinds.length === 1
        ? kinds[0] === 'GeometryCollection'
          ? 'GEOMETRYCOLLECTION'
          : kinds[0].toUpperCase()
        : 'GEOMETRY';
    // The table declares what is registered (12-128r19, requirement 25); which kind it is shows when all has been read.
    if (typeName !== 'GEOMETRY')
      this.run(
        "UPDATE sqlite_master SET sql=replace(sql, ', geom GEOMETRY', ?) WHERE type='table' AND name=?",
        [`, geom ${typeName}`, name],
      );
    if (kinds.length > 1)
      notes.push(`Geometry kinds are mixed (${kinds.join(', ')}); the layer is declared as GEOMETRY.`);
    this.insert('gpkg_geometry_columns', [name, 'geom', typeName, srs, hasZ ? 2 : 0, hasM ? 2 : 0]);
    if (!isEmptyBox(extent))
      this.run('UPDATE gpkg_contents SET min_x=?, min_y=?, max_x=?, max_y=? WHERE table_name=?', [
        ...extent,
        name,
      ]);
  }

  /** The R-tree of a layer, and the triggers that other programs keep it right with (12-128r19, annex F.3). */
  private addTree(name: string, rows: FeatureRows): void {
    const { database } = this;
    const tree = `rtree_${name}_geom`;
    writeRtree(database, tree, rows.boxes, rows.keys);
    this.insert('gpkg_extensions', [
      name,
      'geom',
      'gpkg_rtree_index',
      'http://www.geopackage.org/spec140/#extension_rtree',
      'write-only',
    ]);
    const trigger = database.prepare(
      "INSERT INTO sqlite_master(type,name,tbl_name,rootpage,sql) VALUES('trigger',?,?,0,?)",
    );
    for (const [suffix, sql] of rtreeTriggers(name, 'geom', 'fid'))
      trigger.run([`${tree}_${suffix}`, name, sql]);
    trigger.finish();
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
    } catch {
      // Where the disk failed, the engine has rolled back by itself; why it failed has been told.
    }
    this.database.close();
  }
}

/** SQL ends at U+0000, and half of a surrogate pair is no UTF-8. */
const storableName = (name: string) =>
  name.replace(/\0|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, '\ufffd');

function allRows(database: SqliteDatabase, sql: string, values: readonly SqlValue[] = []): SqlValue[][] {
  const statement = database.prepare(sql);
  try {
    return [...statement.rows(values)];
  } finally {
    statement.finish();
  }
}

/** True when single-part kinds are to be written as their multi-part kinds, so that the column has one kind. */
function promotion(kinds: readonly KindName[] | undefined): boolean {
  if (kinds === undefined) return false;
  const plain = new Set(kinds.map((kind) => kind.replace('Multi', '')));
  return plain.size === 1 && kinds.some((kind) => kind.startsWith('Multi'));
}
