import { IsomericError } from '../../core/errors.ts';
import { countFindings } from '../../core/findings.ts';
import { isLayer } from '../../core/layer/layer.ts';
import { Ledger, ledgerPath } from '../ledger/ledger.ts';
import { type Machine, writeText } from '../machine.ts';
import { preparedPath } from '../preparing/open-datasets.ts';
import { runStudy } from '../run.ts';
import { figureOf, type SeriesFigure } from './figures.ts';

/** What became of the study for one unit. */
export interface UnitOutcome {
  code: string;
  state: 'done' | 'unchanged' | 'failed';
  /** Why it failed, in a sentence, and the code of the error. */
  trouble?: { code: string; words: string };
  layers: number;
  features: number;
  /** Rows of each prepared layer. */
  counts: Record<string, number>;
  findings: Record<'error' | 'warning' | 'note', number>;
  figures: Record<string, number | null>;
}

/** What a unit is run with. */
export interface UnitRequest {
  code: string;
  /** The text of its study. */
  text: string;
  /** What was received, as lines of the ledger of the whole study. */
  received: string;
  figures: readonly SeriesFigure[];
}

/** The ledger of a unit: what the whole study received, and what was made of it for the unit before. */
function unitLedger(received: string, before: string): string {
  const own = Ledger.read(before);
  const whole = Ledger.read(received);
  const ofUnit = own
    .entries()
    .filter(({ kind }) => ['step', 'prepared', 'layers', 'delivery'].includes(kind));
  const ofWhole = whole.entries().filter(({ kind }) => ['file', 'dataset', 'terms'].includes(kind));
  return [...ofWhole, ...ofUnit].map((entry) => `${JSON.stringify(entry)}\n`).join('');
}

/** Runs the study for one unit, with what was gathered for all. A unit that fails is an outcome, and no error. */
export async function runUnit(
  machine: Machine,
  { code, text, received, figures }: UnitRequest,
  readOwn: (path: string) => Promise<string | null>,
): Promise<UnitOutcome> {
  const outcome: UnitOutcome = {
    code,
    state: 'done',
    layers: 0,
    features: 0,
    counts: {},
    findings: { error: 0, warning: 0, note: 0 },
    figures: {},
  };
  try {
    // A study that is as it was written before stays as it lies.
    if ((await readOwn('study.yaml')) !== text) await writeText(machine, 'study.yaml', text);
    await writeText(machine, ledgerPath, unitLedger(received, (await readOwn(ledgerPath)) ?? ''));
    const result = await runStudy(machine, { asGathered: true });
    if (result.unchanged === true) outcome.state = 'unchanged';
    outcome.findings = countFindings(result.findings);
    const opened = await machine.open(preparedPath);
    const layers = new Map(opened.map(({ table }) => [table.name, table]));
    for (const [name, table] of layers) {
      outcome.counts[name] = table.count ?? 0;
      if (!isLayer(table)) continue;
      outcome.layers++;
      outcome.features += table.count ?? 0;
    }
    for (const figure of figures) outcome.figures[figure.name] = await figureOf(figure, layers);
  } catch (error) {
    outcome.state = 'failed';
    outcome.trouble =
      error instanceof IsomericError
        ? { code: error.code, words: error.sentence }
        : { code: 'unexpected', words: error instanceof Error ? error.message : String(error) };
  }
  return outcome;
}
