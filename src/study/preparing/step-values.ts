import { Area } from '../../core/layer/area.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { parseKeyPairs, parseOn } from '../../core/table/keys/key-pairs.ts';
import { parseMends } from '../../core/table/keys/mends.ts';
import { type RuleTexts, rulesOf } from '../../verbs/classify.ts';
import type { OptionDescription, OptionKind } from '../../verbs/description.ts';
import { columnFromText, type FieldTexts, fieldsOf } from '../../verbs/fields.ts';
import { verbNamed } from '../../verbs/register.ts';
import type { Study } from '../file/schema.ts';
import type { StudyStep, stepAreas } from '../file/steps.ts';
import type { StudyArea } from './area.ts';

/** What steps of a study may speak of. */
export interface StepSurroundings {
  study: Study;
  area: StudyArea;
  /** Opens another dataset: as it was gathered, or as it is prepared where the study has steps for it. */
  open(name: string, asGathered: boolean): Promise<Layer | Table>;
}

type Read = (written: never, surroundings: StepSurroundings, option: OptionDescription) => unknown;
const asWritten = (written: unknown) => written;

const openOther = (name: string, { open }: StepSurroundings, { gathered }: OptionDescription) =>
  open(name, gathered === true);

/** What is written in a study → the value of an option. */
const readers: Readonly<Record<OptionKind, Read>> = {
  text: asWritten,
  number: asWritten,
  percent: asWritten,
  flag: asWritten,
  choice: asWritten,
  names: asWritten,
  numbers: asWritten,
  columns: (list: readonly string[]) => list.map(columnFromText),
  fields: (texts: FieldTexts, { study }) =>
    fieldsOf(texts).map((field) => ({ ...field, ...study.titles[field.name] })),
  rules: (texts: RuleTexts) => rulesOf(texts),
  keys: (text: string) => parseOn(text),
  'key pairs': (text: string) => parseKeyPairs(text),
  mends: (text: string) => parseMends(text),
  crs: asWritten,
  table: openOther,
  layer: openOther,
  layers: (names: readonly string[], { open }) => Promise.all(names.map((name) => open(name, false))),
  tables: (names: string | readonly string[], { open }) =>
    Promise.all([names].flat().map((name) => open(name, false))),
  area: (which: (typeof stepAreas)[number], { area }) => {
    const own = which === 'area' ? area.area : area.core;
    return new Area(
      which === 'area' ? 'the study area' : 'the study area without its margin',
      area.crs,
      own.geometry,
      own,
    );
  },
  grids: asWritten,
};

/** The values of a step's options; what the whole study says of a verb is among them. */
export async function stepValues(
  { verb, written }: StudyStep,
  surroundings: StepSurroundings,
): Promise<Record<string, unknown>> {
  const { margins } = surroundings.study;
  const settings: Readonly<Record<string, unknown>> = {
    confidence: margins.confidence,
    unsureAbove: margins['unsure above'],
  };
  const values: Record<string, unknown> = {};
  for (const [name, option] of Object.entries(verbNamed(verb)!.options)) {
    if (option.setting) values[name] = settings[name];
    else if (option.titleOf !== undefined && written[name] === undefined)
      values[name] = surroundings.study.titles[written[option.titleOf] as string]?.title;
    else if (written[name] !== undefined)
      values[name] = await readers[option.kind](written[name] as never, surroundings, option);
  }
  return values;
}
