import { albers } from './albers.ts';
import {
  azimuthalEquidistant,
  guam,
  modifiedAzimuthalEquidistant,
  twoPointEquidistant,
} from './azimuthal-equidistant.ts';
import { bonne, bonneSouth, sinusoidal } from './bonne.ts';
import { cassini, cassiniHyperbolic } from './cassini.ts';
import { curvedParallels } from './curved-parallels.ts';
import {
  cylindricalEqualArea,
  cylindricalEqualAreaSphere,
  equidistantCylindrical,
  equidistantCylindricalSphere,
} from './cylindrical.ts';
import { equalEarth } from './equal-earth.ts';
import { equidistantConic } from './equidistant-conic.ts';
import { goodeLand, goodeOcean } from './goode.ts';
import { krovak, krovakModified, krovakModifiedNorth, krovakNorth } from './krovak.ts';
import { laborde } from './laborde.ts';
import { lambertAzimuthal, lambertAzimuthalSphere } from './lambert-azimuthal.ts';
import {
  lambertConic1,
  lambertConic2,
  lambertConicBelgium,
  lambertConicMichigan,
  lambertConicWest,
} from './lambert-conic.ts';
import { mercatorA, mercatorB, mercatorC, mercatorSphere, webMercator } from './mercator.ts';
import { colombiaUrban, nearConformal, newZealandMapGrid, tunisiaMining } from './national.ts';
import { obliqueMercatorA, obliqueMercatorB, obliqueMercatorTwoPoints } from './oblique-mercator.ts';
import {
  geostationary,
  gnomonic,
  orthographic,
  orthographicSphere,
  verticalPerspective,
  verticalPerspectiveSphere,
} from './perspective.ts';
import { polyconic } from './polyconic.ts';
import type { Method } from './projection.ts';
import { straightParallels } from './pseudocylindrical.ts';
import { robinson } from './robinson.ts';
import {
  obliqueStereographic,
  polarStereographicA,
  polarStereographicB,
  polarStereographicC,
  stereographic,
} from './stereographic.ts';
import {
  transverseMercator,
  transverseMercatorSouth,
  transverseMercatorZoned,
} from './transverse-mercator.ts';

/** All projection methods. A new one is one file and one line here. */
export const methods: readonly Method[] = [
  transverseMercator,
  transverseMercatorSouth,
  transverseMercatorZoned,
  lambertConic1,
  lambertConicWest,
  lambertConic2,
  lambertConicMichigan,
  lambertConicBelgium,
  mercatorA,
  mercatorB,
  mercatorC,
  mercatorSphere,
  webMercator,
  albers,
  lambertAzimuthal,
  lambertAzimuthalSphere,
  polarStereographicA,
  polarStereographicB,
  polarStereographicC,
  obliqueStereographic,
  stereographic,
  obliqueMercatorA,
  obliqueMercatorB,
  obliqueMercatorTwoPoints,
  laborde,
  krovak,
  krovakNorth,
  krovakModified,
  krovakModifiedNorth,
  cassini,
  cassiniHyperbolic,
  polyconic,
  bonne,
  bonneSouth,
  equidistantCylindrical,
  equidistantCylindricalSphere,
  cylindricalEqualArea,
  cylindricalEqualAreaSphere,
  equidistantConic,
  azimuthalEquidistant,
  modifiedAzimuthalEquidistant,
  guam,
  twoPointEquidistant,
  newZealandMapGrid,
  nearConformal,
  tunisiaMining,
  colombiaUrban,
  equalEarth,
  sinusoidal,
  robinson,
  ...straightParallels,
  ...curvedParallels,
  goodeLand,
  goodeOcean,
  gnomonic,
  orthographic,
  orthographicSphere,
  verticalPerspective,
  verticalPerspectiveSphere,
  geostationary,
];

const plain = (name: string) => name.toLowerCase().replace(/[^a-z0-9]/g, '');

const byName = new Map(methods.map((method) => [method.name, method]));

/** The projection method of a name of ours; undefined when there is none. */
export function methodNamed(name: string): Method | undefined {
  return byName.get(name);
}

/** Methods by what texts call them; where two share a name the first keeps it. */
const byWord = new Map<string, Method>();
const put = (word: string, method: Method) => {
  if (!byWord.has(plain(word))) byWord.set(plain(word), method);
};
for (const method of methods) {
  put(method.title, method);
  put(method.wkt1, method);
  for (const alias of method.aliases ?? []) put(alias, method);
}
for (const method of methods) if (method.prj !== undefined) put(method.prj, method);

/** In .prj files some names mean the sphere of the semi-major axis. */
const onSphere = new Map(
  methods
    .filter(({ prj, spherical }) => spherical && prj !== undefined)
    .map((method) => [plain(method.prj!), method]),
);

onSphere.set('equirectangular', equidistantCylindricalSphere);

/**
 * The method that a text means by a name (WKT 1 of both dialects, WKT 2, PROJJSON). `dialect` is true for the names of
 * .prj files.
 */
export function methodFromText(name: string, dialect = false): Method | undefined {
  const wanted = plain(name);
  return (dialect ? onSphere.get(wanted) : undefined) ?? byWord.get(wanted);
}
