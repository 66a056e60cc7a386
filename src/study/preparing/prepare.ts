import { counted, openAccount } from '../../core/account.ts';
import { type Crs, crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { clipLayer } from '../../core/layer/verbs/clip.ts';
import { computeFields } from '../../core/layer/verbs/compute.ts';
import { filterRows } from '../../core/layer/verbs/filter.ts';
import { groupRows } from '../../core/layer/verbs/group.ts';
import { innerPoints } from '../../core/layer/verbs/inner-points.ts';
import { joinTable, parseOn } from '../../core/layer/verbs/join.ts';
import { lengthenRows } from '../../core/layer/verbs/lengthen.ts';
import { withReasonColumns } from '../../core/layer/verbs/reasons.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { remarkFindings } from '../../core/layer/verbs/reproject-findings.ts';
import { onlyUnits } from '../../core/layer/verbs/rows.ts';
import { selectColumns } from '../../core/layer/verbs/select.ts';
import { tallyFeatures } from '../../core/layer/verbs/tally.ts';
import { widenRows } from '../../core/layer/verbs/widen.ts';
import type { Study, StudyStep } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Machine } from '../machine.ts';
import type { StudyArea } from './area.ts';
import { openDataset, studyGrids, titled } from './open-datasets.ts';

/**
 * Plans all steps of one layer; nothing is read yet, but mistakes are told.
 * @param under layers that are being planned and wait for this one
 */
export async function planLayer(
  name: string,
  study: Study,
  area: StudyArea,
  files: GatheredFiles,
  machine: Machine,
  under: readonly string[] = [],
): Promise<Layer | Table> {
  let table = await openDataset(name, study, files, machine);
  if (isLayer(table)) {
    if (table.crs === null) {
      throw new IsomericError('crs-missing', `${name} has no CRS, and one is never assumed.`, {
        place: { layer: name },
        advice: `Say it with “crs:” under gather → ${name}.`,
        blame: 'usage',
      });
    }
    // Nothing to say when it is there already; the study's CRS may know a datum shift that the file's does not.
    table = sameCrs(table.crs, area.crs)
      ? withRemarks({ ...table, crs: area.crs }, table.crs)
      : reprojectLayer(table, area.crs, { grids: await studyGrids(study, machine) });
  }
  const steps = study.prepare[name];
  for (let k = 0; k < steps.length; k++) {
    try {
      table = await applyStep(table, steps[k], study, area, files, machine, [...under, name]);
    } catch (error) {
      throw error instanceof IsomericError
        ? error.at({ file: 'study.yaml', layer: `${name}, step ${k + 1}` })
        : error;
    }
  }
  // The format in between holds no reasons beside values: they get columns of their own.
  return titled(withReasonColumns(table), study);
}

/** A layer that stays in its CRS, with what that CRS's definition contradicts itself in. */
function withRemarks(layer: Layer, crs: Crs): Layer {
  const findings = remarkFindings(crs, layer.name);
  if (findings.length === 0) return layer;
  const account = openAccount('CRS', layer.name);
  account.findings.push(...findings);
  account.closed = true;
  account.sentence = `CRS: ${layer.name} is in ${crsLabel(crs)}; ${counted(findings.length, 'thing', 'things')} about its definition to look at.`;
  return { ...layer, accounts: [...layer.accounts, account] };
}

async function applyStep(
  table: Layer | Table,
  step: StudyStep,
  study: Study,
  area: StudyArea,
  files: GatheredFiles,
  machine: Machine,
  under: readonly string[],
): Promise<Layer | Table> {
  if (step.where !== undefined) return filterRows(table, step.where);
  if (step.compute !== undefined) {
    const computations = Object.entries(step.compute).map(([name, expression]) => ({
      name,
      expression,
      title: study.titles[name]?.title,
      unit: study.titles[name]?.unit,
    }));
    return computeFields(table, computations, {
      confidence: study.margins.confidence,
      unsureAbove: study.margins['unsure above'],
    });
  }
  if (step.group !== undefined) {
    const compute = Object.entries(step.group.compute).map(([name, expression]) => ({
      name,
      expression,
      title: study.titles[name]?.title,
      unit: study.titles[name]?.unit,
    }));
    return groupRows(table, { by: step.group.by, compute });
  }
  if (step.widen !== undefined) return widenRows(table, step.widen);
  if (step.lengthen !== undefined) return lengthenRows(table, step.lengthen);
  if (step.units !== undefined) {
    const units = await openDataset(step.units, study, files, machine);
    return onlyUnits(table, units, { on: parseOn(step.on!), repair: step.repair });
  }
  if (step.select !== undefined) return selectColumns(table, step.select);
  if (step.join !== undefined) {
    const other = await joined(step.join, study, area, files, machine, under);
    return joinTable(table, other, { on: parseOn(step.on!), columns: step.columns, repair: step.repair });
  }
  const does = step.clip !== undefined ? 'clipped' : step.points !== undefined ? 'made points' : 'counted in';
  if (!isLayer(table))
    throw new IsomericError('geometry-missing', `${table.name} has no geometry, so it cannot be ${does}.`, {
      blame: 'usage',
    });
  if (step.points !== undefined) return innerPoints(table);
  if (step.tally !== undefined) {
    const things = await joined(step.tally, study, area, files, machine, under);
    if (!isLayer(things))
      throw new IsomericError('geometry-missing', `${things.name} has no geometry, so it lies in no unit.`, {
        blame: 'usage',
      });
    return tallyFeatures(table, things, { as: step.as, title: study.titles[step.tally]?.title });
  }
  return clipLayer(table, area.area, { mode: step.keep === 'whole' ? 'whole' : 'cut' });
}

/** The other table of a step: as it was gathered, or as it is prepared where the study has steps for it. */
async function joined(
  name: string,
  study: Study,
  area: StudyArea,
  files: GatheredFiles,
  machine: Machine,
  under: readonly string[],
): Promise<Layer | Table> {
  if (!(name in study.prepare)) return openDataset(name, study, files, machine);
  if (under.includes(name))
    throw new IsomericError(
      'study-circle',
      `${[...under, name].join(' waits for ')}: they join each other in a circle.`,
      {
        advice: 'Let one of them join a dataset that has no steps of its own.',
        blame: 'usage',
      },
    );
  return planLayer(name, study, area, files, machine, under);
}
