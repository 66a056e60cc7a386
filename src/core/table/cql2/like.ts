const any = -1;

interface Pattern {
  /** Code units; `any` for _ , which takes one character (two units of a pair). */
  units: Int32Array;
  /** Where the parts between % begin and end in `units`. */
  parts: [from: number, to: number][];
}

function patternOf(pattern: string): Pattern {
  const units: number[] = [];
  const parts: [number, number][] = [];
  let from = 0;
  for (let k = 0; k < pattern.length; k++) {
    const c = pattern[k];
    if (c === '%') {
      parts.push([from, units.length]);
      from = units.length;
    } else if (c === '_') units.push(any);
    else {
      if (c === '\\' && k + 1 < pattern.length) k++;
      units.push(pattern.charCodeAt(k));
    }
  }
  parts.push([from, units.length]);
  return { units: Int32Array.from(units), parts };
}

const isPair = (text: string, at: number) =>
  (text.charCodeAt(at) & 0xfc00) === 0xd800 &&
  at + 1 < text.length &&
  (text.charCodeAt(at + 1) & 0xfc00) === 0xdc00;

/** End of a part that stands in the text at `at`; −1 where it does not. */
function endAt(text: string, at: number, units: Int32Array, from: number, to: number): number {
  let k = at;
  for (let u = from; u < to; u++) {
    if (k >= text.length) return -1;
    if (units[u] === any) k += isPair(text, k) ? 2 : 1;
    else if (text.charCodeAt(k) === units[u]) k++;
    else return -1;
  }
  return k;
}

/**
 * A test for LIKE: % takes any run of characters, _ one character, \ takes the next one as it is. Each part between two %
 * is looked for once, behind the one before: nothing is tried again, whatever the text.
 */
export function likeTest(pattern: string): (text: string) => boolean {
  const { units, parts } = patternOf(pattern);
  const last = parts.length - 1;
  if (last === 0) return (text) => endAt(text, 0, units, 0, units.length) === text.length;
  return (text) => {
    let at = endAt(text, 0, units, ...parts[0]);
    if (at < 0) return false;
    for (let p = 1; p < last; p++) {
      let end = -1;
      for (; at <= text.length && end < 0; at++) end = endAt(text, at, units, ...parts[p]);
      if (end < 0) return false;
      at = end;
    }
    // The last part must end where the text does; with _ for pairs, its beginning is found from behind.
    const [from, to] = parts[last];
    let start = text.length;
    for (let u = to - 1; u >= from; u--) {
      start -= units[u] === any && start >= 2 && isPair(text, start - 2) ? 2 : 1;
      if (start < at) return false;
    }
    return endAt(text, start, units, from, to) === text.length;
  };
}
