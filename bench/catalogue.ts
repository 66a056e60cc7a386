import { seeded } from '../demo/country/random.ts';
import { CatalogueIndex } from '../src/core/catalogue/catalogue-index.ts';
import type { CatalogueEntry } from '../src/core/catalogue/entry.ts';
import { AreaIndex, geometriesFrom } from '../src/core/index.ts';
import { sheetsFor } from '../src/core/sheets/for-area.ts';
import { shippedScheme } from '../src/formats/sheet-scheme/shipped/register.ts';
import { CatalogueStore } from '../src/study/catalogue/store.ts';
import { beside, lineOf } from './measure.ts';

const topics = [
  'population',
  'households',
  'wards',
  'sex',
  'age',
  'housing',
  'flood',
  'roads',
  'census',
  'district',
  'income',
  'health',
  'school',
  'bridge',
];

/** Entries with titles of some words, and descriptions of twenty. */
function madeEntries(count: number): CatalogueEntry[] {
  const random = seeded(7);
  const pick = <T>(list: readonly T[]) => list[Math.floor(random() * list.length)];
  const words = Array.from(
    { length: 20_000 },
    (_, k) => `w${Math.floor(random() * 1e9).toString(36)}${k.toString(36)}`,
  );
  return Array.from({ length: count }, (_, k) => ({
    source: `s${k % 9}`,
    id: `e${k}`,
    title: `${pick(topics)} ${pick(words)} by ${pick(topics)} ${pick(words)} ${2000 + (k % 25)}`,
    holds: 'table' as const,
    description: Array.from({ length: 20 }, () => pick(words)).join(' '),
    keywords: [pick(topics), pick(words)],
    themes: [pick(['a', 'b', 'c', 'd'])],
    levels: [pick(['ward', 'district', 'country'])],
    years: [String(2000 + (k % 25))],
    provider: `p${k % 50}`,
    licence: `l${k % 7}`,
    ways: [{ format: pick(['csv', 'json', 'xml']) }],
  }));
}

/** A search of 100,000 entries with all its counts, beside a bare scan of their titles. */
export async function catalogueLines(): Promise<string[]> {
  const entries = madeEntries(100_000);
  const titles = entries.map(({ title }) => title.toLowerCase());
  const began = performance.now();
  const index = new CatalogueIndex(entries);
  const built = performance.now() - began;
  const lines: string[] = [];
  for (const words of ['population', 'hous flood', 'residents wards']) {
    const each = words.split(' ');
    const found = (facets: Parameters<CatalogueIndex['search']>[0]['facets']) => () =>
      index.search({ words, facets });
    const scan = () => titles.filter((title) => each.every((word) => title.includes(word))).length;
    lines.push(
      lineOf(
        await beside(`find “${words}”`, '100,000 entries', 3, 'a scan of their titles', scan, found({})),
      ),
      lineOf(
        await beside(
          'the same, narrowed',
          '100,000 entries',
          3,
          'a scan of their titles',
          scan,
          found({ year: ['2010', '2011'], level: ['ward'] }),
        ),
      ),
    );
  }
  lines.push(
    `${'index of entries'.padEnd(22)} ${'100,000 entries'.padEnd(34)} ${built.toFixed(0)} ms, once a process`,
  );
  const store = new CatalogueStore();
  store.put({ name: 's0', of: 'x', at: '', count: entries.length }, entries);
  const text = store.text;
  const reading = performance.now();
  CatalogueStore.read(text);
  lines.push(
    `${'catalogue.jsonl read'.padEnd(22)} ${`${(text.length / 1e6).toFixed(0)} MB`.padEnd(34)} ${(performance.now() - reading).toFixed(0)} ms`,
  );
  const scheme = shippedScheme('tiles');
  const ring = [
    [-3_400_000, 5_600_000],
    [-3_200_000, 5_600_000],
    [-3_300_000, 5_800_000],
    [-3_400_000, 5_600_000],
  ];
  const area = new AreaIndex(geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]));
  const tiling = performance.now();
  const tiles = sheetsFor(scheme, scheme.levelNumber('level-14'), area).length;
  lines.push(
    `${'sheets of an area'.padEnd(22)} ${`${tiles.toLocaleString('en')} tiles with shares`.padEnd(34)} ${(performance.now() - tiling).toFixed(0)} ms`,
  );
  return lines;
}
