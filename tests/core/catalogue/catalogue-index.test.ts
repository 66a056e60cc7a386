import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { CatalogueIndex, type CatalogueQuery } from '../../../src/core/catalogue/catalogue-index.ts';
import { compareEntries } from '../../../src/core/catalogue/compare.ts';
import { type CatalogueEntry, entryName } from '../../../src/core/catalogue/entry.ts';
import { type FacetName, facetNames } from '../../../src/core/catalogue/facets.ts';
import { breakdownsIn, levelNamed, levelsIn, yearsIn } from '../../../src/core/catalogue/levels.ts';
import { mergeSame } from '../../../src/core/catalogue/same-things.ts';

const entry = (id: string, more: Partial<CatalogueEntry> = {}): CatalogueEntry => ({
  source: 'office',
  id,
  title: id,
  holds: 'table',
  ways: [
    {
      format: 'csv',
      source: { kind: 'files', at: 'https://office.example/' },
      dataset: { file: `${id}.csv` },
    },
  ],
  ...more,
});

const entries = [
  entry('A', {
    title: 'Residents by sex and age',
    levels: ['ward'],
    years: ['2024'],
    themes: ['population'],
    breakdowns: ['sex', 'age'],
  }),
  entry('B', {
    title: 'Households by floor',
    levels: ['ward', 'district'],
    years: ['2019'],
    themes: ['housing'],
  }),
  entry('C', {
    title: 'Boundaries of wards',
    holds: 'layer',
    levels: ['ward'],
    years: ['2024'],
    keywords: ['administrative'],
  }),
  entry('D', { title: 'Élévation', holds: 'grid', columns: [{ name: 'z', title: 'Height above the sea' }] }),
  entry('E', {
    title: 'Old things',
    years: ['1999'],
    dead: 'it leads to a web page, not to data',
    ways: [{ format: 'web page', dead: 'no' }],
  }),
];
const index = new CatalogueIndex(entries);
const found = (words: string, more: CatalogueQuery = {}) =>
  index.search({ words, ...more }).best.map((i) => index.entries[i].id);

describe('words', () => {
  it.each([
    ['residents', ['A']],
    ['sex resid', ['A']],
    ['age residents sex', ['A']],
    ['useholds', ['B']],
    ['inhabitants', ['A']],
    ['population', ['A']],
    ['elevation', ['D']],
    ['terrain', ['D']],
    ['sea height', ['D']],
    ['border', ['C']],
    ['ward boundary', ['C']],
    ['wards', ['C', 'A', 'B']],
    ['gender', ['A']],
    ['xyz', []],
  ])('“%s” finds %j', (words, ids) => {
    expect(new Set(found(words))).toEqual(new Set(ids));
  });

  it('count most in titles; what is dead comes last', () => {
    expect(found('ward')[0]).toBe('C');
    expect(found('').at(-1)).toBe('E');
  });

  it('that nothing has are told with the nearest', () => {
    const answer = index.search({ words: 'boundry' });
    expect(answer.meant).toEqual([{ word: 'boundry', nearest: 'boundary' }]);
    expect(answer.loosen).toEqual([{ what: 'the word “boundry”', count: 5 }]);
  });
});

const word = fc.constantFrom('red', 'green', 'blue', 'grey', 'old', 'new');
const value = (name: string) =>
  fc.uniqueArray(fc.constantFrom(`${name}1`, `${name}2`, `${name}3`), { maxLength: 3 });
const anyEntry = fc.record({
  title: fc.array(word, { minLength: 1, maxLength: 3 }).map((words) => words.join(' ')),
  themes: value('t'),
  levels: value('l'),
  years: value('y'),
  breakdowns: value('b'),
  licence: fc.option(fc.constantFrom('open', 'closed'), { nil: undefined }),
  box: fc.option(
    fc.constantFrom<[number, number, number, number]>([0, 0, 1, 1], [5, 5, 6, 6], [179, 0, -179, 1]),
    { nil: undefined },
  ),
});
const anyQuery = fc.record({
  words: fc.array(word, { maxLength: 2 }).map((words) => words.join(' ')),
  theme: value('t'),
  level: value('l'),
  year: value('y'),
  area: fc.option(fc.constantFrom<[number, number, number, number]>([0.5, 0.5, 2, 2], [178, 0, -178, 2]), {
    nil: undefined,
  }),
});

describe('facets', () => {
  it('the count that is shown is the count that is got; what leaves nothing is told with what to give up', () => {
    fc.assert(
      fc.property(
        fc.array(anyEntry, { minLength: 1, maxLength: 30 }),
        anyQuery,
        (made, { words, theme, level, year, area }) => {
          const own = new CatalogueIndex(made.map((each, k) => entry(`e${k}`, each)));
          const facets: Partial<Record<FacetName, string[]>> = { theme, level, year };
          const query = { words, facets, ...(area === undefined ? {} : { area }) };
          const answer = own.search(query, 1000);
          // By hand: every word in the title, any value within a facet, all facets.
          const plain = own.entries.filter(
            (each) =>
              words
                .split(' ')
                .filter(Boolean)
                .every((one) => each.title.includes(one)) &&
              (theme.length === 0 || theme.some((v) => each.themes!.includes(v))) &&
              (level.length === 0 || level.some((v) => each.levels!.includes(v))) &&
              (year.length === 0 || year.some((v) => each.years!.includes(v))) &&
              (area === undefined ||
                each.box === undefined ||
                (area[0] > 0 && area[0] < 5 ? each.box[0] === 0 : each.box[0] === 179)),
          );
          expect(answer.count).toBe(plain.length);
          expect(new Set(answer.best.map((i) => own.entries[i]))).toEqual(new Set(plain));
          for (const { name, values } of answer.facets)
            for (const { value: each, count, loosen } of values) {
              const got = own.search({ ...query, facets: { ...facets, [name]: [each] } });
              expect(got.count, `${name} ${each}`).toBe(count);
              if (loosen === undefined) continue;
              expect(count).toBe(0);
              const less: CatalogueQuery =
                loosen.what === 'area'
                  ? { words, facets: { ...facets, [name]: [each] } }
                  : { ...query, facets: { ...facets, [name]: [each], [loosen.what]: [] } };
              expect(own.search(less).count).toBe(loosen.count);
            }
          for (const { what, count } of answer.loosen) {
            expect(answer.count).toBe(0);
            if ((facetNames as readonly string[]).includes(what))
              expect(own.search({ ...query, facets: { ...facets, [what]: [] } }).count).toBe(count);
          }
        },
      ),
      { numRuns: 200 },
    );
  });

  it('within a facet any value will do, and letter case does not matter', () => {
    expect(found('', { facets: { year: ['2019', '1999'] } })).toEqual(['B', 'E']);
    expect(found('', { facets: { level: ['WARD'], year: ['2024'] } }).sort()).toEqual(['A', 'C']);
  });
});

describe('what titles say', () => {
  it('levels, years and breakdowns', () => {
    expect(levelsIn('Residents by wards and Districts')).toEqual(['district', 'ward']);
    expect(levelsIn('Census tracts, block groups and postal codes')).toEqual([
      'postal area',
      'census tract',
      'block group',
    ]);
    expect(levelNamed('Municipalities')).toBe('municipality');
    expect(yearsIn('Census 2019 (T20195), revised 2024; 1,999 rows')).toEqual(['2019', '2024']);
    expect(breakdownsIn('Residents by sex and age, by ward')).toEqual(['sex', 'age']);
    expect(breakdownsIn('Households by floor and car 2024')).toEqual(['floor', 'car']);
  });
});

describe('the same thing in several catalogues', () => {
  it('is one entry with what both say; under both names it is found', () => {
    const both = [
      entry('A', { title: 'Residents', columns: [{ name: 'x' }] }),
      { ...entry('A', { title: 'Residents', themes: ['population'] }), source: 'national' },
      entry('B'),
    ];
    expect(mergeSame(both).map((each) => [entryName(each), each.also, each.themes])).toEqual([
      ['office/A', ['national/A'], ['population']],
      ['office/B', undefined, undefined],
    ]);
    const own = new CatalogueIndex(both);
    expect(own.named('national/A')).toBe(own.named('office/A'));
  });
});

describe('tables compared', () => {
  it('by variables, levels and universe, over their years', () => {
    const compared = compareEntries([
      entry('n', {
        years: ['2024'],
        levels: ['ward'],
        universe: 'private households',
        columns: [
          { name: 'households', title: 'Households' },
          { name: 'no_car', title: 'Households without a car' },
        ],
      }),
      entry('o', {
        years: ['2009'],
        levels: ['district'],
        universe: 'all households',
        columns: [{ name: 'HH', title: 'Households' }],
      }),
    ]);
    expect(compared.entries.map(({ name }) => name)).toEqual(['office/o', 'office/n']);
    expect(compared.variables.map(({ words, cells }) => [words, ...cells.map(({ name }) => name)])).toEqual([
      ['Households', 'HH', 'households'],
      ['Households without a car', null, 'no_car'],
    ]);
    expect(compared.notes).toEqual([
      '1 of 2 variables stands in all of them.',
      'Called otherwise over time: “Households”.',
      'district: not in 2024.',
      'ward: not in 2009.',
      'They are not of the same whom: “all households”, “private households”.',
    ]);
  });
});
