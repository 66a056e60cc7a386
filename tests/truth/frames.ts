import { type Crs, type GeographicCrs, geographicOf } from '../../src/core/index.ts';

/** Degrees on the datum of a CRS, without a shift: the frame in which its projection alone is looked at. */
export const degreesUnder = (crs: Crs, primeMeridian = 0): GeographicCrs => ({
  ...geographicOf(crs),
  code: undefined,
  primeMeridian,
  unit: Math.PI / 180,
});
