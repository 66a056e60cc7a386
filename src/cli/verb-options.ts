import type { Command } from 'commander';
import { purposeFromText } from '../core/crs/best-crs.ts';
import { IsomericError } from '../core/errors.ts';
import type { ClassRule } from '../core/layer/verbs/classify.ts';
import { suggest } from '../core/nearest.ts';
import { parseKeyPairs, parseOn } from '../core/table/keys/key-pairs.ts';
import { parseMends } from '../core/table/keys/mends.ts';
import { fileSource } from '../node/bytes.ts';
import type { OpenOptions } from '../node/open.ts';
import { type RuleTexts, rulesOf } from '../verbs/classify.ts';
import type { OptionDescription, OptionKind, Verb } from '../verbs/description.ts';
import { columnFromText, fieldFromText } from '../verbs/fields.ts';
import { areaArgument } from './areas.ts';
import { crsArgument, gridsAt, openInput } from './opening.ts';

/** What the command line gave: options under their names in camel case, arguments of the verb under theirs. */
export type Given = Readonly<Record<string, unknown>>;

/** `unsureAbove` → `unsure-above` */
const dashed = (name: string) => name.replace(/\p{Lu}/gu, (letter) => `-${letter.toLowerCase()}`);

/** A choice of one word is a flag by that word: `--whole`. */
const flagOf = ({ kind, choices }: OptionDescription) =>
  kind === 'choice' && choices?.length === 1 ? choices[0] : undefined;

/** Kinds of which several stand behind one another. */
export const severalArguments: ReadonlySet<OptionKind> = new Set(['fields', 'layers', 'tables']);

/** Options as they stand in a command's help, in the order of the description. */
export function addVerbOptions(command: Command, verb: Verb): void {
  for (const [name, option] of Object.entries(verb.options)) {
    const { kind, words, choices, command: form, sign: valueSign = 'value', required } = option;
    if (form === false) continue;
    if (kind === 'area') {
      command
        .requiredOption(
          `--${name} <area>`,
          `${words}: a layer, a folder with a study, WKT, or words as in a study: "units: { of: wards.gpkg, code: T204 }, margin: 500 m"`,
        )
        .option(`--${name}-layer <name>`, `which layer of the file with ${words}`)
        .option(`--${name}-where <cql2>`, `only these features of the file with ${words}`);
      continue;
    }
    if (form === 'argument') {
      const sign = severalArguments.has(kind) ? `${name}...` : name;
      command.argument(required ? `<${sign}>` : `[${sign}]`, words);
      if (kind === 'table' || kind === 'tables' || kind === 'layer' || kind === 'layers')
        command.option(`--${name} <name>`, `which of the layers of <${name}>, when there are several`);
      continue;
    }
    if (kind === 'layer' || kind === 'table')
      command.option(`--${dashed(name)}-layer <name>`, `which of its layers, when there are several`);
    const flag = flagOf(option);
    if (flag !== undefined || kind === 'flag') {
      command.option(`--${dashed(flag ?? name)}`, words);
      continue;
    }
    if (kind === 'fields') {
      command.option(`--${dashed(name)} <${valueSign}...>`, words);
      continue;
    }
    const shown = `${words}${kind === 'choice' || (kind === 'number' && choices !== undefined) ? `: ${choices!.map((word) => `"${word}"`).join(', ')}` : ''}${['names', 'columns', 'numbers'].includes(kind) ? ', separated by commas' : ''}`;
    const usual = option.usual === undefined ? undefined : String(option.usual);
    if (required) command.requiredOption(`--${dashed(name)} <${valueSign}>`, shown);
    else command.option(`--${dashed(name)} <${valueSign}>`, shown, usual);
  }
}

const names = (list: string) =>
  list
    .split(',')
    .map((name) => name.trim())
    .filter((name) => name !== '');

/** `code, ward = name`: names of columns; NEW = OLD renames one. */
export const columnsFromText = (list: string) => names(list).map(columnFromText);

function oneOf(name: string, text: string, choices: readonly string[]): string {
  if (choices.includes(text)) return text;
  throw new IsomericError('option-choice', `--${dashed(name)} ${text} is none of ${choices.join(', ')}.`, {
    advice: suggest(text, choices),
    blame: 'usage',
  });
}

function aboveZero(name: string, text: string): number {
  const value = text.trim() === '' ? Number.NaN : Number(text);
  if (Number.isFinite(value) && value > 0) return value;
  throw new IsomericError(
    'option-number',
    `--${dashed(name)} ${text} is no number that is allowed there: it must be above zero.`,
    { blame: 'usage' },
  );
}

type Parse = (
  name: string,
  text: string,
  option: OptionDescription,
  given: Given,
  reading: OpenOptions,
) => unknown;

const open: Parse = (name, path, _, given, reading) =>
  openInput(path, { ...reading, layer: given[`${name}Layer`] as string | undefined });

/** Classes in a file: a mapping of names to conditions or lists of values, as YAML or JSON. */
async function rulesAt(path: string): Promise<ClassRule[]> {
  const source = await fileSource(path);
  const text = new TextDecoder().decode(await source.bytes(0, source.size));
  const { parse } = await import('yaml');
  const wrong = (advice: string) =>
    new IsomericError('rules-syntax', 'The file holds no classes with rules.', {
      place: { file: path },
      blame: 'usage',
      advice,
    });
  let read: unknown;
  try {
    read = parse(text, { maxAliasCount: 20 });
  } catch (error) {
    throw wrong(error instanceof Error ? error.message.split('\n')[0] : 'Write YAML or JSON.');
  }
  const right = (rule: unknown) =>
    typeof rule === 'string' ||
    (Array.isArray(rule) && rule.every((value) => ['string', 'number'].includes(typeof value)));
  if (typeof read !== 'object' || read === null || Array.isArray(read) || !Object.values(read).every(right))
    throw wrong('Write a line for each class: “large: persons >= 2000”, or “water: [river, lake]”.');
  return rulesOf(read as RuleTexts);
}

/** Words of a command line → the value of an option. */
const parsers: Readonly<
  Record<Exclude<OptionKind, 'flag' | 'fields' | 'grids' | 'layers' | 'tables'>, Parse>
> = {
  text: (_, text) => text,
  number: (name, text, { choices }) =>
    choices === undefined ? aboveZero(name, text) : Number(oneOf(name, text, choices)),
  percent: (name, text) => {
    const bare = text.trim().replace('%', '').trim();
    const value = bare === '' ? Number.NaN : Number(bare);
    if (value >= 0 && value <= 100) return value;
    throw new IsomericError('option-number', `--${dashed(name)} ${text} is no number from 0 to 100.`, {
      blame: 'usage',
    });
  },
  choice: (name, text, { choices }) => oneOf(name, text, choices!),
  names: (_, text) => names(text),
  numbers: (name, text) => names(text).map((each) => aboveZero(name, each)),
  columns: (_, text) => columnsFromText(text),
  rules: (_, path) => rulesAt(path),
  keys: (_, text) => parseOn(text),
  'key pairs': (_, text) => parseKeyPairs(text),
  mends: (_, text) => parseMends(text),
  crs: (_, text) => {
    const best = purposeFromText(text);
    return best === null ? crsArgument(text) : { best };
  },
  table: open,
  layer: open,
  area: (name, text, _, given) =>
    areaArgument(
      text,
      given[`${name}Layer`] as string | undefined,
      given[`${name}Where`] as string | undefined,
    ),
};

/** The values of a verb's options, of what the command line gave. Cheap mistakes are told before a file is opened. */
export async function verbValues(
  verb: Verb,
  given: Given,
  reading: OpenOptions,
): Promise<Record<string, unknown>> {
  const values: Record<string, unknown> = {};
  const parse = async (name: string, option: OptionDescription) => {
    const flag = flagOf(option);
    const told = given[flag ?? name];
    if (told === undefined || option.command === false) return;
    if (flag !== undefined) values[name] = flag;
    else if (option.kind === 'flag') values[name] = told;
    else if (option.kind === 'fields') values[name] = (told as string[]).map(fieldFromText);
    else if (option.kind === 'layers' || option.kind === 'tables')
      values[name] = await Promise.all(
        (told as string[]).map((path) => open(name, path, option, given, reading)),
      );
    else if (option.kind === 'grids') values[name] = await gridsAt(told as string[]);
    else values[name] = await parsers[option.kind](name, String(told), option, given, reading);
  };
  const opens = (option: OptionDescription) =>
    ['table', 'tables', 'layer', 'layers', 'area', 'grids'].includes(option.kind);
  const all = Object.entries(verb.options);
  for (const [name, option] of all) if (!opens(option)) await parse(name, option);
  for (const [name, option] of all) if (opens(option)) await parse(name, option);
  return values;
}
