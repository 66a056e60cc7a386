#!/usr/bin/env node
import { Command, CommanderError } from 'commander';
import { IsomericError } from '../core/index.ts';
import { addCheck } from './commands/check.ts';
import { type AddCommand, exitCodes } from './commands/command.ts';
import { addDemo } from './commands/demo.ts';
import { addFeatures } from './commands/features.ts';
import { addLook } from './commands/look.ts';
import { addRows } from './commands/rows.ts';
import { addSave } from './commands/save.ts';
import { addScheme, addTags } from './commands/schemes.ts';
import { addNew, addRun } from './commands/study.ts';
import { addCompute, addGroup, addLengthen, addWiden } from './commands/tables.ts';
import { addVariables } from './commands/variables.ts';
import { addClip, addJoin, addReproject, addTally } from './commands/verbs.ts';
import { makeOutput } from './output.ts';

/** All commands, in the order of the work. */
const commands: readonly AddCommand[] = [
  addDemo,
  addNew,
  addRun,
  addLook,
  addRows,
  addVariables,
  addTags,
  addScheme,
  addFeatures,
  addSave,
  addClip,
  addJoin,
  addCompute,
  addGroup,
  addWiden,
  addLengthen,
  addTally,
  addReproject,
  addCheck,
];

function build(): Command {
  const program = new Command('isomeric')
    .description('Gather, join, clip, reproject, check, draw and hand on the layers of a study area.')
    .version('0.1.0')
    .option('--json', 'the result as JSON, for machines')
    .option('--no-colour', 'plain text without colours')
    .showHelpAfterError('(isomeric --help lists the commands)')
    .exitOverride()
    .configureOutput({ outputError: (text, write) => write(text.replace(/^error: /, '')) });
  for (const add of commands) add(program);
  for (const command of program.commands) {
    command
      .option('--json', 'the result as JSON, for machines')
      .option('--no-colour', 'plain text without colours')
      .exitOverride();
  }
  return program;
}

function fail(error: unknown, json: boolean): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? exitCodes.done : exitCodes.usage;
  if (error instanceof IsomericError) {
    if (json)
      process.stderr.write(
        `${JSON.stringify({ error: { code: error.code, words: error.message, place: error.place, advice: error.advice } })}\n`,
      );
    else process.stderr.write(`${makeOutput({}).colours.redBright('Stopped:')} ${error.sentence}\n`);
    return error.blame === 'usage' ? exitCodes.usage : exitCodes.input;
  }
  const words = error instanceof Error ? (error.stack ?? error.message) : String(error);
  process.stderr.write(
    `Stopped by a mistake in Isomeric itself; please report it with this text:\n${words}\n`,
  );
  return exitCodes.input;
}

process.on('SIGINT', () => {
  process.stderr.write('\nInterrupted; nothing half-written was kept.\n');
  process.exit(exitCodes.interrupted);
});
// A reader of the pipe that goes away (head) is no mistake.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(exitCodes.done);
});

try {
  await build().parseAsync(process.argv);
} catch (error) {
  process.exitCode = fail(error, process.argv.includes('--json'));
}
