import { bareWords } from '../plain-text.ts';
import { singular } from './synonyms.ts';

/** Levels of units by the words that stand for them, bare and in the singular, from the coarsest to the finest; the rare ones too. */
const levelWords: readonly (readonly [level: string, words: readonly string[]])[] = [
  ['country', ['country', 'national', 'nation', 'state wide', 'statewide']],
  ['state', ['federal state']],
  ['region', ['region', 'regional', 'macroregion']],
  ['province', ['province', 'provincial', 'oblast', 'prefecture', 'voivodeship']],
  ['county', ['county']],
  ['district', ['district', 'department', 'canton']],
  ['municipality', ['municipality', 'municipal', 'commune', 'borough', 'township']],
  ['settlement', ['settlement', 'town', 'village', 'locality']],
  ['postal area', ['postcode', 'postal code', 'zip code', 'postal area', 'postal']],
  ['electoral area', ['electoral', 'constituency', 'polling']],
  ['school area', ['school district', 'catchment area']],
  ['ward', ['ward']],
  ['neighbourhood', ['neighbourhood', 'neighborhood', 'quarter']],
  ['census tract', ['census tract', 'tract']],
  ['block group', ['block group', 'enumeration district', 'enumeration area', 'output area']],
  ['census cell', ['census cell', 'census block', 'small area', 'statistical cell', 'block']],
  ['parcel', ['parcel', 'plot', 'cadastral']],
  ['grid cell', ['grid cell', 'grid square', 'raster cell']],
];

const byPhrase = new Map(levelWords.flatMap(([level, words]) => words.map((word) => [word, level] as const)));
const order = new Map(levelWords.map(([level], k) => [level, k]));

/** The level that a text is the name of: `Wards` → `ward`; the text itself, in the singular, where it is another one. */
export function levelNamed(text: string): string {
  const words = bareWords(text).map(singular);
  return byPhrase.get(words.join(' ')) ?? words.join(' ');
}

/** Levels that a text speaks of: `Residents by ward and district`. */
export function levelsIn(text: string): string[] {
  const words = bareWords(text).map(singular);
  const found = new Set<string>();
  for (let k = 0; k < words.length; k++) {
    const two = byPhrase.get(`${words[k]} ${words[k + 1] ?? ''}`);
    if (two !== undefined) {
      found.add(two);
      k++;
      continue;
    }
    const one = byPhrase.get(words[k]);
    if (one !== undefined) found.add(one);
  }
  return inOrder([...found]);
}

/** Levels from the coarsest to the finest, those of other names behind. */
export function inOrder(levels: readonly string[]): string[] {
  const place = (level: string) => order.get(level) ?? levelWords.length;
  return [...levels].sort((a, b) => place(a) - place(b) || (a < b ? -1 : a > b ? 1 : 0));
}

/** Years that stand in a text by themselves: `Census 2019` but not `T2019X`. */
export function yearsIn(text: string): string[] {
  return [
    ...new Set(text.match(/(?<![\p{L}\p{N}.,])(?:1[789]|20)\d\d(?![\p{L}\p{N}]|[.,]\d)/gu) ?? []),
  ].sort();
}

/** What figures are broken down by, of a title: `Residents by sex and age` → sex, age; levels of units are none. */
export function breakdownsIn(title: string): string[] {
  const found: string[] = [];
  // The year of a vintage stands behind the last of them.
  const parts = title
    .replace(/\b(1[789]|20)\d\d\b/g, ' ')
    .split(/\bby\b/i)
    .slice(1);
  for (const part of parts)
    for (const each of part.split(/,|\band\b|;|\(/i)) {
      const words = bareWords(each).slice(0, 4);
      if (words.length === 0 || words.length > 3) continue;
      const text = words.map(singular).join(' ');
      if (levelsIn(text).length > 0) continue;
      found.push(text);
    }
  return [...new Set(found)];
}
