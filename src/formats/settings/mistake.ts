import { describePlace, type Failure, IsomericError, type Place } from '../../core/errors.ts';

/** One thing that is wrong in a file of settings. */
export interface Mistake {
  /** Stable: `study-unknown-word`. */
  code: string;
  words: string;
  /** The right word, or how it is written rightly. */
  advice: string;
  place: Place;
  /** What is likeliest to be the cause of others is told first: the text, then words, values, what is missing. */
  rank: 'text' | 'word' | 'value' | 'missing';
}

const ranks: readonly Mistake['rank'][] = ['text', 'word', 'value', 'missing'];

/** Mistakes told in full; the others are counted. */
const mostTold = 3;

/** All mistakes of a file: the first as the error itself, all of them as its failures, three in its sentence. */
export class SettingsError extends IsomericError {
  constructor(mistakes: readonly Mistake[], what: string) {
    const sorted = inOrder(mistakes);
    const [first] = sorted;
    super(first.code, first.words, {
      place: first.place,
      advice: first.advice,
      blame: 'usage',
      failures: sorted.length === 1 ? [] : sorted.map((each) => failure(each, what)),
    });
  }

  override get sentence(): string {
    const others = this.failures.slice(1, mostTold);
    const more = this.failures.length - 1 - others.length;
    const lines = others.map(({ words, place, advice }) =>
      [`${describePlace(place)}: ${words}`, advice].filter(Boolean).join(' '),
    );
    if (more > 0) lines.push(`… and ${more} more ${more === 1 ? 'mistake' : 'mistakes'}.`);
    return [super.sentence, ...lines].join('\n  ');
  }
}

const failure = ({ code, words, advice, place }: Mistake, what: string): Failure => ({
  what: [what],
  code,
  words,
  place,
  advice,
});

function inOrder(mistakes: readonly Mistake[]): Mistake[] {
  const at = ({ place }: Mistake) => [place.line ?? 0, place.column ?? 0];
  const seen = new Set<string>();
  return [...mistakes]
    .sort(
      (a, b) => ranks.indexOf(a.rank) - ranks.indexOf(b.rank) || at(a)[0] - at(b)[0] || at(a)[1] - at(b)[1],
    )
    .filter(({ place, words }) => {
      const key = `${place.line} ${place.column} ${words}`;
      return !seen.has(key) && seen.add(key);
    });
}
