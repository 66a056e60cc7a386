/**
 * Makes docs/commands.md and man/isomeric.1 from the commands: `npm run commands-page`. Other files can be named: the page, the
 * manual.
 */
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { Argument, Command } from 'commander';
import { build } from '../src/cli/program.ts';
import { topics } from '../src/cli/topics.ts';

const program = await build([]);
const sentence = (words: string) => `${words[0].toUpperCase()}${words.slice(1)}.`;
/** What every command has is told once. */
const common = new Set(['--json', '--no-colour', '--help']);
const optionsOf = (command: Command) => command.options.filter(({ long }) => !common.has(long ?? ''));

const argumentText = (each: Argument) => {
  const dots = each.variadic ? '...' : '';
  return each.required ? `<${each.name()}${dots}>` : `[${each.name()}${dots}]`;
};

const usage = (command: Command) =>
  [
    'isomeric',
    command.name(),
    ...command.registeredArguments.map(argumentText),
    optionsOf(command).length > 0 ? '[options]' : '',
  ]
    .filter((part) => part !== '')
    .join(' ');

const usual = (value: unknown) =>
  value === undefined || value === false || value === true ? '' : `; \`${String(value)}\` when left out`;
const cell = (words: string) => words.replaceAll('|', '\\|').replaceAll('<', '&lt;');

function section(command: Command): string {
  const rows = [
    ...command.registeredArguments.map(
      (each) => `| \`${argumentText(each)}\` | ${cell(each.description)}${usual(each.defaultValue)} |`,
    ),
    ...optionsOf(command).map(
      (each) =>
        `| \`${each.flags}\` | ${cell(each.description)}${each.mandatory ? ' (needed)' : ''}${usual(each.defaultValue)} |`,
    ),
  ];
  const table = rows.length === 0 ? '' : `\n| | |\n| --- | --- |\n${rows.join('\n')}\n`;
  return `## ${command.name()}\n\n${sentence(command.description())}\n\n\`\`\`\n${usage(command)}\n\`\`\`\n${table}`;
}

const page = `# All commands

\`isomeric help COMMAND\` prints the same in a terminal, \`isomeric help TOPIC\` explains ${Object.keys(topics).join(', ')}. Every command takes
\`--json\` (the result as JSON, for machines), \`--no-colour\` and \`--help\`. [Exit codes](exit-codes.md). Commands of verbs, with
examples: [all verbs](verbs.md).

<!-- Made by npm run commands-page from src/cli/. Do not edit. -->

${program.commands.map(section).join('\n')}`;

/** Text for the manual: dashes and leading points have a meaning there (groff_char(7)). */
const roff = (text: string) =>
  text
    .replaceAll('\\', '\\e')
    .replaceAll('-', '\\-')
    .replace(/^([.'])/gm, '\\&$1')
    .replace(/[^ -~\n]/gu, (c) => `\\[u${c.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')}]`);

const manual = `.\\" Made by npm run commands-page from src/cli/. Do not edit.
.TH ISOMERIC 1
.SH NAME
isomeric \\- ${roff(
  program
    .description()
    .replace(/\.$/, '')
    .replace(/^./, (c) => c.toLowerCase()),
)}
.SH SYNOPSIS
.B isomeric
.I command
[arguments] [options]
.SH COMMANDS
${program.commands
  .map(
    (command) =>
      `.SS ${roff(usage(command))}\n${roff(sentence(command.description()))}\n${[
        ...command.registeredArguments.map(
          (each) => `.TP\n.I ${roff(argumentText(each))}\n${roff(each.description)}`,
        ),
        ...optionsOf(command).map((each) => `.TP\n.B ${roff(each.flags)}\n${roff(each.description)}`),
      ].join('\n')}`,
  )
  .join('\n')}
.SH OPTIONS OF ALL COMMANDS
.TP
.B ${roff('--json')}
the result as JSON, for machines
.TP
.B ${roff('--no-colour')}
plain text without colours
${Object.values(topics)
  .map(({ title, text }) => `.SH ${roff(title.toUpperCase())}\n.nf\n${roff(text)}\n.fi`)
  .join('\n')}
`;

writeFileSync(process.argv[2] ?? fileURLToPath(new URL('../docs/commands.md', import.meta.url)), page);
writeFileSync(process.argv[3] ?? fileURLToPath(new URL('../man/isomeric.1', import.meta.url)), manual);
