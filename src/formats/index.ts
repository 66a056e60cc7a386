export * from './bytes/byte-source.ts';
export type { NewDatabase, SqliteDatabase, SqliteEngine, SqliteStatement, SqlValue } from './bytes/sqlite.ts';
export { loadScheme, thematicScheme, thematicText } from './class-scheme/load.ts';
export { schemeJsonSchema } from './class-scheme/schema.ts';
export { type DelimitedOptions, writeDelimited } from './delimited/write.ts';
export { writeFlatgeobuf } from './flatgeobuf/write.ts';
export { type GeojsonOptions, writeGeojson } from './geojson/write.ts';
export { readWkb, WkbWriter } from './geometry/wkb.ts';
export { readWktText, wktText } from './geometry/wkt.ts';
export { type GeopackageWriteOptions, GeopackageWriter } from './geopackage/write.ts';
export { writeGeoparquet } from './geoparquet/write.ts';
export { openGeotiff } from './geotiff/read.ts';
export { gmlSchema, writeGml } from './gml/write.ts';
export { writeGpx } from './gpx/write.ts';
export { writeKml } from './kml/write.ts';
export {
  type Contents,
  lookAmong,
  lookInside,
  type Opened,
  type OpenedGrid,
  type OtherFile,
  openAmong,
  openSource,
  withDamage,
} from './opening/contents.ts';
export { codeBookOf } from './opening/describe.ts';
export { layerFromColumns } from './opening/geometry-columns.ts';
export { type OneObject, oneObject, parseObjectName } from './osm/assembling/one-object.ts';
export {
  chosenClasses,
  schemeOfRule,
  type TakeApartOptions,
  type TakenApart,
  takeApart,
} from './osm/classes/take-apart.ts';
export type { Inflate } from './osm/reading/blobs.ts';
export { openExtract } from './osm/reading/open-extract.ts';
export type { MapExtract } from './osm/reading/primitives.ts';
export { type TagStatistics, tagStatistics } from './osm/tags/tag-statistics.ts';
export { type Capabilities, type Format, formatOf, formats, type OpenContext } from './register.ts';
export { writeDbase, writeShapefile } from './shapefile/write.ts';
export { readSheetScheme } from './sheet-scheme/read.ts';
export { sheetSchemeJsonSchema } from './sheet-scheme/schema.ts';
export { shippedScheme } from './sheet-scheme/shipped/register.ts';
export { writeTopojson } from './topojson/write.ts';
export {
  type WriteOptions,
  type WritingFormat,
  writingFormatFor,
  writingFormats,
} from './writing/register.ts';
export {
  type ByteSink,
  type MemoryTarget,
  memoryTarget,
  type Scratch,
  type Target,
} from './writing/target.ts';
export { writeTables } from './writing/write-tables.ts';
export { openZip } from './zip/zip.ts';
