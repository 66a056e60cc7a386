import { describe, expect, it } from 'vitest';
import { chooseUnits, type UnitChoice } from '../../../src/core/area/choose-units.ts';
import { Hierarchy, type ParentRule } from '../../../src/core/area/hierarchy.ts';
import { IsomericError } from '../../../src/core/errors.ts';
import type { GeometryObject } from '../../../src/core/geometry/object-view.ts';
import { layerWith } from '../../support/layer-of.ts';

const square = (x: number, y: number, side: number): GeometryObject => ({
  type: 'Polygon',
  coordinates: [
    [
      [x, y],
      [x + side, y],
      [x + side, y + side],
      [x, y + side],
      [x, y],
    ],
  ],
});

const districts = layerWith(
  [square(0, 0, 10), square(10, 0, 10), square(20, 0, 10)],
  { code: ['01', '02', '03'], name: ['Ombrey', 'Norrick', 'Élsay'] },
  { name: 'districts' },
);
const wards = (more: Record<string, (string | null)[]> = {}) =>
  layerWith(
    [square(0, 0, 5), square(5, 0, 5), square(0, 5, 10), square(10, 0, 5), square(15, 0, 5)],
    {
      code: ['0101', '0102', '0103', '0201', '0202'],
      name: ['Weir End', 'Salt Flats', 'Old Town', 'Weir End', 'Mill Yard'],
      ...more,
    },
    { name: 'wards' },
  );

async function hierarchy(
  layers = [districts, wards()],
  parents: (ParentRule | undefined)[] = [],
): Promise<Hierarchy> {
  return Hierarchy.read({
    levels: layers,
    keys: layers.map(() => 'code'),
    names: layers.map(() => 'name'),
    parents: layers.map((_, k) => parents[k]),
  });
}

async function codes(choice: UnitChoice, own?: Hierarchy): Promise<string[]> {
  const made = own ?? (await hierarchy());
  return chooseUnits(made, choice).units.map((n) => made.units[n].code);
}

async function told(choice: UnitChoice, own?: Hierarchy): Promise<IsomericError> {
  try {
    await codes(choice, own);
  } catch (error) {
    if (error instanceof IsomericError) return error;
    throw error;
  }
  throw new Error('it was chosen');
}

describe('units', () => {
  it('are picked by code and by name, without letter case and accents', async () => {
    expect(await codes({ codes: ['0102', '02'] })).toEqual(['0102', '02']);
    expect(await codes({ names: ['OMBREY', 'elsay', 'salt  flats'] })).toEqual(['01', '03', '0102']);
  });

  it('of one name are told apart by the unit above, by its name or its code', async () => {
    const error = await told({ names: ['Weir End'] });
    expect(error.code).toBe('unit-ambiguous');
    expect(error.message).toBe(
      '2 units are called “Weir End”: 0101 of wards, in 01 (Ombrey); 0201 of wards, in 02 (Norrick).',
    );
    expect(error.advice).toContain('“Weir End, Ombrey”');
    expect(await codes({ names: ['weir end, norrick'] })).toEqual(['0201']);
    expect(await codes({ names: ['Weir End, 01'] })).toEqual(['0101']);
    expect((await told({ names: ['Weir End, Élsay'] })).code).toBe('unit-unknown');
  });

  it('that are not there are told with the nearest names and codes', async () => {
    expect((await told({ names: ['Ombray'] })).advice).toBe('Did you mean “Ombrey”?');
    expect((await told({ names: ['Flats'] })).advice).toContain('“Salt Flats”');
    expect((await told({ codes: ['0109'] })).message).toBe('districts, wards have no unit with code 0109.');
    expect((await told({ codes: ['1'] }, await hierarchy([districts]))).message).toContain(
      'districts has no unit',
    );
  });

  it('below others are found down to a level, or to the finest; what has none stays itself', async () => {
    expect(await codes({ names: ['Ombrey', 'Norrick'], downTo: 'wards' })).toEqual([
      '0101',
      '0102',
      '0103',
      '0201',
      '0202',
    ]);
    const own = await hierarchy();
    const chosen = chooseUnits(own, { codes: ['02', '03'], downTo: 'finest' });
    expect(chosen.units.map((n) => own.units[n].code)).toEqual(['0201', '0202', '03']);
    expect(chosen.notes).toEqual([
      '1 unit has no wards below, and stands itself: 03 (Élsay).',
      'Nothing finer than wards is there.',
    ]);
    expect((await told({ codes: ['01'], downTo: 'cells' })).message).toBe(
      'There is no level “cells”: the finest is wards.',
    );
  });

  it.each([
    [
      'by a field that holds their codes',
      wards({ district: ['01', '01', '01', '02', '02'] }),
      undefined,
      'the field district',
    ],
    ['by how codes begin', wards(), undefined, 'how their codes begin'],
    [
      'by how codes begin, when told',
      wards({ district: ['01', '01', '01', '02', '02'] }),
      'codes',
      'how their codes begin',
    ],
    [
      'by where they lie',
      layerWith(
        [square(1, 1, 5), square(12, 1, 2)],
        { code: ['x', 'y'], name: ['a', 'b'] },
        { name: 'wards' },
      ),
      undefined,
      'where they lie',
    ],
    [
      'by a field that is named',
      wards({ lies_in: ['01', '01', '02', '02', '02'] }),
      { field: 'lies_in' },
      'the field lies_in',
    ],
  ] as const)('know the unit above %s', async (_, layer, rule, words) => {
    const own = await hierarchy([districts, layer], [undefined, rule]);
    expect(own.words[0]).toBe(`wards know their districts by ${words}`);
    const first = own.units.findIndex(({ level }) => level === 1);
    expect(own.units[own.units[first].parent].code).toBe('01');
  });

  it('of a layer with several levels are found by the field of the unit above', async () => {
    const layer = layerWith(
      [square(0, 0, 20), square(0, 0, 10), square(10, 0, 10), square(0, 0, 5), square(5, 0, 5)],
      {
        code: ['P', 'D1', 'D2', 'W1', 'W2'],
        name: ['Land', 'Ombrey', 'Norrick', 'a', 'b'],
        parent: [null, 'P', 'P', 'D1', 'D1'],
      },
      { name: 'units' },
    );
    const own = await hierarchy([layer], [{ field: 'parent' }]);
    expect(await codes({ names: ['Land'], downTo: 'finest' }, own)).toEqual(['W1', 'W2', 'D2']);
    expect(await codes({ codes: ['D1'] }, own)).toEqual(['D1']);
  });

  it('of several features are one unit', async () => {
    const layer = layerWith(
      [square(0, 0, 5), square(50, 0, 5)],
      { code: ['A', 'A'], name: ['Isles', 'Isles'] },
      { name: 'units' },
    );
    const own = await hierarchy([layer]);
    const { units } = chooseUnits(own, { names: ['isles'] });
    expect(own.units[units[0]].features).toEqual([0, 1]);
  });
});
