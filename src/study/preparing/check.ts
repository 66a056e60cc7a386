import { listed } from '../../core/account.ts';
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
  const meeting: string[] = [];
  for (const [name, table] of layers) {
    const asked = study.check[name] ?? [];
    const read = (words: string) => checkFrom(words, table, area.area, study.margins);
    const checks = isLayer(table) ? [read('meets the area')] : [];
    for (const [k, words] of asked.entries())
      checks.push(await study.written.within(['check', name, k], () => read(words)));
    const result = await runChecks(table, checks);
    findings.push(...result.findings);
    // That a layer meets the area is the rule: those that do are told together.
    const own =
      isLayer(table) && result.findings.every(({ code }) => !/^layer-(empty|misses-area)$/.test(code))
        ? 1
        : 0;
    if (own === 1) meeting.push(name);
    for (const sentence of result.sentences.slice(own)) machine.reporter.say(`Check: ${sentence}`);
  }
  if (meeting.length > 0)
    machine.reporter.say(
      `Check: Area: ${listed(meeting)} ${meeting.length === 1 ? 'meets' : 'meet'} the study area.`,
    );
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
