export * from './byte-source.ts';
export { writeDelimited } from './delimited/write.ts';
export { writeGeojson } from './geojson/write.ts';
export { GeopackageWriter } from './geopackage/write.ts';
export {
  type Capabilities,
  type Format,
  formatOf,
  formats,
  type OpenContext,
  type Opened,
  openAmong,
  openSource,
} from './register.ts';
export type { SqliteDatabase, SqliteEngine, SqliteStatement, SqlValue } from './sqlite.ts';
export { readWkb, WkbWriter } from './wkb.ts';
export { openZip } from './zip/zip.ts';
