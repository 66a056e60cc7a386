import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { isAbsolute, join } from 'node:path';
import type { CatalogueEntry } from '../core/catalogue/entry.ts';
import { breakdownsIn, levelsIn, yearsIn } from '../core/catalogue/levels.ts';
import { IsomericError } from '../core/errors.ts';
import { degreesOfLayer } from '../core/layer/degrees.ts';
import { countRows, isLayer, type Layer, type Table } from '../core/layer/layer.ts';
import type { FileLook } from '../sources/catalogue/lister.ts';
import { lookPath } from './open.ts';

async function checksumOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

/** What one layer or table is, as a catalogue tells of it. */
async function described(table: Layer | Table, name: string): Promise<FileLook['found'][number]> {
  const layer = isLayer(table);
  const title = table.title ?? `${table.name}`;
  const words = `${title} , ${name.replace(/[_-]/g, ' ')}`;
  const count = await countRows(table);
  let box: CatalogueEntry['box'];
  if (layer && table.crs !== null && count > 0)
    try {
      box = await degreesOfLayer(table);
    } catch (error) {
      // Where it lies is only told where there is a way to say it.
      if (!(error instanceof IsomericError)) throw error;
    }
  const columns = table.schema.map((field) => ({
    name: field.name,
    ...(field.title === undefined ? {} : { title: field.title }),
    ...(field.unit === undefined ? {} : { unit: field.unit }),
    ...(field.universe === undefined ? {} : { universe: field.universe }),
  }));
  return {
    title,
    holds: layer ? 'layer' : 'table',
    ...(layer ? { features: count } : { rows: count }),
    columns,
    levels: levelsIn(words),
    years: yearsIn(words),
    breakdowns: breakdownsIn(title),
    ...(box === undefined ? {} : { box }),
  };
}

/** Looks into a file of this machine: what its layers and tables are. What was seen before stands as long as its checksum is the same. */
export async function lookIntoFile(
  folder: string,
  given: string,
  before: FileLook | undefined,
): Promise<FileLook> {
  const path = isAbsolute(given) ? given : join(folder, given);
  const { size } = await stat(path);
  if ((await stat(path)).isDirectory())
    return {
      sha256: '',
      bytes: 0,
      found: [],
      layers: [],
      trouble: 'it is a folder: name it as a catalogue of its own',
    };
  const sha256 = await checksumOf(path);
  if (before?.sha256 === sha256) return before;
  try {
    const { layers } = await lookPath(path);
    const data = layers.filter(({ describes }) => describes !== true);
    const found: FileLook['found'] = [];
    for (const { table } of data) found.push(await described(table, given.replace(/^.*[\\/]/, '')));
    return {
      sha256,
      bytes: size,
      found,
      layers: data.map(({ table }) => (data.length === 1 ? null : table.name)),
    };
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    return { sha256, bytes: size, found: [], layers: [], trouble: error.message.replace(/\.$/, '') };
  }
}
