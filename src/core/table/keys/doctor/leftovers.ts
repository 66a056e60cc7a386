import { counted, grouped } from '../../../account.ts';

/** Why keys found no partner, where no repair would help. */
export interface LeftoverReason {
  reason: 'total' | 'finer' | 'coarser' | 'vintage' | 'ambiguous';
  /** Keys that it explains. */
  keys: number;
  words: string;
}

const totalCode = /^(_T|_Z|TOT|TOTAL|ALL|SUM|9{2,}|0{2,})$/i;
const totalWords = /^\W*(grand |over|sub-?)?(total|sum|insgesamt|ensemble)\b/i;

/** Does a key name all units together? */
export const isTotalKey = (key: string): boolean => totalCode.test(key) || totalWords.test(key);

/** The form of a key: its length, and where letters and digits are: `A0-000`. */
const formOf = (key: string) => key.replace(/\p{L}/gu, 'A').replace(/\d/g, '0');

/** The form that most keys have, and the share of them that has it. */
function usualForm(keys: readonly string[]): { form: string; share: number } {
  const times = new Map<string, number>();
  for (const key of keys) times.set(formOf(key), (times.get(formOf(key)) ?? 0) + 1);
  const [form, most] = [...times].reduce((best, each) => (each[1] > best[1] ? each : best), ['', 0]);
  return { form, share: most / Math.max(1, keys.length) };
}

/** Keys of a leftover side that are the beginning of some of the other; null where hardly any is. */
function beginnings(short: readonly string[], long: readonly string[]): number {
  const width = Math.max(0, ...short.map((key) => key.length));
  const starts = new Set<string>();
  for (const key of long)
    for (let length = 1; length < Math.min(key.length, width + 1); length++) starts.add(key.slice(0, length));
  return short.filter((key) => starts.has(key)).length;
}

interface Leftovers {
  layer: string;
  table: string;
  /** Keys that met. */
  matched: readonly string[];
  /** Keys of the layer and of the table that did not. */
  lonely: readonly string[];
  over: readonly string[];
}

/** Words for what is left of two sides after their keys have been held against each other: totals, another level, another vintage. */
export function explainLeftovers({ layer, table, matched, lonely, over }: Leftovers): LeftoverReason[] {
  const reasons: LeftoverReason[] = [];
  const totals = over.filter(isTotalKey);
  if (totals.length > 0)
    reasons.push({
      reason: 'total',
      keys: totals.length,
      words: `${counted(totals.length, 'key', 'keys')} of ${table} ${totals.length === 1 ? 'is' : 'are'} of a total (${totals.slice(0, 3).join(', ')}).`,
    });
  const rest = over.filter((key) => !totals.includes(key));
  const units = matched.length > 0 ? matched : lonely;
  const coarser =
    units.length === 0
      ? 0
      : beginnings(
          rest.filter((key) => key.length < (units[0]?.length ?? 0)),
          units,
        );
  if (coarser > 0 && coarser * 3 >= Math.min(rest.length, units.length / 3))
    reasons.push({
      reason: 'coarser',
      keys: coarser,
      words: `${counted(coarser, 'key', 'keys')} of ${table} ${coarser === 1 ? 'is' : 'are'} shorter, and keys of ${layer} begin with ${coarser === 1 ? 'it' : 'them'}: rows of a level above.`,
    });
  const begun =
    lonely.length === 0
      ? 0
      : beginnings(
          lonely,
          rest.filter((key) => key.length > lonely[0].length),
        );
  if (begun > 0 && begun * 2 >= lonely.length)
    reasons.push({
      reason: 'finer',
      keys: begun,
      words: `Keys of ${table} begin with ${begun === lonely.length ? 'those' : grouped(begun)} of ${layer} that found nothing: it is of a level below, and its rows could be summed by their first ${lonely[0].length} signs.`,
    });
  const vintage = ofAnotherVintage(matched, lonely, rest);
  if (vintage)
    reasons.push({
      reason: 'vintage',
      keys: lonely.length,
      words: `Keys that found nothing look on both sides like those that met (${lonely[0]}, ${rest.find((key) => formOf(key) === formOf(lonely[0]))}): one side is of another vintage. ${grouped(matched.length)} keys are in both, ${grouped(lonely.length)} in ${layer} alone; a crosswalk would move the figures.`,
    });
  return reasons;
}

/** Have all three the same form, and do enough meet that both are codes of one kind? */
function ofAnotherVintage(
  matched: readonly string[],
  lonely: readonly string[],
  over: readonly string[],
): boolean {
  if (matched.length < 5 || lonely.length < 2 || over.length === 0) return false;
  if (matched.length < 0.25 * (matched.length + lonely.length)) return false;
  const usual = usualForm(matched);
  if (usual.share < 0.8) return false;
  // Of a table of a whole country many keys are left over, which are of other places: they begin otherwise, or are many more.
  const width = Math.ceil((2 * matched[0].length) / 3);
  const starts = new Set(matched.map((key) => key.slice(0, width)));
  const form = (key: string) => formOf(key) === usual.form;
  const units = matched.length + lonely.length;
  if (lonely.length > 0.2 * units && over.length < units)
    return lonely.filter(form).length > 0.5 * lonely.length && over.filter(form).length > 0.5 * lonely.length;
  const alike = (key: string) => form(key) && starts.has(key.slice(0, width));
  return (
    lonely.filter(alike).length >= 0.5 * lonely.length &&
    over.filter(alike).length >= Math.max(1, 0.3 * lonely.length)
  );
}
