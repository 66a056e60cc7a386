import type { Crs } from '../core/crs/crs.ts';
import { crsFromText } from '../core/crs/from-text.ts';
import { type GridShift, readNtv2 } from '../core/crs/ntv2.ts';
import { IsomericError, placed } from '../core/errors.ts';
import { type Area, areaFrom } from '../core/layer/area.ts';
import { isLayer, type Layer, type Table } from '../core/layer/layer.ts';
import { assignCrs } from '../core/layer/verbs/assign-crs.ts';
import { filterRows } from '../core/layer/verbs/filter.ts';
import { ending } from '../formats/opening/names.ts';
import { fileSource } from '../node/bytes.ts';
import { type OpenOptions, openOne, openPath } from '../node/open.ts';
import { localPath } from './streams.ts';

/** A CRS by code, name, WKT, or a .prj or .wkt file. */
export async function crsArgument(text: string): Promise<Crs> {
  if (!['prj', 'wkt'].includes(ending(text))) return crsFromText(text);
  const source = await fileSource(text);
  return placed({ file: text }, async () =>
    crsFromText(new TextDecoder().decode(await source.bytes(0, Math.min(source.size, 100_000)))),
  );
}

export interface InputOptions extends OpenOptions {
  /** Which layer, when there are several. */
  layer?: string;
  /** The CRS that the layer has, when it does not say so. */
  from?: string;
}

/** The layer or table of a path. */
export async function openInput(
  path: string,
  { layer, from, ...reading }: InputOptions = {},
): Promise<Layer | Table> {
  const { table } = await openOne(await localPath(path), layer, reading);
  if (from === undefined) return table;
  return assignCrs(asLayer(table, path), await crsArgument(from));
}

/**
 * The layers or tables of a path that are asked for: one by its name, some with commas between, or “all” of them (of layers: all
 * that have geometry).
 */
export async function openChosen(
  path: string,
  options: InputOptions,
  onlyLayers: boolean,
): Promise<(Layer | Table)[]> {
  const { layer, from, ...reading } = options;
  if (layer !== 'all' && layer?.includes(',') !== true)
    return [await (onlyLayers ? openLayerAt : openInput)(path, options)];
  const file = await localPath(path);
  const there = (await openPath(file, reading)).filter((opened) => opened.describes !== true);
  const tables = there.map(({ table }) => table);
  const chosen =
    layer === 'all' && !tables.some(({ name }) => name === 'all')
      ? tables.filter((table) => !onlyLayers || isLayer(table))
      : layer!
          .split(',')
          .map((name) => name.trim())
          .map((name) => named(tables, name, path));
  const crs = from === undefined ? null : await crsArgument(from);
  return chosen.map((table) => (crs === null ? table : assignCrs(asLayer(table, path), crs)));
}

function named(tables: readonly (Layer | Table)[], name: string, path: string): Layer | Table {
  const found = tables.find((table) => table.name === name);
  if (found !== undefined) return found;
  throw new IsomericError('layer-unknown', `There is no layer “${name}” in ${path}.`, {
    advice: `There are: ${tables.map((table) => table.name).join(', ')}.`,
    blame: 'usage',
  });
}

/** The layer of a path; a table without geometry is an error. */
export async function openLayerAt(path: string, options: InputOptions = {}): Promise<Layer> {
  return asLayer(await openInput(path, options), path);
}

function asLayer(table: Table, path: string): Layer {
  if (isLayer(table)) return table;
  throw new IsomericError('geometry-missing', `${table.name} is a table without geometry.`, {
    place: { file: path },
    blame: 'usage',
  });
}

/** The area of a layer's polygons; with a condition, only of some. */
export async function areaAt(path: string, layer?: string, where?: string): Promise<Area> {
  const source = await openLayerAt(path, { layer });
  return areaFrom(where === undefined ? source : filterRows(source, where));
}

/** Grids of datum shifts. */
export async function gridsAt(paths: readonly string[]): Promise<GridShift[]> {
  const grids: GridShift[] = [];
  for (const path of paths) {
    const source = await fileSource(path);
    grids.push(readNtv2(await source.bytes(0, source.size), path));
  }
  return grids;
}
