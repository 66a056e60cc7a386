import type { GeographicCrs, ProjectedCrs } from '../../crs/crs.ts';
import { transformer } from '../../crs/transformer.ts';
import { geodesicRuler } from '../../geometry/geodesic-ruler.ts';
import { emptyBox, type GeometryArray } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { bufferFeature } from '../../geometry/shape/buffer.ts';
import { roundGround } from '../../geometry/shape/ground.ts';
import type { MakeBuffer } from './buffer-task.ts';
import { SeamCutter } from './seam.ts';

/** Metres in a degree of latitude, at least. */
const degreeAtLeast = 110_500;

/**
 * Buffers in a geographic CRS, with geodesic distances. What reaches over a pole is drawn on a map around it; what reaches
 * over the antimeridian is cut there.
 */
export function buffersOnEllipsoid(crs: GeographicCrs): MakeBuffer {
  const ruler = geodesicRuler(crs);
  const ground = roundGround(ruler);
  const seam = SeamCutter.between(crs, crs, {});
  const box = emptyBox();
  const perUnit = (crs.unit * 180) / Math.PI;
  const poles = new Map<boolean, ReturnType<typeof aroundPole>>();
  const cutAtSeam = (made: GeometryArray) => seam?.cut(made, made.xy)?.geometry ?? made;
  return (geometry, i, metres, builder, style) => {
    geometry.boxOf(i, box);
    const reach = Math.abs(metres) / degreeAtLeast + 0.01;
    const north = box[3] * perUnit + reach > 90;
    if (!north && box[1] * perUnit - reach > -90) {
      const made = new GeometryMaker(64);
      if (bufferFeature(geometry, i, metres, made, { ...style, ground }) === 0) return false;
      builder.copy(cutAtSeam(made.finish()), 0);
      return true;
    }
    let pole = poles.get(north);
    if (pole === undefined) poles.set(north, (pole = aroundPole(crs, north)));
    const made = new GeometryMaker(64);
    const single = takeGeometries(geometry, [i]);
    const onMap = roundGround(ruler, (xy) => void pole.there.transform(xy));
    if (bufferFeature(single, 0, metres, made, { ...style, ground: onMap }) === 0) return false;
    const map = made.finish();
    const xy = map.xy.slice();
    pole.back.transform(xy);
    const back = map.withXY(xy);
    builder.copy(pole.seam?.cut(map, xy)?.geometry ?? back, 0);
    return true;
  };
}

/** A map around a pole, on which nothing near it is torn. */
function aroundPole(crs: GeographicCrs, north: boolean) {
  const map: ProjectedCrs = {
    kind: 'projected',
    name: 'around a pole',
    base: crs,
    method: 'azimuthal-equidistant',
    parameters: {
      latitudeOfOrigin: north ? 90 : -90,
      centralMeridian: 0,
      falseEasting: 0,
      falseNorthing: 0,
    },
    unit: 1,
    unitName: 'metre',
  };
  return {
    there: transformer(crs, map),
    back: transformer(map, crs),
    seam: SeamCutter.between(map, crs, {}),
  };
}
