import { type Area, areaFrom } from '../core/layer/area.ts';
import type { Layer } from '../core/layer/layer.ts';
import { type Given, later } from '../verbs/step.ts';
import { type Watching, watchedTable } from './progress.ts';

/**
 * The area of all polygons of a layer, or of those for which a condition in CQL2 is true; for `clip`. The layer is read
 * whole.
 *
 * @throws IsomericError `area-empty` where no polygon is left
 */
export function areaOf(layer: Given<Layer>, where?: string, watching: Watching = {}): Promise<Area> {
  return later(areaFor(layer, where, watching));
}

async function areaFor(layer: Given<Layer>, where: string | undefined, watching: Watching): Promise<Area> {
  const whole = watchedTable(await layer, watching);
  if (where === undefined) return areaFrom(whole, watching.signal);
  const { filterRows } = await import('../core/layer/verbs/filter.ts');
  return areaFrom(filterRows(whole, where), watching.signal);
}
