import { IsomericError } from '../errors.ts';
import { type ParameterName, parameterKind } from './crs.ts';
import type { Method } from './projections/projection.ts';
import { methodFromText, methodNamed, methods } from './projections/register.ts';

/** A parameter as a text gives it: angles in degrees, lengths in the unit of the CRS. */
export interface GivenParameter {
  name: string;
  value: number;
}

/** What a text says of a conversion. */
export interface GivenConversion {
  /** Of the CRS, for messages and where the name alone tells of a pseudo-Mercator. */
  crs: string;
  code?: string;
  method: string;
  parameters: readonly GivenParameter[];
  /** True for the names of .prj files. */
  dialect: boolean;
  /** True when the ellipsoid is a sphere of the semi-major axis of WGS 84, or an extension names one. */
  webSphere: boolean;
}

const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '');

/** Names of parameters in both dialects of WKT 1 and in the EPSG registry, without case and punctuation. */
const general = new Map<string, ParameterName>(
  (
    [
      [
        'latitudeOfOrigin',
        'latitudeoforigin latitudeofcenter latitudeofcentre centralparallel latitudeofprojectioncentre',
      ],
      [
        'centralMeridian',
        'centralmeridian longitudeoforigin longitudeofcenter longitudeofcentre initiallongitude',
      ],
      [
        'scaleFactor',
        'scalefactor scalefactoratprojectioncentre scalefactoroninitialline ellipsoidscalingfactor',
      ],
      ['standardParallel1', 'standardparallel1 latitudeofstandardparallel pseudostandardparallel1'],
      ['standardParallel2', 'standardparallel2'],
      ['falseEasting', 'falseeasting'],
      ['falseNorthing', 'falsenorthing'],
      ['azimuth', 'azimuth azimuthofinitialline colatitudeofconeaxis'],
      ['rectifiedGridAngle', 'rectifiedgridangle anglefromrectifiedtoskewgrid'],
      ['latitudeOfPoint1', 'latitudeofpoint1 latitudeof1stpoint latitudeoffirstpoint'],
      ['longitudeOfPoint1', 'longitudeofpoint1 longitudeof1stpoint longitudeoffirstpoint'],
      ['latitudeOfPoint2', 'latitudeofpoint2 latitudeof2ndpoint latitudeofsecondpoint'],
      ['longitudeOfPoint2', 'longitudeofpoint2 longitudeof2ndpoint longitudeofsecondpoint'],
      ['height', 'height satelliteheight viewpointheight projectionplaneoriginheight'],
      ['zoneWidth', 'zonewidth'],
      ['planeRotation', 'xyplanerotation'],
    ] as const
  ).flatMap(([name, words]) => words.split(' ').map((word) => [word, name] as const)),
);
for (const method of methods) {
  for (const use of method.parameters)
    if (!general.has(plain(use.epsg))) general.set(plain(use.epsg), use.name);
}

/** Every word that a parameter may be called, for the units of a text that does not say them. */
export function parameterNamed(word: string): ParameterName | undefined {
  return general.get(plain(word));
}

/** Values at which a parameter changes nothing, for those that a method does not use. */
const neutral = (name: ParameterName) => (name === 'scaleFactor' ? 1 : 0);

class Conversion {
  readonly values = new Map<ParameterName, number>();
  /** Those that no list of ours has, by their plain name. */
  readonly others = new Map<string, number>();
  readonly words = new Map<ParameterName, string>();
  constructor(readonly given: GivenConversion) {}

  get(name: ParameterName): number | undefined {
    return this.values.get(name);
  }

  move(from: ParameterName, to: ParameterName): void {
    const value = this.values.get(from);
    if (value === undefined || this.values.has(to)) return;
    this.values.set(to, value);
    this.values.delete(from);
  }

  /** A parameter without a name in our lists: its value, which is then understood. */
  take(word: string, otherwise: number): number {
    const value = this.others.get(word) ?? otherwise;
    this.others.delete(word);
    return value;
  }

  refuse(words: string, advice: string): never {
    throw new IsomericError('projection-parameter', `${this.given.crs}: ${words}`, { advice });
  }
}

const isPole = (latitude: number | undefined) =>
  latitude !== undefined && Math.abs(Math.abs(latitude) - 90) < 1e-9;

/** Names that say pseudo-Mercator, whatever the projection is called in the text. */
const webNames = /pseudo[ _-]?mercator|(web|global)[ _-]?mercator|900913/i;
/** Its numbers in the registries, whichever of them a text names. */
const webCodes = /:(3857|3785|900913|102100|102113)$/;

/** Oblique conic: the text may turn the axes; only east and north are read. */
function krovakMethod(c: Conversion, method: Method): Method {
  const [x, y] = [c.take('xscale', 1), c.take('yscale', 1)];
  const rotation = c.get('planeRotation');
  if (rotation === undefined && x === 1 && y === 1) return method;
  c.values.delete('planeRotation');
  if (x === -1 && y === 1 && rotation === 90)
    return methodNamed(`${method.name.replace(/-north$/, '')}-north`)!;
  return c.refuse(
    `its axes are scaled by ${x} and ${y} and turned by ${rotation ?? 0}°, which is not east and north.`,
    'Give the CRS by the code of its east–north form.',
  );
}

function mercatorMethod(c: Conversion, method: Method): Method {
  const { given } = c;
  const parallel = c.get('standardParallel1') ?? 0;
  const type = c.others.get('auxiliaryspheretype');
  if (type !== undefined && type !== 0)
    c.refuse(
      `the auxiliary sphere type ${type} is not read, only 0 (a sphere of the semi-major axis).`,
      'Give the CRS by code.',
    );
  c.others.delete('auxiliaryspheretype');
  const web =
    given.webSphere || webNames.test(given.crs) || (given.code !== undefined && webCodes.test(given.code));
  if (web && parallel === 0 && (c.get('scaleFactor') ?? 1) === 1) {
    c.values.delete('scaleFactor');
    return methodNamed('pseudo-mercator')!;
  }
  if (method.name === 'mercator-a' && c.get('standardParallel1') !== undefined && parallel !== 0)
    return methodNamed('mercator-b')!;
  if (method.name === 'mercator-b') {
    if (c.get('standardParallel1') === undefined) return methodNamed('mercator-a')!;
    if (c.get('scaleFactor') !== undefined && c.get('scaleFactor') !== 1 && parallel === 0) {
      c.values.delete('standardParallel1');
      return methodNamed('mercator-a')!;
    }
  }
  return method;
}

/** The .prj dialect has one name for one and two standard parallels. */
function conicMethod(c: Conversion, method: Method): Method {
  if (c.get('standardParallel2') !== undefined) return methodNamed('lambert-conic-conformal-2sp')!;
  const parallel = c.get('standardParallel1');
  const origin = c.get('latitudeOfOrigin');
  // One parallel that is the latitude of origin too: the form with one; else that with two equal ones.
  if (parallel !== undefined && origin !== undefined && parallel !== origin) {
    c.values.set('standardParallel2', parallel);
    return methodNamed('lambert-conic-conformal-2sp')!;
  }
  if (parallel !== undefined) c.values.set('latitudeOfOrigin', parallel);
  c.values.delete('standardParallel1');
  return parallel === undefined && origin === undefined
    ? method
    : methodNamed('lambert-conic-conformal-1sp')!;
}

function polarMethod(c: Conversion, method: Method, word: string): Method {
  const south = word.includes('southpole');
  if (word.includes('northpole') || south) {
    const parallel = c.get('standardParallel1') ?? c.get('latitudeOfOrigin');
    if (isPole(c.get('latitudeOfOrigin')) && c.get('standardParallel1') !== undefined)
      c.values.delete('latitudeOfOrigin');
    else c.move('latitudeOfOrigin', 'standardParallel1');
    if (parallel === undefined || parallel < 0 !== south)
      c.refuse(
        'its standard parallel lies in the other hemisphere, or is missing.',
        'Look up the definition.',
      );
    return methodNamed('polar-stereographic-b')!;
  }
  if (method.name === 'stereographic')
    return isPole(c.get('latitudeOfOrigin')) ? methodNamed('polar-stereographic-a')! : method;
  if (isPole(c.get('latitudeOfOrigin')) && c.get('standardParallel1') === undefined)
    return methodNamed('polar-stereographic-a')!;
  if (isPole(c.get('latitudeOfOrigin'))) c.values.delete('latitudeOfOrigin');
  else c.move('latitudeOfOrigin', 'standardParallel1');
  return methodNamed('polar-stereographic-b')!;
}

function obliqueMethod(c: Conversion, method: Method, word: string): Method {
  if (word.startsWith('swiss')) {
    c.values.set('azimuth', 90);
    c.values.set('rectifiedGridAngle', 90);
  }
  if (c.get('rectifiedGridAngle') === undefined) {
    c.move('planeRotation', 'rectifiedGridAngle');
    const angle = c.get('rectifiedGridAngle') ?? c.get('azimuth');
    if (angle !== undefined) c.values.set('rectifiedGridAngle', angle);
  }
  return method;
}

/** The method that is meant, once the parameters are known: names alone do not always say it. */
function methodOf(c: Conversion): Method | undefined {
  const word = plain(c.given.method);
  const method = methodFromText(c.given.method, c.given.dialect);
  if (method === undefined) return undefined;
  if (/^mercator|^pseudomercator|pseudomercator$/.test(word)) return mercatorMethod(c, method);
  if (word === 'lambertconformalconic' || word === 'lambertconformalconic2sp') return conicMethod(c, method);
  if (word.includes('stereographic') && /^polar-stereographic-[ab]$|^stereographic$/.test(method.name))
    return /variant[abc]/.test(word) ? method : polarMethod(c, method, word);
  if (method.name.startsWith('oblique-mercator-') && method.name !== 'oblique-mercator-two-points')
    return obliqueMethod(c, method, word);
  if (word.startsWith('krovak')) return krovakMethod(c, method);
  if (method.name === 'bonne' || method.name === 'bonne-south')
    c.move('standardParallel1', 'latitudeOfOrigin');
  return method;
}

function checkRange(c: Conversion): void {
  for (const [name, value] of c.values) {
    const word = c.words.get(name) ?? name;
    const kind = parameterKind(name);
    if (!Number.isFinite(value))
      c.refuse(`${word} is no number.`, 'Correct the text, or give the CRS by code.');
    if (/^(latitude|standardParallel)/.test(name) && Math.abs(value) > 90 + 1e-9)
      c.refuse(`${word} is ${value}°, beyond ±90°.`, 'Correct the text: is the unit of angles right?');
    if (kind === 'angle' && Math.abs(value) > 720)
      c.refuse(`${word} is ${value}°.`, 'Correct the text: is the unit of angles right?');
    if (kind === 'scale' && !(Math.abs(value) > 0.1 && Math.abs(value) < 10))
      c.refuse(
        `${word} is ${value}.`,
        'A scale factor is a number near 1 (near −1 where a grid counts westwards and southwards).',
      );
    if (kind === 'height' && !(value >= 0))
      c.refuse(`${word} is ${value}.`, 'A height is not negative here.');
  }
}

/**
 * The method and parameters that a text means. Nothing is left out: a parameter that is not known, or that the method does
 * not use and that would change something, is refused by name.
 */
export function conversionFrom(given: GivenConversion): {
  method: Method;
  parameters: Partial<Record<ParameterName, number>>;
} {
  const c = new Conversion(given);
  // Some methods give a common name to a parameter of their own.
  const own = methodFromText(given.method, given.dialect);
  const special = new Map((own?.parameters ?? []).map((use) => [plain(use.epsg), use.name] as const));
  for (const { name, value } of given.parameters) {
    const key = special.get(plain(name)) ?? general.get(plain(name));
    if (key === undefined) c.others.set(plain(name), value);
    else if (c.values.has(key) && c.values.get(key) !== value)
      c.refuse(`it gives ${name} twice, as ${c.values.get(key)} and ${value}.`, 'Correct the text.');
    else {
      c.values.set(key, value);
      c.words.set(key, name);
    }
    if (key === undefined) c.words.set(plain(name) as ParameterName, name);
  }
  const method = methodOf(c);
  if (method === undefined)
    throw new IsomericError(
      'projection-unsupported',
      `${given.crs} uses the projection ${given.method || '(none named)'}, which Isomeric does not compute.`,
      { advice: `It computes ${methods.length}: ${methods.map((known) => known.title).join(', ')}.` },
    );
  const [other] = c.others;
  if (other !== undefined)
    c.refuse(
      `the parameter ${c.words.get(other[0] as ParameterName)} (${other[1]}) is not understood.`,
      `${method.title} has: ${method.parameters.map((use) => use.epsg).join(', ')}. Correct its name, or give the CRS by code.`,
    );
  const used = new Set(method.parameters.map((use) => use.name));
  for (const [name, value] of c.values) {
    if (used.has(name)) continue;
    if (value !== neutral(name))
      c.refuse(
        `${method.title} has no parameter ${c.words.get(name) ?? name}, which is ${value} here.`,
        'Without it the coordinates would be wrong. Give the CRS by code, or correct the text.',
      );
    c.values.delete(name);
  }
  const parameters: Partial<Record<ParameterName, number>> = {};
  const missing: string[] = [];
  for (const use of method.parameters) {
    const value = c.values.get(use.name) ?? use.otherwise;
    if (value === undefined) missing.push(use.epsg);
    else if (use.fixed && value !== use.otherwise)
      c.refuse(
        `${c.words.get(use.name) ?? use.epsg} is ${value}, and ${method.title} knows only ${use.otherwise}.`,
        'Correct the text, or give the CRS by code.',
      );
    else if (!use.fixed) parameters[use.name] = value;
  }
  if (missing.length > 0)
    throw new IsomericError(
      'projection-incomplete',
      `${given.crs} lacks the parameter${missing.length > 1 ? 's' : ''} ${missing.join(', ')}.`,
      { advice: `${method.title} cannot be computed without. Correct the text, or give the CRS by code.` },
    );
  checkRange(c);
  return { method, parameters };
}
