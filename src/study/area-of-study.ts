import { IsomericError } from '../core/errors.ts';
import { settingsText } from '../formats/settings/text.ts';
import { layersOfArea } from './area/schema.ts';
import { requireFiles } from './file/files.ts';
import { loadStudy } from './file/load.ts';
import type { Study } from './file/schema.ts';
import { beginGathering, filesFromLedger, GatheredFiles, gather } from './gathering/gather.ts';
import { Ledger } from './ledger/ledger.ts';
import type { Machine } from './machine.ts';
import { buildArea, type StudyArea } from './preparing/area.ts';
import { studyCrs } from './preparing/open-datasets.ts';

/** The study that stands in the machine's folder. */
export async function studyIn(machine: Machine): Promise<Study> {
  const source = await machine.store.open('study.yaml');
  if (source === null)
    throw new IsomericError('study-missing', 'There is no study.yaml in this folder.', {
      place: { file: 'study.yaml' },
      advice: 'Make a study with “isomeric new FOLDER”.',
      blame: 'usage',
    });
  return loadStudy(await settingsText(source, 'study.yaml', 'study'));
}

/**
 * The area of the study in the machine's folder, and nothing else of it. Layers that it is made of are gathered where they have not
 * been; what was gathered is used as it lies.
 */
export async function areaOfStudy(
  machine: Machine,
  say: (words: string) => void = () => {},
): Promise<{ study: Study; area: StudyArea; files: GatheredFiles }> {
  const study = await studyIn(machine);
  await requireFiles(study, machine);
  const crs = await study.written.within(['crs'], () => studyCrs(study.crs, machine));
  const wanted = layersOfArea(study.area);
  let files = filesFromLedger(study, await Ledger.load(machine));
  if (wanted.some((name) => files.missing.has(name))) {
    const release = await machine.claim();
    try {
      const ledger = await Ledger.load(machine);
      say(
        `${wanted.join(' and ')} ${wanted.length === 1 ? 'makes' : 'make'} the area, and ${wanted.length === 1 ? 'is' : 'are'} gathered first.`,
      );
      const gathering = await beginGathering(study, machine, ledger, {});
      files = new GatheredFiles();
      await gather(wanted, undefined, gathering, files);
    } finally {
      await machine.store.tidy?.();
      await release();
    }
  }
  return { study, area: await buildArea(study, crs, files, machine), files };
}
