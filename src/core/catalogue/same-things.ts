import { type CatalogueEntry, entryName, withoutLastSlash } from './entry.ts';

/** Where an entry is fetched from: two that are fetched from one place are one thing. */
function placeOf({ ways }: CatalogueEntry): string | undefined {
  const way = ways.find(({ dead, source }) => dead === undefined && source !== undefined);
  if (way?.source === undefined || way.dataset === undefined) return undefined;
  const { kind, at } = way.source;
  const { citation: _c, licence: _l, sha256: _s, ...dataset } = way.dataset;
  return JSON.stringify([kind, withoutLastSlash(at), Object.entries(dataset).sort()]);
}

/** How much an entry says of itself. */
const weight = (entry: CatalogueEntry) =>
  Object.values(entry).filter((value) => value !== undefined).length + (entry.columns === undefined ? 0 : 10);

/**
 * Entries of several catalogues that tell of one thing, put together: the one that says most stands, with what only the others say, and
 * their names. Those of one source are told apart by it, and stay.
 */
export function mergeSame(entries: readonly CatalogueEntry[]): CatalogueEntry[] {
  const byPlace = new Map<string, CatalogueEntry[]>();
  for (const entry of entries) {
    const place = placeOf(entry);
    if (place === undefined) continue;
    const known = byPlace.get(place);
    if (known === undefined) byPlace.set(place, [entry]);
    else if (!known.some(({ source }) => source === entry.source)) known.push(entry);
  }
  const stands = new Map<CatalogueEntry, CatalogueEntry>();
  const gone = new Set<CatalogueEntry>();
  for (const same of byPlace.values()) {
    if (same.length === 1) continue;
    const [first, ...others] = [...same].sort((a, b) => weight(b) - weight(a));
    const whole: Record<string, unknown> = { ...first };
    for (const other of others) {
      gone.add(other);
      for (const [name, value] of Object.entries(other)) whole[name] ??= value;
    }
    stands.set(first, { ...(whole as unknown as CatalogueEntry), also: others.map(entryName) });
  }
  return entries.filter((entry) => !gone.has(entry)).map((entry) => stands.get(entry) ?? entry);
}
