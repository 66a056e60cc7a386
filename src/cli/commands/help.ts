import type { Command } from 'commander';
import { commandUnknown } from '../command-names.ts';
import { topics } from '../topics.ts';
import { type AddCommand, outputOf } from './command.ts';

/** Help on a command or a topic. All commands must have been added. */
export const addHelp: AddCommand = (program) => {
  program
    .command('help')
    .description(`help on a command, or on ${Object.keys(topics).join(', ')}`)
    .argument('[topic]', 'a command or a topic; all of them when left out')
    .action((topic: string | undefined, _options, own: Command) => {
      const output = outputOf(own);
      if (topic === undefined) {
        output.line(program.helpInformation().trimEnd());
        output.line('\nTopics (isomeric help TOPIC):');
        for (const [name, { title }] of Object.entries(topics)) output.line(`  ${name.padEnd(12)} ${title}`);
        return;
      }
      if (Object.hasOwn(topics, topic)) {
        output.line(output.colours.bold(topics[topic].title));
        output.line(`\n${topics[topic].text}`);
        return;
      }
      const command = program.commands.find((each) => each.name() === topic);
      if (command === undefined)
        throw commandUnknown(topic, [...program.commands.map((each) => each.name()), ...Object.keys(topics)]);
      output.line(command.helpInformation().trimEnd());
    });
};
