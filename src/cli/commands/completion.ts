import type { Command } from 'commander';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { completionScripts } from '../completion.ts';
import { topics } from '../topics.ts';
import { type AddCommand, outputOf } from './command.ts';

/** Completion for shells, made of the commands as they are. All commands must have been added. */
export const addCompletion: AddCommand = (program) => {
  const shells = Object.keys(completionScripts);
  program
    .command('completion')
    .description('print completion of commands, options and files for a shell: bash, zsh, fish')
    .argument('<shell>', shells.join(', '))
    .action((shell: string, _options, own: Command) => {
      if (!Object.hasOwn(completionScripts, shell))
        throw new IsomericError('shell-unknown', `There is no completion for “${shell}”.`, {
          advice: suggest(shell, shells),
          blame: 'usage',
        });
      const described = program.commands.map((command) => ({
        name: command.name(),
        words: command.description(),
        options: command.options.map(({ long, description }) => ({ name: long ?? '', words: description })),
      }));
      outputOf(own).line(completionScripts[shell](described, Object.keys(topics)));
    });
};
