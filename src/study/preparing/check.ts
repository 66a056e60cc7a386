import {
  areaCheck,
  type Check,
  conditionCheck,
  keyCheck,
  runChecks,
  sureCheck,
  validCheck,
} from '../../core/checks/check.ts';
import { crsCheck } from '../../core/checks/crs-check.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { areaSpread, distortionOver } from '../../core/crs/distortion.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { usualUnsureAbove } from '../../core/layer/verbs/compute.ts';
import type { Study } from '../file/schema.ts';
import type { Machine } from '../machine.ts';
import { drawsDensities, type StudyArea } from './area.ts';

/** One check from its words: `valid`, `key: code`, `meets the area`, or a CQL2 condition. */
export function checkFrom(
  words: string,
  table: Table,
  area: StudyArea | undefined,
  margins: Study['margins'] = { confidence: 90, 'unsure above': usualUnsureAbove },
): Check {
  const asLayer = (): Layer => {
    if (isLayer(table)) return table;
    throw new IsomericError(
      'geometry-missing',
      `${table.name} has no geometry, so “${words}” cannot be checked.`,
      { blame: 'usage' },
    );
  };
  if (words === 'valid') return validCheck(asLayer());
  if (words === 'crs') return crsCheck(asLayer());
  if (words === 'meets the area' && area !== undefined) return areaCheck(asLayer(), area.area);
  const sure = /^sure:\s*(.+)$/.exec(words);
  if (sure !== null) return sureCheck(table, sure[1].trim(), margins['unsure above'], margins.confidence);
  const key = /^key:\s*(.+)$/.exec(words);
  return key !== null ? keyCheck(table, key[1].trim()) : conditionCheck(table, words);
}

/** Runs the checks of a study over its prepared layers. Every layer is asked whether it reaches the area. */
export async function checkStudy(
  study: Study,
  layers: ReadonlyMap<string, Layer | Table>,
  area: StudyArea,
  machine: Machine,
): Promise<Finding[]> {
  const findings: Finding[] = [];
  for (const [name, table] of layers) {
    const asked = study.check[name] ?? [];
    const words = [...(isLayer(table) ? ['meets the area'] : []), ...asked];
    const result = await runChecks(
      table,
      words.map((each) => checkFrom(each, table, area, study.margins)),
    );
    findings.push(...result.findings);
    for (const sentence of result.sentences) machine.reporter.say(`Check: ${sentence}`);
  }
  findings.push(...unequalAreas(study, area));
  return findings;
}

/** Areas that differ by more than this on the map mislead where figures per area are drawn. */
const unequal = 0.01;

function unequalAreas(study: Study, { crs, degrees }: StudyArea): Finding[] {
  if (degrees === undefined || !drawsDensities(study)) return [];
  const report = distortionOver(crs, degrees);
  if (report === null || areaSpread(report) <= unequal) return [];
  return [
    {
      code: 'crs-not-equal-area',
      severity: 'warning',
      words: `Figures per area are drawn in ${crsLabel(crs)}, where areas of one size come out up to ${(areaSpread(report) * 100).toPrecision(2)} % apart over the study area.`,
      repair: 'crs: best for densities',
    },
  ];
}
