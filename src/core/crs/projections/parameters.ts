import type { ParameterName } from '../crs.ts';
import type { ParameterUse } from './projection.ts';

const use = (name: ParameterName, wkt1: string, epsg: string, otherwise?: number): ParameterUse => ({
  name,
  wkt1,
  epsg,
  otherwise,
});

/** The same parameter where a text may leave it out. */
export const optional = (parameter: ParameterUse, otherwise: number): ParameterUse => ({
  ...parameter,
  otherwise,
});

/** Parameters as several methods use them (names: EPSG Guidance Note 7-2, and OGC 01-009 for WKT 1). */
export const falseEasting = use('falseEasting', 'false_easting', 'False easting', 0);
export const falseNorthing = use('falseNorthing', 'false_northing', 'False northing', 0);
export const falseOrigin = [falseEasting, falseNorthing];
export const latitude = use('latitudeOfOrigin', 'latitude_of_origin', 'Latitude of natural origin', 0);
/** Methods of which the latitude of origin is the equator: texts may say so, and nothing else. */
export const equator: ParameterUse = { ...latitude, fixed: true };
export const longitude = use('centralMeridian', 'central_meridian', 'Longitude of natural origin');
export const scale = use('scaleFactor', 'scale_factor', 'Scale factor at natural origin', 1);
export const parallel1 = use('standardParallel1', 'standard_parallel_1', 'Latitude of 1st standard parallel');
export const parallel2 = use('standardParallel2', 'standard_parallel_2', 'Latitude of 2nd standard parallel');
/** The same, counted from a false origin instead of the natural one. */
export const falseLatitude = use('latitudeOfOrigin', 'latitude_of_origin', 'Latitude of false origin', 0);
export const falseLongitude = use('centralMeridian', 'central_meridian', 'Longitude of false origin');
export const eastingThere = use('falseEasting', 'false_easting', 'Easting at false origin', 0);
export const northingThere = use('falseNorthing', 'false_northing', 'Northing at false origin', 0);
/** Those of oblique methods. */
export const centreLatitude = use('latitudeOfOrigin', 'latitude_of_center', 'Latitude of projection centre');
export const centreLongitude = use(
  'centralMeridian',
  'longitude_of_center',
  'Longitude of projection centre',
);
export const azimuth = use('azimuth', 'azimuth', 'Azimuth at projection centre');
export const rectifiedAngle = use(
  'rectifiedGridAngle',
  'rectified_grid_angle',
  'Angle from Rectified to Skew Grid',
);
export const centreScale = use('scaleFactor', 'scale_factor', 'Scale factor at projection centre', 1);
export const standardParallel = use(
  'standardParallel1',
  'standard_parallel_1',
  'Latitude of 1st standard parallel',
  0,
);
export const point1 = [
  use('latitudeOfPoint1', 'latitude_of_point_1', 'Latitude of 1st point'),
  use('longitudeOfPoint1', 'longitude_of_point_1', 'Longitude of 1st point'),
];
export const point2 = [
  use('latitudeOfPoint2', 'latitude_of_point_2', 'Latitude of 2nd point'),
  use('longitudeOfPoint2', 'longitude_of_point_2', 'Longitude of 2nd point'),
];
export const named = use;

/** Those of maps of the world that have nothing but a meridian in their middle. */
export const worldParameters = [longitude, ...falseOrigin];
