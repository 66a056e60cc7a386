import type { Command } from 'commander';
import { IsomericError } from '../core/errors.ts';
import { nearestWord } from '../core/nearest.ts';

/** Raises what is wrong with the options of a line: one that the command does not have, then one that it needs. */
export function refuseOptions(command: Command, args: readonly string[]): void {
  const options = command.options.map(({ long, short, required, variadic }) => ({
    long,
    short,
    required,
    variadic,
  }));
  const given = new Set<string>();
  for (let k = 0; k < args.length; k++) {
    const arg = args[k];
    if (arg === '--') break;
    // Numbers below zero and single dashes are values.
    if (!/^--?[a-z]/i.test(arg)) continue;
    const [name] = arg.split('=');
    const known = options.find(({ long, short }) => long === name || short === name);
    if (known !== undefined) {
      given.add(known.long ?? name);
      if (known.required && !arg.includes('=')) k++;
      continue;
    }
    if (['--help', '-h', '--version', '-V'].includes(name)) return;
    const names = options.flatMap(({ long }) => (long === undefined ? [] : [long]));
    const bare = nearestWord(
      name.replace(/^--?/, ''),
      names.map((each) => each.slice(2)),
    );
    throw new IsomericError('option-unknown', `“isomeric ${command.name()}” has no option ${name}.`, {
      advice: bare === undefined ? `It has: ${names.join(', ')}.` : `Did you mean --${bare}?`,
      blame: 'usage',
    });
  }
  const missing = command.options.filter(({ mandatory, long }) => mandatory && !given.has(long ?? ''));
  if (missing.length === 0) return;
  throw new IsomericError(
    'option-missing',
    `“isomeric ${command.name()}” needs ${missing.map(({ flags, description }) => `${flags}: ${description}`).join('; and ')}.`,
    { advice: `“isomeric help ${command.name()}” lists all its options.`, blame: 'usage' },
  );
}
