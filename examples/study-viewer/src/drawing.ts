import type { Batch, GeometryArray } from 'isomeric/core';
import type { Shaded, ShownLayer } from './layers.ts';

export interface Picked {
  layer: string;
  feature: number;
}

/** What is to be seen on the map. */
export interface Scene {
  layers: readonly ShownLayer[];
  shaded: Shaded | null;
  picked: Picked | null;
  /** Features of the table's layer that pass its filter; null: all. */
  kept: { layer: string; features: Set<number> } | null;
  /** A place to go to, told anew at every jump. */
  jump: { at: [number, number]; times: number } | null;
}

/** Map → canvas: x · scale + x0, y0 − y · scale. */
export interface View {
  scale: number;
  x0: number;
  y0: number;
}

const noValue = '#d9d9d5';
const chosenColour = '#d1401f';

/** Draws a scene: areas below, then lines, then points; then the place that was jumped to. */
export function drawScene(context: CanvasRenderingContext2D, scene: Scene, view: View): void {
  const order = { area: 0, none: 0, line: 1, point: 2 };
  for (const layer of [...scene.layers].sort((a, b) => order[a.kind] - order[b.kind])) {
    if (!layer.visible) continue;
    layer.batches.forEach((batch, b) => {
      drawBatch(context, scene, view, layer, batch, layer.starts[b]);
    });
  }
  context.globalAlpha = 1;
  if (scene.jump !== null) drawCross(context, scene.jump.at, view);
}

function drawBatch(
  context: CanvasRenderingContext2D,
  { shaded, picked, kept }: Scene,
  view: View,
  layer: ShownLayer,
  batch: Batch,
  from: number,
): void {
  const { geometry } = batch;
  if (geometry === null) return;
  const { name } = layer.info;
  const dimmed = kept !== null && kept.layer === name ? kept.features : null;
  const classes = shaded !== null && shaded.layer === name ? shaded : null;
  for (let i = 0; i < batch.length; i++) {
    const feature = from + i;
    const path = featurePath(geometry, i, view, layer.kind === 'point' ? 4 : 0);
    const chosen = picked !== null && picked.layer === name && picked.feature === feature;
    context.globalAlpha = dimmed !== null && !chosen && !dimmed.has(feature) ? 0.12 : 1;
    if (layer.kind === 'line') {
      context.strokeStyle = chosen ? chosenColour : layer.colour;
      context.lineWidth = chosen ? 3 : 1.3;
      context.stroke(path);
      continue;
    }
    const shade = classes?.classOf[feature];
    context.fillStyle = fillOf(layer, shade, classes);
    context.fill(path, 'evenodd');
    context.strokeStyle = chosen ? chosenColour : shade === undefined ? layer.colour : '#5f6f79';
    context.lineWidth = chosen ? 3 : layer.kind === 'point' ? 1.6 : 0.6;
    context.stroke(path);
  }
}

function fillOf(layer: ShownLayer, shade: number | undefined, classes: Shaded | null): string {
  if (shade === undefined) return layer.kind === 'point' ? '#ffffff' : `${layer.colour}55`;
  return shade < 0 ? noValue : classes!.colours[shade];
}

function drawCross(context: CanvasRenderingContext2D, [x, y]: [number, number], view: View): void {
  const px = x * view.scale + view.x0;
  const py = view.y0 - y * view.scale;
  context.strokeStyle = chosenColour;
  context.lineWidth = 2.5;
  context.beginPath();
  context.arc(px, py, 12, 0, 2 * Math.PI);
  context.moveTo(px - 20, py);
  context.lineTo(px - 6, py);
  context.moveTo(px + 6, py);
  context.lineTo(px + 20, py);
  context.stroke();
}

function featurePath(geometry: GeometryArray, i: number, { scale, x0, y0 }: View, radius: number): Path2D {
  const path = new Path2D();
  const { xy } = geometry;
  for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
    const kind = geometry.kindOfPart(i, p);
    for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
      const first = geometry.vertexStart[r];
      const end = geometry.vertexStart[r + 1];
      if (kind === 1) {
        path.moveTo(xy[2 * first] * scale + x0 + radius, y0 - xy[2 * first + 1] * scale);
        path.arc(xy[2 * first] * scale + x0, y0 - xy[2 * first + 1] * scale, radius, 0, 2 * Math.PI);
        continue;
      }
      for (let v = first; v < end; v++) {
        const px = xy[2 * v] * scale + x0;
        const py = y0 - xy[2 * v + 1] * scale;
        if (v === first) path.moveTo(px, py);
        else path.lineTo(px, py);
      }
      if (kind === 3) path.closePath();
    }
  }
  return path;
}
