import type { Box } from '../geometry/geometry-array.ts';

/** What is found: features, figures, cells, an extract that holds several, or something else. */
export type Holding = 'layer' | 'table' | 'grid' | 'extract' | 'other';

/** A column (or a dimension) as it is described before anything is fetched. */
export interface DescribedColumn {
  name: string;
  title?: string;
  unit?: string;
  /** Whom or what the figures count. */
  universe?: string;
  /** Its values, where there are few, by what they are called. */
  values?: readonly string[];
}

/** One way to get an entry: what a study writes for it. */
export interface Way {
  /** `csv`, `geojson`, `shapefile`, `OGC API – Features` … */
  format: string;
  /** How a study names the source: kind, address and what else it needs; undefined where Isomeric cannot fetch it. */
  source?: { kind: string; at: string } & Readonly<Record<string, unknown>>;
  /** How a study names the dataset of that source. */
  dataset?: Readonly<Record<string, unknown>>;
  /** Where it is, for people. */
  address?: string;
  bytes?: number;
  /** Why it leads nowhere. */
  dead?: string;
}

/** Something that a source has. */
export interface CatalogueEntry {
  /** Name of the source or catalogue that told of it. */
  source: string;
  /** What it is called there; with the source's name it is told apart from all others. */
  id: string;
  title: string;
  holds: Holding;
  description?: string;
  keywords?: readonly string[];
  themes?: readonly string[];
  /** Levels of units that it is about: `ward`, `district`. */
  levels?: readonly string[];
  /** Years (vintages) that it is about. */
  years?: readonly string[];
  provider?: string;
  licence?: string;
  universe?: string;
  /** What its figures are broken down by: `sex`, `age`. */
  breakdowns?: readonly string[];
  columns?: readonly DescribedColumn[];
  /** What it is one vintage of, where its source says so. */
  series?: string;
  features?: number;
  rows?: number;
  /** Day on which it last changed, ISO 8601. */
  updated?: string;
  /** Where it lies: west, south, east, north in degrees, west greater than east across the antimeridian. */
  box?: Box;
  ways: readonly Way[];
  /** Why nothing can be got here, and what to try. */
  dead?: string;
  /** Names of the same thing in other catalogues. */
  also?: readonly string[];
}

/** What tells an entry from all others: `SOURCE/ID`. */
export const entryName = ({ source, id }: CatalogueEntry): string => `${source}/${id}`;

/** Formats of its ways that lead somewhere. */
export function formatsOf(entry: CatalogueEntry): string[] {
  return [...new Set(entry.ways.filter(({ dead }) => dead === undefined).map(({ format }) => format))];
}

/** The longest of what its ways announce, bytes. */
export function bytesOf(entry: CatalogueEntry): number | undefined {
  const known = entry.ways.flatMap(({ bytes }) => (bytes === undefined ? [] : [bytes]));
  return known.length === 0 ? undefined : Math.max(...known);
}

/** An address without slashes at its end: both mean one place. */
export function withoutLastSlash(address: string): string {
  let end = address.length;
  while (end > 0 && address[end - 1] === '/') end--;
  return address.slice(0, end);
}
