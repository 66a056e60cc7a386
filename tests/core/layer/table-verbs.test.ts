import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { sureCheck } from '../../../src/core/checks/check.ts';
import {
  Batch,
  ColumnBuilder,
  ColumnProfiler,
  chooseVariables,
  codeBookOfTables,
  coefficientOfVariation,
  compileExpression,
  computeFields,
  crsFromText,
  type Field,
  findVariables,
  geometriesFrom,
  groupRows,
  isLayer,
  joinTable,
  type Layer,
  layerOf,
  lengthenRows,
  marginOfProduct,
  marginOfRatio,
  marginOfShare,
  marginOfSum,
  onlyLevel,
  onlyUnits,
  readableName,
  recogniseRows,
  rowFindings,
  rowsOf,
  selectColumns,
  splitLevels,
  type Table,
  tableOf,
  widenRows,
  withoutTotals,
  withReasonColumns,
} from '../../../src/core/index.ts';
import { pairMargins } from '../../../src/core/table/margin-fields.ts';

type Row = (string | number | boolean | null)[];

/** A table from rows; `marks` puts the number of a mark beside a value: [row, column, mark]. */
function tableFrom(fields: Field[], rows: Row[], marks: [number, number, number][] = [], name = 't'): Table {
  const columns = fields.map((field, c) => {
    const builder = new ColumnBuilder(field.type);
    rows.forEach((row, r) => {
      const value = row[c];
      if (value === null) builder.null();
      else if (typeof value === 'string') builder.text(value);
      else builder.number(Number(value));
      const mark = marks.find((each) => each[0] === r && each[1] === c);
      if (mark !== undefined) builder.mark(mark[2]);
    });
    return builder.finish();
  });
  return tableOf({
    name,
    schema: fields,
    batches: [new Batch({ length: rows.length, first: 0, geometry: null, columns })],
  });
}

const texts = (...names: string[]): Field[] => names.map((name) => ({ name, type: 'text' }));
const integers = (...names: string[]): Field[] => names.map((name) => ({ name, type: 'integer' }));

async function allRows(table: Table): Promise<Record<string, unknown>[]> {
  const rows: Record<string, unknown>[] = [];
  for await (const row of rowsOf(table)) rows.push(row);
  return rows;
}

const findingsOf = (table: Table) =>
  table.accounts.flatMap((account) => account.findings.map((finding) => finding.code));

describe('margins of error', () => {
  // The worked examples of “What All Data Users Need to Know” (2020), chapter 8, rounded as they are printed there.
  it('of a sum, a share and a ratio are those of the published examples', () => {
    expect(Math.round(marginOfSum([3860, 2642, 1957]))).toBe(5070);
    expect(marginOfShare(4634, 31_713, 989, 601)).toBeCloseTo(0.0311, 4);
    expect(marginOfRatio(4634, 6440, 989, 1328)).toBeCloseTo(0.2135, 4);
  });

  it('keep to identities', () => {
    const estimate = fc.double({ min: 1, max: 1e6, noNaN: true });
    const margin = fc.double({ min: 0, max: 1e5, noNaN: true });
    fc.assert(
      fc.property(estimate, estimate, margin, margin, (a, b, m, n) => {
        // A sum of one is itself; order does not matter; a difference has the margin of the sum.
        expect(marginOfSum([m])).toBeCloseTo(m, 6);
        expect(marginOfSum([m, n])).toBeCloseTo(Math.hypot(m, n), 6);
        // A ratio to an exact number is a scaling, so is a product with one.
        expect(marginOfRatio(a, b, m, 0)).toBeCloseTo(m / b, 9);
        expect(marginOfProduct(a, b, m, 0)).toBeCloseTo(b * m, 3);
        // A share is never less sure than a ratio; where the root fails it is the ratio's.
        const share = marginOfShare(a, b, m, n);
        expect(share).toBeLessThanOrEqual(marginOfRatio(a, b, m, n) * (1 + 1e-12));
        // Relative margins of a ratio and of a product are the same.
        expect(marginOfRatio(a, b, m, n) / (a / b)).toBeCloseTo(marginOfProduct(a, b, m, n) / (a * b), 6);
      }),
    );
    // Of several zeros only the largest margin counts.
    expect(marginOfSum([3, 12, 12, 9], [5, 0, 0, 0])).toBeCloseTo(Math.hypot(3, 12), 9);
    expect(coefficientOfVariation(100, 16.45)).toBeCloseTo(10, 9);
    expect(coefficientOfVariation(100, 19.6, 95)).toBeCloseTo(10, 9);
    expect(coefficientOfVariation(0, 12)).toBe(Number.POSITIVE_INFINITY);
  });

  const fields: Field[] = [
    { name: 'ward', type: 'text' },
    { name: 'a', type: 'integer', margin: 'a_margin' },
    {
      name: 'a_margin',
      type: 'integer',
      role: 'margin',
      marks: [{ text: '-555555555', reason: 'no sampling error' }],
    },
    { name: 'b', type: 'integer', margin: 'b_margin' },
    { name: 'b_margin', type: 'integer', role: 'margin' },
  ];
  const table = tableFrom(
    fields,
    [
      ['x', 4634, 989, 31_713, 601],
      ['y', 0, 12, 0, 12],
      ['z', 10, null, 100, 30],
    ],
    [[2, 2, 1]],
  );

  it('go along in computed fields: shares, sums, differences, products, and into what is computed from those', async () => {
    const result = computeFields(table, [
      { name: 's', expression: 'share(a, b)' },
      { name: 'total', expression: 'a + b' },
      { name: 'twice', expression: '2 * total' },
      { name: 'plain', expression: 'a_margin * 2' },
      { name: 'v', expression: 'cv(a)' },
    ]);
    const [x, y, z] = await allRows(result);
    expect(x.s_margin).toBeCloseTo(3.11, 2);
    expect(x.total_margin).toBeCloseTo(Math.hypot(989, 601), 9);
    expect(x.twice_margin).toBeCloseTo(2 * Math.hypot(989, 601), 9);
    expect(x.v).toBeCloseTo((100 * 989) / 1.645 / 4634, 9);
    // Two zeros: one margin. A share of zero has no value and no margin.
    expect(y.total_margin).toBeCloseTo(12, 9);
    expect([y.s, y.s_margin]).toEqual([null, null]);
    // Marked as exact: the margin is zero, not unknown.
    expect(z.total_margin).toBeCloseTo(30, 9);
    expect(Object.keys(x)).not.toContain('plain_margin');
    expect(result.schema.find((field) => field.name === 's')!.margin).toBe('s_margin');
  });

  it('too wide to map are found, with the limit that was set', async () => {
    const loose = computeFields(table, [{ name: 'total', expression: 'a + b' }], { unsureAbove: 15 });
    await allRows(loose);
    expect(loose.accounts[0].findings).toMatchObject([
      { code: 'estimate-unsure', words: expect.stringContaining('2 of 3 values of total') },
    ]);
    const strict = computeFields(table, [{ name: 'total', expression: 'a + b' }], {
      unsureAbove: 1000,
      confidence: 95,
    });
    await allRows(strict);
    expect(strict.accounts[0].findings).toMatchObject([{ words: expect.stringContaining('1 of 3') }]);
    const check = sureCheck(table, 'b', 40, 90);
    for await (const batch of table.batches()) check.see(batch);
    const { findings, sentence } = check.close();
    expect(findings).toMatchObject([{ code: 'estimate-unsure', feature: 2 }]);
    expect(sentence).toBe(
      'Sure b: 3 t; 2 with a coefficient of variation up to 40 %, 1 above, 0 without a value or margin.',
    );
    expect(() => sureCheck(table, 'ward', 40, 90)).toThrowError(/no margin/);
  });

  it('find their estimates by name, by letter and by title, and follow them when they are renamed', () => {
    const paired = pairMargins([
      ...texts('GEO'),
      ...integers('H001E', 'H001M', 'households', 'households_margin'),
      { name: 'H3', type: 'integer', title: 'Households without a car' },
      { name: 'M3', type: 'integer', title: 'Margin of error, households without a car' },
      { name: 'X1', type: 'integer', title: 'Estimate: Residents' },
      { name: 'X2', type: 'integer', title: 'Residents, margin of error' },
    ]);
    expect(
      paired.filter((field) => field.margin !== undefined).map((field) => [field.name, field.margin]),
    ).toEqual([
      ['H001E', 'H001M'],
      ['households', 'households_margin'],
      ['H3', 'M3'],
      ['X1', 'X2'],
    ]);
    const kept = selectColumns(table, [
      ['a', 'cars'],
      ['a_margin', 'moe'],
    ]);
    expect(kept.schema[0]).toMatchObject({ name: 'cars', code: 'a', margin: 'moe' });
    expect(selectColumns(table, ['a']).schema[0].margin).toBeUndefined();
    const joined = joinTable(tableFrom([...texts('ward'), ...integers('a_margin')], [['x', 1]]), table, {
      on: ['ward', 'ward'],
    });
    expect(joined.schema.find((field) => field.name === 'a')!.margin).toBe('a_margin_2');
  });
});

describe('functions in expressions', () => {
  it('are guarded against division by zero, and say what they want', async () => {
    const table = tableFrom(
      [...integers('a', 'b'), ...texts('t')],
      [
        [3, 4, '1,234.5'],
        [1, 0, '0012'],
        [null, 5, 'none'],
      ],
    );
    const result = computeFields(table, [
      { name: 's', expression: 'share(a, b)' },
      { name: 'r', expression: 'rate(a, b, 1000)' },
      { name: 'c', expression: 'change(b, a)' },
      { name: 'n', expression: 'number(t)' },
    ]);
    const rows = await allRows(result);
    expect(rows.map((row) => [row.s, row.r, row.n])).toEqual([
      [75, 750, 1234.5],
      [null, null, 12],
      [null, null, null],
    ]);
    expect(rows[0].c).toBeCloseTo(100 / 3, 9);
    for (const [text, words] of [
      ['share(a)', /takes 2 in its brackets/],
      ['shar(a, b)', /no function “shar”/],
      ['density(a)', /no geometry/],
      ['cv(a)', /no margin of error/],
      ['reason(a + b)', /a field is needed/i],
      ['share(a, t)', /a number is needed/i],
    ] as const)
      expect(() => compileExpression(text, table.schema, 't')).toThrowError(words);
  });

  it('measure on the ellipsoid, whatever the projection', async () => {
    // A cell of one degree at the equator on WGS 84: 12,308.78 km² (Karney’s planimeter).
    const ring = [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
      [0, 0],
    ];
    const degrees = layerOf({
      name: 'cells',
      schema: [{ name: 'n', type: 'integer' }],
      crs: crsFromText('EPSG:4326'),
      batches: [
        new Batch({
          length: 1,
          first: 0,
          geometry: geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]),
          columns: [tableNumbers([24_617_566])],
        }),
      ],
    });
    const [row] = await allRows(
      computeFields(degrees, [
        { name: 'km2', expression: 'area_km2()' },
        { name: 'd', expression: 'density(n)' },
      ]),
    );
    expect(row.km2).toBeCloseTo(12_308.778_361, 3);
    expect(row.d).toBeCloseTo(2000, 0);
    // In UTM a square of 10 km at the central meridian is larger on the ground by the scale factor twice.
    const square = [
      [495_000, 5_000_000],
      [505_000, 5_000_000],
      [505_000, 5_010_000],
      [495_000, 5_010_000],
      [495_000, 5_000_000],
    ];
    const metres: Layer = layerOf({
      name: 'cells',
      schema: [],
      crs: crsFromText('EPSG:32626'),
      batches: [
        new Batch({
          length: 1,
          first: 0,
          geometry: geometriesFrom([{ type: 'Polygon', coordinates: [square] }]),
          columns: [],
        }),
      ],
    });
    const [cell] = await allRows(computeFields(metres, [{ name: 'km2', expression: 'area_km2()' }]));
    expect(cell.km2).toBeCloseTo(100 / 0.9996 ** 2, 4);
    expect(() =>
      computeFields({ ...metres, crs: null }, [{ name: 'x', expression: 'area_km2()' }]),
    ).toThrowError(/no CRS/);
  });

  it('reason() tells suppressed from blank', async () => {
    const marked: Field = { name: 'n', type: 'integer', marks: [{ text: '*', reason: 'suppressed' }] };
    const table = tableFrom([marked], [[1], [null], [null]], [[1, 0, 1]]);
    const rows = await allRows(computeFields(table, [{ name: 'why', expression: 'reason(n)' }]));
    expect(rows.map((row) => row.why)).toEqual([null, 'suppressed', null]);
    const [, second] = await allRows(withReasonColumns(table));
    expect(second).toEqual({ n: null, n_reason: 'suppressed' });
  });
});

function tableNumbers(values: number[]) {
  const builder = new ColumnBuilder('integer');
  for (const value of values) builder.number(value);
  return builder.finish();
}

describe('grouping', () => {
  it('sums, means and counts are those of the rows; sums of groups make the sum of all', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.tuple(
            fc.constantFrom('a', 'b', 'c'),
            fc.option(fc.integer({ min: -1e6, max: 1e6 })),
            fc.integer({ min: 1, max: 9 }),
          ),
          { minLength: 1, maxLength: 40 },
        ),
        async (rows) => {
          const table = tableFrom([...texts('g'), ...integers('x', 'w')], rows);
          const grouped = groupRows(table, {
            by: ['g'],
            compute: [
              { name: 'n', expression: 'count()' },
              { name: 'sum', expression: 'sum(x)' },
              { name: 'mean', expression: 'mean(x, w)' },
              { name: 'least', expression: 'least(x)' },
              { name: 'median', expression: 'median(x)' },
            ],
          });
          const found = await allRows(grouped);
          for (const group of found) {
            const own = rows.filter(([g]) => g === group.g);
            const there = own.filter(([, x]) => x !== null) as [string, number, number][];
            expect(group.n).toBe(own.length);
            expect(group.sum).toBe(there.length === 0 ? null : there.reduce((sum, [, x]) => sum + x, 0));
            expect(group.least).toBe(there.length === 0 ? null : Math.min(...there.map(([, x]) => x)));
            if (there.length > 0) {
              const weights = there.reduce((sum, [, , w]) => sum + w, 0);
              expect(group.mean).toBeCloseTo(there.reduce((sum, [, x, w]) => sum + x * w, 0) / weights, 6);
            }
          }
          const all = groupRows(table, { by: [], compute: [{ name: 'sum', expression: 'sum(x)' }] });
          const [whole] = await allRows(all);
          const parts = found.filter((group) => group.sum !== null);
          expect(whole.sum).toBe(
            parts.length === 0 ? null : parts.reduce((sum, group) => sum + (group.sum as number), 0),
          );
          expect(findingsOf(grouped).includes('group-incomplete')).toBe(rows.some(([, x]) => x === null));
        },
      ),
      { numRuns: 60 },
    );
  });

  it('margins go along, and mistakes are told', async () => {
    const table = tableFrom(
      [...texts('g'), { name: 'x', type: 'integer', margin: 'm' }, ...integers('m')],
      [
        ['a', 10, 3],
        ['a', 20, 4],
        ['b', 0, 12],
        ['b', 0, 5],
      ],
    );
    const rows = await allRows(
      groupRows(table, {
        by: ['g'],
        compute: [
          { name: 's', expression: 'sum(x)' },
          { name: 'k', expression: 'mean(x)' },
        ],
      }),
    );
    expect(rows).toEqual([
      { g: 'a', s: 30, s_margin: 5, k: 15, k_margin: 2.5 },
      { g: 'b', s: 0, s_margin: 12, k: 0, k_margin: 6 },
    ]);
    expect(() => groupRows(table, { by: ['g'], compute: [{ name: 's', expression: 'x' }] })).toThrowError(
      /sums nothing up/,
    );
    expect(() =>
      groupRows(table, { by: ['q'], compute: [{ name: 's', expression: 'count()' }] }),
    ).toThrowError(/no field “q”/);
    expect(() => groupRows(table, { by: [], compute: [{ name: 's', expression: 'sum(g)' }] })).toThrowError(
      /number is needed/,
    );
    expect(() =>
      groupRows(table, { by: [], compute: [{ name: 's', expression: 'sum(x, m)' }] }),
    ).toThrowError(/cannot have 2 parts/);
  });
});

describe('long and wide', () => {
  it('there and back is where it was', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(
          fc.string({ unit: fc.constantFrom('k', 'l', 'm', '0', '1'), minLength: 1, maxLength: 4 }),
          { minLength: 1, maxLength: 8 },
        ),
        fc.integer({ min: 1, max: 4 }),
        fc.array(fc.option(fc.integer({ min: -99, max: 99 })), { minLength: 32, maxLength: 32 }),
        async (keys, width, values) => {
          const names = ['households', 'persons', 'cars', 'dogs'].slice(0, width);
          const wide = tableFrom(
            [...texts('key'), ...integers(...names)],
            keys.map((key, r) => [key, ...names.map((_, c) => values[r * 4 + c])]),
          );
          const long = lengthenRows(wide, { columns: names });
          expect(await allRows(long)).toHaveLength(keys.length * width);
          const back = await widenRows(long, { by: ['variable'], value: 'value' });
          expect(back.schema.map((field) => field.name)).toEqual(['key', ...names]);
          expect(await allRows(back)).toEqual(await allRows(wide));
        },
      ),
      { numRuns: 60 },
    );
  });

  it('of a layer give tables: their rows have no place any more', async () => {
    const layer: Layer = layerOf({
      name: 'points',
      schema: integers('a', 'b'),
      crs: crsFromText('EPSG:4326'),
      batches: [
        new Batch({
          length: 1,
          first: 0,
          geometry: geometriesFrom([{ type: 'Point', coordinates: [1, 2] }]),
          columns: [tableNumbers([3]), tableNumbers([4])],
        }),
      ],
    });
    const long = lengthenRows(layer, { columns: ['a', 'b'] });
    const grouped = groupRows(layer, { by: [], compute: [{ name: 'n', expression: 'sum(a)' }] });
    expect([isLayer(long), isLayer(grouped)]).toEqual([false, false]);
    expect(await allRows(long)).toEqual([
      { variable: 'a', value: 3 },
      { variable: 'b', value: 4 },
    ]);
  });

  it('names are built from labels, marks stay beside their values, cells that come twice are told', async () => {
    const sex: Field = { name: 'SEX', type: 'text', codes: { F: 'Women', M: 'Men' } };
    const age: Field = { name: 'AGE', type: 'text', codes: { Y65: '65 years and over' } };
    const value: Field = {
      name: 'n',
      type: 'integer',
      unit: 'persons',
      marks: [{ text: 'Q', reason: 'suppressed' }],
    };
    const long = tableFrom(
      [...texts('ward'), sex, age, value],
      [
        ['1', 'F', 'Y65', 5],
        ['1', 'M', 'Y65', null],
        ['2', 'F', 'Y65', 7],
        ['2', 'F', 'Y65', 8],
      ],
      [[1, 3, 1]],
    );
    const wide = await widenRows(long, { by: ['SEX', 'AGE'], value: 'n' });
    expect(wide.schema.slice(1)).toMatchObject([
      { name: 'women_65_years_and_over', title: 'Women, 65 years and over', unit: 'persons', code: 'F.Y65' },
      { name: 'men_65_years_and_over', title: 'Men, 65 years and over' },
    ]);
    const rows = await allRows(withReasonColumns(wide));
    expect(rows[0]).toMatchObject({
      women_65_years_and_over: 5,
      men_65_years_and_over: null,
      men_65_years_and_over_reason: 'suppressed',
    });
    expect(rows[1]).toMatchObject({ women_65_years_and_over: 7, men_65_years_and_over_reason: null });
    expect(findingsOf(wide)).toEqual(['cell-twice']);
    const again = lengthenRows(wide, {
      columns: wide.schema.slice(1).map((field) => field.name),
      name: 'group',
      value: 'n',
    });
    expect((await allRows(withReasonColumns(again))).map((row) => [row.group, row.n, row.n_reason])).toEqual([
      ['women_65_years_and_over', 5, null],
      ['men_65_years_and_over', null, 'suppressed'],
      ['women_65_years_and_over', 7, null],
      ['men_65_years_and_over', null, null],
    ]);
    await expect(widenRows(long, { by: ['nix'], value: 'n' })).rejects.toMatchObject({
      code: 'field-unknown',
    });
  });
});

describe('rows that are no units', () => {
  const fields: Field[] = [{ name: 'code', type: 'text', role: 'code' }, ...texts('name'), ...integers('n')];
  const wards: Row[] = [
    ['020401', 'Upham', 5],
    ['020402', 'Lowham', 7],
    ['020403', 'Midham', 8],
    ['020404', 'Farham', 9],
  ];

  it.each([
    ['code', [...wards, ['999999', 'Country', 29]], 'code', true],
    ['label', [['000000', 'Total of all wards', 29], ...wards], 'code', true],
    ['word', [...wards, ['020499', 'Grand total', 30]], 'label', false],
    ['sum', [...wards, ['020498', 'Lakeland', 29]], 'sum', true],
  ] as [string, Row[], string, boolean][])(
    'a total is recognised by its %s, and left out when asked',
    async (_, rows, why, proved) => {
      const table = tableFrom(fields, rows);
      const kinds = await recogniseRows(table);
      expect(kinds.totals).toMatchObject([{ why, proved }]);
      expect(rowFindings(table, kinds)).toMatchObject([{ code: 'row-total', severity: 'warning' }]);
      const left = withoutTotals(table, kinds);
      expect((await allRows(left)).map((row) => row.code)).toEqual(wards.map(([code]) => code));
      expect(left.accounts[0].sentence).toBe('Totals: 5 t in; 4 kept, 1 total left out.');
    },
  );

  it('ordinary rows are not taken for totals', async () => {
    for (const rows of [
      wards,
      // A ward of that number among longer ones is a ward; a name that only begins so is a name.
      [
        ['99', 'Ninety-nine', 5],
        ['1001', 'A', 7],
        ['1002', 'B', 8],
        ['1003', 'C', 9],
      ] as Row[],
      [
        ['020401', 'Totalham', 5],
        ['020402', 'Sumner', 7],
        ['020403', 'Wholeford', 8],
        ['020404', 'Allham', 9],
      ] as Row[],
    ]) {
      const kinds = await recogniseRows(tableFrom(fields, rows));
      expect(kinds.totals).toEqual([]);
    }
  });

  it('levels are recognised by their keys or by a column, and split into tables named for them', async () => {
    const rows: Row[] = [
      ['D0204', 'Ombrey', 29],
      ['D0205', 'Lessow', 3],
      ...wards.map(([code, name, n]): Row => [`W${code}`, name, n]),
      ['W020501', 'Holm', 3],
    ];
    const byKey = await recogniseRows(tableFrom(fields, rows));
    expect(byKey.levels).toEqual([
      { name: '4 digits', rows: 2, example: 'D0204' },
      { name: '6 digits', rows: 5, example: 'W020401' },
    ]);
    const columns: Field[] = [
      ...fields,
      { name: 'LEVEL', type: 'text', codes: { D: 'District', W: 'Ward' } },
    ];
    const table = tableFrom(
      columns,
      rows.map((row): Row => [...row, String(row[0])[0]]),
      [],
      'census',
    );
    const kinds = await recogniseRows(table);
    expect(kinds.levels.map((level) => [level.name, level.rows])).toEqual([
      ['District', 2],
      ['Ward', 5],
    ]);
    expect(rowFindings(table, kinds)).toMatchObject([{ code: 'levels-several' }]);
    const split = splitLevels(table, kinds);
    expect(split.map((each) => each.name)).toEqual(['census_district', 'census_ward']);
    expect(await allRows(split[0])).toHaveLength(2);
    expect(await allRows(onlyLevel(table, kinds, 'ward'))).toHaveLength(5);
    expect(() => onlyLevel(table, kinds, 'province')).toThrowError(/no level “province”/);
  });

  it('totals over a dimension are told apart from its values', async () => {
    const table = tableFrom(
      [...texts('ward', 'SEX'), ...integers('n')],
      ['1', '2', '3'].flatMap((ward): Row[] => [
        [ward, 'F', 4],
        [ward, 'M', 5],
        [ward, '_T', 9],
      ]),
    );
    const kinds = await recogniseRows(table);
    expect(kinds.dimensionTotals).toEqual([{ field: 'SEX', value: '_T', rows: 3 }]);
    expect(await allRows(withoutTotals(table, kinds))).toHaveLength(6);
  });

  it('a table too long to be searched is told, and nothing is left out of it on that ground', async () => {
    const long = { ...tableFrom(fields, wards), count: 500_001 };
    const kinds = await recogniseRows(long);
    expect(rowFindings(long, kinds)).toMatchObject([{ code: 'rows-not-searched', severity: 'note' }]);
    expect(() => withoutTotals(long, kinds)).toThrowError(/more than 500,000 rows/);
    expect(() => onlyLevel(long, kinds, 'ward')).toThrowError(/more than 500,000 rows/);
  });

  it('a national file is cut to the units of a layer, lost zeros and long identifiers repaired', async () => {
    const units = tableFrom(texts('code'), [['020401'], ['020403'], ['020409']], [], 'wards');
    const table = tableFrom(fields, wards);
    const cut = onlyUnits(table, units, { on: ['code', 'code'] });
    expect((await allRows(cut)).map((row) => row.code)).toEqual(['020401', '020403']);
    expect(cut.accounts[0].sentence).toBe(
      'Units: 4 t in; 2 of the 3 wards, 2 of other units, 1 of the wards without a row.',
    );
    const long = tableFrom([...texts('id')], [['TE24W020401'], ['TE24W020402']]);
    expect(
      await allRows(onlyUnits(long, units, { on: ['id', 'code'], repair: 'long identifiers' })),
    ).toHaveLength(1);
    const none = onlyUnits(long, units, { on: ['id', 'code'] });
    await allRows(none);
    expect(findingsOf(none)).toEqual(['units-none']);
    // In a join the same repair is proposed with its proof, and done when asked.
    const joined = joinTable(units, { ...long, schema: texts('id') }, { on: ['code', 'id'], atLeast: 0 });
    await allRows(joined);
    expect(joined.accounts[0].findings.map((finding) => finding.code)).toEqual([
      'join-repairable',
      'join-incomplete',
    ]);
    const repaired = joinTable(units, long, { on: ['code', 'id'], repair: 'long identifiers', atLeast: 0 });
    await allRows(repaired);
    expect(repaired.accounts[0].counts.matched).toBe(1);
  });
});

describe('code books', () => {
  const table = tableFrom(
    [
      { name: 'AREA_ID', type: 'text', role: 'code' },
      { name: 'H001', type: 'integer', title: 'Households', universe: 'Private households', margin: 'M001' },
      { name: 'M001', type: 'integer', title: 'Margin of error, households', role: 'margin' },
      { name: 'H002', type: 'integer', title: 'Households on the ground floor without a car' },
      { name: 'H003', type: 'integer', title: 'Households without a car' },
      { name: 'H004', type: 'integer', title: 'Household cars' },
    ],
    [['1', 5, 1, 2, 3, 4]],
  );
  const book = codeBookOfTables([table], true);
  const codes = (words: string) => findVariables(book, words).map(({ variable }) => variable.code);

  it('find variables by code, by words in any order and form, the best first', () => {
    expect(codes('h003')).toEqual(['H003']);
    expect(codes('households without car')[0]).toBe('H003');
    expect(codes('Car HOUSEHOLDS without a').slice(0, 2)).toEqual(['H003', 'H002']);
    expect(codes('ground floor')).toEqual(['H002']);
    expect(codes('households')[0]).toBe('H001');
    expect(codes('boats')).toEqual([]);
  });

  it('choose variables with readable names; margins come along, ambiguity is told', () => {
    const chosen = chooseVariables(table, ['households', 'no_car = households without a car']);
    expect(chosen.columns).toEqual([
      ['AREA_ID', 'AREA_ID'],
      ['H001', 'households'],
      ['M001', 'households_margin'],
      ['H003', 'no_car'],
    ]);
    expect(() => chooseVariables(table, ['boats'])).toThrowError(
      expect.objectContaining({ code: 'variable-unknown' }),
    );
    const twins = tableFrom(
      [
        { name: 'a', type: 'integer', title: 'Dogs' },
        { name: 'b', type: 'integer', title: 'Dogs' },
      ],
      [[1, 2]],
    );
    expect(() => chooseVariables(twins, ['dogs'])).toThrowError(
      expect.objectContaining({ code: 'variable-unclear' }),
    );
    expect(readableName('Share of households (%) without a car, 2024')).toBe(
      'share_households_percent_without_car',
    );
    expect(readableName('65 and over')).toBe('n_65_and_over');
  });
});

describe('profiles', () => {
  it('quantiles, extremes and counts are those of the sorted values', async () => {
    fc.assert(
      fc.property(
        fc.array(fc.option(fc.double({ min: -1e6, max: 1e6, noNaN: true }).map((n) => n + 0)), {
          minLength: 1,
          maxLength: 200,
        }),
        (values) => {
          const profiler = new ColumnProfiler({ name: 'x', type: 'real' });
          const builder = new ColumnBuilder('real');
          for (const value of values) {
            if (value === null) builder.null();
            else builder.number(value);
          }
          profiler.see(builder.finish());
          const profile = profiler.close(10);
          const sorted = values.filter((value) => value !== null).sort((a, b) => a - b);
          expect(profile.blank).toBe(values.length - sorted.length);
          expect(profile.least).toBe(sorted.length === 0 ? null : sorted[0]);
          expect(profile.greatest).toBe(sorted.length === 0 ? null : sorted[sorted.length - 1]);
          expect(profile.histogram.reduce((sum, n) => sum + n, 0)).toBe(sorted.length);
          expect(profile.distinct).toBe(new Set(sorted.map(String)).size);
          if (sorted.length % 2 === 1) expect(profile.quantiles[2]).toBe(sorted[(sorted.length - 1) / 2]);
        },
      ),
    );
    const long = new ColumnProfiler({ name: 'x', type: 'integer' });
    for (let k = 0; k < 150; k++) {
      const builder = new ColumnBuilder('integer');
      for (let i = 0; i < 16_384; i++) builder.number(k * 16_384 + i);
      long.see(builder.finish());
    }
    const profile = long.close();
    expect(profile.exact).toBe(false);
    expect(profile.distinct).toBeNull();
    expect(Math.abs(profile.quantiles[2] / (150 * 8192) - 1)).toBeLessThan(0.001);
  });
});
