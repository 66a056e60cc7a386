import { bareWords } from '../plain-text.ts';
import { type CatalogueEntry, entryName } from './entry.ts';
import { singular } from './synonyms.ts';

/** What one of the compared entries has of a variable. */
export interface ComparedCell {
  /** Its name there; null where it is not there. */
  name: string | null;
  title?: string;
  universe?: string;
}

/** Tables side by side. */
export interface Comparison {
  /** Names of the entries, in the order of their years. */
  entries: {
    name: string;
    title: string;
    years: readonly string[];
    levels: readonly string[];
    universe?: string;
    columns: number;
  }[];
  /** Variables, those that all have first; a cell for each entry. */
  variables: { words: string; cells: ComparedCell[] }[];
  /** What differs between them, in sentences. */
  notes: string[];
}

const keyOf = (text: string) =>
  bareWords(text)
    .map(singular)
    .filter((word) => !/^(19|20)\d\d$/.test(word))
    .join(' ');

/**
 * Tables side by side before they are chosen: which variable stands in which under which name, at which levels, of whom. Variables are
 * the same where they are called the same, by their titles or by their names.
 */
export function compareEntries(given: readonly CatalogueEntry[]): Comparison {
  const entries = [...given].sort((a, b) => ((a.years?.[0] ?? '') < (b.years?.[0] ?? '') ? -1 : 1));
  const rows = new Map<string, { words: string; cells: ComparedCell[] }>();
  const byName = new Map<string, string>();
  entries.forEach((entry, k) => {
    for (const { name, title, universe } of entry.columns ?? []) {
      const own = keyOf(title ?? name);
      // The same title counts first; a title that changed is the same variable where its name stayed.
      const key = rows.has(own) ? own : (byName.get(name.toLowerCase()) ?? own);
      const row = rows.get(key) ?? { words: title ?? name, cells: entries.map(() => ({ name: null })) };
      row.cells[k] = {
        name,
        ...(title === undefined ? {} : { title }),
        ...(universe === undefined ? {} : { universe }),
      };
      rows.set(key, row);
      byName.set(name.toLowerCase(), key);
    }
  });
  const there = ({ cells }: { cells: ComparedCell[] }) => cells.filter(({ name }) => name !== null).length;
  const variables = [...rows.values()].sort((a, b) => there(b) - there(a));
  return {
    entries: entries.map((entry) => ({
      name: entryName(entry),
      title: entry.title,
      years: entry.years ?? [],
      levels: entry.levels ?? [],
      ...(entry.universe === undefined ? {} : { universe: entry.universe }),
      columns: entry.columns?.length ?? 0,
    })),
    variables,
    notes: notesOn(entries, variables),
  };
}

function notesOn(entries: readonly CatalogueEntry[], variables: Comparison['variables']): string[] {
  const notes: string[] = [];
  const silent = entries.filter(({ columns }) => columns === undefined).map(entryName);
  if (silent.length > 0)
    notes.push(`${silent.join(', ')} ${silent.length === 1 ? 'does' : 'do'} not describe any columns.`);
  const everywhere = variables.filter(({ cells }) => cells.every(({ name }) => name !== null)).length;
  if (variables.length > 0)
    notes.push(
      `${everywhere} of ${variables.length} variables ${everywhere === 1 ? 'stands' : 'stand'} in all of them.`,
    );
  const renamed = variables.filter(({ cells }) => new Set(cells.flatMap(({ name }) => name ?? [])).size > 1);
  if (renamed.length > 0)
    notes.push(
      `Called otherwise over time: ${renamed
        .slice(0, 5)
        .map(({ words }) => `“${words}”`)
        .join(', ')}${renamed.length > 5 ? ' …' : ''}.`,
    );
  const all = new Set(entries.flatMap(({ levels }) => levels ?? []));
  for (const level of all) {
    const without = entries.filter(({ levels }) => !(levels ?? []).includes(level));
    if (without.length > 0 && without.length < entries.length)
      notes.push(
        `${level}: not in ${without.map((entry) => entry.years?.[0] ?? entryName(entry)).join(', ')}.`,
      );
  }
  const universes = new Set(entries.flatMap(({ universe }) => universe ?? []));
  if (universes.size > 1)
    notes.push(`They are not of the same whom: ${[...universes].map((each) => `“${each}”`).join(', ')}.`);
  return notes;
}
