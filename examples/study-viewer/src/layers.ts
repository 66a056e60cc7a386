import { type Batch, type Box, emptyBox, type GeometryArray, growBox, type Value } from 'isomeric/core';
import type { LayerInfo } from './reader.worker.ts';

export interface ShownLayer {
  info: LayerInfo;
  batches: Batch[];
  /** Number of the first feature of each batch. */
  starts: number[];
  kind: 'area' | 'line' | 'point' | 'none';
  visible: boolean;
  colour: string;
}

export interface Shaded {
  layer: string;
  /** Class of each feature, −1 for none. */
  classOf: Int8Array;
  colours: string[];
}

/** Colours for layers that are not divided into classes. */
export const plainColours = ['#35606f', '#8a5a2b', '#4f7d4a', '#7a4f86', '#9a3f38', '#5f6b73'];

/** Where a feature stands: its batch and its number there. */
export function locate(layer: ShownLayer, feature: number): { batch: Batch; i: number } {
  let b = layer.starts.length - 1;
  while (layer.starts[b] > feature) b--;
  return { batch: layer.batches[b], i: feature - layer.starts[b] };
}

export function cellOf(layer: ShownLayer, feature: number, column: number): Value {
  const { batch, i } = locate(layer, feature);
  return batch.columns[column].value(i);
}

export function idOf(layer: ShownLayer, feature: number): string | number {
  const { batch, i } = locate(layer, feature);
  return batch.id(i);
}

export function layerBox(layer: ShownLayer): Box {
  const box = emptyBox();
  for (const batch of layer.batches) if (batch.geometry !== null) growBox(box, batch.geometry.box());
  return box;
}

export function kindOf(batches: readonly Batch[]): ShownLayer['kind'] {
  for (const { geometry } of batches) {
    if (geometry === null) continue;
    for (let i = 0; i < geometry.length; i++) {
      const kind = geometry.kind[i];
      if (kind === 0) continue;
      return kind === 1 || kind === 4 ? 'point' : kind === 2 || kind === 5 ? 'line' : 'area';
    }
  }
  return 'none';
}

/** Is a point on feature i (in an area; within `reach` of a line or point)? */
export function hits(geometry: GeometryArray, i: number, x: number, y: number, reach: number): boolean {
  const box = geometry.boxOf(i);
  if (!(x >= box[0] - reach && x <= box[2] + reach && y >= box[1] - reach && y <= box[3] + reach))
    return false;
  let inside = false;
  for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
    const kind = geometry.kindOfPart(i, p);
    for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
      const first = geometry.vertexStart[r];
      const end = geometry.vertexStart[r + 1];
      if (kind === 1 && Math.hypot(geometry.xy[2 * first] - x, geometry.xy[2 * first + 1] - y) <= reach)
        return true;
      for (let v = first; v < end - 1; v++) {
        const ax = geometry.xy[2 * v];
        const ay = geometry.xy[2 * v + 1];
        const bx = geometry.xy[2 * v + 2];
        const by = geometry.xy[2 * v + 3];
        if (kind === 2) {
          const length = (bx - ax) ** 2 + (by - ay) ** 2;
          const t =
            length === 0
              ? 0
              : Math.max(0, Math.min(1, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / length));
          if (Math.hypot(ax + t * (bx - ax) - x, ay + t * (by - ay) - y) <= reach) return true;
        } else if (ay > y !== by > y && x < ax + ((y - ay) / (by - ay)) * (bx - ax)) inside = !inside;
      }
    }
  }
  return inside;
}
