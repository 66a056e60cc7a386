import { type Count, closeAccount } from '../../account.ts';
import { crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { emptyBox, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { type BufferStyle, bufferFeature } from '../../geometry/shape/buffer.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Column } from '../../table/column.ts';
import { requireField } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** How far, and in which shape. */
export interface BufferOptions extends BufferStyle {
  /** Metres. */
  distance?: number;
  /** A field with the metres of each feature, in place of one distance for all. */
  field?: string;
  /** Takes the distance away from areas instead of adding it. */
  inwards?: boolean;
}

/**
 * All points within a distance of each feature, in a projected CRS. Features of which nothing is left, and those whose
 * distance is blank or not above zero, are dropped and counted.
 */
export function bufferLayer(layer: Layer, options: BufferOptions): Layer {
  const { crs } = layer;
  if (crs === null)
    throw new IsomericError(
      'crs-missing',
      `${layer.name} has no CRS, so nobody knows how long a metre is in it.`,
      {
        blame: 'usage',
        advice: 'Say which CRS it has first.',
      },
    );
  if (crs.kind === 'geographic')
    throw new IsomericError(
      'buffer-degrees',
      `${layer.name} is in ${crsLabel(crs)}, whose coordinates are degrees: a distance is another number of them everywhere.`,
      {
        blame: 'usage',
        advice:
          'Reproject it first, to the CRS that suits it: a step “reproject: best for distances”, or “isomeric reproject” with --crs "best for distances".',
      },
    );
  const field = options.field === undefined ? -1 : requireField(layer.schema, options.field, layer.name);
  if ((options.distance === undefined) === field < 0)
    throw new IsomericError(
      'buffer-distance',
      'Say one distance in metres, or the field that has it: one of the two.',
      {
        blame: 'usage',
      },
    );
  const unit = crs.unit;
  return applyVerb('Buffer', layer, {
    kinds: ['Polygon', 'MultiPolygon'],
    async *run(account, batches) {
      let all = 0;
      let made = 0;
      let nothing = 0;
      let without = 0;
      let unusable = 0;
      const box = emptyBox();
      for await (const batch of batches) {
        const geometry = batch.geometry!;
        const builder = new GeometryMaker(4 * geometry.vertexCount);
        const indices: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          all++;
          const metres = field < 0 ? options.distance! : numberAt(batch.columns[field], i);
          if (geometry.kind[i] === Kind.None || !(metres > 0)) {
            without++;
            continue;
          }
          if (!usableBox(geometry, i, box)) {
            unusable++;
            tellUnusable(batch, i, layer.name, account.findings);
            continue;
          }
          const distance = (options.inwards === true ? -metres : metres) / unit;
          if (bufferFeature(geometry, i, distance, builder, options) === 0) nothing++;
          else {
            indices.push(i);
            made++;
          }
        }
        if (indices.length > 0) yield batch.take(indices, builder.finish());
      }
      account.counts = { in: all, made, nothing, without, unusable };
      const counts: Count[] = [[made, options.inwards === true ? 'made smaller' : 'made larger']];
      if (nothing > 0) counts.push([nothing, 'of which nothing is left']);
      if (without > 0) counts.push([without, 'without geometry or distance dropped']);
      if (unusable > 0) counts.push([unusable, 'with unusable coordinates left out']);
      closeAccount(account, [all, `${layer.name} in`], ...counts);
    },
  });
}

const numberAt = (column: Column, i: number) => (column.isNull(i) ? Number.NaN : column.number(i));
