import { geodesicMeasure } from '../geometry/geodesic.ts';
import { dimensionOf } from '../geometry/geometry-array.ts';
import { requireField } from '../table/schema.ts';
import type { Layer } from './layer.ts';

/** Values of a field by the values of another. */
export interface Figures {
  /** Value of the field; null for blanks. */
  value: string | null;
  count: number;
  /** Length of lines on the ellipsoid. */
  kilometres: number;
  /** Area of areas on the ellipsoid. */
  squareKilometres: number;
}

/** Counts and measures the features of a layer by the values of a field, in the order in which values come. */
export async function figuresBy(layer: Layer, field: string): Promise<Figures[]> {
  const column = requireField(layer.schema, field, layer.name);
  const measure = layer.crs === null ? null : geodesicMeasure(layer.crs);
  const all = new Map<string | null, Figures>();
  for await (const batch of layer.batches()) {
    const geometry = batch.geometry!;
    for (let i = 0; i < batch.length; i++) {
      const value = batch.columns[column].text(i);
      let figures = all.get(value);
      if (figures === undefined) {
        figures = { value, count: 0, kilometres: 0, squareKilometres: 0 };
        all.set(value, figures);
      }
      figures.count++;
      const dimension = dimensionOf(geometry.kind[i]);
      if (measure === null || geometry.isEmpty(i)) continue;
      if (dimension === 1) figures.kilometres += measure.length(geometry, i) / 1e3;
      else if (dimension === 2) figures.squareKilometres += measure.area(geometry, i) / 1e6;
    }
  }
  return [...all.values()];
}
