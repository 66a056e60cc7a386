import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  Batch,
  ColumnBuilder,
  compileExpression,
  computeFields,
  type Field,
  filterRows,
  IsomericError,
  joinTable,
  parseOn,
  rowsOf,
  selectColumns,
  type Table,
  tableOf,
  textColumn,
  type Value,
} from '../../../src/core/index.ts';

const schema: Field[] = [
  { name: 'code', type: 'text' },
  { name: 'n', type: 'integer' },
  { name: 'share', type: 'real' },
  { name: 'ok', type: 'boolean' },
  { name: 'day', type: 'date' },
  { name: 'two words', type: 'text' },
];

function numbers(type: 'integer' | 'real' | 'boolean' | 'date', values: (number | null)[]) {
  const builder = new ColumnBuilder(type);
  for (const value of values) value === null ? builder.null() : builder.number(value);
  return builder.finish();
}

const day = (text: string) => Date.parse(text) / 86_400_000;
const batch = new Batch({
  length: 4,
  first: 0,
  geometry: null,
  columns: [
    textColumn(['0101', '0102', 'Çal', null]),
    numbers('integer', [1, 20, null, 0]),
    numbers('real', [0.5, 0.25, 12, null]),
    numbers('boolean', [1, 0, null, 1]),
    numbers('date', [day('2024-01-01'), day('2024-06-30'), null, day('2019-12-31')]),
    textColumn(['a b', "it's", 'x%y', 'a_b']),
  ],
});
const table = tableOf({ name: 'wards', schema, batches: [batch] });
const results = (expression: string): unknown[] => {
  const read = compileExpression(expression, schema, 'wards').bind(batch);
  return [0, 1, 2, 3].map((i) => read(i));
};

describe('CQL2', () => {
  const cases: [string, unknown[]][] = [
    ["code = '0101'", [true, false, false, null]],
    ['n > 0', [true, true, null, false]],
    ['n <> 1 AND share < 1', [false, true, false, null]],
    ['n = 1 OR ok', [true, false, null, true]],
    ['NOT ok', [false, true, null, false]],
    ["code IN ('0101', '0102')", [true, true, false, null]],
    ["code NOT IN ('0101')", [false, true, true, null]],
    ['n BETWEEN 1 AND 20', [true, true, null, false]],
    ['n not between 1 and 5', [false, true, null, true]],
    ['share IS NULL', [false, false, false, true]],
    ['share IS NOT NULL', [true, true, true, false]],
    ["code LIKE '01%'", [true, true, false, null]],
    ["code LIKE '010_'", [true, true, false, null]],
    ['"two words" LIKE \'x\\%y\'', [false, false, true, false]],
    ["\"two words\" = 'it''s'", [false, true, false, false]],
    ["ACCENTI(CASEI(code)) = 'cal'", [false, false, true, null]],
    ['100 * n / share', [200, 8000, null, null]],
    ['n / 0', [null, null, null, null]],
    ['-n + 2 ^ 3 ^ 0', [1, -18, null, 2]],
    ['7 div 2 + 7 % 4', [6, 6, 6, 6]],
    ['(1 + 2) * 3 - -4', [13, 13, 13, 13]],
    ["day >= DATE('2024-01-01')", [true, true, null, false]],
    ['n = NULL', [null, null, null, null]],
    ['TRUE', [true, true, true, true]],
  ];
  it.each(cases)('%s', (expression, expected) => expect(results(expression)).toEqual(expected));

  const mistakes: [string, RegExp, number][] = [
    ['cod = 1', /There is no field “cod” in wards/, 1],
    ['code = 12', /text is compared with a number/, 6],
    ['n >', /ends too early/, 4],
    ["code = 'x", /quote is not closed/, 8],
    ['n == 1', /“=” is not expected/, 4],
    ['n != 1', /“!” means nothing/, 3],
    ['n + ok', /a number is needed/, 5],
    ['upper(code)', /There is no function “upper”/, 1],
    ['n IN 1', /“\(” is expected/, 6],
    ["day = DATE('2024-02-30')", /is no date/, 12],
    ['n 1', /“1” is not expected/, 3],
    [`${'('.repeat(300)}1`, /nested too deeply/, 201],
    [`${'CASEI('.repeat(3000)}'a'${')'.repeat(3000)} = 'a'`, /nested too deeply/, 1201],
    [`1${'+1'.repeat(3000)} > 0`, /more than 500 operations/, 1002],
    [
      `S_INTERSECTS(geometry, ${'GEOMETRYCOLLECTION('.repeat(3000)}POINT(1 1)${')'.repeat(3000)})`,
      /nested too deeply/,
      3804,
    ],
  ];
  it('compiles each part once, however often margins and lists ask for it', () => {
    // Twice the work with each bracket would be more than anybody waits for.
    let expression = 'n';
    for (let k = 0; k < 150; k++) expression = `(${expression} + 1) * 1`;
    expect(compileExpression(`${expression} BETWEEN 0 AND 9`, schema, 'wards').kind).toBe('boolean');
  });
  it.each(mistakes)('points at the mistake in %s', (expression, words, character) => {
    let raised: unknown;
    try {
      compileExpression(expression, schema, 'wards');
    } catch (error) {
      raised = error;
    }
    expect(raised).toBeInstanceOf(IsomericError);
    expect((raised as IsomericError).message).toMatch(words);
    expect((raised as IsomericError).place.column).toBe(character);
    expect((raised as IsomericError).blame).toBe('usage');
  });

  it('suggests the nearest field, and quotes for codes', () => {
    expect(() => compileExpression('shar > 1', schema, 'wards')).toThrowError(
      expect.objectContaining({ advice: 'Did you mean “share”?' }) as Error,
    );
    expect(() => compileExpression('code = 101', schema, 'wards')).toThrowError(
      expect.objectContaining({ advice: "Codes are text: write '101' in single quotes." }) as Error,
    );
  });

  it('never fails otherwise than with an error of ours, whatever the text', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.constantFrom(
            'n',
            'code',
            'ok',
            '(',
            ')',
            ' AND ',
            ' OR ',
            ' NOT ',
            '=',
            '<',
            '+',
            '-',
            '*',
            '/',
            "'x'",
            '"code"',
            '1',
            '.5',
            ' IN ',
            ' BETWEEN ',
            ' IS ',
            ' NULL ',
            ',',
            'é',
            '^',
            '%',
          ),
          { maxLength: 14 },
        ),
        (words) => {
          try {
            results(words.join(''));
          } catch (error) {
            expect(error).toBeInstanceOf(IsomericError);
          }
        },
      ),
      { numRuns: 3000 },
    );
  });

  it('computes sums and products as JavaScript does', () => {
    const term = fc.oneof(fc.integer({ min: 0, max: 50 }).map(String), fc.constantFrom('n', 'share'));
    const tree: fc.Arbitrary<string> = fc.letrec<{ e: string }>((tie) => ({
      e: fc.oneof(
        { maxDepth: 5 },
        term,
        fc.tuple(tie('e'), fc.constantFrom('+', '-', '*'), tie('e')).map(([a, op, b]) => `(${a} ${op} ${b})`),
      ),
    })).e;
    fc.assert(
      fc.property(tree, (expression) => {
        const n = 20;
        const share = 0.25;
        // The second row has no blanks.
        const expected = new Function('n', 'share', `return ${expression}`)(n, share);
        expect(results(expression)[1]).toBe(expected);
      }),
      { numRuns: 300 },
    );
  });
});

async function rows(of: Table): Promise<Record<string, unknown>[]> {
  const all: Record<string, unknown>[] = [];
  for await (const row of rowsOf(of)) all.push(row);
  return all;
}

describe('filter, compute, select', () => {
  it('keeps rows where the condition is true and accounts for the unknown ones', async () => {
    const kept = filterRows(table, 'n >= 1');
    expect((await rows(kept)).map((row) => row.code)).toEqual(['0101', '0102']);
    expect(kept.accounts[0].sentence).toBe(
      'Filter: 4 wards in; 2 kept where n >= 1, 1 dropped, 1 dropped for a missing value.',
    );
    expect(() => filterRows(table, 'n + 1')).toThrowError(/is no condition/);
  });

  it('adds computed fields that may build on each other, and leaves 0 / 0 blank', async () => {
    const computed = computeFields(table, [
      { name: 'twice', expression: '2 * n' },
      { name: 'part', expression: 'n / twice', title: 'Part' },
    ]);
    expect((await rows(computed)).map((row) => [row.twice, row.part])).toEqual([
      [2, 0.5],
      [40, 0.5],
      [null, null],
      [0, null],
    ]);
    expect(computed.schema.slice(-2).map((field) => [field.name, field.type])).toEqual([
      ['twice', 'integer'],
      ['part', 'real'],
    ]);
    expect(computed.accounts[1].sentence).toBe(
      'Compute: 4 wards in; 2 given part = n / twice, 2 left blank.',
    );
  });

  it('chooses and renames columns', async () => {
    const chosen = selectColumns(table, ['n', ['code', 'key']]);
    expect((await rows(chosen))[0]).toEqual({ n: 1, key: '0101' });
    expect(() => selectColumns(table, ['nn'])).toThrowError(/There is no field “nn”/);
  });
});

describe('join', () => {
  const left = (codes: (string | null)[]) =>
    tableOf({
      name: 'wards',
      schema: [{ name: 'code', type: 'text' }],
      batches: [new Batch({ length: codes.length, first: 0, geometry: null, columns: [textColumn(codes)] })],
    });
  const right = (codes: (string | null)[], type: 'text' | 'integer' = 'text') =>
    tableOf({
      name: 'housing',
      schema: [
        { name: 'area', type },
        { name: 'households', type: 'integer' },
      ],
      batches: [
        new Batch({
          length: codes.length,
          first: 0,
          geometry: null,
          columns: [
            type === 'text'
              ? textColumn(codes)
              : numbers(
                  'integer',
                  codes.map((code) => (code === null ? null : Number(code))),
                ),
            numbers(
              'integer',
              codes.map((_, k) => 100 + k),
            ),
          ],
        }),
      ],
    });

  it('brings one row to one feature and accounts for everything', async () => {
    const joined = joinTable(left(['01', '02', '03', null, '02']), right(['02', '01', '09', '01', '']), {
      on: ['code', 'area'],
      many: 'first',
    });
    expect((await rows(joined)).map((row) => row.households)).toEqual([101, 100, null, null, 100]);
    const [account] = joined.accounts;
    expect(account.counts).toMatchObject({
      in: 5,
      matched: 3,
      withoutRow: 2,
      tableRows: 5,
      tableKeysLeftOver: 1,
      tableKeysTwice: 1,
      blankKeys: 1,
      blankTableKeys: 1,
    });
    expect(account.sentence).toBe(
      'Join: 5 wards in; 3 matched on code = area, 2 without a row in housing, 1 key of housing left over, 1 key twice.',
    );
    expect(account.findings.map((finding) => finding.code)).toEqual(['join-incomplete']);
    expect(account.findings[0].severity).toBe('warning');
  });

  it('where nothing matched is an error', async () => {
    const none = joinTable(left(['01', '02']), right(['11', '12']), { on: ['code', 'area'] });
    await expect(rows(none)).rejects.toMatchObject({ code: 'join-nothing-matched' });
    const joined = joinTable(left(['01', '02']), right(['11', '12']), { on: ['code', 'area'], atLeast: 0 });
    await rows(joined);
    expect(joined.accounts[0].findings).toMatchObject([{ code: 'join-incomplete', severity: 'error' }]);
  });

  it('recognises lost zeros, proves the repair, and applies it only when asked', async () => {
    const keys = ['0101', '0102', '0203'];
    const unrepaired = { on: ['code', 'area'] as const, atLeast: 0 };
    const plain = joinTable(left(keys), right(['101', '102', '999'], 'integer'), unrepaired);
    await rows(plain);
    const proposal = plain.accounts[0].findings.find((finding) => finding.code === 'join-repairable')!;
    expect(proposal.words).toMatch(
      /^With “leading zeros to 4” 2 keys match in place of 0; .* reach \d+ \(101 → 0101, 102 → 0102/,
    );
    expect(plain.accounts[0].counts.matched).toBe(0);
    const repaired = joinTable(left(keys), right(['101', '102', '999'], 'integer'), {
      on: ['code', 'area'],
      repair: 'leading zeros',
    });
    expect((await rows(repaired)).map((row) => row.households)).toEqual([100, 101, null]);
    expect(repaired.accounts[0].notes[0]).toBe(
      'Repair: keys were compared with “leading zeros to 4”, as asked.',
    );
  });

  it('names columns anew when the layer has one of that name', async () => {
    const other = tableOf({
      name: 'b',
      schema: [
        { name: 'k', type: 'text' },
        { name: 'code', type: 'text' },
      ],
      batches: [
        new Batch({ length: 1, first: 0, geometry: null, columns: [textColumn(['01']), textColumn(['x'])] }),
      ],
    });
    const joined = joinTable(left(['01']), other, { on: ['code', 'k'] });
    expect(await rows(joined)).toEqual([{ code: '01', code_2: 'x' }]);
  });

  it('gives what a Map gives, for any keys', async () => {
    const key = fc.option(fc.string({ unit: fc.constantFrom('0', '1', 'é', 'b'), maxLength: 3 }), {
      freq: 8,
    });
    await fc.assert(
      fc.asyncProperty(
        fc.array(key, { maxLength: 40 }),
        fc.array(key, { minLength: 1, maxLength: 40 }),
        async (a, b) => {
          const map = new Map<string, number>();
          b.forEach((code, k) => {
            if (code !== null && code !== '' && !map.has(code)) map.set(code, 100 + k);
          });
          const joined = await rows(
            joinTable(left(a), right(b), { on: ['code', 'area'], many: 'first', atLeast: 0 }),
          );
          expect(joined.map((row) => row.households)).toEqual(
            a.map((code): Value => (code === null ? null : (map.get(code) ?? null))),
          );
        },
      ),
      { numRuns: 200 },
    );
  });

  it('reads what to join on', () => {
    expect(parseOn('code = area_code')).toEqual(['code', 'area_code']);
    expect(parseOn('code')).toEqual(['code', 'code']);
    expect(parseOn('"ward code" = "area code"')).toEqual(['ward code', 'area code']);
    expect(() => parseOn('a = b = c')).toThrowError(/does not say what to join on/);
    expect(() => parseOn('a = b + c')).toThrowError(/names more than one field/);
  });
});
