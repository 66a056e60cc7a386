import type { Table } from '../core/layer/layer.ts';
import { onlyUnits } from '../core/layer/verbs/rows.ts';
import { parseOn } from '../core/table/keys/key-pairs.ts';
import { parseMends } from '../core/table/keys/mends.ts';
import { describeVerb } from './description.ts';
import { type Given, later, stepOf, type TableStep } from './step.ts';

export const unitsVerb = describeVerb({
  name: 'units',
  words: 'keep only the rows of the units of a layer',
  takes: 'table',
  own: 'units',
  options: {
    units: {
      kind: 'table',
      words: 'the layer with the units',
      required: true,
      command: 'argument',
      gathered: true,
    },
    on: {
      kind: 'keys',
      words: 'the fields that must be equal: TABLE_FIELD = UNIT_FIELD',
      sign: 'keys',
      required: true,
    },
    repair: {
      kind: 'mends',
      words: 'what is done to the keys before they are compared: "leading zeros"',
      sign: 'what',
    },
  },
  examples: [
    {
      command:
        'isomeric units data/statistics-office/HOUSING.csv data/boundary-office/wards-2024.geojson --on "area_code = code" --out ours.csv',
      study: '- units: wards\n  on: area_code = code',
      program: "units(wards, 'area_code = code')",
    },
  ],
  apply: (given, { units, on, repair }) => onlyUnits(given, units, { on, repair }),
});

/**
 * Keeps only the rows of the units of a layer: a table of a whole country cut to the study's part of it.
 *
 * @param on `'area_code = code'`: a field of the table, a field of the units
 */
export function units(layer: Given<Table>, on: string, options: { repair?: string } = {}): TableStep {
  const other = later(layer);
  return stepOf(unitsVerb, async () => ({
    repair: options.repair === undefined ? undefined : parseMends(options.repair),
    units: await other,
    on: parseOn(on),
  }));
}
