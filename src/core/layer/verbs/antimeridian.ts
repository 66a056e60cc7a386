import { closeAccount } from '../../account.ts';
import { crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import type { Layer } from '../layer.ts';
import { SeamCutter } from './seam.ts';
import { applyVerb } from './verb.ts';

/**
 * Cuts what reaches over the antimeridian there, so that all longitudes lie from −180 to 180 (RFC 7946, section 3.1.9). Longitudes
 * beyond are taken as they stand: 181 is −179. With `jumps`, an edge that runs more than half around the globe is taken to
 * mean the short way, over the antimeridian.
 */
export function cutAtAntimeridian(layer: Layer, jumps = false): Layer {
  const { crs } = layer;
  if (crs === null || crs.kind === 'projected')
    throw new IsomericError(
      'antimeridian-projected',
      `${layer.name} is ${crs === null ? 'in an unknown CRS' : `in ${crsLabel(crs)}`}: only longitudes and latitudes have an antimeridian.`,
      { blame: 'usage', advice: 'Reproject it to one first; that cuts at the antimeridian by itself.' },
    );
  return applyVerb('Antimeridian', layer, {
    kinds: undefined,
    count: layer.count,
    async *run(account, source) {
      const seam = SeamCutter.between(crs, crs, {});
      const circle = (2 * Math.PI) / crs.unit;
      let all = 0;
      let cut = 0;
      let unrolled = 0;
      for await (const batch of source) {
        const given = batch.geometry!;
        const flat = jumps ? unroll(given, circle) : { geometry: given, features: 0 };
        all += batch.length;
        unrolled += flat.features;
        const result = seam?.cut(flat.geometry, flat.geometry.xy) ?? null;
        cut += result?.cut.length ?? 0;
        yield result === null && flat.features === 0
          ? batch
          : batch.with({ geometry: result?.geometry ?? flat.geometry });
      }
      account.counts = { in: all, cut, unrolled };
      closeAccount(
        account,
        [all, `${layer.name} in`],
        [cut, 'cut or moved'],
        ...(jumps ? ([[unrolled, 'with edges that jumped']] as const) : []),
      );
    },
  });
}

/** Paths without jumps: each vertex next to the one before. Holes follow their shells, parts stay where they begin. */
function unroll(array: GeometryArray, circle: number): { geometry: GeometryArray; features: number } {
  const xy = array.xy.slice();
  let features = 0;
  for (let i = 0; i < array.length; i++) {
    let jumped = false;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) === Kind.Point) continue;
      let middle = Number.NaN;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const first = array.vertexStart[r];
        const end = array.vertexStart[r + 1];
        let turn = 0;
        let sum = 0;
        for (let v = first; v < end; v++) {
          if (v > first) {
            const step = array.xy[2 * v] - array.xy[2 * v - 2];
            // From one edge of the map to the other is the same place, unless the way runs along a pole.
            const alongPole = Math.abs(step) >= circle && Math.abs(array.xy[2 * v + 1]) > (circle / 4) * 0.99;
            if (Math.abs(step) > circle / 2 && !alongPole) turn -= Math.sign(step) * circle;
          }
          if (turn !== 0) jumped = true;
          xy[2 * v] += turn;
          sum += xy[2 * v];
        }
        const own = sum / Math.max(1, end - first);
        if (Number.isNaN(middle)) middle = own;
        else {
          const away = circle * Math.round((middle - own) / circle);
          if (away !== 0) for (let v = first; v < end; v++) xy[2 * v] += away;
        }
      }
    }
    if (jumped) features++;
  }
  return { geometry: features === 0 ? array : array.withXY(xy), features };
}
