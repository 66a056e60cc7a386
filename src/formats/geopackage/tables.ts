import type { Column } from '../../core/table/column.ts';
import type { FieldType } from '../../core/table/schema.ts';
import type { SqlValue } from '../bytes/sqlite.ts';

/** Tables that a GeoPackage of ours has (12-128r19, annex C). */
export const tableDefinitions: readonly (readonly [name: string, sql: string])[] = [
  [
    'gpkg_spatial_ref_sys',
    `CREATE TABLE gpkg_spatial_ref_sys (srs_name TEXT NOT NULL, srs_id INTEGER NOT NULL PRIMARY KEY, organization TEXT NOT NULL, organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT)`,
  ],
  [
    'gpkg_contents',
    `CREATE TABLE gpkg_contents (table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE, description TEXT DEFAULT '', last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')), min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER, CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id))`,
  ],
  [
    'gpkg_geometry_columns',
    `CREATE TABLE gpkg_geometry_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL, srs_id INTEGER NOT NULL, z TINYINT NOT NULL, m TINYINT NOT NULL, CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name), CONSTRAINT uk_gc_table_name UNIQUE (table_name), CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name), CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys (srs_id))`,
  ],
  [
    'gpkg_extensions',
    `CREATE TABLE gpkg_extensions (table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL, definition TEXT NOT NULL, scope TEXT NOT NULL, CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name))`,
  ],
  [
    'gpkg_data_columns',
    `CREATE TABLE gpkg_data_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, name TEXT, title TEXT, description TEXT, mime_type TEXT, constraint_name TEXT, CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name), CONSTRAINT gdc_tn UNIQUE (table_name, name))`,
  ],
  [
    'gpkg_data_column_constraints',
    `CREATE TABLE gpkg_data_column_constraints (constraint_name TEXT NOT NULL, constraint_type TEXT NOT NULL, value TEXT, min NUMERIC, min_is_inclusive BOOLEAN, max NUMERIC, max_is_inclusive BOOLEAN, description TEXT, CONSTRAINT gdcc_ntv UNIQUE (constraint_name, constraint_type, value))`,
  ],
];

/** Column types of 12-128r19, table 1. */
export const sqlTypes: Record<FieldType, string> = {
  integer: 'INTEGER',
  real: 'REAL',
  text: 'TEXT',
  boolean: 'BOOLEAN',
  date: 'DATE',
  timestamp: 'DATETIME',
  bytes: 'BLOB',
  json: 'TEXT',
};

/** A cell as SQLite takes it. */
export function sqlValue(column: Column, i: number): SqlValue {
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
      // SQLite ends a text at U+0000.
      return column.text(i)!.replaceAll('\0', '\ufffd');
  }
}

/** Description of the column that holds ids of features that cannot be a primary key: by it they are known again. */
export const idDescription = 'id of the feature';
