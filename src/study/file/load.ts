import { withoutPrototypes } from '../../core/dictionary.ts';
import type { Path } from '../../formats/settings/places.ts';
import { readSettings, type SettingsKind } from '../../formats/settings/read-settings.ts';
import { record } from './raw.ts';
import { referenceMistakes, trackForms } from './references.ts';
import { type Study, type StudyText, studySchema } from './schema.ts';
import type { StudyStep } from './steps.ts';
import { synonyms } from './synonyms.ts';
import { valueMistakes } from './values.ts';
import { Written } from './written.ts';

const kind: SettingsKind<StudyText> = {
  what: 'study',
  schema: studySchema,
  begin: 'Begin one with “isomeric new FOLDER”.',
  synonyms,
  partWords: (path) =>
    path
      .map((part, k) =>
        typeof part !== 'number'
          ? String(part)
          : path[0] === 'prepare' && k === 2
            ? `step ${part + 1}`
            : `entry ${part + 1}`,
      )
      .join(' → '),
  also: (value, places) => {
    const study = record(value)!;
    return [...referenceMistakes(study, places), ...valueMistakes(study, places)];
  },
};

/**
 * Reads study.yaml. All mistakes in it that show without data are told at once, with line, column and the right word; the
 * study knows where each of its values was written, for those that show later.
 */
export function loadStudy(text: string, file = 'study.yaml'): Study {
  const { value, places } = readSettings(text, file, kind);
  const { gather, prepare, made } = withoutShorthand(value);
  return { ...withoutPrototypes({ ...value, gather, prepare }), written: new Written(places, made) };
}

/** Several levels and second readings of the same files, spelt out. */
function withoutShorthand(
  study: StudyText,
): Pick<StudyText, 'gather' | 'prepare'> & { made: Map<string, Path> } {
  const gather: StudyText['gather'] = {};
  const made = new Map<string, Path>();
  const make = (path: Path, from: Path) => made.set(JSON.stringify(path), from);
  const both = new Set<string>();
  const stepsFor = new Map<string, [string, StudyStep][]>();
  for (const [name, dataset] of Object.entries(study.gather)) {
    const { levels, on, ...own } = dataset;
    if (own.as === 'both') {
      for (const form of trackForms) {
        const made = `${name}_${form}`;
        gather[made] = { ...own, as: form };
        make(['gather', made], ['gather', name]);
      }
      both.add(name);
      continue;
    }
    if (levels === undefined) {
      const same = own['same as'];
      gather[name] = same === undefined ? own : { ...study.gather[same], ...own, from: undefined };
      continue;
    }
    // A level is the layer of its units with the columns of its own table; what is prepared of all is prepared of each.
    const layers: [string, StudyStep][] = [];
    for (const [level, told] of Object.entries(levels)) {
      const table = `${name}_${level}_table`;
      const layer = `${name}_${level}`;
      gather[table] = { ...own, choose: { ...own.choose, ...told.choose } };
      gather[layer] = { ...study.gather[told.units], 'same as': told.units, from: undefined };
      make(['gather', table], ['gather', name]);
      make(['gather', layer], ['gather', name, 'levels', level]);
      layers.push([layer, { verb: 'join', written: { table, on: on! } }]);
    }
    stepsFor.set(name, layers);
  }
  const prepare: StudyText['prepare'] = {};
  for (const name of new Set([...Object.keys(study.prepare), ...stepsFor.keys()])) {
    const steps = study.prepare[name] ?? [];
    const layers = stepsFor.get(name);
    if (both.has(name)) {
      // What is prepared of the tracks is prepared of both; each may have steps of its own besides.
      for (const form of trackForms) {
        const layer = `${name}_${form}`;
        prepare[layer] = [...steps, ...(study.prepare[layer] ?? [])];
        steps.forEach((_, k) => {
          make(['prepare', layer, k], ['prepare', name, k]);
        });
        (study.prepare[layer] ?? []).forEach((_, k) => {
          if (steps.length > 0) make(['prepare', layer, steps.length + k], ['prepare', layer, k]);
        });
      }
    } else if (layers === undefined) prepare[name] ??= steps;
    else
      for (const [layer, join] of layers) {
        prepare[layer] = [join, ...steps];
        make(['prepare', layer, 0], ['gather', name, 'on']);
        steps.forEach((_, k) => {
          make(['prepare', layer, k + 1], ['prepare', name, k]);
        });
      }
  }
  return { gather, prepare, made };
}
