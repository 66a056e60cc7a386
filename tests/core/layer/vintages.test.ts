import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  Batch,
  type CarryOptions,
  carryFigures,
  crosswalkOf,
  type Field,
  type GeometryObject,
  rowsOf,
  type Table,
  tableOf,
  wgs84,
} from '../../../src/core/index.ts';
import { ColumnBuilder } from '../../../src/core/table/column-builder.ts';
import { layerWith } from '../../support/layer-of.ts';

const box = (x0: number, y0: number, x1: number, y1: number): GeometryObject => ({
  type: 'Polygon',
  coordinates: [
    [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
      [x0, y0],
    ],
  ],
});
const point = (x: number, y: number): GeometryObject => ({ type: 'Point', coordinates: [x, y] });
type Cell = string | number | null;

function table(fields: readonly (Field & { values: readonly Cell[] })[], name = 'figures'): Table {
  const columns = fields.map(({ type, values }) => {
    const builder = new ColumnBuilder(type);
    for (const value of values)
      if (value === null) builder.null();
      else if (typeof value === 'number') builder.number(value);
      else builder.text(value);
    return builder.finish();
  });
  return tableOf({
    name,
    schema: fields.map(({ values: _, ...field }) => field),
    batches: [new Batch({ length: fields[0].values.length, first: 0, geometry: null, columns })],
  });
}
const texts = (name: string, values: readonly Cell[]) => ({ name, type: 'text' as const, values });
const reals = (name: string, values: readonly Cell[], more: Partial<Field> = {}) => ({
  name,
  type: 'real' as const,
  values,
  ...more,
});

async function rows(given: Table) {
  const all: Record<string, unknown>[] = [];
  for await (const row of rowsOf(given)) all.push(row);
  return { rows: all, account: given.accounts[given.accounts.length - 1] };
}

const old = layerWith(
  [box(0, 0, 4, 4), box(4, 0, 8, 4), box(20, 0, 21, 1)],
  { code: ['A', 'B', 'C'] },
  { name: 'old' },
);
const fresh = layerWith(
  [box(0, 0, 3, 4), box(3, 0, 6, 4), box(6, 0, 8, 4)],
  { id: ['1', '2', '3'] },
  { name: 'fresh' },
);

describe('a crosswalk', () => {
  it('says which share of each unit lies where, by area', async () => {
    const { rows: made, account } = await rows(crosswalkOf(old, fresh, { on: ['code', 'id'] }));
    expect(made.map(({ from, to, share, of_to }) => [from, to, share, of_to])).toEqual([
      ['A', '1', 0.75, 1],
      ['A', '2', 0.25, expect.closeTo(1 / 3, 12)],
      ['B', '2', 0.5, expect.closeTo(2 / 3, 12)],
      ['B', '3', 0.5, 1],
      ['C', null, 1, null],
    ]);
    expect(account.sentence).toBe(
      'Crosswalk: 3 old to fresh; 0 go whole into one, 2 are split, 1 lie outside of fresh.',
    );
    expect(account.counts).toMatchObject({ merged: 1 });
  });

  it('by the weights of points or of finer units; without any, by area, which is told', async () => {
    const homes = layerWith(
      [point(1, 1), point(3.5, 1), point(3.5, 2), point(3.5, 3), point(7, 1), point(99, 99)],
      { people: [10, 1, 1, 8, 5, 7] },
      { name: 'homes' },
    );
    const each = await rows(crosswalkOf(old, fresh, { on: ['code', 'id'], weights: homes }));
    expect(each.rows.filter(({ from }) => from === 'A').map((row) => row.share)).toEqual([0.25, 0.75]);
    const people = await rows(crosswalkOf(old, fresh, { on: ['code', 'id'], weights: homes, by: 'people' }));
    expect(people.rows.map(({ from, to, share }) => [from, to, share])).toEqual([
      ['A', '1', 0.5],
      ['A', '2', 0.5],
      ['B', '3', 1],
      ['C', null, 1],
    ]);
    expect(people.account.findings).toMatchObject([
      { code: 'crosswalk-without-weight', words: expect.stringContaining('(C)') },
    ]);
    const cells = layerWith([box(2, 0, 4, 4), box(4, 0, 5, 4)], { n: [30, 10] }, { name: 'cells' });
    const finer = await rows(crosswalkOf(old, fresh, { on: ['code', 'id'], weights: cells, by: 'n' }));
    // Half of the first cell lies in either unit.
    expect(finer.rows.filter(({ from }) => from === 'A').map((row) => row.share)).toEqual([
      expect.closeTo(0.5, 6),
      expect.closeTo(0.5, 6),
    ]);
  });

  it('gives small parts to the others when asked', async () => {
    const shifted = layerWith(
      [box(0, 0, 3.999, 4), box(3.999, 0, 8, 4)],
      { id: ['1', '2'] },
      { name: 'shifted' },
    );
    const plain = await rows(crosswalkOf(old, shifted, { on: ['code', 'id'] }));
    expect(plain.rows).toHaveLength(4);
    expect(plain.account.notes.join(' ')).toContain('1 part is under 0.1 % of its unit');
    const clean = await rows(crosswalkOf(old, shifted, { on: ['code', 'id'], leastShare: 1 }));
    expect(clean.rows.map(({ from, to, share }) => [from, to, share])).toEqual([
      ['A', '1', 1],
      ['B', '2', 1],
      ['C', null, 1],
    ]);
  });

  it('has shares that sum to one, also of large units in degrees', async () => {
    const cut = fc.double({ min: 0.05, max: 0.95, noNaN: true });
    await fc.assert(
      fc.asyncProperty(cut, cut, cut, async (a, b, c) => {
        const units = layerWith(
          [box(0, 40, 20 * a, 60), box(20 * a, 40, 20, 60)],
          { code: ['A', 'B'] },
          { crs: wgs84(), name: 'u' },
        );
        const others = layerWith(
          [box(-1, 39, 20 * b, 40 + 20 * c), box(20 * b, 39, 30, 40 + 20 * c)],
          { id: ['1', '2'] },
          { crs: wgs84(), name: 'o' },
        );
        const { rows: made } = await rows(crosswalkOf(units, others, { on: ['code', 'id'] }));
        for (const code of ['A', 'B'])
          expect(
            made.filter(({ from }) => from === code).reduce((sum, row) => sum + (row.share as number), 0),
          ).toBeCloseTo(1, 12);
      }),
      { numRuns: 30 },
    );
  });
});

describe('figures carried to other units', () => {
  const walk = table(
    [
      texts('from', ['A', 'A', 'B', 'B', 'C']),
      texts('to', ['1', '2', '2', '3', null]),
      reals('share', [0.75, 0.25, 0.5, 0.5, 1]),
    ],
    'walk',
  );
  const figures = table([
    texts('code', ['A', 'B', 'C', 'D']),
    reals('people', [100, 40, 7, 3], { margin: 'people_margin' }),
    reals('people_margin', [8, 6, 1, 1], { role: 'margin' }),
    reals('income', [10, 40, 5, 5], { title: 'Mean income' }),
  ]);
  const carried = (options: Partial<CarryOptions> = {}, given = figures, by = walk) =>
    rows(carryFigures(given, by, { on: ['code', 'from'], ...options }));

  it('keep their sums, with the account of what went where; margins as the formula says; means weighted', async () => {
    const { rows: made, account } = await carried({ counts: ['people'], means: [['income', 'people']] });
    expect(made.map(({ to, people }) => [to, people])).toEqual([
      ['1', 75],
      ['2', 45],
      ['3', 20],
    ]);
    expect(made.map((row) => row.people_margin)).toEqual([6, expect.closeTo(Math.hypot(2, 3), 12), 3]);
    expect(made[1].income).toBeCloseTo((25 * 10 + 20 * 40) / 45, 12);
    expect(account.notes[0]).toBe(
      'people: 150 before, 140 after, 7 in no unit, 3 of rows that the crosswalk does not know.',
    );
    expect(account.findings.map(({ code }) => code)).toEqual(['carry-unknown']);
    expect(account.sentence).toBe('Carry: 4 figures in; 3 carried to 3 units, 1 not in walk.');
  });

  it('are those that can be summed when nothing is said, and what is not carried is told', async () => {
    const { rows: made, account } = await carried();
    expect(Object.keys(made[0])).toEqual(['to', 'people', 'people_margin']);
    expect(account.notes.join(' ')).toContain('Not carried: income; compute rates anew');
    await expect(async () => carried({ counts: [], means: [['income', 'people']] })).rejects.toMatchObject({
      code: 'carry-weight',
    });
    const names = table([texts('code', ['A']), texts('name', ['x'])]);
    await expect(async () => carried({}, names)).rejects.toMatchObject({ code: 'carry-nothing' });
  });

  it('roll up to parents where each row goes whole', async () => {
    const wards = table(
      [texts('ward', ['A', 'B', 'C', 'D']), texts('district', ['X', 'X', 'Y', 'Y'])],
      'wards',
    );
    const { rows: made } = await rows(
      carryFigures(figures, wards, { on: ['code', 'ward'], to: 'district', counts: ['people'] }),
    );
    expect(made).toEqual([
      { district: 'X', people: 140, people_margin: 10 },
      { district: 'Y', people: 10, people_margin: Math.SQRT2 },
    ]);
  });

  it('are held against what the parents themselves have', async () => {
    const wards = table(
      [texts('ward', ['A', 'B', 'C', 'D']), texts('district', ['X', 'X', 'Y', 'Y'])],
      'wards',
    );
    const districts = table([texts('district', ['X', 'Y', 'Z']), reals('people', [140, 12, 9])], 'districts');
    const { account } = await rows(
      carryFigures(figures, wards, {
        on: ['code', 'ward'],
        to: 'district',
        counts: ['people', 'income'],
        against: { table: districts, key: 'district' },
      }),
    );
    expect(account.findings).toMatchObject([
      {
        code: 'sum-differs',
        words: 'people: the sum of the parts differs from districts in 1 of 2 units (Y 10 in place of 12).',
      },
    ]);
    const right = table([texts('id', ['X', 'Y']), reals('people', [140, 10])], 'right');
    const agreed = await rows(
      carryFigures(figures, wards, {
        on: ['code', 'ward'],
        to: 'district',
        counts: ['people'],
        against: { table: right, key: 'id' },
      }),
    );
    expect(agreed.account.notes).toContain('people: sums agree with right in 2 units.');
    expect(agreed.account.findings).toEqual([]);
  });

  it('are refused where shares would lose or double them', async () => {
    const half = table(
      [texts('from', ['A', 'A']), texts('to', ['1', '2']), reals('share', [0.5, 0.4])],
      'half',
    );
    await expect(carried({}, figures, half)).rejects.toMatchObject({ code: 'crosswalk-shares' });
    const twice = table([texts('from', ['A', 'A']), texts('to', ['1', '2'])], 'twice');
    await expect(carried({}, figures, twice)).rejects.toMatchObject({ code: 'crosswalk-twice' });
    const foreign = table([texts('from', ['X']), texts('to', ['1']), reals('share', [1])], 'foreign');
    await expect(carried({}, figures, foreign)).rejects.toMatchObject({ code: 'join-nothing-matched' });
  });

  it('tell what is blank', async () => {
    const short = table([texts('code', ['A', 'B']), reals('people', [null, 40])]);
    const { rows: made, account } = await carried({}, short);
    expect(made.map((row) => row.people)).toEqual([null, 20, 20]);
    expect(account.findings).toMatchObject([{ code: 'carry-incomplete' }]);
  });

  it('of any crosswalk sum to what they were, to a billionth', async () => {
    const share = fc.double({ min: 0.001, max: 1, noNaN: true });
    const value = fc.double({ min: -1e9, max: 1e9, noNaN: true });
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.array(share, { minLength: 1, maxLength: 5 }), value), {
          minLength: 1,
          maxLength: 20,
        }),
        async (units) => {
          const from: string[] = [];
          const to: (string | null)[] = [];
          const shares: number[] = [];
          units.forEach(([parts], u) => {
            const sum = parts.reduce((a, b) => a + b);
            parts.forEach((part, k) => {
              from.push(`u${u}`);
              to.push(k === 4 ? null : `v${(u * 3 + k) % 11}`);
              shares.push(part / sum);
            });
          });
          const by = table([texts('from', from), texts('to', to), reals('share', shares)], 'walk');
          const given = table([
            texts(
              'code',
              units.map((_, u) => `u${u}`),
            ),
            reals(
              'n',
              units.map(([, n]) => n),
            ),
          ]);
          const total = units.reduce((sum, [, n]) => sum + n, 0);
          const outside = from.reduce(
            (sum, code, k) => sum + (to[k] === null ? shares[k] * units[Number(code.slice(1))][1] : 0),
            0,
          );
          const { rows: made } = await carried({}, given, by);
          const after = made.reduce((sum, row) => sum + ((row.n as number | null) ?? 0), 0);
          expect(Math.abs(after + outside - total)).toBeLessThanOrEqual(
            1e-9 * units.reduce((sum, [, n]) => sum + Math.abs(n), 1),
          );
        },
      ),
      { numRuns: 100 },
    );
  });
});
