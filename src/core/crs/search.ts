import type { Crs } from './crs.ts';
import { crsByNumber, registryRows } from './registry.ts';

const plainName = (name: string) => name.toLowerCase().replace(/[^a-z0-9+]/g, '');

let names: Map<string, string[]> | null = null;

function nameIndex(): Map<string, string[]> {
  if (names === null) {
    names = new Map();
    const { projected, geographic, uncomputed } = registryRows();
    // Names that a later realisation or another authority repeats mean the first one registered.
    for (const source of [geographic, projected, uncomputed]) {
      for (const [code, row] of source) {
        if (!/^\d/.test(code)) continue;
        const key = plainName(row.split('|', 2)[1]);
        const list = names.get(key);
        if (list === undefined) names.set(key, [code]);
        else list.push(code);
      }
    }
  }
  return names;
}

/** Numbers of the CRSs of exactly this name, compared without case and punctuation; the first registered first. */
export function codesNamed(name: string): readonly string[] {
  return nameIndex().get(plainName(name)) ?? [];
}

const words = (text: string) =>
  text
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .match(/\d+[a-z]?|[a-z]+/g) ?? [];

/** A letter and digits that differ by one step count half. */
function alike(wanted: string, word: string): number {
  if (wanted === word) return 2;
  // `26` is meant by zone 26N, and `ned` by Netherlands.
  if (word.startsWith(wanted) && (wanted.length > 2 || /^\d+[a-z]$/.test(word))) return 1.5;
  if (/\d/.test(wanted) || /\d/.test(word)) return 0;
  if (Math.abs(wanted.length - word.length) > 1 || wanted.length < 4) return 0;
  let same = 0;
  while (same < wanted.length && wanted[same] === word[same]) same++;
  let end = 0;
  while (end < wanted.length - same && end < word.length - same && wanted.at(-1 - end) === word.at(-1 - end))
    end++;
  return Math.max(wanted.length, word.length) - same - end <= 1 ? 1 : 0;
}

/** Numbers without a code that a file could carry go last. */
const foreign = (code: string) => (Number(code) > 32767 ? 1 : 0);

/** Of grids that are called the same, those on WGS 84 go first: they are the ones without a country. */
const global = (code: string) => (registryRows().projected.get(code)?.split('|', 3)[2] === '4326' ? 0 : 1);

/** Digits that two numbers of one length have in common, place by place; a swapped pair counts as one difference. */
function codeDistance(a: string, b: string): number {
  if (a.length !== b.length) return a.startsWith(b) || b.startsWith(a) ? 1 : 9;
  let differences = 0;
  for (let k = 0; k < a.length; k++)
    if (a[k] !== b[k]) {
      differences++;
      if (a[k] === b[k + 1] && a[k + 1] === b[k]) k++;
    }
  return differences;
}

const placeWords = new Map<string, string[]>();

/** The words of a place by its number in the registry. */
function placeWordsOf(number: string): readonly string[] {
  if (number === '') return [];
  let found = placeWords.get(number);
  if (found === undefined) {
    found = words(registryRows().places[Number.parseInt(number, 36)]);
    placeWords.set(number, found);
  }
  return found;
}

/**
 * CRSs that are near to words (all of the words in the name first, then in the name of where it is used, small
 * slips allowed) or to a code.
 * The areas where they are used are searched by `crsAt`.
 */
export function nearestCrs(text: string, most: number): Crs[] {
  const code = /^(?:[a-z]+:)?(\d{3,6})$/i.exec(text.trim())?.[1];
  const scored: { code: string; score: number; length: number }[] = [];
  const { projected, geographic } = registryRows();
  const wanted = words(text).filter((word) => word !== 'epsg');
  for (const source of [geographic, projected]) {
    for (const [number, row] of source) {
      if (!/^\d/.test(number)) continue;
      let score = 0;
      let length = 0;
      if (code !== undefined) {
        const distance = codeDistance(code, number);
        if (distance > 1) continue;
        score = 10 - distance;
        // The same beginning and length are nearer than the same end.
        while (length < code.length && code[length] === number[length]) length++;
        length = -length;
      } else {
        const parts = row.split('|');
        const own = words(parts[1]);
        const place = placeWordsOf(parts[source === projected ? 8 : 9]);
        let hits = 0;
        for (const word of wanted) {
          // A word of the place counts as one, less than one of the name.
          let best = Math.max(0, ...own.map((each) => alike(word, each)));
          if (best < 1 && place.some((each) => alike(word, each) >= 1)) best = 1;
          if (best > 0) hits++;
          score += best;
        }
        // Most of the words must be there.
        if (2 * hits <= wanted.length) continue;
        length = own.length;
      }
      scored.push({ code: number, score, length });
    }
  }
  scored.sort(
    (a, b) =>
      b.score - a.score ||
      foreign(a.code) - foreign(b.code) ||
      global(a.code) - global(b.code) ||
      a.length - b.length ||
      Number(a.code) - Number(b.code),
  );
  return scored.slice(0, most).map((each) => crsByNumber(each.code)!);
}

/** CRSs whose area of use holds a place (longitude and latitude, degrees), the smallest areas first. */
export function crsAt(longitude: number, latitude: number): Crs[] {
  const at: { code: string; size: number }[] = [];
  const { projected, geographic } = registryRows();
  for (const source of [projected, geographic]) {
    for (const [code, row] of source) {
      if (!/^\d/.test(code)) continue;
      const parts = row.split('|');
      const area = (source === projected ? parts[6] : parts[8]).split(' ').map(Number);
      if (area.length < 4) continue;
      const [west, south, east, north] = area;
      const width = east < west ? east + 360 - west : east - west;
      const beyond = (((longitude - west) % 360) + 360) % 360;
      if (latitude < south || latitude > north || beyond > width) continue;
      at.push({ code, size: width * (north - south) });
    }
  }
  at.sort((a, b) => foreign(a.code) - foreign(b.code) || a.size - b.size || Number(a.code) - Number(b.code));
  return at.map(({ code }) => crsByNumber(code)!);
}
