import { crsFromWkt, type ProjectedCrs, transformer, wgs84 } from '../../src/core/index.ts';

/** The national grid of Teskaria: Lambert conformal conic on its own datum, with a seven-parameter shift to WGS 84. */
export const gridText =
  'PROJCS["Teskaria National Grid",GEOGCS["Teskaria 1931",DATUM["Teskaria_1931",SPHEROID["International 1924",6378388,297],' +
  'TOWGS84[-112.4,86.3,-58.7,0.412,-0.287,0.935,-2.16]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],' +
  'PROJECTION["Lambert_Conformal_Conic_2SP"],PARAMETER["latitude_of_origin",45.6],PARAMETER["central_meridian",-30],' +
  'PARAMETER["standard_parallel_1",45.35],PARAMETER["standard_parallel_2",45.85],PARAMETER["false_easting",200000],' +
  'PARAMETER["false_northing",100000],UNIT["metre",1],AXIS["Easting",EAST],AXIS["Northing",NORTH]]';

/** The same grid as its makers write it into .prj files: without the datum shift. */
export const gridPrj =
  'PROJCS["Teskaria_National_Grid",GEOGCS["GCS_Teskaria_1931",DATUM["D_Teskaria_1931",SPHEROID["International_1924",6378388.0,297.0]],' +
  'PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Lambert_Conformal_Conic"],PARAMETER["False_Easting",200000.0],' +
  'PARAMETER["False_Northing",100000.0],PARAMETER["Central_Meridian",-30.0],PARAMETER["Standard_Parallel_1",45.35],' +
  'PARAMETER["Standard_Parallel_2",45.85],PARAMETER["Latitude_Of_Origin",45.6],UNIT["Meter",1.0]]';

export const grid = crsFromWkt(gridText) as ProjectedCrs;
const toDegrees = transformer(grid, wgs84());

/** Grid metres → [longitude, latitude] on WGS 84, seven decimals. */
export function degrees(point: readonly [number, number]): [number, number] {
  const xy = Float64Array.from(point);
  toDegrees.transform(xy);
  return [Number(xy[0].toFixed(7)), Number(xy[1].toFixed(7))];
}
