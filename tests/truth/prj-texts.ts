/**
 * Hand-made CRS texts in the two dialects that lie beside shapefiles, and the code that each must come to. Spheroids and
 * parameters as the definitions have them; spellings, orders and digits vary on purpose.
 */
const spheroids: Record<string, string> = {
  wgs: 'SPHEROID["WGS_1984",6378137.0,298.257223563]',
  grs: 'SPHEROID["GRS_1980",6378137.0,298.257222101]',
  clarke66: 'SPHEROID["Clarke_1866",6378206.4,294.9786982]',
  airy: 'SPHEROID["Airy_1830",6377563.396,299.3249646]',
  bessel: 'SPHEROID["Bessel_1841",6377397.155,299.1528128]',
  international: 'SPHEROID["International_1924",6378388.0,297.0]',
  ign: 'SPHEROID["Clarke_1880_IGN",6378249.2,293.4660212936265]',
  rgs: 'SPHEROID["Clarke_1880_RGS",6378249.145,293.465]',
  krassowsky: 'SPHEROID["Krasovsky_1940",6378245.0,298.3]',
  australian: 'SPHEROID["Australian",6378160.0,298.25]',
  airyModified: 'SPHEROID["Airy_Modified",6377340.189,299.3249646]',
  grs67: 'SPHEROID["GRS_1967_Truncated",6378160.0,298.25]',
  cgcs: 'SPHEROID["CGCS2000",6378137.0,298.257222101]',
  everest: 'SPHEROID["Everest_Modified",6377304.063,300.8017]',
  besselNgo: 'SPHEROID["Bessel_Modified",6377492.018,299.1528128]',
};
const greenwich = 'PRIMEM["Greenwich",0.0]';
const degree = 'UNIT["Degree",0.0174532925199433]';
export const gcs = (name: string, datum: string, spheroid: string, primem = greenwich, unit = degree) =>
  `GEOGCS["GCS_${name}",DATUM["${datum}",${spheroids[spheroid] ?? spheroid}],${primem},${unit}]`;
const parameters = (values: Record<string, number>) =>
  Object.entries(values)
    .map(([key, value]) => `,PARAMETER["${key}",${value}]`)
    .join('');
export const pcs = (
  name: string,
  base: string,
  projection: string,
  values: Record<string, number>,
  unit = 'UNIT["Meter",1.0]',
) => `PROJCS["${name}",${base},PROJECTION["${projection}"]${parameters(values)},${unit}]`;
const tm = (e: number, n: number, lon: number, k: number, lat = 0) => ({
  False_Easting: e,
  False_Northing: n,
  Central_Meridian: lon,
  Scale_Factor: k,
  Latitude_Of_Origin: lat,
});
const lcc = (e: number, n: number, lon: number, p1: number, p2: number, lat: number) => ({
  False_Easting: e,
  False_Northing: n,
  Central_Meridian: lon,
  Standard_Parallel_1: p1,
  Standard_Parallel_2: p2,
  Latitude_Of_Origin: lat,
});
const nad83 = gcs('North_American_1983', 'D_North_American_1983', 'grs');
const nad27 = gcs('North_American_1927', 'D_North_American_1927', 'clarke66');
const etrs = gcs('ETRS_1989', 'D_ETRS_1989', 'grs');
const dhdn = gcs('Deutsches_Hauptdreiecksnetz', 'D_Deutsches_Hauptdreiecksnetz', 'bessel');
const footUs = 'UNIT["Foot_US",0.3048006096012192]';
const paris = 'PRIMEM["Paris",2.337229166666667]';

export const prjTexts: readonly [code: string | undefined, text: string][] = [
  // Geographic ones under the names of the .prj dialect.
  ['EPSG:4326', gcs('WGS_1984', 'D_WGS_1984', 'wgs')],
  ['EPSG:4269', nad83],
  ['EPSG:4267', nad27],
  ['EPSG:4258', etrs],
  ['EPSG:4277', gcs('OSGB_1936', 'D_OSGB_1936', 'airy')],
  ['EPSG:4171', gcs('RGF_1993', 'D_RGF_1993', 'grs')],
  ['EPSG:4283', gcs('GDA_1994', 'D_GDA_1994', 'grs')],
  ['EPSG:7844', gcs('GDA2020', 'D_GDA2020', 'grs')],
  ['EPSG:4230', gcs('European_1950', 'D_European_1950', 'international')],
  ['EPSG:4313', gcs('Belge_1972', 'D_Belge_1972', 'international')],
  ['EPSG:4275', gcs('NTF', 'D_NTF', 'ign')],
  ['EPSG:4807', gcs('NTF_Paris', 'D_NTF', 'ign', 'PRIMEM["Paris",2.33722917]', 'UNIT["Grad",0.01570796326794897]')],
  ['EPSG:4141', gcs('Israel', 'D_Israel', 'grs')],
  ['EPSG:6318', gcs('NAD_1983_2011', 'D_NAD_1983_2011', 'grs')],
  ['EPSG:4152', gcs('North_American_1983_HARN', 'D_North_American_1983_HARN', 'grs')],
  ['EPSG:4759', gcs('NAD_1983_NSRS2007', 'D_NAD_1983_NSRS2007', 'grs')],
  ['EPSG:6783', gcs('NAD_1983_CORS96', 'D_NAD_1983_CORS96', 'grs')],
  ['EPSG:4617', gcs('North_American_1983_CSRS', 'D_North_American_1983_CSRS', 'grs')],
  ['EPSG:4289', gcs('Amersfoort', 'D_Amersfoort', 'bessel')],
  ['EPSG:4149', gcs('CH1903', 'D_CH1903', 'bessel')],
  ['EPSG:4150', gcs('CH1903+', 'D_CH1903+', 'bessel')],
  ['EPSG:4312', gcs('MGI', 'D_MGI', 'bessel')],
  ['EPSG:4314', dhdn],
  ['EPSG:4124', gcs('RT_1990', 'D_RT_1990', 'bessel')],
  ['EPSG:4619', gcs('SWEREF99', 'D_SWEREF99', 'grs')],
  ['EPSG:4284', gcs('Pulkovo_1942', 'D_Pulkovo_1942', 'krassowsky')],
  ['EPSG:4179', gcs('Pulkovo_1942_Adj_1958', 'D_Pulkovo_1942_Adj_1958', 'krassowsky')],
  ['EPSG:4156', gcs('S_JTSK', 'D_S_JTSK', 'bessel')],
  ['EPSG:4202', gcs('Australian_1966', 'D_Australian_1966', 'australian')],
  ['EPSG:4203', gcs('Australian_1984', 'D_Australian_1984', 'australian')],
  ['EPSG:4272', gcs('New_Zealand_1949', 'D_New_Zealand_1949', 'international')],
  ['EPSG:4167', gcs('NZGD_2000', 'D_NZGD_2000', 'grs')],
  ['EPSG:4299', gcs('TM65', 'D_TM65', 'airyModified')],
  ['EPSG:4301', gcs('Tokyo', 'D_Tokyo', 'bessel')],
  ['EPSG:4612', gcs('JGD_2000', 'D_JGD_2000', 'grs')],
  ['EPSG:6668', gcs('JGD_2011', 'D_JGD_2011', 'grs')],
  ['EPSG:4737', gcs('Korea_2000', 'D_Korea_2000', 'grs')],
  ['EPSG:4490', gcs('China_Geodetic_Coordinate_System_2000', 'D_China_2000', 'cgcs')],
  ['EPSG:4674', gcs('SIRGAS_2000', 'D_SIRGAS_2000', 'grs')],
  ['EPSG:4618', gcs('South_American_1969', 'D_South_American_1969', 'grs67')],
  ['EPSG:4248', gcs('Provisional_S_American_1956', 'D_Provisional_S_American_1956', 'international')],
  ['EPSG:4686', gcs('MAGNA', 'D_MAGNA', 'grs')],
  ['EPSG:4148', gcs('Hartebeesthoek_1994', 'D_Hartebeesthoek_1994', 'wgs')],
  ['EPSG:4222', gcs('Cape', 'D_Cape', 'SPHEROID["Clarke_1880_Arc",6378249.145,293.466307656]')],
  ['EPSG:4210', gcs('Arc_1960', 'D_Arc_1960', 'rgs')],
  ['EPSG:4245', gcs('Kertau', 'D_Kertau', 'everest')],
  ['EPSG:4273', gcs('NGO_1948', 'D_NGO_1948', 'besselNgo')],
  ['EPSG:4322', gcs('WGS_1972', 'D_WGS_1972', 'SPHEROID["WGS_1972",6378135.0,298.26]')],
  // Grids in that dialect.
  ['EPSG:32626', pcs('WGS_1984_UTM_Zone_26N', gcs('WGS_1984', 'D_WGS_1984', 'wgs'), 'Transverse_Mercator', tm(500000, 0, -27, 0.9996))],
  ['EPSG:25832', pcs('ETRS_1989_UTM_Zone_32N', etrs, 'Transverse_Mercator', tm(500000, 0, 9, 0.9996))],
  ['EPSG:26917', pcs('NAD_1983_UTM_Zone_17N', nad83, 'Transverse_Mercator', tm(500000, 0, -81, 0.9996))],
  ['EPSG:26717', pcs('NAD_1927_UTM_Zone_17N', nad27, 'Transverse_Mercator', tm(500000, 0, -81, 0.9996))],
  ['EPSG:31467', pcs('DHDN_3_Degree_Gauss_Zone_3', dhdn, 'Gauss_Kruger', tm(3500000, 0, 9, 1))],
  ['EPSG:2272', pcs('NAD_1983_StatePlane_Pennsylvania_South_FIPS_3702_Feet', nad83, 'Lambert_Conformal_Conic', lcc(1968500, 0, -77.75, 39.93333333333333, 40.96666666666667, 39.33333333333334), footUs)],
  ['EPSG:2154', pcs('RGF_1993_Lambert_93', gcs('RGF_1993', 'D_RGF_1993', 'grs'), 'Lambert_Conformal_Conic', lcc(700000, 6600000, 3, 44, 49, 46.5))],
  ['EPSG:27700', pcs('British_National_Grid', gcs('OSGB_1936', 'D_OSGB_1936', 'airy'), 'Transverse_Mercator', tm(400000, -100000, -2, 0.9996012717, 49))],
  ['EPSG:28992', pcs('RD_New', gcs('Amersfoort', 'D_Amersfoort', 'bessel'), 'Double_Stereographic', { False_Easting: 155000, False_Northing: 463000, Central_Meridian: 5.38763888888889, Scale_Factor: 0.9999079, Latitude_Of_Origin: 52.15616055555555 })],
  ['EPSG:2056', pcs('CH1903+_LV95', gcs('CH1903+', 'D_CH1903+', 'bessel'), 'Hotine_Oblique_Mercator_Azimuth_Center', { False_Easting: 2600000, False_Northing: 1200000, Scale_Factor: 1, Azimuth: 90, Longitude_Of_Center: 7.439583333333333, Latitude_Of_Center: 46.95240555555556 })],
  ['EPSG:3035', pcs('ETRS_1989_LAEA', etrs, 'Lambert_Azimuthal_Equal_Area', { False_Easting: 4321000, False_Northing: 3210000, Central_Meridian: 10, Latitude_Of_Origin: 52 })],
  ['EPSG:5070', pcs('NAD_1983_Contiguous_USA_Albers', nad83, 'Albers', { False_Easting: 0, False_Northing: 0, Central_Meridian: -96, Standard_Parallel_1: 29.5, Standard_Parallel_2: 45.5, Latitude_Of_Origin: 23 })],
  ['EPSG:3031', pcs('WGS_1984_Antarctic_Polar_Stereographic', gcs('WGS_1984', 'D_WGS_1984', 'wgs'), 'Stereographic_South_Pole', { False_Easting: 0, False_Northing: 0, Central_Meridian: 0, Standard_Parallel_1: -71 })],
  ['EPSG:3413', pcs('NSIDC_Polar_Stereographic_North', gcs('WGS_1984', 'D_WGS_1984', 'wgs'), 'Stereographic_North_Pole', { False_Easting: 0, False_Northing: 0, Central_Meridian: -45, Standard_Parallel_1: 70 })],
  ['EPSG:5514', pcs('S-JTSK_Krovak_East_North', gcs('S_JTSK', 'D_S_JTSK', 'bessel'), 'Krovak', { False_Easting: 0, False_Northing: 0, Pseudo_Standard_Parallel_1: 78.5, Scale_Factor: 0.9999, Azimuth: 30.28813975277778, Longitude_Of_Center: 24.83333333333333, Latitude_Of_Center: 49.5, X_Scale: -1, Y_Scale: 1, XY_Plane_Rotation: 90 })],
  ['EPSG:3857', pcs('WGS_1984_Web_Mercator_Auxiliary_Sphere', gcs('WGS_1984', 'D_WGS_1984', 'wgs'), 'Mercator_Auxiliary_Sphere', { False_Easting: 0, False_Northing: 0, Central_Meridian: 0, Standard_Parallel_1: 0, Auxiliary_Sphere_Type: 0 })],
  ['EPSG:3857', pcs('WGS_1984_Web_Mercator', gcs('WGS_1984_Major_Auxiliary_Sphere', 'D_WGS_1984_Major_Auxiliary_Sphere', 'SPHEROID["WGS_1984_Major_Auxiliary_Sphere",6378137.0,0.0]'), 'Mercator', { False_Easting: 0, False_Northing: 0, Central_Meridian: 0, Standard_Parallel_1: 0 })],
  ['EPSG:27572', pcs('NTF_Paris_Lambert_Zone_II', gcs('NTF_Paris', 'D_NTF', 'ign', paris, 'UNIT["Grad",0.015707963267948967]'), 'Lambert_Conformal_Conic', { False_Easting: 600000, False_Northing: 2200000, Central_Meridian: 0, Standard_Parallel_1: 52, Scale_Factor: 0.99987742, Latitude_Of_Origin: 52 })],
  ['EPSG:28355', pcs('GDA_1994_MGA_Zone_55', gcs('GDA_1994', 'D_GDA_1994', 'grs'), 'Transverse_Mercator', tm(500000, 10000000, 147, 0.9996))],
  ['EPSG:2193', pcs('NZGD_2000_New_Zealand_Transverse_Mercator', gcs('NZGD_2000', 'D_NZGD_2000', 'grs'), 'Transverse_Mercator', tm(1600000, 10000000, 173, 0.9996))],
  ['EPSG:31370', pcs('Belge_Lambert_1972', gcs('Belge_1972', 'D_Belge_1972', 'international'), 'Lambert_Conformal_Conic', lcc(150000.013, 5400088.438, 4.367486666666666, 49.8333339, 51.16666723333333, 90))],
  ['EPSG:3301', pcs('Estonian_Coordinate_System_of_1997', gcs('Estonia_1997', 'D_Estonia_1997', 'grs'), 'Lambert_Conformal_Conic', lcc(500000, 6375000, 24, 58, 59.33333333333334, 57.51755393055556))],
  // The other dialect, as programs write it without codes.
  ['EPSG:4326', 'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]'],
  ['EPSG:4269', 'GEOGCS["NAD83",DATUM["North_American_Datum_1983",SPHEROID["GRS 1980",6378137,298.2572221010042]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]'],
  ['EPSG:25833', 'PROJCS["ETRS89 / UTM zone 33N",GEOGCS["ETRS89",DATUM["European_Terrestrial_Reference_System_1989",SPHEROID["GRS 1980",6378137,298.257222101]],PRIMEM["Greenwich",0],UNIT["degree",0.01745329251994328]],UNIT["metre",1],PROJECTION["Transverse_Mercator"],PARAMETER["latitude_of_origin",0],PARAMETER["central_meridian",15],PARAMETER["scale_factor",0.9996],PARAMETER["false_easting",500000],PARAMETER["false_northing",0],AXIS["Easting",EAST],AXIS["Northing",NORTH]]'],
  ['EPSG:3857', 'PROJCS["Global Mercator",GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Mercator_1SP"],PARAMETER["central_meridian",0],PARAMETER["scale_factor",1],PARAMETER["false_easting",0],PARAMETER["false_northing",0],UNIT["metre",1],EXTENSION["ANY","+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +units=m"],AUTHORITY["EPSG","900913"]]'],
  ['EPSG:3857', 'PROJCS["Popular Visualisation CRS / Mercator",GEOGCS["Popular Visualisation CRS",DATUM["Popular_Visualisation_Datum",SPHEROID["Popular Visualisation Sphere",6378137,0],TOWGS84[0,0,0,0,0,0,0]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Mercator_1SP"],PARAMETER["central_meridian",0],PARAMETER["scale_factor",1],PARAMETER["false_easting",0],PARAMETER["false_northing",0],UNIT["metre",1]]'],
  ['EPSG:21781', 'PROJCS["CH1903 / LV03",GEOGCS["CH1903",DATUM["CH1903",SPHEROID["Bessel 1841",6377397.155,299.1528128]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Swiss_Oblique_Cylindrical"],PARAMETER["latitude_of_center",46.95240555555556],PARAMETER["central_meridian",7.439583333333333],PARAMETER["false_easting",600000],PARAMETER["false_northing",200000],UNIT["metre",1]]'],
  [undefined, pcs('Own_Grid', gcs('Own_1931', 'D_Own_1931', 'international'), 'Transverse_Mercator', tm(200000, 0, -30, 0.9999))],
];
