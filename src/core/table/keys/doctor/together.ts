import type { JoinKeys, KeyPair } from '../key-pairs.ts';
import { spread } from './extracts.ts';
import type { KeyColumn, KeyColumns } from './key-columns.ts';
import { loosest } from './loosest.ts';

/** Rows from which it is seen whether two fields together make a key. */
const mostTried = 300;
/** Widths that a part of a code may have. */
const mostWidth = 9;

/** Two fields of one table, as parts of a key. */
interface Parts {
  first: number;
  second: number;
  width?: [number, number];
  met: number;
}

/** May a field be a part of a code: short, and not a name? */
const mayBePart = ({ keys }: KeyColumn) =>
  spread(keys, 50).every((key) => key.length <= mostWidth && /^[\p{L}\p{N}]+$/u.test(key.trim()));

const longest = ({ keys }: KeyColumn) => keys.reduce((most, key) => Math.max(most, key.trim().length), 0);

/** Share of rows whose two fields, put together, are a key of the other side. */
function tried(
  rows: readonly (readonly (string | null)[])[],
  { first, second, width }: Omit<Parts, 'met'>,
  whole: KeyColumn,
): number {
  let met = 0;
  let all = 0;
  const hit = new Set<number>();
  for (const row of rows) {
    const [a, b] = [row[first]?.trim(), row[second]?.trim()];
    if (a === undefined || b === undefined) continue;
    all++;
    const key = width === undefined ? a + b : a.padStart(width[0], '0') + b.padStart(width[1], '0');
    const partner = whole.loose.get(loosest(key));
    if (partner === undefined) continue;
    met++;
    hit.add(partner);
  }
  // A key that most rows share would meet whatever stands beside it.
  return all === 0 || hit.size < 0.5 * Math.min(met, whole.keys.length) ? 0 : met / all;
}

/** The two fields of a table that make the keys of a field of another best, if any do. */
function bestParts(parts: KeyColumns, whole: KeyColumn): Parts | null {
  const rows = spread(parts.sample, mostTried);
  const places = parts.columns.flatMap((column, c) => (mayBePart(column) ? [c] : []));
  const lengths = new Set(spread(whole.keys, 200).map((key) => key.trim().length));
  const total = lengths.size === 1 ? [...lengths][0] : 0;
  let best: Parts | null = null;
  const consider = (made: Omit<Parts, 'met'>) => {
    const met = tried(rows, made, whole);
    if (met > 0.3 && met > (best?.met ?? 0) + 1e-9) best = { ...made, met };
  };
  for (const first of places)
    for (const second of places) {
      if (first === second) continue;
      consider({ first, second });
      const [a, b] = [longest(parts.columns[first]), longest(parts.columns[second])];
      // Widths only where zeros may be missing: parts of digits, shorter together than the whole.
      for (let width = a; width <= Math.min(mostWidth, total - b); width++)
        consider({ first, second, width: [width, total - width] });
    }
  return best;
}

const widthOf = (column: KeyColumn, width: number | undefined) =>
  width === undefined || column.keys.every((key) => key.trim().length === width) ? undefined : width;

/** Key pairs in which two fields of one side together are a field of the other. */
export function together(own: KeyColumns, other: KeyColumns): JoinKeys[] {
  const found: { pair: KeyPair; met: number }[] = [];
  const side = (parts: KeyColumns, { first, second, width }: Parts) =>
    [first, second].map((c, k) => {
      const field = parts.columns[c];
      const wide = widthOf(field, width?.[k]);
      return wide === undefined ? { name: field.field } : { name: field.field, width: wide };
    });
  for (const whole of own.columns) {
    const parts = bestParts(other, whole);
    if (parts !== null)
      found.push({ pair: { own: [{ name: whole.field }], other: side(other, parts) }, met: parts.met });
  }
  for (const whole of other.columns) {
    const parts = bestParts(own, whole);
    if (parts !== null)
      found.push({ pair: { own: side(own, parts), other: [{ name: whole.field }] }, met: parts.met });
  }
  return found
    .sort((a, b) => b.met - a.met)
    .slice(0, 3)
    .map(({ pair }) => [pair]);
}
