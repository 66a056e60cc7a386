import { IsomericError } from '../../errors.ts';
import { suggest } from '../../nearest.ts';

/** Metres in units of length. */
export const lengthUnits: Readonly<Record<string, number>> = {
  m: 1,
  km: 1000,
  ft: 0.3048,
  mi: 1609.344,
  nmi: 1852,
};

/** Square metres in units of area. */
export const areaUnits: Readonly<Record<string, number>> = {
  m2: 1,
  ha: 10_000,
  km2: 1_000_000,
  ac: 4046.8564224,
  mi2: 2_589_988.110336,
};

/**
 * What one unit of a name counts, in metres or square metres. `m²` is m2.
 *
 * @throws IsomericError `unit-unknown`
 */
export function perUnit(name: string, units: Readonly<Record<string, number>>): number {
  const plain = name.replace('²', '2');
  if (Object.hasOwn(units, plain)) return units[plain];
  const names = Object.keys(units);
  throw new IsomericError('unit-unknown', `“${name}” is no unit that is known here.`, {
    blame: 'usage',
    wrong: name,
    advice: `${suggest(plain, names)} There are ${names.join(', ')}.`.trim(),
  });
}
