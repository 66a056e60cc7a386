import { counted, openAccount } from '../../core/account.ts';
import { type Crs, crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { withReasonColumns } from '../../core/layer/verbs/reasons.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { remarkFindings } from '../../core/layer/verbs/reproject-findings.ts';
import { verbNamed } from '../../verbs/register.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Machine } from '../machine.ts';
import type { StudyArea } from './area.ts';
import type { Coverage } from './coverage.ts';
import { openDataset, sourceOf, studyGrids, titled, withCrs } from './open-datasets.ts';
import { stepValues } from './step-values.ts';

/** What is prepared in: a study, its area, what was gathered for it. */
export interface Preparing {
  study: Study;
  area: StudyArea;
  files: GatheredFiles;
  machine: Machine;
  /** Watches how far each layer reaches. */
  coverage: Coverage;
  /** Datasets that are opened for the layer, in the order in which they are asked for. */
  opened?: string[];
  /** Told of a layer as it is planned: as it was opened (0), and after each step. */
  stage?(layer: string, step: number, table: Layer | Table): void;
}

/**
 * Plans all steps of one layer; nothing is read yet, but mistakes are told.
 * @param under layers that are being planned and wait for this one
 */
export async function planLayer(
  name: string,
  preparing: Preparing,
  under: readonly string[] = [],
): Promise<Layer | Table> {
  const { study, area, files, machine, coverage } = preparing;
  const openGathered = (dataset: string) => {
    preparing.opened?.push(dataset);
    return openDataset(dataset, study, files, machine);
  };
  let table = await openGathered(name);
  const layer = table;
  if (isLayer(layer))
    table = await study.written.within(['gather', name], () => inStudyCrs(layer, preparing));
  // What somebody walked along need not reach across the area.
  if (isLayer(table) && sourceOf(name, study)?.kind !== 'receiver')
    table = coverage.watch(table, files.get(name) ?? []);
  preparing.stage?.(name, 0, table);
  const open = (other: string, asGathered: boolean) =>
    asGathered || !(other in study.prepare)
      ? openGathered(other)
      : planOther(other, preparing, [...under, name]);
  for (const [k, step] of study.prepare[name].entries()) {
    try {
      const told = (error: IsomericError) =>
        study.written.told(error.at({ layer: `${name}, step ${k + 1}` }), ['prepare', name, k]);
      table = placedWhileRead(
        await verbNamed(step.verb)!.apply(table, await stepValues(step, { study, area, open })),
        told,
      );
      preparing.stage?.(name, k + 1, table);
    } catch (error) {
      if (!(error instanceof IsomericError)) throw error;
      throw study.written.told(error.at({ layer: `${name}, step ${k + 1}` }), ['prepare', name, k]);
    }
  }
  // The format in between holds no reasons beside values: they get columns of their own.
  return titled(withReasonColumns(table), study);
}

/** What a step cannot do shows only while data flow: a join that meets nothing. That is told with the place of the step as well. */
function placedWhileRead<T extends Table>(table: T, told: (error: IsomericError) => unknown): T {
  return {
    ...table,
    async *batches(options) {
      try {
        yield* table.batches(options);
      } catch (error) {
        // What is wrong with a file has its place there.
        throw error instanceof IsomericError && error.blame === 'usage' ? told(error) : error;
      }
    },
  };
}

async function inStudyCrs(layer: Layer, { study, area, machine }: Preparing): Promise<Layer> {
  const { crs } = withCrs(layer, study);
  // Nothing to say when it is there already; the study's CRS may know a datum shift that the file's does not.
  return sameCrs(crs!, area.crs)
    ? withRemarks({ ...layer, crs: area.crs }, crs!)
    : reprojectLayer(layer, area.crs, { grids: await studyGrids(study, machine) });
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

/** The other table of a step, as it is prepared. */
async function planOther(
  name: string,
  preparing: Preparing,
  under: readonly string[],
): Promise<Layer | Table> {
  if (under.includes(name))
    throw new IsomericError(
      'study-circle',
      `${[...under, name].join(' waits for ')}: they join each other in a circle.`,
      {
        advice: 'Let one of them join a dataset that has no steps of its own.',
        blame: 'usage',
      },
    );
  return planLayer(name, preparing, under);
}
