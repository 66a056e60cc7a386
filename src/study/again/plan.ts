import { listed } from '../../core/account.ts';
import { filesFromLedger } from '../gathering/gather.ts';
import type { Extent } from '../gathering/orders.ts';
import type { Gathering } from '../gathering/source-context.ts';
import type { StudyArea } from '../preparing/area.ts';
import { askChanges, type ChangeLine } from './ask-changes.ts';
import { planLayers, preparedFile } from './keeping.ts';
import { Recipes } from './recipes.ts';

/** What a run would do, and why. */
export interface RunPlan {
  /** What would be fetched of each source. */
  datasets: ChangeLine[];
  /** Which layers would be made anew, with the reasons; those that would be kept have none. */
  layers: { layer: string; reasons: string[] | null }[];
}

/**
 * Asks the sources what changed, and works out which layers rest on it. Nothing is fetched, and nothing is made.
 *
 * @param first datasets that make the area; they are there already
 */
export async function planRun(
  first: readonly string[],
  others: readonly string[],
  extent: Extent | undefined,
  area: StudyArea,
  gathering: Gathering,
): Promise<RunPlan> {
  const { study, ledger, machine } = gathering;
  // What makes the area is asked for without one.
  const datasets = [
    ...(await askChanges(first, undefined, gathering)),
    ...(await askChanges(others, extent, gathering)),
  ];
  const files = filesFromLedger(study, ledger);
  const recipes = new Recipes({ study, area, files, ledger, machine });
  const plans = await planLayers(study, recipes, ledger, await preparedFile(ledger, machine));
  const moved = new Map<string, ChangeLine>();
  for (const line of datasets)
    if (line.state !== 'unchanged' && line.state !== 'kept')
      for (const name of line.datasets) moved.set(name, line);
  const restsOn = new Map<string, readonly string[]>();
  for (const { layer, recipe } of plans) restsOn.set(layer, Object.keys(recipe.parts));
  const reasonsOf = (layer: string, under: readonly string[] = []): string[] => {
    const found: string[] = [];
    for (const part of restsOn.get(layer) ?? []) {
      const dataset = /^files of (.*)$/.exec(part)?.[1];
      const owner = dataset === undefined ? undefined : (study.gather[dataset]?.['same as'] ?? dataset);
      const line = owner === undefined ? undefined : moved.get(owner);
      if (line !== undefined)
        found.push(
          line.state === 'changed' || line.state === 'new'
            ? `the data of ${dataset} changed`
            : `the data of ${dataset} may have changed`,
        );
      const other = /^layer (.*)$/.exec(part)?.[1];
      if (other !== undefined && !under.includes(other) && reasonsOf(other, [...under, layer]).length > 0)
        found.push(`${other} would be made anew`);
    }
    return [...new Set(found)];
  };
  return {
    datasets,
    layers: plans.map(({ layer, reasons }) => {
      const all = [...(reasons ?? []), ...reasonsOf(layer)];
      return { layer, reasons: all.length === 0 ? null : all };
    }),
  };
}

/** What a run would do, in sentences. */
export function planSentences({ datasets, layers }: RunPlan): string[] {
  const fetched = datasets.filter(
    ({ state }) => state === 'new' || state === 'changed' || state === 'unknown',
  );
  const kept = datasets.length - fetched.length;
  const anew = layers.filter(({ reasons }) => reasons !== null);
  return [
    `Again: of ${datasets.length} orders ${fetched.length} would be fetched, ${kept} not.`,
    ...(layers.length === 0
      ? []
      : [
          anew.length === 0
            ? 'Again: no layer would be made anew.'
            : `Again: ${anew.length} of ${layers.length} layers would be made anew: ${listed(anew.slice(0, 12).map(({ layer }) => layer))}${anew.length > 12 ? ' …' : ''}.`,
        ]),
  ];
}
