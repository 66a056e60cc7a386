import { IsomericError } from '../errors.ts';
import {
  type Crs,
  type CrsRemark,
  crsLabel,
  type DatumShift,
  type GeographicCrs,
  geographicOf,
  type ProjectedCrs,
  sameCrs,
  sameEllipsoid,
  sameParameters,
  sameShift,
} from './crs.ts';
import { datumKey } from './datum-names.ts';
import { geocentricShift } from './geocentric.ts';
import { wktFromProjjson } from './projjson.ts';
import { crsByNumber, geographicByKey, registryRows, wgs84, whyNotComputed } from './registry.ts';
import { codesNamed, nearestCrs } from './search.ts';
import { crsFromNode, crsFromWkt } from './wkt-crs.ts';

const codeText =
  /^(?:[A-Z]{2,10}\s*:+|urn:(?:ogc|x-ogc):def:crs:[A-Z]+:(?:[^:]*:)?|https?:\/\/\S*\/[A-Z]+\/[^/]*\/|https?:\/\/\S*epsg\.xml#)?\s*(\d{4,6})$/i;

/**
 * A CRS from what a person or a file says: `EPSG:32626`, a URN or address that ends in a code, `CRS84`, a WKT 1 or
 * WKT 2 text, PROJJSON, or a name of the registry (`WGS 84 / UTM zone 26N`).
 */
export function crsFromText(text: string): Crs {
  const trimmed = text.trim();
  if (/^[A-Z_]+CR?S\s*[[(]/i.test(trimmed)) return completed(crsFromWkt(trimmed));
  if (trimmed.startsWith('{')) return crsFromProjjson(trimmed);
  if (/(^|[:/])CRS84h?$/i.test(trimmed)) return wgs84();
  // A longer text is no name of a code.
  const code = trimmed.length < 200 ? codeText.exec(trimmed) : null;
  const numbers = code === null ? codesNamed(trimmed) : [code[1]];
  for (const number of numbers) {
    const crs = crsByNumber(number);
    if (crs !== null) return crs;
    const why = whyNotComputed(number);
    if (why !== null) throw why;
  }
  const shown = trimmed.length > 80 ? `${trimmed.slice(0, 77)}…` : trimmed;
  // So few digits are near to nothing.
  const near = trimmed.length > 80 || /^[A-Z]+\s*:\s*\d{1,3}$/i.test(trimmed) ? [] : nearestCrs(trimmed, 5);
  const best = /^best\b/i.test(trimmed);
  throw new IsomericError('crs-unknown', `“${shown}” names no CRS of the registry.`, {
    advice: best
      ? 'Write “best”, “best for densities” or “best for distances”.'
      : `Give an EPSG code (EPSG:4326), a name as in the EPSG registry, or a .prj file.${near.length > 0 ? ` Near it: ${near.map(crsLabel).join('; ')}.` : ''}`.trim(),
    blame: 'usage',
    wrong: trimmed,
  });
}

/** A CRS from PROJJSON, as text or parsed. */
export function crsFromProjjson(value: unknown): Crs {
  let parsed = value;
  if (typeof value === 'string') {
    try {
      parsed = JSON.parse(value);
    } catch {
      throw new IsomericError('wkt-syntax', 'The CRS text begins like JSON, but is none.', {
        advice: 'Give the CRS by code instead, for example EPSG:4326.',
      });
    }
  }
  return completed(crsFromNode(wktFromProjjson(parsed)));
}

const bare = <C extends Crs>(crs: C): C => ({ ...crs, code: undefined });

/** Is it the same grid, whatever is said of its datum's name and shift? */
function sameGrid(a: Crs, b: Crs): boolean {
  const on = (crs: Crs): Crs => {
    const base: GeographicCrs = { ...geographicOf(crs), datum: 'one', code: undefined, shift: null };
    return crs.kind === 'geographic' ? base : { ...crs, base, code: undefined };
  };
  return sameCrs(on(a), on(b));
}

/**
 * A CRS read from a text, with what the registry knows of it: the code when it is one of the registry's, and the shift of
 * its datum. What the text says counts: a code that contradicts it is taken off, a shift that it states is used; both are
 * remarked.
 */
export function completed(crs: Crs): Crs {
  const remarks: CrsRemark[] = [...(crs.remarks ?? [])];
  const number = /^[A-Z]+:(\d+)$/.exec(crs.code ?? '')?.[1];
  let own = number === undefined ? null : crsByNumber(number);
  if (own !== null && !agrees(own, crs)) {
    remarks.push({
      code: 'crs-code-contradicts',
      words: `The CRS text of ${crs.name} carries the code ${crs.code}, which is ${own.name}: text and code say different things. The text counts.`,
      repair: 'give the CRS by the right code',
    });
    own = null;
  }
  const stated = geographicOf(crs).shift;
  const plain = own ?? matched({ ...crs, code: undefined });
  const told = withStatedShift(plain, stated, remarks);
  return remarks.length === 0 ? told : { ...told, remarks };
}

function agrees(own: Crs, crs: Crs): boolean {
  if (sameGrid(own, crs)) return true;
  // Degrees and grads name the same base; the unit of a base moves nothing that is projected.
  if (own.kind !== 'projected' || crs.kind !== 'projected') return false;
  return sameGrid(own, { ...crs, base: { ...crs.base, unit: own.base.unit } });
}

/** The shift that a text states instead of ours, with the distance between them where they differ. */
function withStatedShift(crs: Crs, stated: DatumShift | null, remarks: CrsRemark[]): Crs {
  const base = geographicOf(crs);
  if (stated === null || sameShift(stated, base.shift)) return crs;
  const replaced: GeographicCrs = { ...base, shift: stated };
  if (base.shift !== null) {
    const apart = distanceBetween(base, base.shift, stated, crs.area ?? base.area);
    if (apart < 0.01) return crs;
    remarks.push({
      code: 'crs-shift-differs',
      words: `The CRS text of ${crs.name} states a shift to WGS 84 that leads ${apart < 10 ? apart.toFixed(1) : Math.round(apart).toLocaleString('en-GB')} m away from the one that Isomeric has for ${base.name} (${base.shift.source}). The one in the text is used.`,
      repair: 'take TOWGS84 out of the text, or give the CRS by code, to use the other',
    });
  }
  return crs.kind === 'geographic' ? replaced : { ...crs, base: replaced };
}

/** Metres between two shifts of one datum in the middle of its area. */
function distanceBetween(
  crs: GeographicCrs,
  a: DatumShift,
  b: DatumShift,
  area: readonly [number, number, number, number] | undefined,
): number {
  const [west, south, east, north] = area ?? [0, 0, 0, 0];
  const longitude = (west + (east < west ? east + 360 : east)) / 2;
  const one = geocentricShift(crs.ellipsoid, a, longitude, (south + north) / 2);
  const other = geocentricShift(crs.ellipsoid, b, longitude, (south + north) / 2);
  return Math.hypot(one[0] - other[0], one[1] - other[1], one[2] - other[2]);
}

/** With the base that the registry has for it, and as the registry's own CRS where it is one. */
function matched(crs: Crs): Crs {
  const geographic = geographicOf(crs);
  const base = matchGeographic(geographic, crs.kind === 'geographic');
  if (base === null) return crs;
  const better: GeographicCrs = {
    ...geographic,
    code: base.code,
    name: base.name,
    datum: base.datum,
    shift: base.shift,
    area: base.area,
  };
  if (crs.kind === 'geographic')
    return sameCrs(bare(better), bare(base)) ? base : { ...better, code: undefined };
  const projected: ProjectedCrs = { ...crs, base: better };
  return matchProjected(projected) ?? projected;
}

const meridianSuffix =
  /[ _]\(?(Paris|Oslo|Ferro|Lisbon|Rome|Bern|Jakarta|Brussels|Stockholm|Athens|Madrid|Bogota|lon-lat)\)?$/i;

/** Keys of geographic CRSs by what their datum and they themselves are called. */
let byDatum: Map<string, string[]> | null = null;
function geographicKeys(name: string): string[] {
  if (byDatum === null) {
    byDatum = new Map();
    for (const [code, row] of registryRows().geographic) {
      const [, own, datum] = row.split('|', 3);
      const keys = new Set(
        [datum, datum.replace(meridianSuffix, ''), own, own.replace(meridianSuffix, '')].map(datumKey),
      );
      for (const key of keys) {
        const list = byDatum.get(key);
        if (list === undefined) byDatum.set(key, [code]);
        else list.push(code);
      }
    }
  }
  return byDatum.get(datumKey(name)) ?? [];
}

/** The registry's geographic CRS that is meant: by the name of its datum or its own, and by ellipsoid, meridian and unit. */
function matchGeographic(crs: GeographicCrs, unitCounts: boolean): GeographicCrs | null {
  for (const names of [
    [crs.datum, crs.datum.replace(meridianSuffix, '')],
    [crs.name, crs.name.replace(meridianSuffix, '')],
  ]) {
    const candidates = [...new Set(names.flatMap(geographicKeys))]
      .map((code) => ({ code, candidate: geographicByKey(code)! }))
      .filter(
        ({ candidate }) =>
          sameEllipsoid(candidate.ellipsoid, crs.ellipsoid) &&
          Math.abs(candidate.primeMeridian - crs.primeMeridian) < 1e-6,
      );
    const rank = ({ code, candidate }: (typeof candidates)[number]) =>
      (Math.abs(candidate.unit - crs.unit) < 1e-12 ? 0 : unitCounts ? 100 : 4) +
      (candidate.name === crs.name
        ? 0
        : datumKey(candidate.name) === datumKey(crs.name)
          ? 1
          : datumKey(candidate.datum) === datumKey(crs.datum)
            ? 2
            : 3) +
      (Number(code) <= 32767 ? 0 : 10) +
      (candidate.name.includes('(lon-lat)') === crs.name.includes('lon-lat') ? 0 : 20);
    const [best] = candidates.sort((a, b) => rank(a) - rank(b));
    if (best !== undefined) return best.candidate;
  }
  return null;
}

let byGrid: Map<string, string[]> | null = null;
/** Codes of projected CRSs by base and method. */
function projectedCodes(crs: ProjectedCrs): string[] {
  if (byGrid === null) {
    byGrid = new Map();
    for (const [code, row] of registryRows().projected) {
      const [, , base, method] = row.split('|', 4);
      const key = `${geographicByKey(base)!.name} ${plainMethod(method)}`;
      const list = byGrid.get(key);
      if (list === undefined) byGrid.set(key, [code]);
      else list.push(code);
    }
  }
  return byGrid.get(`${crs.base.name} ${plainMethod(crs.method)}`) ?? [];
}
const plainMethod = (method: string) => method.replace(/-north$|-michigan$/, '');
const plainName = (name: string) => name.toLowerCase().replace(/[^a-z0-9]/g, '');

/** Of twins, the one without a code or with another order of axes in its name goes last. */
const oddness = ({ code, name }: ProjectedCrs) =>
  (code === undefined ? 2 : 0) + (/\([ENXYz]{1,2}[-,][ENXYz]{1,2}\)/.test(name) ? 1 : 0);

function matchProjected(crs: ProjectedCrs): ProjectedCrs | null {
  let match: ProjectedCrs | null = null;
  for (const code of projectedCodes(crs)) {
    const candidate = crsByNumber(code) as ProjectedCrs;
    if (!sameParameters(candidate, crs) || !agrees(candidate, crs)) continue;
    if (plainName(candidate.name) === plainName(crs.name)) return candidate;
    if (match === null || oddness(candidate) < oddness(match)) match = candidate;
  }
  return match;
}
