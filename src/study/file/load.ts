import { withoutPrototypes } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { type Placer, readSettings } from '../../formats/settings/read-settings.ts';
import { type Study, studySchema } from './schema.ts';
import { datasetsOf, type StudyStep } from './steps.ts';

/** Reads study.yaml. A mistake in it is told with file, line, column and the nearest right word. */
export function loadStudy(text: string, file = 'study.yaml'): Study {
  const { value, place } = readSettings(text, file, { what: 'study', schema: studySchema });
  const study = withoutShorthand(value, place);
  checkNames(study, place);
  return study;
}

/** Several levels and second readings of the same files, spelt out. */
function withoutShorthand(study: Study, place: Placer): Study {
  const known = Object.keys(study.gather);
  const named = (name: string, path: readonly PropertyKey[]) => {
    if (name in study.gather && study.gather[name].levels === undefined) return study.gather[name];
    throw new IsomericError('study-unknown-name', `There is no gathered layer “${name}” in the study.`, {
      place: place(path),
      advice: suggest(name, known),
      blame: 'usage',
    });
  };
  const gather: Study['gather'] = {};
  const stepsFor = new Map<string, [string, StudyStep][]>();
  for (const [name, dataset] of Object.entries(study.gather)) {
    const { levels, on, ...own } = dataset;
    if (levels === undefined) {
      const same = own['same as'];
      gather[name] =
        same === undefined ? own : { ...named(same, ['gather', name, 'same as']), ...own, from: undefined };
      continue;
    }
    // A level is the layer of its units with the columns of its own table; what is prepared of all is prepared of each.
    const made: [string, StudyStep][] = [];
    for (const [level, told] of Object.entries(levels)) {
      const table = `${name}_${level}_table`;
      gather[table] = { ...own, choose: { ...own.choose, ...told.choose } };
      gather[`${name}_${level}`] = {
        ...named(told.units, ['gather', name, 'levels', level, 'units']),
        'same as': told.units,
        from: undefined,
      };
      made.push([`${name}_${level}`, { verb: 'join', written: { table, on: on! } }]);
    }
    stepsFor.set(name, made);
  }
  const prepare: Study['prepare'] = {};
  for (const name of new Set([...Object.keys(study.prepare), ...stepsFor.keys()])) {
    const steps = study.prepare[name] ?? [];
    const made = stepsFor.get(name);
    if (made === undefined) prepare[name] = steps;
    else for (const [layer, join] of made) prepare[layer] = [join, ...steps];
  }
  return withoutPrototypes({ ...study, gather, prepare });
}

/** Names that point at something in the study itself. */
function checkNames(study: Study, place: Placer): void {
  const unknown = (kind: string, name: string, known: readonly string[], path: readonly PropertyKey[]) => {
    if (known.includes(name)) return;
    throw new IsomericError('study-unknown-name', `There is no ${kind} “${name}” in the study.`, {
      place: place(path),
      advice: suggest(name, known),
      blame: 'usage',
    });
  };
  const gathered = Object.keys(study.gather);
  const prepared = Object.keys(study.prepare);
  for (const [name, dataset] of Object.entries(study.gather)) {
    if (dataset.from !== undefined)
      unknown('source', dataset.from, Object.keys(study.sources), ['gather', name, 'from']);
  }
  if (study.area.units !== undefined)
    unknown('gathered layer', study.area.units.of, gathered, ['area', 'units', 'of']);
  if (study.area.layer !== undefined)
    unknown('gathered layer', study.area.layer, gathered, ['area', 'layer']);
  for (const [name, steps] of Object.entries(study.prepare)) {
    unknown('gathered layer', name, gathered, ['prepare', name]);
    steps.forEach((step, k) => {
      for (const other of datasetsOf(step))
        unknown(`gathered ${other.kind}`, other.name, gathered, ['prepare', name, k, other.key]);
    });
  }
  for (const name of Object.keys(study.check)) unknown('prepared layer', name, prepared, ['check', name]);
  for (const [name, map] of Object.entries(study.draw)) {
    unknown('prepared layer', map.layer, prepared, ['draw', name, 'layer']);
    map.over.forEach((layer, k) => {
      unknown('prepared layer', layer, prepared, ['draw', name, 'over', k]);
    });
    map.under.forEach((layer, k) => {
      unknown('layer', layer, gathered, ['draw', name, 'under', k]);
    });
  }
}
