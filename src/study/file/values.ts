import { purposeFromText } from '../../core/crs/best-crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import { parseDays } from '../../core/field/days.ts';
import { parseNames } from '../../core/field/names.ts';
import { parseMany } from '../../core/layer/joining/many-rows.ts';
import { parseClasses } from '../../core/mapping/classes.ts';
import { rampColours } from '../../core/mapping/colours.ts';
import { aggregateParts } from '../../core/table/aggregates.ts';
import { parseExpression } from '../../core/table/cql2/parse.ts';
import { parseKeyPairs, parseOn } from '../../core/table/keys/key-pairs.ts';
import { parseMends } from '../../core/table/keys/mends.ts';
import { ending } from '../../formats/opening/names.ts';
import type { Mistake } from '../../formats/settings/mistake.ts';
import type { Path, Places } from '../../formats/settings/places.ts';
import { periodOf } from '../../sources/choices.ts';
import { type Raw, valuesAt } from './raw.ts';

/** Is a CRS said by a file of the study folder? */
export const isCrsFile = (text: string): boolean => ['prj', 'wkt', 'txt'].includes(ending(text));

/** Reads a value as it will be read later; raises what is wrong with it. */
type Read = (text: string) => unknown;

const crs: Read = (text) => isCrsFile(text) || crsFromText(text);
/** A figure of many rows, whose brackets may hold a condition, or an expression. */
const figure: Read = (text) => {
  for (const part of aggregateParts(text) ?? [text]) parseExpression(part);
};
const check: Read = (text) =>
  /^(valid|crs|meets the area|(key|sure):.*)$/.test(text) || parseExpression(text);
const date: Read = (text) => {
  if (/^\d{4}-\d{2}-\d{2}$/.test(text) && Number.isNaN(Date.parse(`${text}T00:00:00Z`)))
    throw new IsomericError('study-value', `${text} is no day of the calendar.`, {
      blame: 'usage',
      wrong: text,
    });
};

/** Values whose text can be read before there are data: what is wrong in them need not wait for the gathering. */
const readable: readonly { at: readonly string[]; read: Read }[] = [
  { at: ['crs'], read: (text) => purposeFromText(text) ?? crs(text) },
  ...[['area'], ['area', 'together', '*'], ['area', 'without', '*']].flatMap((way) => [
    { at: [...way, 'units', 'where'], read: parseExpression },
    { at: [...way, 'where'], read: parseExpression },
    { at: [...way, 'in crs'], read: crs },
  ]),
  { at: ['gather', '*', 'crs'], read: crs },
  { at: ['gather', '*', 'where'], read: parseExpression },
  { at: ['gather', '*', 'on'], read: parseOn },
  { at: ['gather', '*', 'period'], read: periodOf },
  ...['waypoints', 'tracks', 'routes', 'photos'].flatMap((kind) => [
    { at: ['gather', '*', kind], read: parseNames },
    { at: ['gather', '*', kind, '*'], read: parseNames },
  ]),
  { at: ['gather', '*', 'days'], read: (text: string) => parseDays(text) },
  { at: ['gather', '*', 'days', '*'], read: (text: string) => parseDays(text) },
  { at: ['sources', '*', 'agreed'], read: date },
  { at: ['prepare', '*', '*', 'where'], read: parseExpression },
  { at: ['prepare', '*', '*', 'on'], read: parseKeyPairs },
  { at: ['prepare', '*', '*', 'repair'], read: parseMends },
  { at: ['prepare', '*', '*', 'many'], read: parseMany },
  { at: ['prepare', '*', '*', 'compute', '*'], read: figure },
  { at: ['prepare', '*', '*', 'group', 'compute', '*'], read: figure },
  { at: ['prepare', '*', '*', 'classify', '*'], read: parseExpression },
  { at: ['check', '*', '*'], read: check },
  { at: ['deliver', 'crs'], read: crs },
  { at: ['deliver', 'crs', '*'], read: crs },
  { at: ['draw', '*', 'classes'], read: parseClasses },
  { at: ['draw', '*', 'colours'], read: (text) => rampColours(text, 1) },
];

/** Values that cannot be read: expressions, CRSs, classes, colours, keys of joins. */
export function valueMistakes(study: Raw, places: Places): Mistake[] {
  const mistakes: Mistake[] = [];
  for (const { at, read } of readable)
    for (const { path, value } of valuesAt(study, at)) {
      if (typeof value !== 'string' && typeof value !== 'number') continue;
      try {
        read(String(value));
      } catch (error) {
        if (!(error instanceof IsomericError)) throw error;
        mistakes.push(mistakeFrom(error, path, places));
      }
    }
  return mistakes;
}

/** An error of what stands at a path, as a mistake at the word that is wrong. */
export function mistakeFrom(error: IsomericError, path: Path, places: Places): Mistake {
  const { code, message, advice } = error;
  return { code, words: message, advice, place: places.value(path, error.wrong), rank: 'value' };
}
