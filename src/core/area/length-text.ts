import { IsomericError } from '../errors.ts';
import { lengthUnits, perUnit } from '../geometry/measure/units.ts';

/**
 * `500 m`, `2 km`, `-200 m`, `0.5 mi`, or a number of metres → metres.
 *
 * @throws IsomericError `length-text`, `unit-unknown`
 */
export function metresFromText(text: string): number {
  const parts = /^([+\-−]?\d+(?:\.\d*)?|[+\-−]?\.\d+)(?:\s*(\p{L}+))?$/u.exec(text.trim().slice(0, 60));
  if (parts === null)
    throw new IsomericError('length-text', `“${text}” is no length.`, {
      advice: `Write a number and a unit: 500 m, 2 km. There are ${Object.keys(lengthUnits).join(', ')}.`,
      blame: 'usage',
      wrong: text,
    });
  return Number(parts[1].replace('−', '-')) * perUnit(parts[2] ?? 'm', lengthUnits);
}

/** `500 m`, `2 km`, `12.5 km` */
export function lengthText(metres: number): string {
  const [value, unit] = Math.abs(metres) >= 1000 ? [metres / 1000, 'km'] : [metres, 'm'];
  return `${Number(value.toPrecision(6))} ${unit}`;
}
