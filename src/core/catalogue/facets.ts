import { plainBoxes } from '../crs/area-extent.ts';
import type { Box } from '../geometry/geometry-array.ts';
import { boxesMeet } from '../geometry/geometry-array.ts';
import { type CatalogueEntry, formatsOf } from './entry.ts';
import { inOrder } from './levels.ts';

/** What entries can be chosen by. */
export const facetNames = [
  'theme',
  'level',
  'year',
  'breakdown',
  'provider',
  'format',
  'licence',
  'holds',
  'source',
] as const;
/** Name of a facet, as options and answers have it. */
export type FacetName = (typeof facetNames)[number];

const read: Readonly<Record<FacetName, (entry: CatalogueEntry) => readonly string[]>> = {
  theme: ({ themes }) => themes ?? [],
  level: ({ levels }) => levels ?? [],
  year: ({ years }) => years ?? [],
  breakdown: ({ breakdowns }) => breakdowns ?? [],
  provider: ({ provider }) => (provider === undefined ? [] : [provider]),
  format: formatsOf,
  licence: ({ licence }) => (licence === undefined ? [] : [licence]),
  holds: ({ holds }) => [holds],
  source: ({ source }) => [source],
};

/** The values of one facet, numbered, and those of each entry. */
export interface Facet {
  readonly name: FacetName;
  readonly values: readonly string[];
  /** Numbers of the values of entry i: `of` from `start[i]` to `start[i + 1]`. */
  readonly start: Uint32Array;
  readonly of: Uint32Array;
}

/** Reads a facet of all entries. Values that differ in letter case only are one. */
export function facetOf(name: FacetName, entries: readonly CatalogueEntry[]): Facet {
  const numbers = new Map<string, number>();
  const values: string[] = [];
  const start = new Uint32Array(entries.length + 1);
  const all: number[] = [];
  entries.forEach((entry, i) => {
    const own = new Set<number>();
    for (const value of read[name](entry)) {
      const folded = value.toLowerCase();
      let number = numbers.get(folded);
      if (number === undefined) {
        number = values.length;
        numbers.set(folded, number);
        values.push(value);
      }
      own.add(number);
    }
    all.push(...own);
    start[i + 1] = all.length;
  });
  return { name, values, start, of: Uint32Array.from(all) };
}

/** Values in the order in which people look for them. */
export function sortedValues(name: FacetName, values: readonly { value: string; count: number }[]): string[] {
  const names = values.map(({ value }) => value);
  if (name === 'level') return inOrder(names);
  if (name === 'year') return names.sort((a, b) => (a < b ? 1 : -1));
  return [...values]
    .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
    .map(({ value }) => value);
}

/** Do two boxes in degrees meet, either of which may go across the antimeridian? */
export function degreesMeet(a: Box, b: Box): boolean {
  return plainBoxes(a).some((one) => plainBoxes(b).some((other) => boxesMeet(one, other)));
}
