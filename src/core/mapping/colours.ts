import {
  interpolateBuPu,
  interpolateCividis,
  interpolateGreys,
  interpolateOrRd,
  interpolateYlGnBu,
  interpolateYlOrBr,
} from 'd3-scale-chromatic';
import { dictionary } from '../dictionary.ts';
import { IsomericError } from '../errors.ts';
import { suggest } from '../nearest.ts';

/**
 * Colour ramps for ordered classes. In all of them lightness falls steadily, so that they can be read without telling
 * hues apart (by colour-blind people, in grey prints).
 */
const ramps: Readonly<Record<string, { of: (t: number) => string; from: number; to: number }>> = dictionary({
  lagoon: { of: interpolateYlGnBu, from: 0.08, to: 0.95 },
  amber: { of: interpolateYlOrBr, from: 0.08, to: 0.92 },
  ember: { of: interpolateOrRd, from: 0.08, to: 0.95 },
  heather: { of: interpolateBuPu, from: 0.1, to: 0.95 },
  night: { of: (t) => interpolateCividis(1 - t), from: 0.02, to: 1 },
  grey: { of: interpolateGreys, from: 0.12, to: 0.85 },
});

/** Names of the colour ramps. */
export const rampNames: readonly string[] = Object.keys(ramps);

/** `#rrggbb` for each of `count` classes, light to dark. */
export function rampColours(name: string, count: number): string[] {
  const ramp = ramps[name];
  if (ramp === undefined) {
    throw new IsomericError('colours-unknown', `There are no colours “${name}”.`, {
      blame: 'usage',
      advice: suggest(name, rampNames),
      wrong: name,
    });
  }
  return Array.from({ length: count }, (_, k) =>
    hex(
      ramp.of(
        count === 1 ? (ramp.from + ramp.to) / 2 : ramp.from + ((ramp.to - ramp.from) * k) / (count - 1),
      ),
    ),
  );
}

function hex(colour: string): string {
  const numbers = colour.match(/\d+/g);
  if (colour.startsWith('#') || numbers === null) return colour;
  return `#${numbers
    .slice(0, 3)
    .map((n) => Number(n).toString(16).padStart(2, '0'))
    .join('')}`;
}

/** Relative luminance (WCAG 2.1) of `#rrggbb`, 0 … 1. */
export function luminance(colour: string): number {
  const channel = (at: number) => {
    const v = Number.parseInt(colour.slice(at, at + 2), 16) / 255;
    return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  };
  return 0.2126 * channel(1) + 0.7152 * channel(3) + 0.0722 * channel(5);
}
