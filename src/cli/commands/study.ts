import { stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { atLeast, counted, IsomericError } from '../../core/index.ts';
import { suggest } from '../../core/nearest.ts';
import { nodeMachine } from '../../node/index.ts';
import { type Stage, stages } from '../../study/stages.ts';
import { printEstimates } from '../estimates.ts';
import { exitCodes } from '../exit-codes.ts';
import { type Output, printFindings, printingReporter, printJson } from '../output.ts';
import { severityOption } from './check.ts';
import { type AddCommand, outputOf } from './command.ts';

/** Runs a study and prints what happened; returns the findings' part of the exit code. */
export async function runAndPrint(
  output: Output,
  folder: string,
  options: {
    only?: Stage;
    dry?: boolean;
    again?: string[];
    failAt?: ReturnType<typeof severityOption>;
    addresses?: Record<string, string>;
  },
): Promise<void> {
  const reporter = printingReporter(output);
  const started = performance.now();
  // Loaded when a study is run: other commands start sooner without it.
  const { runStudy } = await import('../../study/index.ts');
  try {
    const result = await runStudy(nodeMachine(folder, reporter), {
      only: options.only,
      dry: options.dry,
      again: options.again,
      addresses: options.addresses,
    });
    reporter.stop();
    if (output.json)
      printJson({
        folder,
        study: result.study.study,
        delivered: result.delivered,
        findings: result.findings,
        ...(result.drawnErrors.length === 0 ? {} : { drawnErrors: result.drawnErrors }),
        ...(result.estimates === undefined ? {} : { estimates: result.estimates }),
        ...(result.plan === undefined ? {} : { plan: result.plan }),
        ...(result.difference === undefined ? {} : { changes: result.difference }),
        ...(result.unchanged === true ? { unchanged: true } : {}),
      });
    else {
      if (result.estimates !== undefined) printEstimates(output, result.estimates);
      if (result.plan !== undefined) {
        const { printPlan } = await import('../changes.ts');
        printPlan(output, result.plan);
      }
      if (result.difference !== undefined) {
        const { printDifference } = await import('../changes.ts');
        printDifference(output, result.difference, result.study);
      }
      // What was told when it was found is not told again where nothing changed.
      if (result.findings.length > 0 && result.unchanged !== true) {
        output.line(`\n${output.colours.bold(output.colours.underline('Findings'))}`);
        printFindings(output, result.findings);
      }
      if (result.delivered.length > 0 && result.unchanged !== true) {
        output.line(
          `\n${output.colours.bold('Delivered')} in ${((performance.now() - started) / 1000).toFixed(1)} s:`,
        );
        for (const path of result.delivered) output.line(`  ${join(folder, path)}`);
      }
    }
    const { failAt } = options;
    const grave =
      failAt === undefined
        ? result.drawnErrors
        : result.findings.filter(({ severity }) => failAt !== 'never' && atLeast(severity, failAt));
    if (grave.length === 0) return;
    process.exitCode = exitCodes.findings;
    if (failAt !== undefined || output.json) return;
    // What stands last is read: a map that shows what is wrong looks like any other.
    output.line(
      `\n${output.colours.redBright('Before it is handed on:')} ${counted(grave.length, 'error', 'errors')} in what the maps colour.`,
    );
    printFindings(output, grave);
  } finally {
    reporter.stop();
  }
}

/** The folder of a study, also when its study.yaml is named. */
export async function studyFolder(path: string): Promise<string> {
  const found = await stat(path).catch(() => null);
  if (found === null || found.isDirectory()) return path;
  if (basename(path) === 'study.yaml') return dirname(path);
  throw new IsomericError(
    'study-name',
    'A study is a folder with a study.yaml, and this is a file of another name.',
    {
      place: { file: path },
      advice: 'Put it into a folder of its own, call it study.yaml, and name the folder.',
      blame: 'usage',
    },
  );
}

export const addRun: AddCommand = (program) => {
  program
    .command('run')
    .description('run the study in a folder: gather, prepare, check, draw, deliver')
    .argument('<folder>', 'folder with study.yaml')
    .option(
      '--into <folder>',
      'run it in another folder, which gets the study and the files it names; with --set for another area',
    )
    .option(
      '--set <change>',
      'with --into: a value of the study set anew, as often as needed: "area.units.code = [D3]"',
      (text: string, before: string[] = []) => [...before, text],
    )
    .option('--only <stage>', `one stage only: ${stages.join(', ')}`)
    .option('--dry', 'ask the sources what gathering would take, and fetch nothing but the layer of the area')
    .option(
      '--again <datasets>',
      'gather these anew (a,b), also orders, which are kept otherwise',
      (text: string) => text.split(',').map((name) => name.trim()),
    )
    .option(
      '--each <layer>',
      'run it for each unit of this gathered layer in the area, with a folder for each',
    )
    .option('--by <field>', 'with --each: the field that tells the units apart')
    .option(
      '--figure <figure>',
      'with --each: a figure of each unit, as often as needed: "residents = sum(persons) of wards"',
      (text: string, before: string[] = []) => [...before, text],
    )
    .option('--at-once <number>', 'with --each: so many units at the same time')
    .option(
      '--fail-at <severity>',
      'end with 1 at findings of this severity or worse: note, warning, error, never; when left out, at errors in layers that a map colours',
    )
    .action(
      async (
        path: string,
        options: {
          into?: string;
          set?: string[];
          only?: string;
          dry?: boolean;
          again?: string[];
          failAt?: string;
          each?: string;
          by?: string;
          figure?: string[];
          atOnce?: string;
        },
        command,
      ) => {
        const output = outputOf(command);
        const folder = await studyFolder(path);
        const only = options.only === undefined ? undefined : stages.find((stage) => stage === options.only);
        if (options.only !== undefined && only === undefined) {
          throw new IsomericError('stage-unknown', `There is no stage “${options.only}”.`, {
            advice: suggest(options.only, stages),
            blame: 'usage',
          });
        }
        if (options.set !== undefined && options.into === undefined)
          throw new IsomericError('set-without-into', 'What --set changes must be written down somewhere.', {
            advice: 'Add “--into FOLDER”: the changed study is kept there, and run.',
            blame: 'usage',
          });
        if (options.into !== undefined) {
          const { copyStudy } = await import('../../node/study-copy.ts');
          await copyStudy(folder, options.into, options.set ?? []);
          if (!output.json) output.line(`The study: ${join(options.into, 'study.yaml')}`);
        }
        if (options.each !== undefined) {
          const { runEach } = await import('../series.ts');
          await runEach(output, options.into ?? folder, { ...options, each: options.each });
          return;
        }
        await runAndPrint(output, options.into ?? folder, {
          only,
          dry: options.dry,
          again: options.again,
          failAt: options.failAt === undefined ? undefined : severityOption(options.failAt),
        });
      },
    );
};
