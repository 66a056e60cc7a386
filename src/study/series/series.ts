import { counted, grouped, listed } from '../../core/account.ts';
import type { Finding } from '../../core/findings.ts';
import { changedSettings } from '../../formats/settings/change.ts';
import { settingsText } from '../../formats/settings/text.ts';
import { pathPart } from '../../sources/places.ts';
import { studyIn } from '../area-of-study.ts';
import { filesFromLedger, type GatherOptions } from '../gathering/gather.ts';
import { Ledger, ledgerPath } from '../ledger/ledger.ts';
import { type Machine, readText } from '../machine.ts';
import { buildArea } from '../preparing/area.ts';
import { studyCrs } from '../preparing/open-datasets.ts';
import { runStudy } from '../run.ts';
import type { SeriesFigure } from './figures.ts';
import { writeSummary } from './summary.ts';
import type { UnitOutcome, UnitRequest } from './unit-run.ts';
import { seriesUnits } from './units.ts';

/** How a study is run for each of many units. */
export interface SeriesOptions extends GatherOptions {
  /** The gathered layer of the units. */
  each: string;
  /** Field that tells them apart. */
  by?: string;
  figures?: readonly SeriesFigure[];
}

/** Runs units somewhere: several at a time, each by itself. */
export interface UnitRunner {
  /** @param folder of the unit, in the study folder */
  run(folder: string, request: UnitRequest): Promise<UnitOutcome>;
  end(): Promise<void>;
}

/** What a series left behind. */
export interface SeriesResult {
  folder: string;
  outcomes: UnitOutcome[];
  /** Paths of the summary in the study folder. */
  summary: string[];
  findings: Finding[];
}

/** Where the units of a layer have their folders in the study folder. */
export const seriesFolder = (each: string) => `each/${pathPart(each)}`;

/**
 * Runs a study for each unit of a layer that lies in its area: gathered once, prepared and delivered for each. One that fails does
 * not lose the others.
 */
export async function runSeries(
  machine: Machine,
  options: SeriesOptions,
  runner: (atOnce: string) => UnitRunner,
): Promise<SeriesResult> {
  const { each, by, figures = [], ...gathering } = options;
  const { findings } = await runStudy(machine, { ...gathering, only: 'gather' });
  const study = await studyIn(machine);
  const { reporter } = machine;
  reporter.stage('Each');
  // Nobody changes what was gathered while units are made of it.
  const release = await machine.claim();
  const folder = seriesFolder(each);
  const units = runner(folder);
  try {
    const ledger = await Ledger.load(machine);
    const files = filesFromLedger(study, ledger);
    const area = await buildArea(study, await studyCrs(study.crs, machine), files, machine);
    const found = await seriesUnits(each, by, { study, area, files, machine });
    reporter.say(
      `Each: ${counted(found.units.length, 'unit', 'units')} of ${each} in the study area, told apart by ${found.by}.`,
    );
    const source = await machine.store.open('study.yaml');
    const text = await settingsText(source!, 'study.yaml', 'study');
    const received = (await readText(machine, ledgerPath)) ?? '';
    let done = 0;
    const meter = { bytes: 0, features: 0, totalFeatures: found.units.length };
    const outcomes = await Promise.all(
      found.units.map(async (unit) => {
        const request: UnitRequest = {
          code: unit.code,
          text: unitText(text, study.area, each, found.by, unit.code),
          received,
          figures,
        };
        const outcome = await units.run(`${folder}/${pathPart(unit.code)}`, request);
        meter.features = ++done;
        reporter.progress(each, meter);
        return outcome;
      }),
    );
    reporter.progress(each, null);
    const summary = await writeSummary({
      study,
      area,
      found,
      outcomes,
      figures,
      files,
      ledger,
      machine,
      folder,
    });
    tell(outcomes, folder, machine);
    return { folder, outcomes, summary, findings };
  } finally {
    await units.end();
    await release();
  }
}

/** The study of one unit: the same, with the unit as its area. What was said of a margin holds for it too. */
function unitText(
  text: string,
  area: { margin?: unknown; 'on sheets'?: unknown },
  each: string,
  by: string,
  code: string,
): string {
  const changed = changedSettings(text, [
    {
      path: ['area'],
      value: {
        units: { of: each, by, code: [code] },
        ...(area.margin === undefined ? {} : { margin: area.margin }),
        ...(area['on sheets'] === undefined ? {} : { 'on sheets': area['on sheets'] }),
      },
    },
  ]);
  return `# One of a series, made of the study above by: isomeric run FOLDER --each ${each}\n${changed}`;
}

function tell(outcomes: readonly UnitOutcome[], folder: string, { reporter }: Machine): void {
  const count = (state: UnitOutcome['state']) => outcomes.filter((outcome) => outcome.state === state).length;
  const [done, unchanged, failed] = [count('done'), count('unchanged'), count('failed')];
  reporter.say(
    `Each: ${counted(outcomes.length, 'unit', 'units')} in; ${grouped(done)} made, ${grouped(unchanged)} unchanged, ${grouped(failed)} failed. Each has its folder in ${folder}/, and summary.csv has a row for each.`,
  );
  // What is wrong with all of them is told once.
  const troubles = new Map<string, string[]>();
  for (const { code, state, trouble } of outcomes) {
    if (state !== 'failed') continue;
    const words = trouble?.words ?? 'it failed';
    troubles.set(words, [...(troubles.get(words) ?? []), code]);
  }
  for (const [words, codes] of [...troubles].slice(0, 12))
    reporter.note(
      `${listed(codes.slice(0, 6))}${codes.length > 6 ? ` and ${grouped(codes.length - 6)} more` : ''}: ${words}`,
    );
}
