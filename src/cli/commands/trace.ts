import { grouped } from '../../core/index.ts';
import { nodeMachine } from '../../node/index.ts';
import type { Trace, TracedFile, TracedRow } from '../../study/again/trace.ts';
import { type Output, printJson } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';
import { studyFolder } from './study.ts';

const valueText = (value: unknown) =>
  value === null || value === undefined
    ? 'blank'
    : typeof value === 'number'
      ? String(value)
      : typeof value === 'object'
        ? JSON.stringify(value)
        : `“${String(value)}”`;

function fileLines(file: TracedFile): string[] {
  const from = file.url === file.path ? [] : [`  from ${file.url.slice(0, 200)}`];
  const when = file.at === '' ? '' : `, received ${file.at.slice(0, 16).replace('T', ' ')} UTC`;
  return [
    ...from,
    `  SHA-256 ${file.sha256}${when}; ${file.intact ? 'it is as it was received' : 'it is NOT as it was received'}`,
  ];
}

function printTrace(output: Output, trace: Trace, depth: number): void {
  const { colours } = output;
  const say = (text: string, more = 0) => output.line(`${'  '.repeat(depth + more)}${text}`);
  say(`${colours.bold(trace.field)} of ${trace.table} = ${colours.cyan(valueText(trace.value))}`);
  if (trace.step !== null) {
    const { number, words, line } = trace.step;
    say(
      `by step ${number} of ${trace.table}${line === undefined ? '' : ` (study.yaml, line ${line})`}: ${words}`,
      1,
    );
  }
  for (const row of trace.rows) printRow(say, row, trace);
  for (const file of trace.files.slice(0, 12)) {
    say(`rests on ${file.path}`, 1);
    for (const line of fileLines(file)) say(line, 1);
  }
  if (trace.files.length > 12) say(`and ${grouped(trace.files.length - 12)} more files`, 1);
  for (const each of trace.from) printTrace(output, each, depth + 1);
}

function printRow(say: (text: string, more?: number) => void, row: TracedRow, trace: Trace): void {
  const same = String(row.value) === String(trace.value);
  say(`row ${grouped(row.row)} of ${row.path}${same ? '' : `: ${valueText(row.value)}`}`, 1);
  for (const line of fileLines(row)) say(line, 1);
}

export const addTrace: AddCommand = (program) => {
  program
    .command('trace')
    .description('where a value of a prepared layer came from: steps, files with checksums, rows')
    .argument('<folder>', 'folder with study.yaml')
    .requiredOption('--of <key>', 'the key of the feature: 020410')
    .requiredOption('--field <name>', 'the field')
    .option('--layer <name>', 'the layer, where several have the key and the field')
    .option('--by <field>', 'the field with the key, where it is not found')
    .action(
      async (path: string, options: { of: string; field: string; layer?: string; by?: string }, command) => {
        const output = outputOf(command);
        const folder = await studyFolder(path);
        const { traceValue } = await import('../../study/again/trace.ts');
        const trace = await traceValue(nodeMachine(folder), options);
        if (output.json) printJson(trace);
        else printTrace(output, trace, 0);
      },
    );
};
