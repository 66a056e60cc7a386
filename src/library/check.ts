import type { Finding } from '../core/findings.ts';
import type { Table } from '../core/layer/layer.ts';
import type { Given } from '../verbs/step.ts';
import { type Watching, watchedTable } from './progress.ts';

/** What checks found. */
export interface Checked {
  /** One sentence a check. */
  sentences: string[];
  findings: Finding[];
}

/**
 * Checks a table, in one reading: `valid` (OGC 06-103r4), `crs`, `key: code`, `sure: FIELD`, or a condition in CQL2.
 *
 * @throws IsomericError `geometry-missing`, `field-unknown`, `expression-type`
 */
export async function check(
  table: Given<Table>,
  words: readonly string[],
  watching: Watching = {},
): Promise<Checked> {
  const whole = await table;
  const [{ runChecks }, { checkFrom }] = await Promise.all([
    import('../core/checks/check.ts'),
    import('../core/checks/check-words.ts'),
  ]);
  const { findings, sentences } = await runChecks(
    watchedTable(whole, watching),
    words.map((each) => checkFrom(each, whole)),
  );
  return { findings: [...whole.findings, ...findings], sentences };
}
