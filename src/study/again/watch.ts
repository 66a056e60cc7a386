import { IsomericError } from '../../core/errors.ts';
import { type Machine, readText, writeText } from '../machine.ts';
import { type RunOptions, type RunResult, runStudy } from '../run.ts';
import type { Difference } from './difference.ts';

/** Where a watched study remembers what was said. */
const watchPath = 'watch.json';

/** What is told of a watched study: something changed, it failed, or it works again. */
export interface WatchNews {
  folder: string;
  what: 'changed' | 'failed' | 'works again';
  /** ISO 8601. */
  at: string;
  /** In sentences. */
  words: string[];
  changes?: Difference;
  trouble?: { code: string; words: string };
}

/** What one look at a study gave. */
export interface WatchLook {
  result: RunResult | null;
  news: WatchNews | null;
  failed: boolean;
}

interface Remembered {
  /** The failure that was told last; null while it works. */
  failure: string | null;
}

/** `1d`, `12h`, `30min`, `90s` → seconds. @throws IsomericError `interval-unclear` */
export function secondsFrom(text: string): number {
  const found = /^(\d{1,6})\s*(s|min|h|d|w)$/.exec(text.trim());
  const unit = { s: 1, min: 60, h: 3600, d: 86_400, w: 604_800 }[found?.[2] ?? ''];
  if (found === null || unit === undefined || Number(found[1]) === 0)
    throw new IsomericError('interval-unclear', `“${text}” is no interval.`, {
      advice: 'Write 1d, 12h, 30min or 90s.',
      blame: 'usage',
      wrong: text,
    });
  return Number(found[1]) * unit;
}

/** Does a difference hold anything that is worth telling? */
export function isNews({ layers, findings }: Difference): boolean {
  return layers.some(({ state }) => state !== 'same') || findings.new.length > 0 || findings.gone.length > 0;
}

/** What changed, in a sentence for each layer. */
export function changeWords({ layers, findings }: Difference): string[] {
  const words = layers
    .filter(({ state }) => state !== 'same')
    .map(({ layer, state, before, after, added, gone, reshaped, altered, fields }) => {
      if (state === 'new') return `${layer} is new.`;
      if (state === 'gone') return `${layer} is gone.`;
      const parts = [
        [added?.count, 'added'],
        [gone?.count, 'gone'],
        [reshaped?.count, 'changed in shape'],
        [altered?.count, 'changed in fields'],
        [fields?.length, 'fields other than before'],
      ].filter(([count]) => count !== undefined && count !== 0);
      return `${layer}: ${before} before, ${after} after; ${parts.map(([count, what]) => `${count} ${what}`).join(', ')}.`;
    });
  if (findings.new.length > 0) words.push(`${findings.new.length} findings are new.`);
  if (findings.gone.length > 0) words.push(`${findings.gone.length} findings are gone.`);
  return words;
}

/**
 * Runs a study once, and says what is news: a change, a failure that was not told before, that it works again. What was told is
 * remembered in the study folder, whichever program looks next.
 */
export async function lookAgain(
  folder: string,
  machine: Machine,
  options: RunOptions = {},
): Promise<WatchLook> {
  const remembered = await recall(machine);
  const at = machine.now();
  try {
    const result = await runStudy(machine, options);
    const changes = result.difference;
    if (remembered.failure !== null) {
      await remember(machine, { failure: null });
      const words = [
        'It works again.',
        ...(changes !== undefined && isNews(changes) ? changeWords(changes) : []),
      ];
      return { result, failed: false, news: { folder, what: 'works again', at, words, changes } };
    }
    const news: WatchNews | null =
      changes !== undefined && isNews(changes)
        ? { folder, what: 'changed', at, words: changeWords(changes), changes }
        : null;
    return { result, failed: false, news };
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    const trouble = { code: error.code, words: error.sentence };
    const told = `${trouble.code} ${error.message}`;
    if (remembered.failure === told) return { result: null, failed: true, news: null };
    await remember(machine, { failure: told });
    return {
      result: null,
      failed: true,
      news: { folder, what: 'failed', at, words: [trouble.words], trouble },
    };
  }
}

async function recall(machine: Machine): Promise<Remembered> {
  try {
    const kept = JSON.parse((await readText(machine, watchPath)) ?? '{}') as Partial<Remembered>;
    return { failure: typeof kept.failure === 'string' ? kept.failure : null };
  } catch {
    // Written by nobody else: what cannot be read is as if nothing had been said.
    return { failure: null };
  }
}

const remember = (machine: Machine, state: Remembered) =>
  writeText(machine, watchPath, `${JSON.stringify(state)}\n`);

/** What failed is tried again after a tenth of the interval, an hour at most, a minute at least. */
export const retryAfterSeconds = (every: number): number =>
  Math.min(every, Math.max(60, Math.min(3600, every / 10)));
