import { existsSync } from 'node:fs';
import { mkdir, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { atLeast, counted, grouped, IsomericError } from '../../core/index.ts';
import { suggest } from '../../core/nearest.ts';
import { nodeMachine, writeText } from '../../node/index.ts';
import { type Stage, stages } from '../../study/stages.ts';
import { printEstimates } from '../estimates.ts';
import { exitCodes } from '../exit-codes.ts';
import { type Output, printFindings, printingReporter, printJson } from '../output.ts';
import { severityOption } from './check.ts';
import { type AddCommand, outputOf } from './command.ts';
import { newStudyText } from './new-study.ts';

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
      });
    else {
      if (result.estimates !== undefined) printEstimates(output, result.estimates);
      if (result.findings.length > 0) {
        output.line(`\n${output.colours.bold(output.colours.underline('Findings'))}`);
        printFindings(output, result.findings);
      }
      if (result.delivered.length > 0) {
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
      `\n${output.colours.redBright('Not to be believed yet:')} ${counted(grave.length, 'error', 'errors')} in what the maps colour.`,
    );
    printFindings(output, grave);
  } finally {
    reporter.stop();
  }
}

export const addRun: AddCommand = (program) => {
  program
    .command('run')
    .description('run the study in a folder: gather, prepare, check, draw, deliver')
    .argument('<folder>', 'folder with study.yaml')
    .option('--only <stage>', `one stage only: ${stages.join(', ')}`)
    .option('--dry', 'ask the sources what gathering would take, and fetch nothing but the layer of the area')
    .option(
      '--again <datasets>',
      'gather these anew (a,b), also orders, which are kept otherwise',
      (text: string) => text.split(',').map((name) => name.trim()),
    )
    .option(
      '--fail-at <severity>',
      'end with 1 at findings of this severity or worse: note, warning, error, never; when left out, at errors in layers that a map colours',
    )
    .action(
      async (
        folder: string,
        options: { only?: string; dry?: boolean; again?: string[]; failAt?: string },
        command,
      ) => {
        const output = outputOf(command);
        const only = options.only === undefined ? undefined : stages.find((stage) => stage === options.only);
        if (options.only !== undefined && only === undefined) {
          throw new IsomericError('stage-unknown', `There is no stage “${options.only}”.`, {
            advice: suggest(options.only, stages),
            blame: 'usage',
          });
        }
        await runAndPrint(output, folder, {
          only,
          dry: options.dry,
          again: options.again,
          failAt: options.failAt === undefined ? undefined : severityOption(options.failAt),
        });
      },
    );
};

export const addNew: AddCommand = (program) => {
  program
    .command('new')
    .description('begin a study: a folder with a study.yaml to fill in')
    .argument('<folder>')
    .action(async (folder: string, _options, command) => {
      const output = outputOf(command);
      if (existsSync(folder) && (await readdir(folder)).length > 0) {
        throw new IsomericError('folder-not-empty', 'The folder is not empty.', {
          place: { file: folder },
          advice: 'Choose a new one; nothing was changed.',
          blame: 'usage',
        });
      }
      await mkdir(folder, { recursive: true });
      const { studyJsonSchema } = await import('../../study/index.ts');
      await writeText(join(folder, 'study.yaml'), newStudyText);
      await writeText(join(folder, 'study.schema.json'), `${JSON.stringify(studyJsonSchema(), null, 2)}\n`);
      const files = [join(folder, 'study.yaml'), join(folder, 'study.schema.json')];
      if (output.json) printJson({ folder, files });
      else
        output.line(
          `New: ${grouped(files.length)} files in ${folder}; fill in study.yaml, then “isomeric run ${folder}”.`,
        );
    });
};
