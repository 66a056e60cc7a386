import { crsLabel } from '../crs/crs.ts';
import { type Box, type GeometryArray, growBox } from '../geometry/geometry-array.ts';
import { drawSheet, type SheetLayer } from '../mapping/sheet.ts';
import type { Shape } from './shape.ts';

/** What is drawn around an area. */
export interface AreaMapParts {
  title: string;
  /** What it is made of, and its size. */
  words: string;
  shape: Shape;
  /** Outlines of units, in the CRS of the area. */
  units?: { title: string; geometry: GeometryArray };
  /** Footprints of map sheets, in the CRS of the area. */
  sheets?: { title: string; geometry: GeometryArray; codes: readonly string[] };
  sources?: readonly string[];
}

/** Sheets that are named on a map: more of them would hide it. */
const mostLabels = 60;

/** A map of an area: units below, sheets above, a scale. Returns SVG text. */
export function areaMap({ title, words, shape, units, sheets, sources }: AreaMapParts): string {
  const layers: SheetLayer[] = [];
  if (units !== undefined)
    layers.push({
      title: units.title,
      geometries: [units.geometry],
      kind: 'area',
      fill: '#f4f1ea',
      stroke: '#9aa3a8',
      width: 0.8,
    });
  layers.push({
    title: 'Study area',
    geometries: [shape.geometry],
    kind: 'area',
    fill: '#3f7f8c55',
    stroke: '#14505c',
    width: 2.2,
  });
  if (sheets !== undefined)
    layers.push({
      title: sheets.title,
      geometries: [sheets.geometry],
      kind: 'area',
      stroke: '#8a3b00',
      width: 0.9,
    });
  const extent = [...shape.geometry.box()] as Box;
  const margin = 0.12 * Math.max(extent[2] - extent[0], extent[3] - extent[1]);
  growBox(extent, [extent[0] - margin, extent[1] - margin, extent[2] + margin, extent[3] + margin]);
  const labels =
    sheets === undefined || sheets.codes.length > mostLabels
      ? []
      : sheets.codes.map((text, i) => {
          const box = sheets.geometry.boxOf(i);
          return { at: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2] as const, text };
        });
  return drawSheet({
    title,
    subtitle: words,
    crs: shape.crs,
    crsWords: crsLabel(shape.crs),
    layers,
    labels,
    extent,
    sources: sources ?? [],
  });
}
