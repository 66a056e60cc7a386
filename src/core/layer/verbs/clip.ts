import type { AreaIndex } from '../../geometry/overlay/area-index.ts';
import type { Layer } from '../layer.ts';
import { type CutOptions, cutByArea } from './cut-by-area.ts';

/** How `clipLayer` cuts. */
export type ClipOptions = CutOptions;

/** Cuts a layer to an area that stands in the layer's CRS. */
export function clipLayer(layer: Layer, area: AreaIndex, options: ClipOptions = {}): Layer {
  return cutByArea('Clip', layer, area, options);
}

/**
 * Cuts an area that stands in the layer's CRS out of a layer. The area is closed: points and lines on its border go
 * with it.
 */
export function eraseLayer(layer: Layer, area: AreaIndex, options: ClipOptions = {}): Layer {
  return cutByArea('Erase', layer, area, options);
}
