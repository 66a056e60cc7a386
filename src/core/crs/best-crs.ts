import type { Box } from '../geometry/geometry-array.ts';
import { boxWidth, placeWords } from './area-of-use.ts';
import { type Crs, crsLabel, type GeographicCrs, geographicOf, type ProjectedCrs } from './crs.ts';
import { areaSpread, type DistortionReport, distortionOver, lengthError } from './distortion.ts';
import { methodNamed } from './projections/register.ts';
import { crsByNumber, wgs84 } from './registry.ts';
import { crsAt } from './search.ts';

/** What a CRS is wanted for. */
export const crsPurposes = ['mapping', 'densities', 'distances'] as const;
/** What a CRS is wanted for: maps in general, figures per area (equal areas), lengths. */
export type CrsPurpose = (typeof crsPurposes)[number];

/** A CRS that may suit an area, with what it does to lengths, areas and angles there. */
export interface CrsCandidate {
  crs: Crs;
  kind: 'national or regional grid' | 'UTM' | 'own, fitted to the area';
  report: DistortionReport;
  /** Why it stands where it does, as a sentence without a full stop. */
  reason: string;
}

/** `best`, `best for densities`, `best for distances`: the purpose, or null when a text says something else. */
export function purposeFromText(text: string): CrsPurpose | null {
  const found = /^best(?:\s+for\s+(mapping|densities|distances))?$/i.exec(text.trim());
  return found === null ? null : ((found[1]?.toLowerCase() as CrsPurpose | undefined) ?? 'mapping');
}

/** Lengths that nobody sees on a map, and that few surveys need: 40 cm in a kilometre, as in the middle of a UTM zone. */
const goodLengths = 0.001;
/** Areas that are the same for every purpose. */
const goodAreas = 1e-6;

const round = (value: number, digits: number) => Number(value.toFixed(digits));

function own(name: string, method: string, parameters: ProjectedCrs['parameters']): ProjectedCrs {
  const base: GeographicCrs = wgs84();
  return { kind: 'projected', name, base, method, parameters, unit: 1, unitName: 'metre' };
}

/** Projections with parameters of their own for a box in degrees: an equal-area and a conformal one. */
function fitted(box: Box): ProjectedCrs[] {
  const [west, south, e, north] = box;
  const east = e < west ? e + 360 : e;
  const longitude = round((((west + east) / 2 + 540) % 360) - 180, 2);
  const latitude = round((south + north) / 2, 2);
  const place = placeWords(longitude, latitude);
  const wide = (east - west) * Math.cos((latitude * Math.PI) / 180);
  const high = north - south;
  const middle = { centralMeridian: longitude, falseEasting: 0, falseNorthing: 0 };
  // Parallels a sixth within the edges halve the greatest error of a cone (Snyder 1987, p. 99).
  const parallels = {
    standardParallel1: round(south + high / 6, 2),
    standardParallel2: round(north - high / 6, 2),
    latitudeOfOrigin: latitude,
  };
  const steep = parallels.standardParallel1 + parallels.standardParallel2 !== 0 && Math.abs(latitude) < 80;
  const pole = north > 89 && south > 0 ? 90 : south < -89 && north < 0 ? -90 : null;
  if (pole !== null)
    return [
      own(`Lambert azimuthal equal-area at ${pole}°`, 'lambert-azimuthal-equal-area', {
        ...middle,
        latitudeOfOrigin: pole,
      }),
      own(`Polar stereographic at ${pole}°`, 'polar-stereographic-a', {
        ...middle,
        latitudeOfOrigin: pole,
        scaleFactor: round(1 - (high * Math.PI) ** 2 / 180 ** 2 / 8, 6),
      }),
    ];
  const list: ProjectedCrs[] = [
    own(`Lambert azimuthal equal-area at ${place}`, 'lambert-azimuthal-equal-area', {
      ...middle,
      latitudeOfOrigin: latitude,
    }),
  ];
  if (east - west > 120) list.push(own(`Equal Earth at ${longitude}°`, 'equal-earth', middle));
  if (steep && south > -89 && north < 89) {
    list.push(own(`Albers equal-area at ${place}`, 'albers-equal-area', { ...middle, ...parallels }));
    list.push(
      own(`Lambert conformal conic at ${place}`, 'lambert-conic-conformal-2sp', {
        ...middle,
        ...parallels,
        scaleFactor: 1,
      }),
    );
  }
  if (Math.abs(latitude) < 30)
    list.push(
      own(`Cylindrical equal-area at ${place}`, 'cylindrical-equal-area', {
        ...middle,
        standardParallel1: round(Math.abs(latitude) < 1 ? high / 4 : Math.abs(latitude), 2),
      }),
    );
  if (wide < 40)
    list.push(
      own(`Transverse Mercator at ${place}`, 'transverse-mercator', {
        ...middle,
        latitudeOfOrigin: latitude,
        // The error at the edge, shared with the middle.
        scaleFactor: round(1 - ((wide * Math.PI) / 360) ** 2 / 4, 6),
      }),
    );
  if (high < 60 && wide < 60)
    list.push(
      own(`Oblique stereographic at ${place}`, 'oblique-stereographic', {
        ...middle,
        latitudeOfOrigin: latitude,
        scaleFactor: round(1 - (Math.hypot(wide, high) * Math.PI) ** 2 / 360 ** 2 / 8, 6),
      }),
    );
  return list;
}

function utm(box: Box): Crs | null {
  const [west, south, e, north] = box;
  const longitude = (((west + (e < west ? e + 360 : e)) / 2 + 540) % 360) - 180;
  const latitude = (south + north) / 2;
  if (latitude > 84 || latitude < -80) return null;
  return crsByNumber((latitude < 0 ? 32700 : 32600) + Math.min(60, Math.floor((longitude + 180) / 6) + 1));
}

const degreesSize = (box: Box) => boxWidth(box) * (box[3] - box[1]);

function covers(area: Box, box: Box): boolean {
  const beyond = (((box[0] - area[0]) % 360) + 360) % 360;
  return area[1] <= box[1] + 0.1 && area[3] >= box[3] - 0.1 && beyond + boxWidth(box) <= boxWidth(area) + 0.2;
}

/** Is a CRS on a datum that agrees with WGS 84? Null where the way to WGS 84 is unknown, or worse than a few metres. */
function modern(crs: Crs): boolean | null {
  const { shift } = geographicOf(crs);
  if (shift === null) return null;
  if (shift.source.startsWith('taken as zero')) return true;
  return shift.accuracy <= 3 ? false : null;
}

/** The number of a code; of grids that are equally good, the one registered last goes first. */
const number = (crs: Crs) => Number(crs.code?.slice(5) ?? 0);

/** Grids of the registry that are meant for the area, and no world maps. */
function grids(box: Box): Crs[] {
  const longitude = box[0] + boxWidth(box) / 2;
  return crsAt(longitude, (box[1] + box[3]) / 2)
    .filter(
      (crs) =>
        crs.kind === 'projected' &&
        crs.code !== undefined &&
        crs.area !== undefined &&
        covers(crs.area, box) &&
        degreesSize(crs.area) < 8_000 &&
        modern(crs) !== null,
    )
    .slice(0, 60);
}

const keeps = (crs: Crs) => (crs.kind === 'projected' ? methodNamed(crs.method)?.keeps : 'nothing');

const share = (value: number) =>
  value < 1e-6
    ? '1 mm in a kilometre'
    : value < 0.001
      ? `${(value * 1e6).toFixed(0)} mm in a kilometre`
      : value < 0.1
        ? `${(value * 1000).toFixed(1)} m in a kilometre`
        : `${(value * 100).toFixed(0)} %`;

/** Lengths and areas of a report, in words: `lengths within 0.4 m in a kilometre, areas within 0.08 %`. */
export function distortionWords(report: DistortionReport): string {
  const areas = areaSpread(report);
  return `lengths within ${share(lengthError(report))}, areas ${areas < goodAreas ? 'equal everywhere' : `unequal by up to ${(areas * 100).toPrecision(2)} %`}, angles within ${report.greatestAngle < 0.001 ? '0.001' : report.greatestAngle.toPrecision(2)}°`;
}

/**
 * CRSs for an area (its box in degrees on WGS 84), the best for the purpose first: national and regional grids, UTM, and
 * projections fitted to the area. For densities only equal-area ones are good; for distances the least error of lengths
 * counts; for mapping an official grid goes before a fitted projection as long as its lengths are within a metre in a
 * kilometre.
 */
export function bestCrs(box: Box, purpose: CrsPurpose = 'mapping', most = 8): CrsCandidate[] {
  const candidates: Omit<CrsCandidate, 'reason'>[] = [];
  const add = (crs: Crs | null, kind: CrsCandidate['kind']) => {
    if (crs === null || candidates.some((each) => each.crs === crs)) return;
    const report = distortionOver(crs, box, 7);
    if (report !== null && report.without === 0) candidates.push({ crs, kind, report });
  };
  const zone = utm(box);
  for (const crs of grids(box)) add(crs, / UTM zone /.test(crs.name) ? 'UTM' : 'national or regional grid');
  add(zone, 'UTM');
  for (const crs of fitted(box)) add(crs, 'own, fitted to the area');
  const rank = (each: Omit<CrsCandidate, 'reason'>): number => {
    const length = lengthError(each.report);
    const equal = areaSpread(each.report) < goodAreas;
    const official = each.kind === 'own, fitted to the area' ? 0 : 1;
    if (purpose === 'densities') return (equal ? 0 : 100) + each.report.greatestAngle - official * 0.02;
    if (purpose === 'distances') return length - official * 1e-5;
    // A grid of its own country goes before UTM, and both before one that nobody else uses, while they are good.
    if (official && length <= goodLengths)
      return (
        (each.crs === zone
          ? 0.5
          : each.kind === 'UTM'
            ? utmRank(each.crs)
            : modern(each.crs) === true
              ? 0
              : 0.2) + Math.min(0.25, degreesSize(each.crs.area ?? [-180, -90, 180, 90]) / 20_000)
      );
    return 1 + length * (official ? 0.5 : 1);
  };
  return candidates
    .sort((a, b) => rank(a) - rank(b) || number(b.crs) - number(a.crs))
    .slice(0, most)
    .map((each) => ({ ...each, reason: reasonOf(each, purpose) }));
}

/** UTM on the datum of a country goes before that of the world; on one that is out of use (WGS 72) behind it. */
const utmRank = (crs: Crs) => (modern(crs) === true ? 0.15 : 0.8);

function reasonOf({ crs, kind, report }: Omit<CrsCandidate, 'reason'>, purpose: CrsPurpose): string {
  const equal = areaSpread(report) < goodAreas;
  const what =
    kind === 'UTM'
      ? 'the UTM zone of its middle'
      : kind === 'own, fitted to the area'
        ? 'fitted to the area'
        : 'made for the region';
  const keep =
    keeps(crs) === 'angles'
      ? 'keeps angles'
      : keeps(crs) === 'areas'
        ? 'keeps areas'
        : 'keeps neither angles nor areas';
  const warning = purpose === 'densities' && !equal ? '; not for densities' : '';
  return `${what}, ${keep}: ${distortionWords(report)}${warning}`;
}

/** One line for a study: what was chosen, and why. */
export function choiceWords(candidate: CrsCandidate, purpose: CrsPurpose): string {
  return `CRS: ${crsLabel(candidate.crs)}, chosen as the best for ${purpose}: ${candidate.reason}.`;
}
