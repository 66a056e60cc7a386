import type { Mend, Side } from '../mends.ts';

/** Keys that are looked at to see what could be taken of them. */
const looked = 400;

/** A spread of at most `most` of some texts. */
export function spread<T>(list: readonly T[], most: number): readonly T[] {
  if (list.length <= most) return list;
  const step = list.length / most;
  return Array.from({ length: most }, (_, k) => list[Math.floor(k * step)]);
}

/** What all of some texts begin with. */
function commonStart(texts: readonly string[]): string {
  let start = texts[0] ?? '';
  for (const text of texts) {
    let k = 0;
    while (k < start.length && start[k] === text[k]) k++;
    start = start.slice(0, k);
    if (k === 0) break;
  }
  return start;
}

const reversed = (text: string) => [...text].reverse().join('');

/** A text before the digits that it ends in. */
function withoutLastDigits(text: string): string {
  let end = text.length;
  while (end > 0 && text[end - 1] >= '0' && text[end - 1] <= '9') end--;
  return text.slice(0, end);
}

/** Lengths that at least a fifth of some texts have; with the next greater ones where they are numbers. */
function usualLengths(texts: readonly string[], digits: boolean): number[] {
  const times = new Map<number, number>();
  for (const text of texts) times.set(text.length, (times.get(text.length) ?? 0) + 1);
  const usual = [...times].filter(([, count]) => 5 * count >= texts.length).map(([length]) => length);
  // Digits may have lost a zero: then one more of the other side's belong to them.
  return digits ? [...new Set([...usual, ...usual.map((length) => length + 1)])] : usual;
}

/** The zeros that numbers of one side lost: all are digits, none begins with 0, and some are one shorter than the most. */
export function lostZeros(keys: readonly string[], side: Side): Mend | null {
  const texts = spread(keys, 2000);
  if (texts.length < 3 || !texts.every((text) => /^[1-9][0-9]*$/.test(text))) return null;
  const number = texts.reduce((most, text) => Math.max(most, text.length), 0);
  const whole = texts.filter((text) => text.length === number).length;
  const short = texts.filter((text) => text.length === number - 1).length;
  // Counts from 1 on have all lengths; codes that lost zeros hardly more than two.
  return short > 0 && number > 2 && whole + short > 0.98 * texts.length
    ? { kind: 'leading zeros', side, number }
    : null;
}

/** Words of many lengths: as many signs of their ends as other names have are no names. */
function areNames(texts: readonly string[]): boolean {
  const worded = texts.filter((text) => /\p{L}{3}/u.test(text)).length;
  return worded > 0.5 * texts.length && new Set(texts.map((text) => text.length)).size > 2;
}

const separators = ['-', '/', '_', '.', ':', '|', ' ', ' - ', ' / ', '(', ','];

/** One of the parts that keys fall into at a separator which nearly all of them have. */
function partsAt(texts: readonly string[], side: Side): Mend[] {
  return separators.flatMap((text): Mend[] => {
    const counts = texts.map((each) => each.split(text).length);
    const some = counts.filter((count) => count > 1).length;
    if (some < 0.6 * texts.length) return [];
    const most = Math.min(
      4,
      counts.reduce((a, b) => Math.max(a, b), 1),
    );
    const mends: Mend[] = Array.from({ length: most }, (_, k) => ({
      kind: 'part' as const,
      side,
      number: k + 1,
      text,
    }));
    if (counts.some((count) => count !== counts[0])) mends.push({ kind: 'last part', side, text });
    return mends;
  });
}

/** A start or an end that all keys share; digits of it may belong to what tells them apart, so it ends before them. */
function shared(texts: readonly string[], side: Side): Mend[] {
  if (texts.length < 3) return [];
  const mends: Mend[] = [];
  const start = withoutLastDigits(commonStart(texts));
  if (start !== '') mends.push({ kind: 'prefix', side, text: start });
  const end = reversed(commonStart(texts.map(reversed))).replace(/^\d+/, '');
  if (end !== '') mends.push({ kind: 'suffix', side, text: end });
  return mends;
}

/**
 * What could be taken of the keys of one side so that it equals those of the other: as many last or first signs as those have, a
 * part at a separator, what is left without a common start or end, the digits at the end.
 */
export function extractsOf(own: readonly string[], other: readonly string[], side: Side): Mend[] {
  const texts = spread(own, looked);
  const others = spread(other, looked);
  const longest = texts.reduce((most, text) => Math.max(most, text.length), 0);
  const mends: Mend[] = [];
  const codes = !areNames(texts);
  // Of one or two signs nearly every long text has some at its end.
  for (const number of codes
    ? usualLengths(
        others.map((text) => text.trim()),
        others.every((text) => /^\d+$/.test(text.trim())),
      )
    : [])
    if (number >= 2 && number < longest)
      mends.push(...(number >= 3 ? [{ kind: 'last signs' as const, side, number }] : []), {
        kind: 'first signs',
        side,
        number,
      });
  mends.push(...shared(texts, side), ...partsAt(texts, side));
  if (
    texts.filter((text) => ![0, text.length].includes(withoutLastDigits(text).length)).length >
    0.6 * texts.length
  )
    mends.push({ kind: 'digits at the end', side });
  return mends;
}
