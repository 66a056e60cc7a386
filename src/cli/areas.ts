import { existsSync, statSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import type { Crs } from '../core/crs/crs.ts';
import type { Box } from '../core/geometry/geometry-array.ts';
import { AreaIndex } from '../core/geometry/overlay/area-index.ts';
import { Area } from '../core/layer/area.ts';
import { isLayer, type Layer } from '../core/layer/layer.ts';
import type { SheetScheme } from '../core/sheets/sheet-scheme.ts';
import { looksLikeWkt } from '../formats/geometry/wkt.ts';
import { isSchemeFile } from '../formats/sheet-scheme/names.ts';
import { fileSource } from '../node/bytes.ts';
import type { AreaSurroundings, MadeArea } from '../study/area/make.ts';
import type { AreaText } from '../study/area/schema.ts';
import type { StudyArea } from '../study/preparing/area.ts';
import { areaAt, crsArgument, openInput, openLayerAt } from './opening.ts';

/** What an area was said to be: words of the study file, a layer, or the area of a study. */
export type AreaSpec =
  | { kind: 'said'; text: string; area: AreaText }
  | { kind: 'layer'; path: string }
  | { kind: 'study'; folder: string };

/** Is the text a path? What is there is one, and what has no key, no geometry and no braces cannot be anything else. */
function isPath(text: string): boolean {
  if (text === '-' || text.startsWith('-.') || existsSync(text)) return true;
  return !text.includes(':') && !text.trimStart().startsWith('{') && !looksLikeWkt(text);
}

const isGeojson = (text: string) =>
  /"type"\s*:/.test(text) && /"(coordinates|features|geometry|geometries)"\s*:/.test(text);

/**
 * Reads what an area is said to be on the command line: a layer, a folder with a study, WKT or GeoJSON, or the words of the study
 * file (`units: { of: wards.gpkg, code: T204 }, margin: 500 m`).
 */
export async function areaSpec(text: string): Promise<AreaSpec> {
  if (isPath(text)) {
    const folder = basename(text) === 'study.yaml' ? dirname(text) : text;
    if (existsSync(join(folder, 'study.yaml'))) return { kind: 'study', folder };
    return { kind: 'layer', path: text };
  }
  const { areaSchema } = await import('../study/area/schema.ts');
  const trimmed = text.trim();
  if (looksLikeWkt(text) || (trimmed.startsWith('{') && isGeojson(text)))
    return {
      kind: 'said',
      text: `polygon: ${JSON.stringify(trimmed)}`,
      area: areaSchema.parse({ polygon: trimmed }),
    };
  const { readSettings } = await import('../formats/settings/read-settings.ts');
  // What stands on several lines is written as in a study; on one line, as within braces.
  const written = trimmed.startsWith('{') || trimmed.includes('\n') ? trimmed : `{ ${trimmed} }`;
  const { value } = readSettings(written, 'the area', {
    what: 'area',
    schema: areaSchema,
    begin: 'Say it like “units: { of: wards.gpkg, code: T204 }” or “box: [-30, 45, -29, 46]”.',
  });
  return { kind: 'said', text: trimmed, area: value };
}

/** A layer by its path; a layer of a file also by FILE/LAYER. */
export async function layerByPath(path: string): Promise<Layer> {
  const above = dirname(path);
  if (!existsSync(path) && existsSync(above) && statSync(above).isFile()) {
    const found = await openInput(above, { layer: basename(path) });
    if (isLayer(found)) return found;
  }
  return openLayerAt(path);
}

/** A sheet scheme that comes with Isomeric, by its name, or one in a file. */
export async function sheetSchemeArgument(name: string): Promise<SheetScheme> {
  if (!isSchemeFile(name)) {
    const { shippedScheme } = await import('../formats/sheet-scheme/shipped/register.ts');
    return shippedScheme(name);
  }
  const [{ readSheetScheme }, source] = await Promise.all([
    import('../formats/sheet-scheme/read.ts'),
    fileSource(name),
  ]);
  const bytes = await source.bytes(0, Math.min(source.size, 4_000_000));
  return readSheetScheme(new TextDecoder().decode(bytes), name);
}

/** Where the parts of an area on the command line are found: in files of this machine. */
export const surroundings: AreaSurroundings = {
  open: layerByPath,
  crs: crsArgument,
  scheme: sheetSchemeArgument,
  drawn: async (polygon) => {
    const { drawnLayer, drawnText } = await import('../study/area/drawn.ts');
    const found = await drawnText(typeof polygon === 'string' ? polygon : JSON.stringify(polygon));
    return found ?? drawnLayer(await layerByPath(String(polygon)), String(polygon));
  },
  grids: [],
  label: datasetName,
};

/** `data/wards-2024.gpkg` → `wards_2024`: what a study would call it. */
export function datasetName(path: string): string {
  const file = path.replace(/^.*[\\/]/, '').replace(/\.[^.]+$/, '');
  const bare = file.replace(/[^\p{L}\p{N}]+/gu, '_').replace(/^_+|_+$/g, '');
  return /^\p{L}/u.test(bare) ? bare : `layer_${bare}`;
}

/** The area of a study, in its CRS; its layers are gathered where they are not there yet. */
async function areaOfFolder(folder: string, output?: { aside(text: string): void }): Promise<StudyArea> {
  const [{ areaOfStudy }, { nodeMachine }] = await Promise.all([
    import('../study/area-of-study.ts'),
    import('../node/machine.ts'),
  ]);
  const { area } = await areaOfStudy(nodeMachine(folder), (words) => output?.aside(words));
  return area;
}

/** Makes what was said into an area, in its own CRS or another one. */
export async function madeOf(area: AreaText, crs: Crs | null): Promise<MadeArea> {
  const { makeArea } = await import('../study/area/make.ts');
  return makeArea(area, crs, surroundings);
}

/** The area of an option: a layer (with a name and a condition), a study, or words. */
export async function areaArgument(text: string, layer?: string, where?: string): Promise<Area> {
  if (layer !== undefined || where !== undefined) return areaAt(text, layer, where);
  const spec = await areaSpec(text);
  if (spec.kind === 'layer') return areaAt(spec.path);
  if (spec.kind === 'study') {
    const { area, crs, words } = await areaOfFolder(spec.folder);
    return new Area(words, crs, area.geometry, area);
  }
  const made = await madeOf(spec.area, null);
  const make = async (crs: Crs) => (await madeOf(spec.area, crs)).shape.geometry;
  return new Area(made.words, made.shape.crs, made.shape.geometry, null, make);
}

/** The box of an area in longitudes and latitudes on WGS 84, west greater than east across the antimeridian. */
export async function degreesOfAreaText(text: string, layer?: string, from?: string): Promise<Box> {
  const spec = await areaSpec(text);
  if (spec.kind === 'layer' || layer !== undefined || from !== undefined) {
    const { degreesOfLayer } = await import('../core/layer/degrees.ts');
    return degreesOfLayer(await openLayerAt(text, { layer, from }));
  }
  const { degreesOfArea } = await import('../core/crs/area-extent.ts');
  const area = await areaArgument(text);
  return degreesOfArea(new AreaIndex(area.geometry), area.crs!);
}
