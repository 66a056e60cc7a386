/** Optimal string alignment distance (insert, delete, replace, swap of neighbours), letter case ignored. */
export function spellingDistance(a: string, b: string): number {
  const s = a.toLowerCase();
  const t = b.toLowerCase();
  let before: number[] = [];
  let previous = Array.from({ length: t.length + 1 }, (_, j) => j);
  for (let i = 1; i <= s.length; i++) {
    const row = [i];
    for (let j = 1; j <= t.length; j++) {
      const same = s[i - 1] === t[j - 1];
      let least = Math.min(previous[j] + 1, row[j - 1] + 1, previous[j - 1] + (same ? 0 : 1));
      if (i > 1 && j > 1 && s[i - 1] === t[j - 2] && s[i - 2] === t[j - 1])
        least = Math.min(least, before[j - 2] + 1);
      row.push(least);
    }
    before = previous;
    previous = row;
  }
  return previous[t.length];
}

/** The word among `known` that `word` most likely meant, or undefined when none is near. */
export function nearestWord(word: string, known: Iterable<string>): string | undefined {
  let best: string | undefined;
  // One slip in a short word, more in a longer: “maps” is not “rows”.
  const slips = word.length <= 2 ? 0 : word.length <= 5 ? 1 : Math.max(2, Math.ceil(word.length / 3));
  let least = slips + 0.5;
  for (const candidate of known) {
    // Each letter more or less is a slip of its own.
    if (Math.abs(candidate.length - word.length) >= least) continue;
    const distance = spellingDistance(word, candidate);
    if (distance < least) {
      least = distance;
      best = candidate;
    }
  }
  return best;
}

/** ` Did you mean “wards”?` or a list of what there is; for the end of an error. */
export function suggest(word: string, known: readonly string[]): string {
  const near = nearestWord(word, known);
  if (near !== undefined) return `Did you mean “${near}”?`;
  if (known.length === 0) return '';
  const shown = known.slice(0, 12).join(', ');
  return `There is: ${shown}${known.length > 12 ? `, and ${known.length - 12} more` : ''}.`;
}
