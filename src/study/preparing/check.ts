import { runChecks } from '../../core/checks/check.ts';
import { checkFrom } from '../../core/checks/check-words.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { areaSpread, distortionOver } from '../../core/crs/distortion.ts';
import type { Finding } from '../../core/findings.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { Study } from '../file/schema.ts';
import type { Machine } from '../machine.ts';
import { drawsDensities, type StudyArea } from './area.ts';

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
    const read = (words: string) => checkFrom(words, table, area.area, study.margins);
    const checks = isLayer(table) ? [read('meets the area')] : [];
    for (const [k, words] of asked.entries())
      checks.push(await study.written.within(['check', name, k], () => read(words)));
    const result = await runChecks(table, checks);
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
