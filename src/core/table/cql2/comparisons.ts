import { parseDate, parseTimestamp } from '../time.ts';
import { type Kind, type Node, node } from './node.ts';

const isTime = (kind: Kind): kind is 'date' | 'timestamp' => kind === 'date' || kind === 'timestamp';

/** Texts as dates or times; blank where they are none. A time counts for its day, a day for its beginning (UTC). */
function asTime(text: Node, kind: 'date' | 'timestamp'): Node {
  return node(kind, (batch) => {
    const read = text.bind(batch);
    return (i) => {
      const value = read(i);
      if (value === null) return null;
      const day = parseDate(String(value));
      const time = Number.isNaN(day) ? parseTimestamp(String(value)) : day * dayLength;
      if (Number.isNaN(time)) return null;
      return kind === 'timestamp' ? time : Math.floor(time / dayLength);
    };
  });
}

const dayLength = 86_400_000;

const collator = new Intl.Collator('en', { sensitivity: 'variant' });

/** Both sides of a comparison. Formats without dates hold them as text: beside a date, a text is read as one. */
export function alike(left: Node, right: Node): [left: Node, right: Node] {
  if (left.kind === 'text' && isTime(right.kind)) return [asTime(left, right.kind), right];
  if (right.kind === 'text' && isTime(left.kind)) return [left, asTime(right, left.kind)];
  return [left, right];
}

/** Which orders of two values a comparison is true for: below 0, 0, above 0. */
const outcomes: Readonly<Record<string, (order: number) => boolean>> = {
  '=': (order) => order === 0,
  '<>': (order) => order !== 0,
  '<': (order) => order < 0,
  '>': (order) => order > 0,
  '<=': (order) => order <= 0,
  '>=': (order) => order >= 0,
};

/** Compares two sides of one kind; unknown where one of them is blank. */
export function comparison(op: string, left: Node, right: Node): Node {
  const order: (a: never, b: never) => number =
    left.kind === 'text' && op !== '=' && op !== '<>'
      ? (collator.compare as never)
      : (a, b) => (a < b ? -1 : a > b ? 1 : 0);
  const test = outcomes[op];
  return node('boolean', (batch) => {
    const a = left.bind(batch);
    const b = right.bind(batch);
    return (i) => {
      const x = a(i);
      const y = b(i);
      return x === null || y === null ? null : test(order(x as never, y as never));
    };
  });
}

/** Three-valued logic: NULL AND FALSE is FALSE, NULL OR TRUE is TRUE, else NULL stays NULL. */
export function logic(op: 'and' | 'or', args: readonly Node[]): Node {
  const decisive = op === 'or';
  return node('boolean', (batch) => {
    const readers = args.map((arg) => arg.bind(batch));
    return (i) => {
      let unknown = false;
      for (const read of readers) {
        const value = read(i);
        if (value === decisive) return decisive;
        if (value === null) unknown = true;
      }
      return unknown ? null : !decisive;
    };
  });
}
