import { join } from 'node:path';
import { nodeMachine } from '../node/index.ts';
import { unitCrew } from '../node/unit-crew.ts';
import { figureFrom } from '../study/series/figures.ts';
import { runSeries } from '../study/series/series.ts';
import { numberOption, wholeAboveZero } from './commands/command.ts';
import { exitCodes } from './exit-codes.ts';
import { type Output, printingReporter, printJson, textTable } from './output.ts';

/** Units that are listed; the summary has all. */
const mostListed = 40;

/** Runs a study for each unit of a layer, and prints what became of them. */
export async function runEach(
  output: Output,
  folder: string,
  options: { each: string; by?: string; figure?: string[]; atOnce?: string; again?: string[] },
): Promise<void> {
  const reporter = printingReporter(output);
  const figures = (options.figure ?? []).map(figureFrom);
  const atOnce =
    options.atOnce === undefined ? undefined : numberOption('at-once', options.atOnce, wholeAboveZero);
  try {
    const { outcomes, summary } = await runSeries(
      nodeMachine(folder, reporter),
      { each: options.each, by: options.by, figures, again: options.again },
      () => unitCrew(folder, atOnce),
    );
    reporter.stop();
    if (outcomes.some(({ state }) => state === 'failed')) process.exitCode = exitCodes.input;
    if (output.json) {
      printJson({ folder, each: options.each, outcomes, summary });
      return;
    }
    output.line();
    const head = ['unit', 'state', ...figures.map(({ name }) => name), 'features', 'errors', 'warnings'];
    const rows = outcomes
      .slice(0, mostListed)
      .map(({ code, state, figures: own, features, findings }) => [
        code,
        state,
        ...figures.map(({ name }) => String(own[name] ?? '')),
        String(features),
        String(findings.error),
        String(findings.warning),
      ]);
    const right = head.map((_, c) => c > 1);
    for (const [k, row] of textTable(head, rows, right).entries())
      output.line(k === 0 ? output.colours.dim(row) : row);
    if (outcomes.length > mostListed) output.line(`and ${outcomes.length - mostListed} more`);
    output.line();
    for (const path of summary) output.line(`  ${join(folder, path)}`);
  } finally {
    reporter.stop();
  }
}
