import { select } from 'd3-selection';
import { type ZoomTransform, zoom, zoomIdentity } from 'd3-zoom';
import type { Box, GeometryArray } from 'isomeric/core';
import { useCallback, useEffect, useRef, useState } from 'react';
import { hits, layerBox, type Shaded, type ShownLayer } from './layers.ts';

export interface Picked {
  layer: string;
  feature: number;
}

interface Props {
  layers: readonly ShownLayer[];
  shaded: Shaded | null;
  picked: Picked | null;
  /** Features of the table's layer that pass its filter; null: all. */
  kept: { layer: string; features: Set<number> } | null;
  /** A place to go to, told anew at every jump. */
  jump: { at: [number, number]; times: number } | null;
  onPick(picked: Picked | null): void;
}

const noValue = '#d9d9d5';

/** Layers on a canvas, with pan, zoom and a click to identify. Paths are drawn straight from the flat buffers. */
export function MapCanvas({ layers, shaded, picked, kept, jump, onPick }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const transform = useRef<ZoomTransform>(zoomIdentity);
  const base = useRef({ scale: 1, x0: 0, y0: 0 });
  const behaviour = useRef<ReturnType<typeof zoom<HTMLCanvasElement, unknown>> | null>(null);
  const [size, setSize] = useState({ width: 800, height: 500 });
  const [pointer, setPointer] = useState('');

  const drawAll = useCallback(() => {
    const element = canvas.current;
    const context = element?.getContext('2d');
    if (!element || !context) return;
    const ratio = window.devicePixelRatio || 1;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.fillStyle = '#eef3f5';
    context.fillRect(0, 0, size.width, size.height);
    const { k, x, y } = transform.current;
    const scale = base.current.scale * k;
    const x0 = base.current.x0 * k + x;
    const y0 = base.current.y0 * k + y;
    const order = { area: 0, none: 0, line: 1, point: 2 };
    for (const layer of [...layers].sort((a, b) => order[a.kind] - order[b.kind])) {
      if (!layer.visible) continue;
      layer.batches.forEach((batch, b) => {
        const { geometry } = batch;
        if (geometry === null) return;
        const from = layer.starts[b];
        const dimmed = kept !== null && kept.layer === layer.info.name;
        for (let i = 0; i < batch.length; i++) {
          const feature = from + i;
          const path = featurePath(geometry, i, scale, x0, y0, layer.kind === 'point' ? 4 : 0);
          const chosen = picked !== null && picked.layer === layer.info.name && picked.feature === feature;
          context.globalAlpha = dimmed && !chosen && !kept.features.has(feature) ? 0.12 : 1;
          if (layer.kind === 'line') {
            context.strokeStyle = chosen ? '#d1401f' : layer.colour;
            context.lineWidth = chosen ? 3 : 1.3;
            context.stroke(path);
            continue;
          }
          const shade =
            shaded !== null && shaded.layer === layer.info.name ? shaded.classOf[feature] : undefined;
          context.fillStyle =
            shade === undefined
              ? layer.kind === 'point'
                ? '#ffffff'
                : `${layer.colour}55`
              : shade < 0
                ? noValue
                : shaded!.colours[shade];
          context.fill(path, 'evenodd');
          context.strokeStyle = chosen ? '#d1401f' : shade === undefined ? layer.colour : '#5f6f79';
          context.lineWidth = chosen ? 3 : layer.kind === 'point' ? 1.6 : 0.6;
          context.stroke(path);
        }
      });
    }
    context.globalAlpha = 1;
    if (jump !== null) {
      const px = jump.at[0] * scale + x0;
      const py = y0 - jump.at[1] * scale;
      context.strokeStyle = '#d1401f';
      context.lineWidth = 2.5;
      context.beginPath();
      context.arc(px, py, 12, 0, 2 * Math.PI);
      context.moveTo(px - 20, py);
      context.lineTo(px - 6, py);
      context.moveTo(px + 6, py);
      context.lineTo(px + 20, py);
      context.stroke();
    }
  }, [layers, shaded, picked, kept, jump, size]);

  // The canvas is as large as the room it has.
  useEffect(() => {
    const element = canvas.current!;
    const watch = new ResizeObserver(() => {
      const { clientWidth, clientHeight } = element.parentElement!;
      setSize({ width: clientWidth, height: clientHeight });
    });
    watch.observe(element.parentElement!);
    return () => watch.disconnect();
  }, []);

  const names = layers.map((layer) => layer.info.name).join('|');
  // Fit to what there is when layers come or the room changes.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when layers come or go, or the room changes
  useEffect(() => {
    const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const layer of layers) {
      const own = layerBox(layer);
      box[0] = Math.min(box[0], own[0]);
      box[1] = Math.min(box[1], own[1]);
      box[2] = Math.max(box[2], own[2]);
      box[3] = Math.max(box[3], own[3]);
    }
    if (!(box[0] <= box[2])) return;
    const scale = 0.94 * Math.min(size.width / (box[2] - box[0] || 1), size.height / (box[3] - box[1] || 1));
    base.current = {
      scale,
      x0: size.width / 2 - ((box[0] + box[2]) / 2) * scale,
      y0: size.height / 2 + ((box[1] + box[3]) / 2) * scale,
    };
    drawAll();
  }, [names, size]);

  useEffect(() => {
    const own = zoom<HTMLCanvasElement, unknown>()
      .scaleExtent([0.5, 400])
      .on('zoom', (event: { transform: ZoomTransform }) => {
        transform.current = event.transform;
        requestAnimationFrame(drawAll);
      });
    behaviour.current = own;
    select(canvas.current!).call(own);
    drawAll();
  }, [drawAll]);

  // Go to a place: it comes to the middle, closer by.
  // biome-ignore lint/correctness/useExhaustiveDependencies: at every jump, and only then
  useEffect(() => {
    if (jump === null || behaviour.current === null) return;
    const k = 24;
    const px = jump.at[0] * base.current.scale + base.current.x0;
    const py = base.current.y0 - jump.at[1] * base.current.scale;
    select(canvas.current!).call(
      behaviour.current.transform,
      zoomIdentity.translate(size.width / 2 - k * px, size.height / 2 - k * py).scale(k),
    );
  }, [jump]);

  const mapPoint = (event: React.MouseEvent): [number, number, number] => {
    const rectangle = canvas.current!.getBoundingClientRect();
    const { k, x, y } = transform.current;
    const scale = base.current.scale * k;
    return [
      (event.clientX - rectangle.left - base.current.x0 * k - x) / scale,
      (base.current.y0 * k + y - (event.clientY - rectangle.top)) / scale,
      scale,
    ];
  };

  const pick = (event: React.MouseEvent) => {
    const [x, y, scale] = mapPoint(event);
    const order = { point: 0, line: 1, area: 2, none: 3 };
    for (const layer of [...layers].sort((a, b) => order[a.kind] - order[b.kind])) {
      if (!layer.visible) continue;
      for (let b = layer.batches.length - 1; b >= 0; b--) {
        const { geometry, length } = layer.batches[b];
        if (geometry === null) continue;
        for (let i = length - 1; i >= 0; i--) {
          if (hits(geometry, i, x, y, layer.kind === 'area' ? 0 : 6 / scale)) {
            onPick({ layer: layer.info.name, feature: layer.starts[b] + i });
            return;
          }
        }
      }
    }
    onPick(null);
  };

  const ratio = typeof window === 'undefined' ? 1 : window.devicePixelRatio || 1;
  return (
    <>
      <canvas
        ref={canvas}
        data-testid="map"
        width={Math.round(size.width * ratio)}
        height={Math.round(size.height * ratio)}
        style={{
          width: size.width,
          height: size.height,
          display: 'block',
          cursor: 'crosshair',
          touchAction: 'none',
        }}
        onClick={pick}
        onMouseMove={(event) => {
          const [x, y] = mapPoint(event);
          setPointer(
            Math.abs(x) <= 360 ? `${x.toFixed(5)}, ${y.toFixed(5)}` : `${x.toFixed(0)}, ${y.toFixed(0)}`,
          );
        }}
      />
      <div className="pointer">{pointer}</div>
    </>
  );
}

function featurePath(
  geometry: GeometryArray,
  i: number,
  scale: number,
  x0: number,
  y0: number,
  radius: number,
): Path2D {
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
