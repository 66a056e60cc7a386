import { counted, grouped, listed } from '../core/account.ts';
import type { FigureDifference } from '../core/layer/difference.ts';
import type { Difference, LayerDifference } from '../study/again/difference.ts';
import type { RunPlan } from '../study/again/plan.ts';
import { planSentences } from '../study/again/plan.ts';
import type { Study } from '../study/file/schema.ts';
import { type Output, printFindings, textTable } from './output.ts';

/** Layers, fields and figures of one kind that are named; of more there is a count. */
const mostFigures = 8;

const figureText = (value: number | null) =>
  value === null
    ? 'blank'
    : grouped(Number(Math.abs(value) >= 1000 ? value.toFixed(0) : value.toPrecision(4)));

const keysOf = ({ count, features }: { count: number; features: string[] }) =>
  features.length === 0 ? '' : ` (${features.slice(0, 5).join(', ')}${count > 5 ? ' …' : ''})`;

/** `38 before, 39 after; 2 added (020411, 020412), 1 gone (020409), 3 changed in shape` */
function layerWords(layer: LayerDifference): string {
  const parts: string[] = [];
  const part = (what: { count: number; features: string[] } | undefined, words: string) => {
    if (what !== undefined && what.count > 0) parts.push(`${grouped(what.count)} ${words}${keysOf(what)}`);
  };
  part(layer.added, 'added');
  part(layer.gone, 'gone');
  part(layer.reshaped, 'changed in shape');
  part(layer.altered, 'in fields');
  const fields = (layer.fields ?? []).map(({ field, what, before, after }) =>
    what === 'of another type'
      ? `${field} is ${after} now, was ${before}`
      : `${field} ${what === 'added' ? 'added' : 'gone'}`,
  );
  const rows = `${grouped(layer.before ?? 0)} before, ${grouped(layer.after ?? 0)} after`;
  const what = [
    ...(parts.length === 0 ? [] : [listed(parts)]),
    ...(fields.length === 0 ? [] : [`fields: ${listed(fields)}`]),
  ];
  return `${rows}; ${what.join('; ')}.`;
}

function figureLine(study: Study, { feature, field, before, after }: FigureDifference): string {
  const told = study.titles[field];
  // A count and its share often have one title: the unit tells them apart.
  const title =
    told === undefined ? field : told.unit === undefined ? told.title : `${told.title} (${told.unit})`;
  return `${title} of ${feature}: ${figureText(before)} → ${figureText(after)}`;
}

/** Prints what is other than after the last run. */
export function printDifference(output: Output, difference: Difference, study: Study): void {
  const { colours } = output;
  const changed = difference.layers.filter(({ state }) => state !== 'same');
  const { findings } = difference;
  output.line(`\n${colours.bold(colours.underline('Changes since the last run'))}`);
  if (changed.length === 0) output.line('All layers are as they were.');
  for (const layer of changed) {
    const name = colours.bold(layer.layer);
    if (layer.state === 'new')
      output.line(`${name}: new, ${counted(layer.after ?? 0, 'feature', 'features')}.`);
    else if (layer.state === 'gone')
      output.line(`${name}: gone, it had ${counted(layer.before ?? 0, 'feature', 'features')}.`);
    else output.line(`${name}: ${layerWords(layer)}`);
    const greatest = layer.greatest ?? [];
    for (const figure of greatest.slice(0, mostFigures)) output.line(`  ${figureLine(study, figure)}`);
    const all = (layer.figures ?? []).reduce((sum, each) => sum + each.changed, 0);
    if (all > Math.min(mostFigures, greatest.length))
      output.line(
        colours.dim(
          `  ${grouped(all)} figures changed in all; prepared/changes.json has the greatest of them.`,
        ),
      );
  }
  const same = difference.layers.filter(({ state }) => state === 'same').length;
  if (changed.length > 0 && same > 0)
    output.line(`${counted(same, 'layer is as it was', 'layers are as they were')}.`);
  if (findings.new.length > 0) {
    output.line(`${counted(findings.new.length, 'finding is', 'findings are')} new:`);
    printFindings(output, findings.new.slice(0, 12));
  }
  if (findings.gone.length > 0) {
    output.line(`${counted(findings.gone.length, 'finding is', 'findings are')} gone:`);
    printFindings(output, findings.gone.slice(0, 12));
  }
}

const stateWords = {
  new: 'is new',
  changed: 'changed',
  unchanged: 'as it was',
  kept: 'kept',
  unknown: 'not to be told',
  trouble: 'no answer',
};

/** Prints what a run would fetch and make anew, and why. */
export function printPlan(output: Output, plan: RunPlan): void {
  const { colours } = output;
  output.line(`\n${colours.bold(colours.underline('What a run would do'))}`);
  const rows = textTable(
    ['dataset', 'source', 'state', 'why'],
    plan.datasets.map(({ datasets, source, state, why }) => [
      datasets.join(', '),
      source,
      stateWords[state],
      why,
    ]),
    [false, false, false, false],
    64,
  );
  for (const [k, row] of rows.entries()) output.line(k === 0 ? colours.dim(row) : row);
  output.line();
  for (const { layer, reasons } of plan.layers)
    if (reasons !== null) output.line(`${colours.bold(layer)} would be made anew: ${listed(reasons)}.`);
  for (const sentence of planSentences(plan)) output.line(sentence);
}
