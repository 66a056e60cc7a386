import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  Batch,
  featuresWithoutRow,
  type JoinTablesOptions,
  joinTable,
  joinTables,
  rowsOf,
  rowsWithoutFeature,
  type Table,
  tableOf,
} from '../../../src/core/index.ts';
import { ColumnBuilder } from '../../../src/core/table/column-builder.ts';
import { layerWith } from '../../support/layer-of.ts';

type Cell = string | number | null;

/** A table in memory, in batches of three rows so that more than one comes. */
function table(name: string, columns: Readonly<Record<string, readonly Cell[]>>): Table {
  const entries = Object.entries(columns);
  const schema = entries.map(([field, values]) => ({
    name: field,
    type: values.some((value) => typeof value === 'number') ? ('real' as const) : ('text' as const),
  }));
  const length = entries[0][1].length;
  const batches: Batch[] = [];
  for (let first = 0; first < length; first += 3) {
    const size = Math.min(3, length - first);
    batches.push(
      new Batch({
        length: size,
        first,
        geometry: null,
        columns: entries.map(([, values], c) => {
          const builder = new ColumnBuilder(schema[c].type);
          for (const value of values.slice(first, first + size))
            if (value === null) builder.null();
            else if (typeof value === 'number') builder.number(value);
            else builder.text(value);
          return builder.finish();
        }),
      }),
    );
  }
  return tableOf({ name, schema, batches });
}

async function rows(given: Table | Promise<Table>) {
  const result: Record<string, unknown>[] = [];
  for await (const row of rowsOf(await given)) result.push(row);
  return result;
}
const wards = (codes: readonly Cell[]) => table('wards', { code: codes });
const joined = async (layer: Table, other: Table, options: Partial<JoinTablesOptions>) => {
  const result = await joinTables(layer, [other], { on: ['code', 'area'], atLeast: 0, ...options });
  return { rows: await rows(result), account: result.accounts[result.accounts.length - 1], result };
};

const homes = table('homes', {
  area: ['01', '01', '02', '03', '03', '03'],
  n: [10, 20, 5, 1, null, 3],
  w: [1, 3, 2, 1, 1, 1],
  kind: ['a', 'b', 'c', 'd', 'd', 'd'],
});

describe('rows of one key', () => {
  it('that differ are never chosen among unasked', async () => {
    await expect(joined(wards(['01']), homes, {})).rejects.toMatchObject({
      code: 'join-key-many',
      advice: expect.stringContaining('first, last, sum'),
    });
    // What no feature asks for, and what says the same in all that is brought, is no question.
    expect((await joined(wards(['02']), homes, {})).rows).toEqual([{ code: '02', n: 5, w: 2, kind: 'c' }]);
    expect((await joined(wards(['03']), homes, { columns: ['kind'] })).rows).toEqual([
      { code: '03', kind: 'd' },
    ]);
  });

  it.each([
    ['first', [10, 1], ['a', 'd']],
    ['last', [20, 3], ['b', 'd']],
    ['sum', [30, 4], [null, 'd']],
    ['mean', [15, 2], [null, 'd']],
    ['least', [10, 1], [null, 'd']],
    ['greatest', [20, 3], [null, 'd']],
    ['list', ['10; 20', '1; 3'], ['a; b', 'd']],
    ['greatest by w', [20, 1], ['b', 'd']],
    ['mean by w', [17.5, 2], [null, 'd']],
  ])('“%s” makes one of them', async (many, n, kind) => {
    const { rows: made, account } = await joined(wards(['01', '03']), homes, {
      many,
      columns: ['n', 'kind'],
    });
    expect(made.map((row) => row.n)).toEqual(n);
    expect(made.map((row) => row.kind)).toEqual(kind);
    expect(account.notes.join(' ')).toContain('Keys with several rows in homes: 01, 03');
  });

  it('“rows” makes a feature of each, and says how many', async () => {
    const { rows: made, account } = await joined(wards(['01', '09', '02']), homes, {
      many: 'rows',
      columns: ['n'],
    });
    expect(made).toEqual([
      { code: '01', n: 10 },
      { code: '01', n: 20 },
      { code: '09', n: null },
      { code: '02', n: 5 },
    ]);
    expect(account.counts).toMatchObject({ in: 3, out: 4, matched: 2 });
    expect(account.notes).toContain('4 features out: one for each row.');
  });

  it('sums margins of error as the formula does', async () => {
    const other = tableOf({
      ...table('t', { area: ['01', '01'], n: [100, 50], m: [3, 4] }),
      schema: [
        { name: 'area', type: 'text' },
        { name: 'n', type: 'real', margin: 'm' },
        { name: 'm', type: 'real', role: 'margin' },
      ],
      batches: [],
    });
    const whole = { ...other, batches: table('t', { area: ['01', '01'], n: [100, 50], m: [3, 4] }).batches };
    expect((await joined(wards(['01']), whole, { many: 'sum' })).rows).toEqual([
      { code: '01', n: 150, m: 5 },
    ]);
  });

  it('a rule that there is not is told with those there are', async () => {
    await expect(joined(wards(['01']), homes, { many: 'median' })).rejects.toMatchObject({
      code: 'join-many-unknown',
    });
    await expect(joined(wards(['01']), homes, { many: 'greatest by kind' })).rejects.toMatchObject({
      code: 'expression-type',
    });
    await expect(joined(wards(['01']), homes, { many: 'mean by weight' })).rejects.toMatchObject({
      code: 'field-unknown',
    });
  });
});

describe('keys', () => {
  const other = table('t', { ST: [5, 5, 12], CTY: [4, 11, 4], n: [1, 2, 3] });

  it('are put together of fields, filled up to their digits', async () => {
    const { parseKeyPairs } = await import('../../../src/core/index.ts');
    const on = parseKeyPairs('code = ST (2) + CTY (3)');
    expect(
      (await joined(wards(['05004', '05011', '12004']), other, { on })).rows.map((row) => row.n),
    ).toEqual([1, 2, 3]);
  });

  it('of several pairs must all be equal; a blank in one is a blank key', async () => {
    const layer = table('wards', { st: ['5', '12', null], cty: ['4', '4', '4'] });
    const { parseKeyPairs } = await import('../../../src/core/index.ts');
    const { rows: made, account } = await joined(layer, other, { on: parseKeyPairs('st = ST, cty = CTY') });
    expect(made.map((row) => row.n)).toEqual([1, 3, null]);
    expect(account.counts.blankKeys).toBe(1);
  });

  it.each([
    ['guards', ['0204', '0305'], ['="0204"', "'0305"]],
    ['blanks', ['0204', '0305'], ['0204   ', '\u00a00305']],
    ['number formats, leading zeros', ['0204', '1305'], ['204.0', '1,305']],
    ['letter case, accents', ['Ärmel', 'ØSTER'], ['armel', 'Oster']],
    ['word order', ["St. Mary's Vale", 'Upper Mill'], ['Vale St Marys', 'Mill, Upper']],
    ['part 2 at "-" of the table, leading zeros', ['0204', '0305'], ['X-204', 'X-305']],
    ['prefix "T" of the layer', ['T204', 'T305'], ['204', '305']],
    ['first 4 signs of the table', ['0204', '0305'], ['020401', '030502']],
    ['digits at the end of the table', ['0204', '0305'], ['TE24-0204', '0305']],
    ['suffix ".0" of the table', ['204', '305'], ['204.0', '305.0']],
    ['last part at "/" of the table', ['204', '305'], ['a/b/204', 'c/305']],
    ['near names', ['Horamunde', 'Velsseçal'], ['Horamuende', 'Velssegal']],
  ])('meet with “%s”', async (repair, codes, areas) => {
    const { rows: made, account } = await joined(wards(codes), table('t', { area: areas, n: [1, 2] }), {
      repair,
    });
    expect(made.map((row) => row.n)).toEqual([1, 2]);
    // The layer's own values stay as they are.
    expect(made.map((row) => row.code)).toEqual(codes);
    expect(account.notes.join(' ')).toContain('as asked');
  });

  it('near names stand for each other only where there is no second one as near', async () => {
    const other = table('t', { area: ['Garthey', 'Garthly'], n: [1, 2] });
    const { rows: made } = await joined(wards(['Garthby']), other, { repair: 'near names' });
    expect(made.map((row) => row.n)).toEqual([null]);
  });
});

describe('what is brought', () => {
  const layer = table('wards', { code: ['01', '09'], n: [7, 8] });
  const other = table('homes', { area: ['01', '02'], n: [1, 2], x: [3, 4] });

  it.each([
    ['number', [{ code: '01', n: 7, n_2: 1, x: 3 }]],
    ['table', [{ code: '01', n: 7, homes_n: 1, x: 3 }]],
    ['keep', [{ code: '01', n: 7, x: 3 }]],
    ['replace', [{ code: '01', n: 1, x: 3 }]],
  ] as const)('settles a clash of names by the rule “%s”, and tells it', async (clash, expected) => {
    const { rows: made, account } = await joined(layer, other, { clash, unmatched: 'drop' });
    expect(made).toEqual(expected);
    expect(account.notes[0]).toContain('The column n of homes');
    expect(account.sentence).toContain('1 without a row in homes dropped');
  });

  it('comes of several tables in one go, each with the columns that it has', async () => {
    const more = table('cars', { area: ['01', '09'], cars: [5, 6] });
    const result = await joinTables(layer, [other, more], { on: ['code', 'area'], columns: ['x', 'cars'] });
    expect(await rows(result)).toEqual([
      { code: '01', n: 7, x: 3, cars: 5 },
      { code: '09', n: 8, x: null, cars: 6 },
    ]);
    expect(result.accounts.map(({ verb }) => verb)).toEqual(['Join', 'Join']);
    await expect(
      joinTables(layer, [other, more], { on: ['code', 'area'], columns: ['trucks'] }),
    ).rejects.toMatchObject({ code: 'field-unknown' });
  });

  it('a long table is widened in the same step', async () => {
    const long = table('t', { area: ['01', '01', '09'], sex: ['f', 'm', 'f'], n: [1, 2, 3] });
    const { rows: made } = await joined(wards(['01', '09']), long, { widen: ['sex'], value: 'n' });
    expect(made).toEqual([
      { code: '01', f: 1, m: 2 },
      { code: '09', f: 3, m: null },
    ]);
    await expect(joined(wards(['01']), long, { widen: ['sex'] })).rejects.toMatchObject({
      code: 'join-value-missing',
    });
  });
});

describe('the account of a join', () => {
  it('tells the share of the ground and of the totals that arrived', async () => {
    const square = (x: number, size: number) => ({
      type: 'Polygon' as const,
      coordinates: [
        [
          [x, 0],
          [x + size, 0],
          [x + size, size],
          [x, size],
          [x, 0],
        ],
      ],
    });
    const layer = layerWith([square(0, 3), square(10, 1)], { code: ['01', '02'] }, { name: 'wards' });
    const keys = Array.from({ length: 40 }, (_, k) => `${k + 10}`);
    const other = table('t', { area: ['01', ...keys], people: [60, ...keys.map(() => 1)] });
    const joinedLayer = joinTable(layer, other, { on: ['code', 'area'], atLeast: 0 });
    await rows(joinedLayer);
    const notes = joinedLayer.accounts[0].notes.join(' ');
    expect(notes).toContain('90 % of the ground of wards has a row.');
    expect(notes).toContain('2 % of the rows of t arrived, with 60 % of people.');
  });

  it('sees that nearly all rows arrived with little of the total', async () => {
    const keys = Array.from({ length: 49 }, (_, k) => `A${k}`);
    const other = table('t', { area: [...keys, 'Z'], people: [...keys.map(() => 1), 951] });
    const { account } = await joined(wards(keys), other, {});
    expect(account.findings.map(({ code }) => code)).toContain('join-totals-left');
    expect(account.findings[0].words).toBe('98 % of the rows of t arrived, with 5 % of people.');
  });

  it('sees a total that stands at a feature', async () => {
    const other = table('t', { area: ['1', '2', '3', '9'], n: [5, 7, 11, 23], m: [1, 2, 3, 6] });
    const { account } = await joined(wards(['1', '2', '3', '9']), other, {});
    expect(account.findings).toMatchObject([
      { code: 'join-total-row', words: expect.stringContaining('The row 9') },
    ]);
    const plain = table('t', { area: ['1', '2', '3', '9'], n: [5, 7, 11, 22], m: [1, 2, 3, 6] });
    expect((await joined(wards(['1', '2', '3', '9']), plain, {})).account.findings).toEqual([]);
  });

  it('tells rows that went to several features', async () => {
    const { account } = await joined(wards(['02', '02', '02']), homes, {});
    expect(account.notes.join(' ')).toMatch(
      /1 row of homes went to several features \(3 of wards\).*must not be summed/,
    );
  });

  it('knows another vintage and another level', async () => {
    const codes = Array.from({ length: 30 }, (_, k) => `02${String(k).padStart(2, '0')}`);
    const older = codes.map((code, k) => (k % 3 === 0 ? `02${50 + k}` : code));
    const vintage = await joined(wards(codes), table('t', { area: older, n: older.map((_, k) => k) }), {});
    expect(vintage.account.findings.map(({ code }) => code)).toEqual([
      'join-other-vintage',
      'join-incomplete',
    ]);
    const finer = codes.flatMap((code) => [`${code}1`, `${code}2`]);
    await expect(
      joined(wards(codes), table('t', { area: finer, n: finer.map((_, k) => k) }), { atLeast: 50 }),
    ).rejects.toMatchObject({
      code: 'join-nothing-matched',
      advice: expect.stringContaining('it is of a level below'),
    });
  });

  it('stops where few match, unless few are expected', async () => {
    const codes = Array.from({ length: 10 }, (_, k) => `A${k}`);
    const other = table('t', { area: ['A1', 'A2', 'B3', 'B4', 'B5'], n: [1, 2, 3, 4, 5] });
    await expect(joined(wards(codes), other, { atLeast: undefined })).rejects.toMatchObject({
      code: 'join-few-matched',
      message: expect.stringContaining('Only 2 of 10 features'),
    });
    expect((await joined(wards(codes), other, { atLeast: 20 })).account.counts.matched).toBe(2);
    // A table of a part of the units, all of which found its place, is no mistake.
    const part = table('t', { area: ['A1', 'A2'], n: [1, 2] });
    expect((await joined(wards(codes), part, { atLeast: undefined })).account.counts.matched).toBe(2);
  });

  it('gives what found no partner on either side', async () => {
    const layer = wards(['01', '08', null]);
    expect(await rows(featuresWithoutRow(layer, homes, { on: ['code', 'area'] }))).toEqual([
      { code: '08' },
      { code: null },
    ]);
    const over = rowsWithoutFeature(layer, homes, { on: ['code', 'area'] });
    expect((await rows(over)).map((row) => row.area)).toEqual(['02', '03', '03', '03']);
    expect(over.accounts[0].sentence).toBe(
      'Left over: 6 homes in; 4 without a partner in wards on code = area.',
    );
  });
});

describe('no row is lost or doubled', () => {
  const key = fc.option(fc.constantFrom('1', '2', '3', '01', 'x', ''), { freq: 6 });

  it('by any join that does not say so', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(key, { maxLength: 30 }),
        fc.array(key, { minLength: 1, maxLength: 30 }),
        fc.constantFrom('first', 'last', 'sum', 'rows'),
        fc.constantFrom('keep', 'drop'),
        async (codes, areas, many, unmatched) => {
          const other = table('t', { area: areas, n: areas.map((_, k) => 2 ** k) });
          const layer = wards(codes);
          const { rows: made, account } = await joined(layer, other, { many, unmatched });
          const partners = (code: Cell) =>
            code === null || code === '' ? [] : areas.flatMap((area, k) => (area === code ? [2 ** k] : []));
          const expected = codes.flatMap((code): unknown[] => {
            const all = partners(code);
            if (all.length === 0) return unmatched === 'drop' ? [] : [null];
            if (many === 'rows') return all;
            if (many === 'sum') return [all.reduce((a, b) => a + b)];
            return [many === 'first' ? all[0] : all[all.length - 1]];
          });
          expect(made.map((row) => row.n)).toEqual(expected);
          // Features and rows are each either met or left over, never both and never neither.
          const left = await rows(featuresWithoutRow(layer, other, { on: ['code', 'area'] }));
          expect(account.counts.matched + left.length).toBe(codes.length);
          const over = await rows(rowsWithoutFeature(layer, other, { on: ['code', 'area'] }));
          const met = areas.filter((area) => area !== null && area !== '' && codes.includes(area));
          expect(over.length + met.length).toBe(areas.length);
        },
      ),
      { numRuns: 150 },
    );
  });
});
