/** Makes docs/verbs.md from the descriptions of the verbs: `npm run verbs-page`. Another file can be named. */
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { OptionDescription, Verb } from '../src/verbs/description.ts';
import { verbs } from '../src/verbs/register.ts';

const dashed = (name: string) => name.replace(/\p{Lu}/gu, (letter) => `-${letter.toLowerCase()}`);
const sentence = (words: string) => `${words[0].toUpperCase()}${words.slice(1)}.`;
const cell = (words: string) => words.replaceAll('|', '\\|').replaceAll('<', '&lt;');

function inCommand(name: string, option: OptionDescription): string {
  const { kind, command, choices, sign = 'value' } = option;
  if (command === false) return 'always';
  if (command === 'argument')
    return kind === 'fields' || kind === 'layers' || kind === 'tables' ? `\`<${name}...>\`` : `\`<${name}>\``;
  if (kind === 'area') return `\`--${name} <path>\`, \`--${name}-layer\`, \`--${name}-where\``;
  if (kind === 'choice' && choices!.length === 1) return `\`--${choices![0]}\``;
  return kind === 'flag' ? `\`--${dashed(name)}\`` : `\`--${dashed(name)} <${sign}>\``;
}

function inStudy(verb: Verb, name: string, option: OptionDescription): string {
  if (!verb.inStudy || option.study === false) return '–';
  if (option.setting) return 'for the whole study, under `margins:`';
  const key = typeof option.study === 'string' ? option.study : name;
  if (verb.own === null) return `\`${verb.name}: { ${key}: … }\``;
  return name === verb.own ? `\`${verb.name}: …\`` : `\`${key}: …\``;
}

function wordsOf(option: OptionDescription): string {
  const { words, choices, usual, required, kind } = option;
  const among =
    choices !== undefined && (kind === 'choice' || kind === 'number') && choices.length > 1
      ? ` (${choices.map((choice) => `“${choice}”`).join(', ')})`
      : '';
  const otherwise = required
    ? ' Needed.'
    : usual === undefined
      ? ''
      : ` ${typeof usual === 'string' ? `“${usual}”` : usual} when left out.`;
  return cell(`${words[0].toUpperCase()}${words.slice(1)}${among}.${otherwise}`);
}

function section(verb: Verb): string {
  const rows = Object.entries(verb.options).map(
    ([name, option]) =>
      `| ${inCommand(name, option)} | ${inStudy(verb, name, option)} | ${wordsOf(option)} |`,
  );
  const examples = verb.examples.map(
    ({ command, study, program }) =>
      `\`\`\`sh\n${command}\n\`\`\`\n\n${study === undefined ? '' : `\`\`\`yaml\n${study}\n\`\`\`\n\n`}In a program: \`${program}\`.\n`,
  );
  const takes = verb.takes === 'layer' ? 'It needs a layer.' : 'It takes a layer or a table.';
  const table =
    rows.length === 0 ? '' : `| In a command | In a study | |\n| --- | --- | --- |\n${rows.join('\n')}\n`;
  return `## ${verb.name}\n\n${sentence(verb.words)} ${takes}\n\n${table}\n${examples.join('\n')}`;
}

const page = `# The verbs

Each works alone from the command line, as a step of a study (\`prepare:\` → a layer → a list of steps), and in a program
(\`prepare(layer, …)\` of the [library](library.md)). All commands also have \`--out\` (where to save; the ending says the format),
\`--layer\` (which layer, when there are several), \`--from\` (the CRS that the layer has, when it does not say so) and the options of
reading tables ([tables](tables.md)). Each ends in an account of what became of the features.

<!-- Made by npm run verbs-page from src/verbs/. Do not edit. -->

${verbs.map(section).join('\n')}`;

writeFileSync(process.argv[2] ?? fileURLToPath(new URL('../docs/verbs.md', import.meta.url)), page);
