import { closeAccount } from '../../account.ts';
import { dimensionOf, Kind, type KindName } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { innerPoint } from '../../geometry/inner-point.ts';
import type { Layer } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Puts a point inside each area in place of it; points and lines stay as they are. */
export function innerPoints(layer: Layer): Layer {
  const kinds = layer.kinds?.map(
    (kind): KindName => (kind === 'Polygon' || kind === 'MultiPolygon' ? 'Point' : kind),
  );
  return applyVerb('Inner points', layer, {
    kinds: kinds === undefined ? undefined : [...new Set(kinds)],
    count: layer.count,
    handOn: (options) => options,
    async *run(account, source) {
      let all = 0;
      let made = 0;
      let without = 0;
      const point: [number, number] = [0, 0];
      for await (const batch of source) {
        const geometry = batch.geometry!;
        const builder = new GeometryMaker();
        for (let i = 0; i < batch.length; i++) {
          if (dimensionOf(geometry.kind[i]) !== 2) {
            builder.copy(geometry, i);
            continue;
          }
          if (!innerPoint(geometry, i, point)) {
            without++;
            builder.feature(Kind.None);
            continue;
          }
          made++;
          builder.feature(Kind.Point);
          builder.part();
          builder.ring();
          builder.vertex(point[0], point[1]);
        }
        all += batch.length;
        yield batch.with({ geometry: builder.finish() });
      }
      account.counts = { in: all, made, without };
      closeAccount(
        account,
        [all, `${layer.name} in`],
        [made, made === 1 ? 'area became a point' : 'areas became points'],
        ...(without > 0 ? ([[without, 'without area left without a place']] as const) : []),
      );
    },
  });
}
