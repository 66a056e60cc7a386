import type { Box } from '../geometry/geometry-array.ts';
import { bareWords } from '../plain-text.ts';
import { type CatalogueEntry, entryName } from './entry.ts';
import { degreesMeet, type Facet, type FacetName, facetNames, facetOf, sortedValues } from './facets.ts';
import { mergeSame } from './same-things.ts';
import { WordIndex } from './word-index.ts';

/** What is looked for. Within a facet any of its values will do; all facets and all words must be met. */
export interface CatalogueQuery {
  words?: string;
  facets?: Partial<Record<FacetName, readonly string[]>>;
  /** Only what lies in this box in degrees; what does not say where it lies is kept, and counted. */
  area?: Box;
}

/** One value of a facet. */
export interface FacetValue {
  value: string;
  chosen: boolean;
  /** How many results there are when it alone is chosen in its facet, all other choices as they are. */
  count: number;
  /** Where it would leave nothing: the one choice that must be given up for it, and how many it would then leave. */
  loosen?: { what: string; count: number };
}

/** What was found. */
export interface CatalogueAnswer {
  count: number;
  /** Numbers of the best entries, the best first. */
  best: number[];
  facets: { name: FacetName; values: FacetValue[] }[];
  /** Of what was found, how many do not say where they lie. */
  withoutPlace: number;
  /** Where nothing was found: which one choice or word to give up, and what it would leave; the best first. */
  loosen: { what: string; count: number }[];
  /** Where nothing was found: words that nothing has, with the nearest that something has. */
  meant: { word: string; nearest: string }[];
}

const wordsFacet = 'words';
const areaFacet = 'area';

/** Entries of catalogues, ready to be searched. Nothing is asked for anywhere. */
export class CatalogueIndex {
  readonly entries: readonly CatalogueEntry[];
  private readonly words: WordIndex;
  private readonly facets: readonly Facet[];
  /** Entries from the newest to the oldest, then by title. */
  private readonly order: Uint32Array;
  private readonly byName: ReadonlyMap<string, number>;

  /** @param given what catalogues tell of; the same thing in several of them is one entry */
  constructor(given: readonly CatalogueEntry[]) {
    const entries = mergeSame(given);
    this.entries = entries;
    this.words = new WordIndex(entries.length, textsOf(entries));
    this.facets = facetNames.map((name) => facetOf(name, entries));
    const newest = entries.map((entry) =>
      entry.years === undefined ? '' : (entry.years[entry.years.length - 1] ?? ''),
    );
    const order = Uint32Array.from(entries.keys());
    this.order = order.sort((a, b) => {
      const dead = Number(entries[a].dead !== undefined) - Number(entries[b].dead !== undefined);
      if (dead !== 0) return dead;
      if (newest[a] !== newest[b]) return newest[a] < newest[b] ? 1 : -1;
      return entries[a].title < entries[b].title ? -1 : entries[a].title > entries[b].title ? 1 : a - b;
    });
    this.byName = new Map(
      entries.flatMap((entry, k) =>
        [entryName(entry), ...(entry.also ?? [])].map((name) => [name, k] as const),
      ),
    );
  }

  /** The entry of a name (`SOURCE/ID`). */
  named(name: string): CatalogueEntry | undefined {
    const found = this.byName.get(name);
    return found === undefined ? undefined : this.entries[found];
  }

  /** Names of all entries. */
  names(): IterableIterator<string> {
    return this.byName.keys() as IterableIterator<string>;
  }

  /** All values of a facet. */
  valuesOf(name: FacetName): readonly string[] {
    return this.facets[facetNames.indexOf(name)].values;
  }

  /**
   * Searches all entries: what meets the query, and for each value of each facet what choosing it would leave.
   *
   * @param most how many of the best are wanted
   */
  search(query: CatalogueQuery, most = 20): CatalogueAnswer {
    const n = this.entries.length;
    const words = bareWords(query.words ?? '');
    const scores = new Uint16Array(n);
    // Bits say what an entry fails: one for each facet, one for the words, one for the area.
    const fails = new Uint16Array(n);
    const missing = this.failWords(words, scores, fails);
    const chosen = this.facets.map((facet) => this.failFacet(facet, query.facets?.[facet.name], fails));
    const withoutPlace = this.failArea(query.area, fails);
    const counts = this.facets.map((facet) => new Uint32Array(facet.values.length));
    const { order, facets } = this;
    const facetBits = (1 << facets.length) - 1;
    let count = 0;
    let away = 0;
    for (let i = 0; i < n; i++) {
      const failed = fails[i];
      if (failed === 0) {
        count++;
        if (withoutPlace !== null && withoutPlace[i] === 1) away++;
        for (let f = 0; f < facets.length; f++) countValues(facets[f], i, counts[f]);
      } else if ((failed & (failed - 1)) === 0 && failed <= facetBits) {
        // It fails by one facet alone: another value of that facet would bring it.
        const f = 31 - Math.clz32(failed);
        countValues(facets[f], i, counts[f]);
      }
    }
    const ways = this.waysOut(counts, fails);
    return {
      count,
      best: bestOf(order, fails, scores, most),
      facets: facets.map((facet, f) => ({
        name: facet.name,
        values: this.valuesFor(facet, counts[f], chosen[f], ways[f]),
      })),
      withoutPlace: away,
      loosen: count > 0 ? [] : this.loosening(query, words, missing, fails),
      meant: count > 0 ? [] : this.meant(words, missing),
    };
  }

  /**
   * For each facet, its values that would leave nothing, each with the choices of which one must be given up for it and how many
   * it would then leave. Values that do not meet the words are left out.
   */
  private waysOut(counts: readonly Uint32Array[], fails: Uint16Array): Map<number, Map<number, number>>[] {
    const { facets } = this;
    const found = facets.map(() => new Map<number, Map<number, number>>());
    const empty = facets.map((_, f) => counts[f].includes(0));
    const some = facets.flatMap((_, f) => (empty[f] ? [f] : []));
    if (some.length === 0) return found;
    const wordBit = 1 << facets.length;
    for (let i = 0; i < fails.length; i++) {
      const failed = fails[i];
      // What meets all is no way out; what misses the words is none that is shown.
      if (failed === 0 || (failed & wordBit) !== 0) continue;
      for (const f of some) {
        const others = failed & ~(1 << f);
        const { start, of } = facets[f];
        for (let v = start[i]; v < start[i + 1]; v++) {
          const value = of[v];
          if (counts[f][value] > 0) continue;
          let ways = found[f].get(value);
          if (ways === undefined) found[f].set(value, (ways = new Map()));
          if (others !== 0 && (others & (others - 1)) === 0) ways.set(others, (ways.get(others) ?? 0) + 1);
        }
      }
    }
    return found;
  }

  /** Scores the words; entries that miss one fail. Returns which words each entry misses, as bits. */
  private failWords(words: readonly string[], scores: Uint16Array, fails: Uint16Array): Uint32Array {
    const n = this.entries.length;
    const missing = new Uint32Array(words.length === 0 ? 0 : n);
    const one = new Uint8Array(words.length === 0 ? 0 : n);
    const bit = 1 << this.facets.length;
    words.slice(0, 30).forEach((word, w) => {
      this.words.score(word, one);
      for (let i = 0; i < n; i++) {
        if (one[i] === 0) {
          missing[i] |= 1 << w;
          fails[i] |= bit;
        } else scores[i] += one[i];
      }
    });
    return missing;
  }

  private failFacet(
    facet: Facet,
    wanted: readonly string[] | undefined,
    fails: Uint16Array,
  ): Uint8Array | null {
    if (wanted === undefined || wanted.length === 0) return null;
    const allowed = new Uint8Array(facet.values.length);
    const folded = new Set(wanted.map((value) => value.toLowerCase()));
    facet.values.forEach((value, v) => {
      if (folded.has(value.toLowerCase())) allowed[v] = 1;
    });
    const bit = 1 << facetNames.indexOf(facet.name);
    const { start, of } = facet;
    for (let i = 0; i < this.entries.length; i++) {
      let met = false;
      for (let v = start[i]; v < start[i + 1] && !met; v++) met = allowed[of[v]] === 1;
      if (!met) fails[i] |= bit;
    }
    return allowed;
  }

  /** Entries elsewhere fail. Returns which do not say where they lie; null where nobody asks. */
  private failArea(area: Box | undefined, fails: Uint16Array): Uint8Array | null {
    if (area === undefined) return null;
    const without = new Uint8Array(this.entries.length);
    const bit = 2 << this.facets.length;
    this.entries.forEach(({ box }, i) => {
      if (box === undefined) without[i] = 1;
      else if (!degreesMeet(box, area)) fails[i] |= bit;
    });
    return without;
  }

  /** Values that meet the words, with their counts; those that leave nothing with what to give up. */
  private valuesFor(
    facet: Facet,
    counts: Uint32Array,
    chosen: Uint8Array | null,
    ways: ReadonlyMap<number, ReadonlyMap<number, number>>,
  ): FacetValue[] {
    const shown = facet.values.flatMap((value, v): FacetValue[] => {
      const own = chosen?.[v] === 1;
      if (counts[v] > 0) return [{ value, chosen: own, count: counts[v] }];
      const out = ways.get(v);
      if (out === undefined && !own) return [];
      const [first] = [...(out ?? [])].sort((a, b) => b[1] - a[1]);
      const loosen = first === undefined ? undefined : { what: this.nameOf(first[0]), count: first[1] };
      return [{ value, chosen: own, count: 0, ...(loosen === undefined ? {} : { loosen }) }];
    });
    const byValue = new Map(shown.map((each) => [each.value, each]));
    return sortedValues(facet.name, shown).map((value) => byValue.get(value)!);
  }

  /** What a bit of `fails` stands for. */
  private nameOf(bit: number): string {
    const f = 31 - Math.clz32(bit);
    return f < this.facets.length ? facetNames[f] : f === this.facets.length ? wordsFacet : areaFacet;
  }

  private meant(words: readonly string[], missing: Uint32Array): { word: string; nearest: string }[] {
    return words.slice(0, 30).flatMap((word, w) => {
      if (!missing.every((bits) => (bits & (1 << w)) !== 0)) return [];
      const nearest = this.words.nearest(word);
      return nearest === undefined ? [] : [{ word, nearest }];
    });
  }

  /** Which one choice or word to give up so that something is found. */
  private loosening(
    query: CatalogueQuery,
    words: readonly string[],
    missing: Uint32Array,
    fails: Uint16Array,
  ): { what: string; count: number }[] {
    const counts = new Map<string, number>();
    const add = (what: string) => counts.set(what, (counts.get(what) ?? 0) + 1);
    const wordBit = 1 << this.facets.length;
    for (let i = 0; i < fails.length; i++) {
      const failed = fails[i];
      if (failed === 0 || (failed & (failed - 1)) !== 0) continue;
      if (failed !== wordBit) add(this.nameOf(failed));
      else if ((missing[i] & (missing[i] - 1)) === 0) add(`the word “${words[31 - Math.clz32(missing[i])]}”`);
      else if (query.facets !== undefined) add(wordsFacet);
    }
    return [...counts].map(([what, count]) => ({ what, count })).sort((a, b) => b.count - a.count);
  }
}

function countValues({ start, of }: Facet, i: number, counts: Uint32Array): void {
  const end = start[i + 1];
  for (let v = start[i]; v < end; v++) counts[of[v]]++;
}

/** The entries that fail nothing, of the greatest scores, each score in the given order. */
function bestOf(order: Uint32Array, fails: Uint16Array, scores: Uint16Array, most: number): number[] {
  const best: number[][] = [];
  let greatest = 0;
  for (let k = 0; k < order.length; k++) {
    const i = order[k];
    if (fails[i] !== 0) continue;
    const score = scores[i];
    let bucket = best[score];
    if (bucket === undefined) {
      best[score] = bucket = [];
      if (score > greatest) greatest = score;
    }
    if (bucket.length < most) bucket.push(i);
  }
  const top: number[] = [];
  for (let score = greatest; score >= 0 && top.length < most; score--)
    for (const i of best[score] ?? []) if (top.length < most) top.push(i);
  return top;
}

/** Texts of an entry by how much they count: titles most. */
function* textsOf(entries: readonly CatalogueEntry[]): Generator<string[][]> {
  for (const entry of entries) {
    const {
      title,
      description,
      keywords,
      themes,
      levels,
      years,
      provider,
      breakdowns,
      columns,
      universe,
      id,
      series,
    } = entry;
    const described = (columns ?? []).flatMap((column) => [
      column.title ?? '',
      column.name,
      column.universe ?? '',
      ...(column.values ?? []),
    ]);
    yield [
      [description ?? '', provider ?? '', universe ?? '', id, ...described, ...(years ?? []), series ?? ''],
      [...(keywords ?? []), ...(themes ?? []), ...(levels ?? []), ...(breakdowns ?? [])],
      [title],
    ];
  }
}
