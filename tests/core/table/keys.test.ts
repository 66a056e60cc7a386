import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { keyPairsText, mendsText, parseKeyPairs, parseMends } from '../../../src/core/index.ts';
import { metByChance } from '../../../src/core/table/keys/doctor/chance.ts';
import { keySet, proofOf, searchPair } from '../../../src/core/table/keys/doctor/pair-search.ts';
import { changeOf, type Mend, mendKinds } from '../../../src/core/table/keys/mends.ts';

const padded = (n: number, width: number) => String(n).padStart(width, '0');
/** 300 codes of four digits: twenty units in each of fifteen. */
const codes = Array.from(
  { length: 300 },
  (_, k) => `${padded(1 + Math.floor(k / 20), 2)}${padded(1 + (k % 20), 2)}`,
);
const lost = (code: string) => String(Number(code));

describe('what keys are joined by', () => {
  it('is read as it is written', () => {
    for (const text of [
      'code',
      'code = area_code',
      'code = state (2) + county (3)',
      'name = NAME, province = PROV',
      'ward code = "area, code"',
    ])
      expect(keyPairsText(parseKeyPairs(text))).toBe(text);
    for (const text of [
      '',
      '=',
      'a = ',
      'a = b (',
      'a (0) = b',
      'a + = b',
      '"a = b',
      'a = b,',
      'a b c = = d',
    ])
      expect(() => parseKeyPairs(text), text).toThrowError(
        expect.objectContaining({ code: 'join-on-syntax' }),
      );
  });

  it('comes back from any names', () => {
    const name = fc.string({
      unit: fc.constantFrom('a', 'B', ' ', '=', '+', ',', '(', '1', ')', 'é'),
      minLength: 1,
    });
    const field = fc.record({
      name: name.map((each) => `x${each}x`),
      width: fc.option(fc.integer({ min: 1, max: 99 }), { nil: undefined }),
    });
    const side = fc.array(field, { minLength: 1, maxLength: 3 });
    fc.assert(
      fc.property(fc.array(fc.record({ own: side, other: side }), { minLength: 1, maxLength: 3 }), (keys) => {
        expect(parseKeyPairs(keyPairsText(keys))).toEqual(
          keys.map(({ own, other }) => ({ own: own.map(bare), other: other.map(bare) })),
        );
      }),
    );
  });
});

const bare = ({ name, width }: { name: string; width?: number }) =>
  width === undefined ? { name } : { name, width };

describe('mends', () => {
  it('are read as they are written, each on its side', () => {
    const samples: Record<string, Partial<Mend>> = {
      'leading zeros to': { number: 6 },
      'last signs': { number: 4 },
      'first signs': { number: 2 },
      prefix: { text: '050TE24-' },
      suffix: { text: '.0' },
      part: { number: 2, text: '-' },
      'last part': { text: ', ' },
    };
    for (const kind of mendKinds)
      for (const side of ['layer', 'table', 'both'] as const) {
        const mend = { kind, side, ...samples[kind] } as Mend;
        const [read] = parseMends(mendsText([mend]));
        expect(read.kind).toBe(kind);
        expect(mendsText([read])).toBe(
          side === 'both' && !['both'].includes(read.side)
            ? `${mendsText([mend])} of the table`
            : mendsText([mend]),
        );
      }
    expect(parseMends('blanks, part 2 at "," of the layer, leading zeros to 6')).toEqual([
      { kind: 'blanks', side: 'both' },
      { kind: 'part', side: 'layer', number: 2, text: ',' },
      { kind: 'leading zeros', side: 'both', number: 6 },
    ]);
    for (const text of [
      'leading zero',
      'last signs',
      'prefix',
      'last 0 signs',
      'blanks of the table',
      'part 2',
    ])
      expect(() => parseMends(text), text).toThrowError(expect.objectContaining({ code: 'repair-unknown' }));
  });

  it('change any text to one that the same change leaves alone', () => {
    const anything = fc.string({
      unit: fc.constantFrom('0', '1', 'a', 'É', ' ', '-', '.', "'", '"', '=', 'ß'),
      maxLength: 12,
    });
    for (const kind of [
      'blanks',
      'letter case',
      'accents',
      'word order',
      'marks',
      'leading zeros',
    ] as const) {
      const change = changeOf([{ kind, side: 'both' }], 'layer')!;
      fc.assert(
        fc.property(anything, (text) => {
          expect(change(change(text))).toBe(change(text));
        }),
      );
    }
  });

  it('never takes a digit of a number that is none of its format', () => {
    const change = changeOf(parseMends('number formats'), 'table')!;
    expect(['1,001', '1001.0', '1.001E+03', "12'001", '12 001'].map(change)).toEqual([
      '1001',
      '1001',
      '1001',
      '12001',
      '12001',
    ]);
    for (const text of ['1,01', '10.5', '1.5E+00', '12,34,567', '9E99', 'E3', '1.2.3', '1001.05'])
      expect(change(text)).toBe(text);
  });
});

describe('the search for a repair', () => {
  const best = (own: readonly string[], other: readonly string[]) =>
    searchPair(keySet(own), keySet(other))[0];

  it.each([
    ['ids against integers', codes, codes.map(lost), 'leading zeros to 4'],
    [
      'long identifiers',
      codes.map((code) => `050TE24-${code}`),
      codes.map(lost),
      'prefix "050TE24-" of the layer, leading zeros to 4',
    ],
    [
      'long identifiers of the table',
      codes,
      codes.map((code) => `TE24W${code}`),
      'prefix "TE24W" of the table',
    ],
    [
      'guards of office programs',
      codes,
      codes.map((code, k) => (k % 2 ? `="${code}"` : `'${code}`)),
      'guards',
    ],
    [
      'half without zeros, half with blanks',
      codes,
      codes.map((code, k) => (k % 2 ? lost(code) : `${code}  `)),
      'blanks, leading zeros to 4',
    ],
    ['fixed-width text', codes, codes.map((code) => code.padEnd(9)), 'blanks'],
    [
      'numbers with decimals',
      codes,
      codes.map((code) => `${lost(code)}.0`),
      'number formats, leading zeros to 4',
    ],
    [
      'the level above',
      codes,
      [...new Set(codes.map((code) => code.slice(0, 2)))],
      'first 2 signs of the layer',
    ],
    [
      'a part of a longer key',
      codes,
      codes.map((code, k) => `${'ABC'[k % 3]}/${code}/x${k}`),
      'part 2 at "/" of the table',
    ],
  ])('finds the least of them: %s', (_, own, other, text) => {
    const remedy = best(own, other);
    expect(remedy.text).toBe(text);
    expect(remedy.met).toBe(own.length);
  });

  it('gives numbers their zeros back before their first signs are counted', () => {
    // 1001 is of 01, not of 10.
    const units = ['01', '04', '10', '11'];
    const parts = units.flatMap((unit) =>
      Array.from({ length: 12 }, (_, k) => lost(`${unit}${padded(2 * k + 1, 3)}`)),
    );
    const remedy = best(units, parts);
    expect(remedy.text).toBe('leading zeros to 5 of the table, first 2 signs of the table');
    expect(remedy).toMatchObject({ met: 4, metTable: 48 });
  });

  it('proposes nothing where keys meet as they are, and says what another vintage leaves', () => {
    expect(best(codes, codes).text).toBe('');
    const older = codes.map((code, k) => (k % 3 === 0 ? padded(7000 + k, 4) : code));
    expect(best(codes, older)).toMatchObject({ text: '', met: 200, oneToOne: 200 });
  });

  it('counts what chance would do: nearly all of dense codes, hardly any of rare ones', () => {
    const dense = Array.from({ length: 90 }, (_, k) => String(10 + k));
    expect(metByChance(new Set(dense), dense).drawn).toBe(90);
    const rare = Array.from({ length: 90 }, (_, k) => String(10_000_019 + 911_111 * k));
    expect(metByChance(new Set(rare), rare).own).toBeLessThan(3);
  });

  it('keeps to its proof: what it says meets is what a join finds', () => {
    const key = fc.string({
      unit: fc.constantFrom('0', '1', '2', 'A', '-', ' '),
      minLength: 1,
      maxLength: 5,
    });
    fc.assert(
      fc.property(
        fc.uniqueArray(key, { minLength: 1, maxLength: 25 }),
        fc.uniqueArray(key, { minLength: 1, maxLength: 25 }),
        (own, other) => {
          for (const remedy of searchPair(keySet(own), keySet(other))) {
            const [mine, theirs] = [changeOf(remedy.mends, 'layer'), changeOf(remedy.mends, 'table')];
            const there = new Set(other.map((each) => theirs?.(each) ?? each).filter((each) => each !== ''));
            expect(remedy.met).toBe(own.filter((each) => there.has(mine?.(each) ?? each)).length);
            // And its words say the same as its data.
            expect(proofOf(keySet(own), keySet(other), parseMends(remedy.text)).met).toBe(remedy.met);
          }
        },
      ),
      { numRuns: 100 },
    );
  });
});
