import * as z from 'zod';
import type { OptionDescription, OptionKind, Verb } from '../../verbs/description.ts';
import { verbNamed, verbs } from '../../verbs/register.ts';
import { name, text } from './words.ts';

/** One step of a study: a verb, and what was written for its options, by their names in its description. */
export interface StudyStep {
  verb: string;
  written: Readonly<Record<string, unknown>>;
}

/** How the value of an option is written in a study, by its kind. */
const forms: Readonly<Record<OptionKind, (option: OptionDescription) => z.ZodType>> = {
  text: () => text,
  number: () => z.number(),
  percent: () => z.number().min(0).max(100),
  flag: () => z.boolean(),
  choice: ({ choices }) => z.enum(choices as readonly [string, ...string[]]),
  numbers: () => z.array(z.number().positive()).min(1),
  names: ({ required }) => (required ? z.array(text).min(1) : z.array(text)),
  columns: () => z.array(text).min(1),
  fields: () => z.record(name, z.union([text, z.number()]).transform(String)),
  rules: () => z.record(text, z.union([text, z.array(z.union([text, z.number()])).min(1)])),
  keys: () => text,
  'key pairs': () => text,
  mends: () => text,
  crs: () => text,
  table: () => name,
  tables: () => z.union([name, z.array(name).min(1)]),
  layer: () => name,
  layers: () => z.array(name).min(1),
  area: () => z.enum(stepAreas),
  grids: () => z.array(text).min(1),
};

/** The study area as steps name it. */
export const stepAreas = ['area', 'area without margin'] as const;

const sentence = (words: string) => `${words[0].toUpperCase()}${words.slice(1)}.`;

/** A dataset of the study is meant where a command names a file. */
function wordsOf({ kind, words, gathered }: OptionDescription): string {
  if (kind === 'layers') return `${words}, datasets of the study`;
  if (kind === 'tables') return `${words}, datasets of the study, as prepared where they have steps`;
  if (kind !== 'table' && kind !== 'layer') return words;
  return `${words}, a dataset of the study, ${gathered ? 'as gathered' : 'as prepared where it has steps'}`;
}

function formOf(option: OptionDescription): z.ZodType {
  return forms[option.kind](option).describe(sentence(wordsOf(option)));
}

/** Options of a verb that a step of a study has, with their names there. */
function written(verb: Verb): { option: string; key: string; described: OptionDescription }[] {
  return Object.entries(verb.options)
    .filter(([, option]) => option.study !== false && option.setting === undefined)
    .map(([option, described]) => ({
      option,
      key: typeof described.study === 'string' ? described.study : option,
      described,
    }));
}

/** The options that stand beside the verb's name. */
const beside = (verb: Verb) =>
  verb.own === null ? [] : written(verb).filter(({ option }) => option !== verb.own);

const inStudies = verbs.filter((verb) => verb.inStudy);
const verbNames = inStudies.map((verb) => verb.name);

function shape(): Record<string, z.ZodType> {
  const fields: Record<string, z.ZodType> = {};
  for (const verb of inStudies) {
    const own =
      verb.own === null
        ? z
            .strictObject(
              Object.fromEntries(
                written(verb).map(({ key, described }) => [
                  key,
                  described.required ? formOf(described) : formOf(described).optional(),
                ]),
              ),
            )
            .describe(sentence(verb.words))
        : formOf(verb.options[verb.own]).describe(
            sentence(`${verb.words}: ${wordsOf(verb.options[verb.own])}`),
          );
    fields[verb.name] = own.optional();
  }
  for (const verb of inStudies)
    for (const { key, described } of beside(verb)) {
      const users = inStudies.filter((each) => beside(each).some((other) => other.key === key));
      const form = formOf({
        ...described,
        words: `with ${users.map((each) => each.name).join(' or ')}: ${described.words}`,
      });
      const known = fields[key];
      if (known === undefined) fields[key] = form.optional();
      // A verb can be called as an option of another is: “repair” by itself, and beside “join”.
      else if (verbNames.includes(key) && users[0] === verb)
        fields[key] = z
          .union([known as z.ZodOptional<z.ZodType>, form])
          .describe(`${(known as z.ZodOptional<z.ZodType>).unwrap().description} ${form.description}`)
          .optional();
    }
  return fields;
}

/** The verbs that a step says; what is an option beside another of them is not one itself. */
function saidIn(step: Readonly<Record<string, unknown>>): string[] {
  const said = verbNames.filter((each) => step[each] !== undefined);
  return said.filter(
    (each) =>
      !said.some((other) => other !== each && beside(verbNamed(other)!).some(({ key }) => key === each)),
  );
}

/** What is wrong with a step whose parts are each right. */
function troubleOf(step: Readonly<Record<string, unknown>>): { words: string; key?: string } | null {
  const said = saidIn(step);
  if (said.length !== 1) return { words: `a step is exactly one of ${verbNames.join(', ')}` };
  const options = beside(verbNamed(said[0])!);
  for (const { key, described } of options)
    if (described.required && step[key] === undefined)
      return { words: `${said[0]} needs “${key}: …” beside it: ${described.words}` };
  const strange = Object.keys(step).find(
    (key) => step[key] !== undefined && key !== said[0] && !options.some((option) => option.key === key),
  );
  if (strange === undefined) return null;
  const goes = inStudies.filter((each) => beside(each).some(({ key }) => key === strange));
  return {
    words: `“${strange}” does not go with ${said[0]}, but with ${goes.map((each) => each.name).join(', ')}`,
    key: strange,
  };
}

function stepFrom(step: Readonly<Record<string, unknown>>): StudyStep {
  const [name] = saidIn(step);
  const verb = verbNamed(name)!;
  const within = verb.own === null ? (step[name] as Readonly<Record<string, unknown>>) : step;
  const values: Record<string, unknown> = verb.own === null ? {} : { [verb.own]: step[name] };
  for (const { option, key } of written(verb))
    if (option !== verb.own && within[key] !== undefined) values[option] = within[key];
  return { verb: name, written: values };
}

/** A step, from the descriptions of the verbs. */
export const stepSchema = z
  .strictObject(shape())
  .check((context) => {
    const trouble = troubleOf(context.value);
    if (trouble !== null)
      context.issues.push({
        code: 'custom',
        message: trouble.words,
        input: context.value,
        path: trouble.key === undefined ? [] : [trouble.key],
        params: { ofKey: trouble.key !== undefined },
      });
  })
  .transform(stepFrom);

/** The datasets that are named where an option of a kind is written. */
export function namesOf(kind: OptionKind, written: unknown): readonly string[] {
  if (kind === 'layers' || (kind === 'tables' && Array.isArray(written)))
    return Array.isArray(written) ? written.filter((name) => typeof name === 'string') : [];
  return (kind === 'table' || kind === 'tables' || kind === 'layer') && typeof written === 'string'
    ? [written]
    : [];
}

/** The other datasets that a step names, and where in the step. */
export function datasetsOf(step: StudyStep): { name: string; key: string; kind: 'table' | 'layer' }[] {
  const verb = verbNamed(step.verb)!;
  return Object.entries(verb.options).flatMap(([option, { kind }]) =>
    namesOf(kind, step.written[option]).map((name) => ({
      name,
      key: option === verb.own ? verb.name : option,
      kind: kind === 'table' || kind === 'tables' ? ('table' as const) : ('layer' as const),
    })),
  );
}
