import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type ClassifyOptions, classifyFeatures, joinTable } from '../../../src/core/index.ts';
import { layerWith, read } from '../../support/layer-of.ts';

const soils = layerWith(
  [null, null, null, null],
  { unit: ['101', '102', '103', '104'], clay: [50, 10, 25, null], sand: [20, 80, 40, 10] },
  { name: 'soils' },
);
const made = async (options: ClassifyOptions, layer = soils) => {
  const { rows, account, layer: result } = await read(classifyFeatures(layer, options));
  return { classes: rows.map((row) => row[options.as ?? 'class']), account, schema: result.schema };
};

describe('classify', () => {
  it('takes the first rule that holds, and tells what has none', async () => {
    const { classes, account, schema } = await made({
      rules: [
        { name: 'clay', rule: 'clay >= 40' },
        { name: 'sand', rule: 'clay < 40 AND sand >= 70' },
        { name: 'loam', rule: 'clay < 40 AND sand < 70' },
      ],
      as: 'texture',
    });
    expect(classes).toEqual(['clay', 'sand', 'loam', null]);
    expect(account.sentence).toBe('Classify: 4 soils in; 3 in 3 classes, 1 without a class.');
    expect(account.notes).toEqual(['Classes: clay 1, sand 1, loam 1.']);
    expect(account.findings).toMatchObject([
      { code: 'class-none', words: 'No rule holds for 1 feature (4); they have no class.' },
    ]);
    expect(schema[schema.length - 1].description).toContain('clay where clay >= 40');
  });

  it('tells rules that overlap, and classes that nothing has', async () => {
    const { classes, account } = await made({
      rules: [
        { name: 'heavy', rule: 'clay > 20' },
        { name: 'sandy', rule: 'sand > 30' },
        { name: 'peat', rule: 'clay < 0' },
      ],
      otherwise: 'unknown',
    });
    expect(classes).toEqual(['heavy', 'sandy', 'heavy', 'unknown']);
    expect(account.findings.map(({ code, words }) => [code, words])).toEqual([
      ['class-overlap', 'The rules of heavy and sandy both hold for 1 feature (3): the first one was taken.'],
      ['class-none', 'No rule holds for 1 feature (4); they are called unknown.'],
    ]);
    expect(account.notes.join(' ')).toContain('peat has no feature.');
  });

  it('merges categories, and counts the values that are in none', async () => {
    const uses = layerWith(
      Array.from({ length: 6 }, () => null),
      { use: ['river', 'lake', 'house', 'wood', 'wood', 'moor'] },
      { name: 'uses' },
    );
    const { classes, account } = await made(
      {
        rules: [
          { name: 'Water', rule: ['river', 'lake'] },
          { name: 'Built', rule: ['house'] },
        ],
        of: 'use',
      },
      uses,
    );
    expect(classes).toEqual(['Water', 'Water', 'Built', null, null, null]);
    expect(account.findings[0].words).toBe(
      'No rule holds for 3 features (wood 2, moor 1); they have no class.',
    );
  });

  it('refuses rules that are none', async () => {
    const refused = async (options: Partial<ClassifyOptions>, code: string) =>
      expect(async () =>
        classifyFeatures(soils, { rules: [{ name: 'a', rule: 'clay > 1' }], ...options }),
      ).rejects.toMatchObject({ code });
    await refused({ rules: [] }, 'class-rules-missing');
    await refused({ rules: [{ name: 'a', rule: 'clay + 1' }] }, 'expression-type');
    await refused({ rules: [{ name: 'a', rule: 'loam > 1' }] }, 'field-unknown');
    await refused({ rules: [{ name: 'a', rule: ['x'] }] }, 'class-values-of');
    await refused(
      {
        rules: [
          { name: 'a', rule: 'clay > 1' },
          { name: 'a', rule: 'clay < 1' },
        ],
      },
      'class-twice',
    );
  });

  it('finds gaps and overlaps of any bounds, as a look at each value does', async () => {
    const bound = fc.integer({ min: 0, max: 20 });
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(bound, bound), { minLength: 1, maxLength: 5 }), async (ranges) => {
        const values = Array.from({ length: 21 }, (_, k) => k);
        const layer = layerWith(
          values.map(() => null),
          { n: values },
          { name: 'values' },
        );
        const { classes, account } = await made(
          { rules: ranges.map(([from, to], k) => ({ name: `c${k}`, rule: `n >= ${from} AND n < ${to}` })) },
          layer,
        );
        const holding = values.map((value) =>
          ranges.flatMap(([from, to], k) => (value >= from && value < to ? [k] : [])),
        );
        expect(classes).toEqual(holding.map(([first]) => (first === undefined ? null : `c${first}`)));
        expect(account.counts.unclassified).toBe(holding.filter((each) => each.length === 0).length);
        expect(account.findings.some(({ code }) => code === 'class-overlap')).toBe(
          holding.some((each) => each.length > 1),
        );
      }),
      { numRuns: 60 },
    );
  });
});

it('a unit code finds its class through a table with many rows a code: the dominant one, or weighted means', async () => {
  const parts = layerWith(
    Array.from({ length: 5 }, () => null),
    {
      unit: ['101', '101', '102', '102', '103'],
      soil: ['till', 'peat', 'sand', 'silt', 'clay'],
      share: [70, 30, 40, 60, 100],
      clay: [10, 40, 0, 20, 60],
    },
    { name: 'look_up' },
  );
  const dominant = joinTable(soils, parts, {
    on: ['unit', 'unit'],
    columns: ['soil'],
    many: 'greatest by share',
  });
  expect((await read(dominant)).rows.map((row) => row.soil)).toEqual(['till', 'silt', 'clay', null]);
  const mean = joinTable(soils, parts, {
    on: ['unit', 'unit'],
    columns: [['clay', 'mean_clay']],
    many: 'mean by share',
  });
  expect((await read(mean)).rows.map((row) => row.mean_clay)).toEqual([19, 12, 60, null]);
  const listed = joinTable(soils, parts, { on: ['unit', 'unit'], columns: ['soil'], many: 'list' });
  expect((await read(listed)).rows.map((row) => row.soil)).toEqual([
    'till; peat',
    'sand; silt',
    'clay',
    null,
  ]);
});
