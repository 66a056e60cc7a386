import { dictionary } from '../../../core/dictionary.ts';
import { IsomericError } from '../../../core/errors.ts';
import { suggest } from '../../../core/nearest.ts';
import type { SheetScheme } from '../../../core/sheets/sheet-scheme.ts';
import { schemeFrom } from '../read.ts';
import { type SheetSchemeInput, sheetSchemeSchema } from '../schema.ts';
import { millionth } from './millionth.ts';
import { quadrangles } from './quadrangles.ts';
import { teskaria } from './teskaria.ts';
import { tiles } from './tiles.ts';
import { utm } from './utm.ts';

/** Sheet schemes that come with Isomeric. */
export const shippedSchemes: Readonly<Record<string, SheetSchemeInput>> = dictionary({
  millionth,
  utm,
  quadrangles,
  tiles,
  teskaria,
});

const made = new Map<string, SheetScheme>();

/**
 * A sheet scheme that comes with Isomeric.
 *
 * @throws IsomericError `sheet-scheme-unknown`
 */
export function shippedScheme(name: string): SheetScheme {
  const known = made.get(name);
  if (known !== undefined) return known;
  if (!Object.hasOwn(shippedSchemes, name))
    throw new IsomericError('sheet-scheme-unknown', `No sheet scheme “${name}” comes with Isomeric.`, {
      advice: `${suggest(name, Object.keys(shippedSchemes))} A file with a scheme of your own is named by its path.`,
      blame: 'usage',
      wrong: name,
    });
  const scheme = schemeFrom(sheetSchemeSchema.parse(shippedSchemes[name]));
  made.set(name, scheme);
  return scheme;
}
