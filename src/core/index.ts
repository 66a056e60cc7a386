export * from './account.ts';
export { type ChosenUnits, chooseUnits, type UnitChoice } from './area/choose-units.ts';
export { type AreaFacts, areaFacts, type TouchedUnit, unitsTouched } from './area/describe.ts';
export { Hierarchy, type HierarchyPlan, type ParentRule, type Unit } from './area/hierarchy.ts';
export { disc, type Shape, within } from './area/shape.ts';
export {
  type CatalogueAnswer,
  CatalogueIndex,
  type CatalogueQuery,
  type FacetValue,
} from './catalogue/catalogue-index.ts';
export { type ComparedCell, type Comparison, compareEntries } from './catalogue/compare.ts';
export {
  type CatalogueEntry,
  type DescribedColumn,
  entryName,
  type Holding,
  type Way,
} from './catalogue/entry.ts';
export { type FacetName, facetNames } from './catalogue/facets.ts';
export * from './checks/check.ts';
export { checkFrom } from './checks/check-words.ts';
export { crsCheck, crsFindings } from './checks/crs-check.ts';
export * from './checks/validity.ts';
export * from './class-scheme/scheme.ts';
export { degreesOfArea, plainBoxes } from './crs/area-extent.ts';
export { areaWords, placeWords } from './crs/area-of-use.ts';
export {
  bestCrs,
  type CrsCandidate,
  type CrsPurpose,
  choiceWords,
  crsPurposes,
  distortionWords,
  purposeFromText,
} from './crs/best-crs.ts';
export * from './crs/crs.ts';
export {
  areaSpread,
  type Distortion,
  type DistortionReport,
  distortionAt,
  distortionOver,
  lengthError,
} from './crs/distortion.ts';
export { crsFromProjjson, crsFromText } from './crs/from-text.ts';
export { type Coordinates, type Location, locate, locationWords } from './crs/locate.ts';
export { type GridShift, readNtv2 } from './crs/ntv2.ts';
export { methodNamed, methods } from './crs/projections/register.ts';
export { projjsonFromCrs } from './crs/projjson.ts';
export {
  axesOfDefinition,
  crsByEpsg,
  crsByNumber,
  placeOfUse,
  registryCodes,
  wgs84,
} from './crs/registry.ts';
export { crsAt, nearestCrs } from './crs/search.ts';
export { type Transformer, type TransformerOptions, transformBox, transformer } from './crs/transformer.ts';
export { crsFromWkt } from './crs/wkt-crs.ts';
export { prjFromCrs, wkt2FromCrs, wktFromCrs } from './crs/wkt-write.ts';
export * from './errors.ts';
export * from './findings.ts';
export * from './geometry/index.ts';
export { innerPoint } from './geometry/inner-point.ts';
export {
  frechetDistance,
  hausdorffDistance,
  nearestPlaces,
  type Span,
} from './geometry/measure/distances.ts';
export { type Circle, leastCircle, leastRectangle } from './geometry/measure/enclosing.ts';
export { concaveHull, convexHull } from './geometry/measure/hull.ts';
export { centroid, greatestCircleWithin } from './geometry/measure/inner-circle.ts';
export { areaUnits, lengthUnits } from './geometry/measure/units.ts';
export { planarArea, planarLength } from './geometry/measures.ts';
export { AreaIndex } from './geometry/overlay/area-index.ts';
export type { FillRule } from './geometry/overlay/fill-rule.ts';
export { type OverlayOperation, overlayAreas } from './geometry/overlay/overlay.ts';
export { overlayGeometries } from './geometry/overlay/overlay-mixed.ts';
export { matches, relate, relations } from './geometry/overlay/relate.ts';
export { uniteAreas } from './geometry/overlay/unite.ts';
export { type Chain, fillRings, joinRings } from './geometry/ring-joining.ts';
export { planarRuler, type Ruler, rulerFor } from './geometry/ruler.ts';
export { delaunay, type Triangulation } from './geometry/shape/delaunay.ts';
export { voronoiCells } from './geometry/shape/voronoi.ts';
export { type CellFigure, cellFigureNames, parseCellFigure } from './grid/cell-figures.ts';
export * from './grid/grid.ts';
export { gridCells } from './grid/grid-cells.ts';
export * from './layer/batch.ts';
export { concatenate } from './layer/concatenate.ts';
export * from './layer/feature-ids.ts';
export { type Figures, figuresBy } from './layer/figures.ts';
export type { ClashRule, Give } from './layer/joining/words.ts';
export * from './layer/layer.ts';
export { type Threads, useThreads } from './layer/threads.ts';
export { assignCrs } from './layer/verbs/assign-crs.ts';
export { type CarryOptions, carryFigures } from './layer/verbs/carry.ts';
export { type ClassifyOptions, type ClassRule, classifyFeatures } from './layer/verbs/classify.ts';
export { type ClipOptions, clipLayer } from './layer/verbs/clip.ts';
export {
  type Computation,
  type ComputeOptions,
  computeFields,
} from './layer/verbs/compute.ts';
export { type CrosswalkOptions, crosswalkOf } from './layer/verbs/crosswalk.ts';
export type { Densify } from './layer/verbs/densify.ts';
export { type EdgePath, edgePaths } from './layer/verbs/edge-paths.ts';
export { filterRows } from './layer/verbs/filter.ts';
export { type GroupOptions, groupRows } from './layer/verbs/group.ts';
export { innerPoints } from './layer/verbs/inner-points.ts';
export {
  featuresWithoutRow,
  type JoinOptions,
  joinTable,
  rowsWithoutFeature,
} from './layer/verbs/join.ts';
export { type JoinTablesOptions, joinTables } from './layer/verbs/join-tables.ts';
export { type LengthenOptions, lengthenRows } from './layer/verbs/lengthen.ts';
export { withReasonColumns } from './layer/verbs/reasons.ts';
export { type ReprojectOptions, reprojectLayer } from './layer/verbs/reproject.ts';
export { onlyLevel, onlyUnits, splitLevels, type UnitsOptions, withoutTotals } from './layer/verbs/rows.ts';
export { selectColumns } from './layer/verbs/select.ts';
export { type SummariseOptions, summariseGrids } from './layer/verbs/summarise.ts';
export { type TallyOptions, tallyFeatures } from './layer/verbs/tally.ts';
export { type WidenOptions, widenRows } from './layer/verbs/widen.ts';
export { unitsOfFeatures, type WithinOptions } from './layer/verbs/within.ts';
export { looksLikeCount, type Shading, shade, shadingWords } from './mapping/choropleth.ts';
export {
  type Classes,
  type ClassMethod,
  classify,
  classMethods,
  classOf,
  givenClasses,
  parseClasses,
} from './mapping/classes.ts';
export { luminance, rampColours, rampNames } from './mapping/colours.ts';
export { distortionPicture } from './mapping/distortion-picture.ts';
export { decimalsFor, limitTexts, numberText } from './mapping/numbers.ts';
export {
  boxOfArrays,
  type ClassLegend,
  drawSheet,
  type Sheet,
  type SheetLayer,
  sheetHeight,
  sheetWidth,
} from './mapping/sheet.ts';
export { nearestWord, suggest } from './nearest.ts';
export { codeOf } from './sheets/codes.ts';
export { sheetsFor, type TouchedSheet } from './sheets/for-area.ts';
export { type CodeRead, CodeReader } from './sheets/reading-codes.ts';
export type { Cell, MapSheet } from './sheets/scheme.ts';
export { sheetLayer } from './sheets/sheet-layer.ts';
export { SheetScheme } from './sheets/sheet-scheme.ts';
export { aggregateNames, parseAggregate } from './table/aggregates.ts';
export { type ChosenVariables, chooseVariables } from './table/choose-variables.ts';
export * from './table/code-book.ts';
export * from './table/column.ts';
export { ColumnBuilder, nullColumn, takeValues, textColumn } from './table/column-builder.ts';
export { type Compiled, compileExpression } from './table/cql2/evaluate.ts';
export { expressionFunctions } from './table/cql2/functions.ts';
export { parseExpression } from './table/cql2/parse.ts';
export { mostHeaderRows } from './table/header-rows.ts';
export type { Agreement, KeyAdvice } from './table/keys/doctor/advice.ts';
export { type KeySearch, type KeySearchOptions, searchKeys } from './table/keys/doctor/search-tables.ts';
export {
  type JoinKeys,
  type KeyField,
  type KeyPair,
  keyPairsText,
  parseKeyPairs,
  parseOn,
} from './table/keys/key-pairs.ts';
export {
  type Mend,
  type MendKind,
  mendDescription,
  mendKinds,
  mendsText,
  parseMends,
  type Side,
} from './table/keys/mends.ts';
export * from './table/margins.ts';
export * from './table/marks.ts';
export * from './table/profile.ts';
export { type RowKinds, recogniseRows, rowFindings } from './table/row-kinds.ts';
export * from './table/schema.ts';
export { dateText, timestampText } from './table/time.ts';
