import type { DrawingStyle, SchemeClass } from '../../core/class-scheme/scheme.ts';
import type { GeometryArray } from '../../core/geometry/geometry-array.ts';
import { takeGeometries } from '../../core/geometry/geometry-maker.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { SheetLayer } from '../../core/mapping/sheet.ts';
import { fieldIndex, type Schema } from '../../core/table/schema.ts';

/** Units of the sheet (96 to the inch) in a point (72 to the inch). */
const unitsInPoint = 96 / 72;

/** A style of a scheme in the terms of a sheet. */
function styleOf(
  style: DrawingStyle,
  kind: SheetLayer['kind'],
): Pick<SheetLayer, 'fill' | 'stroke' | 'width'> {
  const { fill, stroke, width, size } = style;
  if (kind === 'line') return { stroke, width: (width ?? 1) * unitsInPoint };
  // Of points the radius is asked for.
  if (kind === 'point') return { fill: fill ?? stroke, stroke, width: ((size ?? 4) / 2) * unitsInPoint };
  return { fill, stroke, width: (width ?? 0.4) * unitsInPoint };
}

/**
 * A layer of map features drawn as its class scheme says: each sub-class in its own style, the least important below. One
 * entry of the legend stands for all. Null when the layer has no sub-classes any more.
 */
export function classLayers(
  title: string,
  kind: SheetLayer['kind'],
  schema: Schema,
  batches: readonly Batch[],
  scheme: SchemeClass,
): SheetLayer[] | null {
  const column = fieldIndex(schema, 'subclass');
  if (column < 0) return null;
  const bySubclass = new Map<string, GeometryArray[]>();
  for (const batch of batches) {
    const indices = new Map<string, number[]>();
    for (let i = 0; i < batch.length; i++) {
      const name = batch.columns[column].text(i) ?? '';
      const list = indices.get(name);
      if (list === undefined) indices.set(name, [i]);
      else list.push(i);
    }
    for (const [name, list] of indices)
      bySubclass.set(name, [...(bySubclass.get(name) ?? []), takeGeometries(batch.geometry!, list)]);
  }
  const rules = scheme.rules
    .filter((rule) => bySubclass.has(rule.name))
    .sort((a, b) => a.importance - b.importance);
  const others = [...bySubclass.keys()].filter((name) => !scheme.rules.some((rule) => rule.name === name));
  const most = rules.at(-1);
  return [
    ...others.map(
      (name): SheetLayer => ({
        title,
        geometries: bySubclass.get(name)!,
        kind,
        silent: true,
        ...styleOf(scheme.style, kind),
      }),
    ),
    ...rules.map(
      (rule): SheetLayer => ({
        title: rule.title,
        geometries: bySubclass.get(rule.name)!,
        kind,
        silent: true,
        ...styleOf(rule.style, kind),
      }),
    ),
    { title, geometries: [], kind, ...styleOf(most?.style ?? scheme.style, kind) },
  ];
}
