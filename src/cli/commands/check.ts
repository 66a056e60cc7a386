import { checkFrom } from '../../core/checks/check-words.ts';
import {
  atLeast,
  counted,
  countFindings,
  type Finding,
  IsomericError,
  isLayer,
  runChecks,
  type Severity,
  severities,
  suggest,
} from '../../core/index.ts';
import { openPath } from '../../node/index.ts';
import { exitCodes } from '../exit-codes.ts';
import { printFindings, printJson, sentenceText } from '../output.ts';
import { localPath } from '../streams.ts';
import { type AddCommand, numberOption, outputOf } from './command.ts';

export function severityOption(text: string): Severity | 'never' {
  const known = [...severities, 'never'] as const;
  const found = known.find((each) => each === text);
  if (found === undefined)
    throw new IsomericError('severity-unknown', `“${text}” is no severity.`, {
      advice: suggest(text, known),
      blame: 'usage',
    });
  return found;
}

export const addCheck: AddCommand = (program) => {
  program
    .command('check')
    .description('check layers: valid geometry, keys, conditions; ends with 1 when something is wrong')
    .argument('<in>', 'a file, a folder, an archive')
    .option('--layer <name>', 'only this layer')
    .option('--key <field>', 'this field must be filled and different in every row')
    .option('--that <cql2...>', 'this must be true for every row')
    .option(
      '--sure <field>',
      'estimates of this field must be sure enough to be mapped, by their margin of error',
    )
    .option('--unsure-above <percent>', 'with --sure: the greatest coefficient of variation', '40')
    .option(
      '--fail-at <severity>',
      'end with 1 at findings of this severity or worse: note, warning, error, never',
      'error',
    )
    .action(
      async (
        path: string,
        options: {
          layer?: string;
          key?: string;
          that?: string[];
          sure?: string;
          unsureAbove: string;
          failAt: string;
        },
        command,
      ) => {
        const output = outputOf(command);
        const failAt = severityOption(options.failAt);
        const opened = (await openPath(await localPath(path))).filter(
          ({ table }) => options.layer === undefined || table.name === options.layer,
        );
        if (opened.length === 0)
          throw new IsomericError('layer-unknown', `There is no layer “${options.layer}” in it.`, {
            place: { file: path },
            blame: 'usage',
          });
        const findings: Finding[] = [];
        const sentences: string[] = [];
        for (const { table } of opened) {
          const words = [
            ...(isLayer(table) ? ['valid', 'crs'] : []),
            ...(options.key === undefined ? [] : [`key: ${options.key}`]),
            ...(options.that ?? []),
            ...(options.sure === undefined ? [] : [`sure: ${options.sure}`]),
          ];
          const margins = {
            confidence: 90 as const,
            'unsure above': numberOption('unsure-above', options.unsureAbove, (value) => value > 0),
          };
          const result = await runChecks(
            table,
            words.map((each) => checkFrom(each, table, undefined, margins)),
          );
          findings.push(...table.findings, ...result.findings);
          sentences.push(...result.sentences);
        }
        const counts = countFindings(findings);
        if (output.json) printJson({ path, findings, counts, sentences });
        else {
          printFindings(output, findings, 10);
          for (const sentence of sentences) output.line(sentenceText(output, sentence));
          output.line(
            `${counted(counts.error, 'error', 'errors')}, ${counted(counts.warning, 'warning', 'warnings')}, ${counted(counts.note, 'note', 'notes')}.`,
          );
        }
        if (failAt !== 'never' && findings.some((finding) => atLeast(finding.severity, failAt)))
          process.exitCode = exitCodes.findings;
      },
    );
};
