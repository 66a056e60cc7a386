import { grouped } from '../../core/account.ts';
import { boxOfAreaIn, boxRing, degreesOfArea, plainBoxes } from '../../core/crs/area-extent.ts';
import { bestCrs, choiceWords } from '../../core/crs/best-crs.ts';
import { type Crs, crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { transformer } from '../../core/crs/transformer.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Box, GeometryArray } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { planarArea } from '../../core/geometry/measures.ts';
import { geometriesFrom } from '../../core/geometry/object-view.ts';
import { AreaIndex } from '../../core/geometry/overlay/area-index.ts';
import { isLayer } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { suggest } from '../../core/nearest.ts';
import { requireField } from '../../core/table/schema.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Machine } from '../machine.ts';
import { openDataset, type StudyCrs, studyGrids, withCrs } from './open-datasets.ts';

/** The study area in the study's CRS. */
export interface StudyArea {
  area: AreaIndex;
  crs: Crs;
  words: string;
  /** Its box in longitudes and latitudes on WGS 84, hardly larger; west greater than east across the antimeridian. */
  degrees: Box | undefined;
}

/** Name of the dataset that the area is made of; it must be gathered before the others. */
export function areaDataset(study: Study): string | undefined {
  return study.area.units?.of ?? study.area.layer;
}

/** The area's box in another CRS, a little larger; undefined where there is no way, or where one box cannot hold it. */
export function boxOfArea({ area, crs, degrees }: Omit<StudyArea, 'words'>, other: Crs): Box | undefined {
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
export function strangeBox(study: Study): Finding[] {
  const { box } = study.area;
  if (box === undefined || box.west < box.east) return [];
  const wide = 360 - (box.west - box.east);
  const { file, line } = study.written.value(['area', 'box', 'west']);
  return [
    {
      code: 'box-across',
      severity: wide > 180 ? 'warning' : 'note',
      words: `${file}, line ${line}: the west of the box (${box.west}) is greater than its east (${box.east}), so it goes across the antimeridian and is ${grouped(Math.round(wide * 100) / 100)} degrees wide.`,
      repair: 'exchange west and east, when that is not meant',
    },
  ];
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

/** The study area in a CRS: units picked by code, a box, or all areas of a layer. */
async function areaIn(study: Study, crs: Crs, files: GatheredFiles, machine: Machine): Promise<StudyArea> {
  const { units, box } = study.area;
  if (box !== undefined) {
    const sides: Box = [box.west, box.south, box.east, box.north];
    const array = geometriesFrom([
      { type: 'MultiPolygon', coordinates: plainBoxes(sides).map((plain) => [boxRing(plain)]) },
    ]);
    const lost = transformer(wgs84(), crs).transform(array.xy);
    if (lost > 0)
      throw new IsomericError(
        'area-outside-crs',
        `The box ${sides.join(', ')} reaches where ${crsLabel(crs)} has no coordinates.`,
        { advice: 'Choose a smaller box, or another “crs:” of the study.', blame: 'usage' },
      );
    const area = new AreaIndex(array);
    return {
      area,
      crs,
      degrees: sides,
      words: `Area: the box ${box.west}, ${box.south}, ${box.east}, ${box.north}${sizeWords(area, crs)}.`,
    };
  }
  const name = areaDataset(study)!;
  const layer = await openDataset(name, study, files, machine);
  if (!isLayer(layer))
    throw study.written.told(
      new IsomericError('geometry-missing', `The area is made of ${name}, which has no geometry.`, {
        blame: 'usage',
        wrong: name,
      }),
      ['area'],
    );
  const wanted = units === undefined ? null : new Set([units.code].flat());
  const key =
    units === undefined
      ? -1
      : await study.written.within(['area', 'units'], () => requireField(layer.schema, units.by, name));
  const builder = new GeometryMaker();
  const found = new Set<string>();
  const known: string[] = [];
  const grids = await studyGrids(study, machine);
  for await (const batch of reprojectLayer(withCrs(layer, study), crs, { grids }).batches()) {
    for (let i = 0; i < batch.length; i++) {
      if (wanted !== null) {
        const code = batch.columns[key].text(i) ?? '';
        known.push(code);
        if (!wanted.has(code)) continue;
        found.add(code);
      }
      builder.copy(batch.geometry!, i);
    }
  }
  const missing = wanted === null ? [] : [...wanted].filter((code) => !found.has(code));
  if (missing.length > 0) {
    const error = new IsomericError(
      'unit-unknown',
      `${name} has no unit with ${units!.by} ${missing.join(', ')}.`,
      {
        wrong: missing[0],
        advice: suggest(missing[0], known),
        blame: 'usage',
      },
    );
    throw study.written.told(error, ['area', 'units', 'code']);
  }
  const array: GeometryArray = builder.finish();
  const area = await study.written.within(['area'], () => new AreaIndex(array));
  const which =
    wanted === null
      ? `all ${grouped(array.length)} ${name}`
      : `${grouped(array.length)} ${name} (${[...wanted].join(', ')})`;
  return {
    area,
    crs,
    degrees: degreesOf(area, crs),
    words: `Area: ${which}${sizeWords(area, crs)}.`,
  };
}

function sizeWords(area: AreaIndex, crs: Crs): string {
  if (crs.kind !== 'projected') return '';
  const square = planarArea(area.geometry, 0) * crs.unit ** 2;
  return `, ${grouped(Math.round(square / 1e5) / 10)} km² on the grid`;
}
