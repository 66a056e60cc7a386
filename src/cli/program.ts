import { readFileSync } from 'node:fs';
import { Command, CommanderError } from 'commander';
import { dictionary } from '../core/dictionary.ts';
import { IsomericError } from '../core/errors.ts';
import { useThreads } from '../core/layer/threads.ts';
import { threads } from '../node/threads.ts';
import { commandUnknown } from './command-names.ts';
import type { AddCommand } from './commands/command.ts';
import { exitCodes } from './exit-codes.ts';
import { refuseOptions } from './line-options.ts';
import { jsonForTerminal, makeOutput } from './output.ts';
import { terminalText } from './terminal.ts';

/** Commands beside those of the verbs. Each is loaded when it is the one that is asked for. */
const commands: Readonly<Record<string, () => Promise<AddCommand>>> = dictionary({
  demo: async () => (await import('./commands/demo.ts')).addDemo,
  new: async () => (await import('./commands/new-study.ts')).addNew,
  run: async () => (await import('./commands/study.ts')).addRun,
  watch: async () => (await import('./commands/watch.ts')).addWatch,
  trace: async () => (await import('./commands/trace.ts')).addTrace,
  ledger: async () => (await import('./commands/ledger.ts')).addLedger,
  look: async () => (await import('./commands/look.ts')).addLook,
  field: async () => (await import('./commands/field.ts')).addField,
  find: async () => (await import('./commands/find.ts')).addFind,
  area: async () => (await import('./commands/area.ts')).addArea,
  sheets: async () => (await import('./commands/sheets.ts')).addSheets,
  rows: async () => (await import('./commands/rows.ts')).addRows,
  variables: async () => (await import('./commands/variables.ts')).addVariables,
  tags: async () => (await import('./commands/schemes.ts')).addTags,
  scheme: async () => (await import('./commands/schemes.ts')).addScheme,
  features: async () => (await import('./commands/features.ts')).addFeatures,
  save: async () => (await import('./commands/save.ts')).addSave,
  crs: async () => (await import('./commands/crs.ts')).addCrs,
  locate: async () => (await import('./commands/locate.ts')).addLocate,
  keys: async () => (await import('./commands/keys.ts')).addKeys,
  check: async () => (await import('./commands/check.ts')).addCheck,
  help: async () => (await import('./commands/help.ts')).addHelp,
  completion: async () => (await import('./commands/completion.ts')).addCompletion,
});

/** Commands that speak of the others. */
const needAll = new Set(['help', 'completion']);

/** The commands of the verbs come from their descriptions. */
async function verbCommands(name?: string): Promise<AddCommand[]> {
  const [{ verbs }, { commandOf }] = await Promise.all([
    import('../verbs/register.ts'),
    import('./commands/verbs.ts'),
  ]);
  return verbs.filter((verb) => name === undefined || verb.name === name).map(commandOf);
}

/** The command that is asked for; all of them in the order of the work when none is, for help and the nearest name. */
async function wanted(args: readonly string[]): Promise<AddCommand[]> {
  const name = args.find((arg) => !arg.startsWith('-'));
  if (name !== undefined && !needAll.has(name)) {
    if (Object.hasOwn(commands, name)) return [await commands[name]()];
    const verb = await verbCommands(name);
    if (verb.length > 0) return verb;
    const { verbs } = await import('../verbs/register.ts');
    throw commandUnknown(name, [...Object.keys(commands), ...verbs.map((each) => each.name)]);
  }
  const others = await Promise.all(Object.values(commands).map((each) => each()));
  const place = Object.keys(commands).indexOf('save') + 1;
  return [...others.slice(0, place), ...(await verbCommands()), ...others.slice(place)];
}

/** The version stands in one place. */
function ownVersion(): string {
  const text = readFileSync(new URL('../../package.json', import.meta.url), 'utf8');
  return (JSON.parse(text) as { version: string }).version;
}

/** The program with the commands that a command line needs; with all of them when it names none. */
export async function build(args: readonly string[]): Promise<Command> {
  const program = new Command('isomeric')
    .description('Gather, join, clip, reproject, check, draw and hand on the layers of a study area.')
    .version(ownVersion())
    .option('--json', 'the result as JSON, for machines')
    .option('--no-colour', 'plain text without colours')
    .helpCommand(false)
    .exitOverride()
    .configureOutput({
      outputError: (text, write) => write(terminalText(text.replace(/^error: /, ''), false)),
    });
  for (const add of await wanted(args)) add(program);
  for (const command of program.commands) {
    command
      .option('--json', 'the result as JSON, for machines')
      .option('--no-colour', 'plain text without colours')
      .showHelpAfterError(`(“isomeric ${command.name()} --help” lists its options)`)
      .exitOverride();
  }
  return program;
}

function fail(error: unknown, json: boolean): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? exitCodes.done : exitCodes.usage;
  if (error instanceof IsomericError) {
    if (json)
      process.stderr.write(
        `${jsonForTerminal(
          JSON.stringify({
            error: {
              code: error.code,
              words: error.message,
              place: error.place,
              ...(error.written === undefined ? {} : { written: error.written }),
              advice: error.advice,
            },
            ...(error.failures.length === 0 ? {} : { failures: error.failures }),
          }),
        )}\n`,
      );
    else {
      const output = makeOutput({});
      output.aside(`${output.colours.redBright('Stopped:')} ${error.sentence}`);
    }
    return error.blame === 'usage' ? exitCodes.usage : exitCodes.input;
  }
  const words = error instanceof Error ? (error.stack ?? error.message) : String(error);
  process.stderr.write(
    terminalText(
      `Stopped by a mistake in Isomeric itself; please report it with this text:\n${words}\n`,
      false,
    ),
  );
  return exitCodes.input;
}

/** Runs one command line (without the program's own name) in this process, and gives its exit code. */
export async function runCommand(args: readonly string[]): Promise<number> {
  process.exitCode = undefined;
  useThreads(threads());
  try {
    const program = await build(args);
    const at = args.findIndex((arg) => !arg.startsWith('-'));
    const command = program.commands.find((each) => each.name() === args[at]);
    if (command !== undefined) refuseOptions(command, args.slice(at + 1));
    await program.parseAsync([...args], { from: 'user' });
    return Number(process.exitCode ?? exitCodes.done);
  } catch (error) {
    return fail(error, args.includes('--json'));
  }
}
