import { counted, grouped } from '../../core/account.ts';
import { brought } from '../../core/area/shape.ts';
import { trueSize } from '../../core/area/true-size.ts';
import { boxOfAreaIn, degreesOfArea } from '../../core/crs/area-extent.ts';
import { bestCrs, choiceWords } from '../../core/crs/best-crs.ts';
import { type Crs, sameCrs } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { AreaIndex } from '../../core/geometry/overlay/area-index.ts';
import { isLayer } from '../../core/layer/layer.ts';
import { codeOf } from '../../core/sheets/codes.ts';
import { sheetsFor } from '../../core/sheets/for-area.ts';
import type { SheetScheme } from '../../core/sheets/sheet-scheme.ts';
import { isSchemeFile } from '../../formats/sheet-scheme/names.ts';
import { type AreaSurroundings, makeArea } from '../area/make.ts';
import { partsOfArea } from '../area/schema.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import { type Machine, readText } from '../machine.ts';
import { openDataset, type StudyCrs, studyCrs, studyGrids, withCrs } from './open-datasets.ts';

/** The study area in the study's CRS. */
export interface StudyArea {
  area: AreaIndex;
  /** The area without its margin: units end at its border, what lies around them at that of the area. */
  core: AreaIndex;
  crs: Crs;
  words: string;
  /** What it is made of, without its size. */
  name: string;
  /** What there is to tell of how it was made. */
  notes: readonly string[];
  /** Its box in longitudes and latitudes on WGS 84, hardly larger; west greater than east across the antimeridian. */
  degrees: Box | undefined;
}

/** The area's box in another CRS, a little larger; undefined where there is no way, or where one box cannot hold it. */
export function boxOfArea(
  { area, crs, degrees }: Omit<StudyArea, 'words' | 'name' | 'notes' | 'core'>,
  other: Crs,
): Box | undefined {
  // Across the antimeridian it would take two.
  if (degrees === undefined || degrees[0] > degrees[2]) return undefined;
  if (sameCrs(other, wgs84())) return degrees;
  try {
    const box = boxOfAreaIn(area, crs, other);
    return box.every(Number.isFinite) ? box : undefined;
  } catch (error) {
    if (error instanceof IsomericError && error.code === 'datum-shift-unknown') return undefined;
    throw error;
  }
}

/** Undefined where there is no way to longitudes and latitudes: no known datum shift. */
function degreesOf(area: AreaIndex, crs: Crs): Box | undefined {
  try {
    return degreesOfArea(area, crs);
  } catch (error) {
    if (error instanceof IsomericError && error.code === 'datum-shift-unknown') return undefined;
    throw error;
  }
}

/** A box whose west is greater than its east crosses the antimeridian; most often both were exchanged. */
export function strangeBoxes(study: Study): Finding[] {
  return partsOfArea(study.area).flatMap(({ part, path }) => {
    const { box } = part;
    if (box === undefined || part['in crs'] !== undefined || box.west < box.east) return [];
    const wide = 360 - (box.west - box.east);
    const { file, line } = study.written.value(['area', ...path, 'box', 'west']);
    return [
      {
        code: 'box-across',
        severity: wide > 180 ? ('warning' as const) : ('note' as const),
        words: `${file}, line ${line}: the west of the box (${box.west}) is greater than its east (${box.east}), so it goes across the antimeridian and is ${grouped(Math.round(wide * 100) / 100)} degrees wide.`,
        repair: 'exchange west and east, when that is not meant',
      },
    ];
  });
}

/** Fields that are drawn as figures per area: for them areas must be equal on the map. */
export function drawsDensities(study: Study): boolean {
  const perArea = /(?:\/ ?|per )(?:km²|km2|km\^2|ha\b|hectare|square kilomet|m²)/i;
  return Object.values(study.draw).some((map) => {
    const words = study.titles[map['colour by']];
    return perArea.test(words?.unit ?? '') || perArea.test(words?.title ?? '') || perArea.test(map.title);
  });
}

/** Builds the study area, in the CRS of the study; where that is to be the best for the area, it is chosen here. */
export async function buildArea(
  study: Study,
  wanted: StudyCrs,
  files: GatheredFiles,
  machine: Machine,
): Promise<StudyArea> {
  if (!('best' in wanted)) return areaIn(study, wanted, files, machine);
  const rough = await areaIn(study, wgs84(), files, machine);
  const purpose = wanted.best === 'mapping' && drawsDensities(study) ? 'densities' : wanted.best;
  const [choice] = bestCrs(rough.degrees!, purpose, 1);
  if (choice === undefined)
    throw new IsomericError('crs-unknown', 'No CRS was found that shows the whole study area.', {
      advice: 'Name one with “crs:” in the study.',
      blame: 'usage',
    });
  const why = purpose === wanted.best ? '' : ' Figures per area are drawn, so that areas must be equal.';
  const area = await areaIn(study, choice.crs, files, machine);
  return { ...area, words: `${area.words} ${choiceWords(choice, purpose)}${why}` };
}

/** The study area in a CRS. */
async function areaIn(study: Study, crs: Crs, files: GatheredFiles, machine: Machine): Promise<StudyArea> {
  const { written } = study;
  const made = await makeArea(study.area, crs, await surroundings(study, files, machine), (path, work) =>
    written.within(['area', ...path], work),
  );
  const area = await written.within(['area'], async () => new AreaIndex(made.shape.geometry));
  const core = made.core === made.shape ? area : new AreaIndex(made.core.geometry);
  const listed = study.area['on sheets'];
  const sheets =
    listed === undefined
      ? []
      : [await written.within(['area', 'on sheets'], () => sheetWords(area, crs, listed, machine))];
  return {
    area,
    core,
    crs,
    degrees: made.degrees ?? degreesOf(area, crs),
    words: `Area: ${made.words}${sizeWords(area, crs)}.`,
    name: made.words,
    notes: [...made.notes, ...sheets],
  };
}

/** A sheet scheme that comes with Isomeric, or in a file of the study folder. */
async function schemeNamed(name: string, machine: Machine): Promise<SheetScheme> {
  const { shippedScheme } = await import('../../formats/sheet-scheme/shipped/register.ts');
  if (!isSchemeFile(name)) return shippedScheme(name);
  const { readSheetScheme } = await import('../../formats/sheet-scheme/read.ts');
  const text = await readText(machine, name);
  if (text === null)
    throw new IsomericError('file-missing', `There is no file ${name} in the study folder.`, {
      advice: `Copy one with “isomeric sheets SCHEME --out ${name}”.`,
      blame: 'usage',
      wrong: name,
    });
  return readSheetScheme(text, name);
}

/** The map sheets of a level that an area lies on, by their codes. */
export async function areaSheets(
  area: AreaIndex,
  crs: Crs,
  { of, level }: { of: string; level: string },
  machine: Machine,
): Promise<{ scheme: SheetScheme; codes: string[] }> {
  const scheme = await schemeNamed(of, machine);
  const number = scheme.levelNumber(level);
  const there = await brought({ geometry: area.geometry, crs }, scheme.rules.crs, 'the area');
  const touched = sheetsFor(scheme, number, new AreaIndex(there.geometry));
  return { scheme, codes: touched.map(({ sheet }) => codeOf(scheme, sheet)) };
}

async function sheetWords(
  area: AreaIndex,
  crs: Crs,
  told: { of: string; level: string },
  machine: Machine,
): Promise<string> {
  const { scheme, codes } = await areaSheets(area, crs, told, machine);
  const shown =
    codes.length > 24
      ? `${codes.slice(0, 24).join(', ')} and ${grouped(codes.length - 24)} more`
      : codes.join(', ');
  return codes.length === 0
    ? `It lies on no sheet of ${scheme.rules.title}.`
    : `It lies on ${counted(codes.length, 'sheet', 'sheets')} of ${scheme.rules.title} (${told.level}): ${shown}.`;
}

/** Where the parts of a study's area are found. */
async function surroundings(study: Study, files: GatheredFiles, machine: Machine): Promise<AreaSurroundings> {
  return {
    open: async (name) => {
      const table = await openDataset(name, study, files, machine);
      return isLayer(table) ? withCrs(table, study) : table;
    },
    crs: async (text) => {
      const crs = await studyCrs(text, machine);
      if (!('best' in crs)) return crs;
      throw new IsomericError(
        'area-value',
        '“in crs” names one CRS: the best one is known only for an area.',
        {
          blame: 'usage',
          wrong: text,
        },
      );
    },
    scheme: (name) => schemeNamed(name, machine),
    drawn: async (polygon) => {
      const { drawnLayer, drawnText } = await import('../area/drawn.ts');
      const found = await drawnText(typeof polygon === 'string' ? polygon : JSON.stringify(polygon));
      if (found !== null) return found;
      const path = String(polygon);
      const opened = (await machine.open(path)).map(({ table }) => table).find((table) => isLayer(table));
      if (opened === undefined)
        throw new IsomericError('geometry-missing', `${path} holds no layer.`, {
          blame: 'usage',
          wrong: path,
        });
      return drawnLayer(opened, path);
    },
    grids: await studyGrids(study, machine),
    elsewhere: (level) =>
      Object.entries(study.sources)
        .filter(([, { has }]) =>
          has?.some((each) => level === '' || each.toLowerCase() === level.toLowerCase()),
        )
        .map(([name]) => name),
  };
}

function sizeWords(area: AreaIndex, crs: Crs): string {
  const square = trueSize(crs, 0.01).area(area.geometry, 0);
  return `, ${grouped(Math.round(square / 1e5) / 10)} km²`;
}
