import { nearestWord } from '../nearest.ts';
import { bareWords } from '../plain-text.ts';
import { singular, synonymsOf } from './synonyms.ts';

/** How much a word counts in each part of an entry. */
const tierWeights = [1, 3, 6] as const;

/** How much it counts how a word meets: whole, as its beginning, somewhere in it. */
const whole = 4;
const beginning = 2;
const within = 1;
/** Shorter parts than this are looked for at the beginning of words only. */
const shortestWithin = 3;

/** Words of many entries, ready to be asked: which entries have them, and where. */
export class WordIndex {
  /** All words, one after the other with line ends between: a part of a word is found by one search. */
  private readonly all: string;
  /** Where each word begins in `all`. */
  private readonly starts: Uint32Array;
  private readonly words: readonly string[];
  private readonly firstPosting: Uint32Array;
  /** Entry × 4 + tier. */
  private readonly postings: Uint32Array;

  /** @param texts for each entry, its texts of each tier */
  constructor(
    readonly entries: number,
    texts: Iterable<readonly (readonly string[])[]>,
  ) {
    const numbers = new Map<string, number>();
    /** As words were written, in the plural too. */
    const spelt = new Map<string, number>();
    const words: string[] = [];
    const pairs: number[] = [];
    const ofWord: number[] = [];
    /** For each word, the entry that it was seen in last, and where that was put down. */
    const seenIn: number[] = [];
    const putAt: number[] = [];
    let entry = 0;
    for (const tiers of texts) {
      tiers.forEach((parts, tier) => {
        for (const part of parts)
          for (const word of bareWords(part)) {
            let number = spelt.get(word);
            if (number === undefined) {
              const own = singular(word);
              number = numbers.get(own);
              if (number === undefined) {
                number = words.length;
                numbers.set(own, number);
                words.push(own);
                seenIn.push(-1);
                putAt.push(-1);
              }
              spelt.set(word, number);
            }
            if (seenIn[number] !== entry) {
              seenIn[number] = entry;
              putAt[number] = pairs.length;
              ofWord.push(number);
              pairs.push(entry * 4 + tier);
            } else if ((pairs[putAt[number]] & 3) < tier) pairs[putAt[number]] = entry * 4 + tier;
          }
      });
      entry++;
    }
    this.words = words;
    this.all = `\n${words.join('\n')}\n`;
    this.starts = new Uint32Array(words.length);
    let at = 1;
    words.forEach((word, k) => {
      this.starts[k] = at;
      at += word.length + 1;
    });
    const counts = new Uint32Array(words.length + 1);
    for (const number of ofWord) counts[number + 1]++;
    for (let k = 0; k < words.length; k++) counts[k + 1] += counts[k];
    this.firstPosting = counts.slice();
    const next = counts.slice();
    this.postings = new Uint32Array(pairs.length);
    pairs.forEach((pair, k) => {
      this.postings[next[ofWord[k]]++] = pair;
    });
  }

  /**
   * How well each entry meets a word (or a part of one), written into `into`: 0 where it does not. Synonyms count half.
   */
  score(word: string, into: Uint8Array): void {
    into.fill(0);
    const own = singular(word);
    this.add(own, 1, into);
    for (const other of synonymsOf(own)) this.add(other, 0.5, into);
  }

  private add(part: string, weight: number, into: Uint8Array): void {
    const { all, starts } = this;
    // Other words for a word are whole words; what somebody types may be a part of one.
    const anywhere = weight === 1 && part.length >= shortestWithin;
    const sought = anywhere ? part : weight === 1 ? `\n${part}` : `\n${part}\n`;
    const shift = anywhere ? 0 : 1;
    let last = -1;
    for (let at = all.indexOf(sought); at >= 0; at = all.indexOf(sought, at + 1)) {
      const number = this.wordAt(at + shift);
      if (number === last) continue;
      last = number;
      const begins = starts[number] === at + shift;
      const met = begins ? (this.words[number].length === part.length ? whole : beginning) : within;
      for (let p = this.firstPosting[number]; p < this.firstPosting[number + 1]; p++) {
        const posting = this.postings[p];
        const entry = posting >>> 2;
        const score = Math.max(1, weight * met * tierWeights[posting & 3]);
        if (score > into[entry]) into[entry] = score;
      }
    }
  }

  /** The word that is spelt most like one that nothing has. */
  nearest(word: string): string | undefined {
    return nearestWord(singular(word), this.words);
  }

  private wordAt(at: number): number {
    const { starts } = this;
    let low = 0;
    let high = starts.length;
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (starts[middle] <= at) low = middle;
      else high = middle;
    }
    return low;
  }
}
