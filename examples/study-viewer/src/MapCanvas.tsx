import { select } from 'd3-selection';
import { type ZoomTransform, zoom, zoomIdentity } from 'd3-zoom';
import type { Box } from 'isomeric/core';
import { useCallback, useEffect, useRef, useState } from 'react';
import { drawScene, type Picked, type Scene, type View } from './drawing.ts';
import { hits, layerBox, type ShownLayer } from './layers.ts';

interface Props extends Scene {
  onPick(picked: Picked | null): void;
}

const viewOf = ({ scale, x0, y0 }: View, { k, x, y }: ZoomTransform): View => ({
  scale: scale * k,
  x0: x0 * k + x,
  y0: y0 * k + y,
});

/** The view in which all layers fit into the room; null when they hold nothing. */
function fitting(layers: readonly ShownLayer[], size: { width: number; height: number }): View | null {
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  for (const layer of layers) {
    const own = layerBox(layer);
    box[0] = Math.min(box[0], own[0]);
    box[1] = Math.min(box[1], own[1]);
    box[2] = Math.max(box[2], own[2]);
    box[3] = Math.max(box[3], own[3]);
  }
  if (!(box[0] <= box[2])) return null;
  const scale = 0.94 * Math.min(size.width / (box[2] - box[0] || 1), size.height / (box[3] - box[1] || 1));
  return {
    scale,
    x0: size.width / 2 - ((box[0] + box[2]) / 2) * scale,
    y0: size.height / 2 + ((box[1] + box[3]) / 2) * scale,
  };
}

/** The uppermost feature at a place; null when there is none. */
function featureAt(layers: readonly ShownLayer[], x: number, y: number, reach: number): Picked | null {
  const order = { point: 0, line: 1, area: 2, none: 3 };
  for (const layer of [...layers].sort((a, b) => order[a.kind] - order[b.kind])) {
    if (!layer.visible) continue;
    for (let b = layer.batches.length - 1; b >= 0; b--) {
      const { geometry, length } = layer.batches[b];
      if (geometry === null) continue;
      for (let i = length - 1; i >= 0; i--)
        if (hits(geometry, i, x, y, layer.kind === 'area' ? 0 : reach))
          return { layer: layer.info.name, feature: layer.starts[b] + i };
    }
  }
  return null;
}

/** Layers on a canvas, with pan, zoom and a click to identify. Paths are drawn straight from the flat buffers. */
export function MapCanvas({ layers, shaded, picked, kept, jump, onPick }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const transform = useRef<ZoomTransform>(zoomIdentity);
  const base = useRef<View>({ scale: 1, x0: 0, y0: 0 });
  const behaviour = useRef<ReturnType<typeof zoom<HTMLCanvasElement, unknown>> | null>(null);
  const [size, setSize] = useState({ width: 800, height: 500 });
  const [pointer, setPointer] = useState('');

  const drawAll = useCallback(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const ratio = window.devicePixelRatio || 1;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.fillStyle = '#eef3f5';
    context.fillRect(0, 0, size.width, size.height);
    drawScene(context, { layers, shaded, picked, kept, jump }, viewOf(base.current, transform.current));
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
    const view = fitting(layers, size);
    if (view === null) return;
    base.current = view;
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

  const mapPoint = (event: React.MouseEvent): [x: number, y: number, scale: number] => {
    const rectangle = canvas.current!.getBoundingClientRect();
    const { scale, x0, y0 } = viewOf(base.current, transform.current);
    return [
      (event.clientX - rectangle.left - x0) / scale,
      (y0 - (event.clientY - rectangle.top)) / scale,
      scale,
    ];
  };
  const pick = (event: React.MouseEvent) => {
    const [x, y, scale] = mapPoint(event);
    onPick(featureAt(layers, x, y, 6 / scale));
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
