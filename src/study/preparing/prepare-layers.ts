import { type Account, counted, listed } from '../../core/account.ts';
import { type Failure, failureOf, IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { putAside } from '../again/baseline.ts';
import { dateInFiles } from '../again/dates.ts';
import { asFindings, type Kept, type KeptLayer, type LayerPlan } from '../again/keeping.ts';
import { neverPrepared } from '../again/recipes.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { PreparedEntry } from '../ledger/ledger-entries.ts';
import type { Machine } from '../machine.ts';
import type { StudyArea } from './area.ts';
import { Coverage } from './coverage.ts';
import { findingsOfOpening, preparedPath } from './open-datasets.ts';
import { planLayer } from './prepare.ts';
import { unusedTitles } from './titles.ts';

/** What layers are prepared in. */
export interface Bench {
  study: Study;
  area: StudyArea;
  files: GatheredFiles;
  ledger: Ledger;
  machine: Machine;
  /** Told of each finding. */
  add(finding: Finding): void;
}

/** A layer that is to be written, with what is told of it. */
interface Made {
  table: Layer | Table;
  told: PreparedEntry['told'];
  kept: KeptLayer | null;
  plan: LayerPlan;
}

const asKept = (findings: readonly Finding[]) =>
  JSON.parse(JSON.stringify(findings)) as PreparedEntry['findings'];

/**
 * Makes the layers that rest on something else than before, and writes them beside those that are kept. What is told of a kept
 * layer is what was told when it was made. Returns what could not be made, since something was not gathered.
 */
export async function prepareLayers(
  plans: readonly LayerPlan[],
  kept: Kept,
  bench: Bench,
): Promise<Failure[]> {
  const { study, area, machine, add } = bench;
  tellPlans(plans, kept, machine);
  const coverage = new Coverage();
  const made: Made[] = [];
  const left: Failure[] = [];
  for (const plan of plans)
    try {
      made.push(await makeLayer(plan, kept.layers.get(plan.layer) ?? null, coverage, bench));
    } catch (error) {
      // What does not need the dataset that is missing is prepared all the same.
      if (!(error instanceof IsomericError) || error.code !== 'not-gathered') throw error;
      left.push(failureOf([plan.layer], error));
    }
  if (made.length === 0 && left.length > 0)
    throw new IsomericError('not-gathered', left[0].words, { ...left[0], blame: 'usage', failures: left });
  if (made.length === 0)
    throw new IsomericError('nothing-to-prepare', 'The study prepares no layer.', {
      place: { file: 'study.yaml' },
      advice: 'Name layers under “prepare:”.',
      blame: 'usage',
    });
  if (kept.whole && left.length === 0) tellKept(made, add);
  else await write(made, coverage, bench);
  for (const finding of [
    ...coverage.findings(area),
    ...unusedTitles(
      study,
      made.map(({ table }) => table),
    ),
  ])
    add(finding);
  return left;
}

/** Says what is kept, and why the rest is made anew. */
function tellPlans(plans: readonly LayerPlan[], { layers }: Kept, { reporter }: Machine): void {
  // Of a first run there is nothing to say.
  if (layers.size === 0 && plans.every(({ reasons }) => reasons?.[0] === neverPrepared)) return;
  const names = [...layers.keys()];
  const anew = counted(plans.length - names.length, 'layer is', 'layers are');
  reporter.say(
    names.length < plans.length
      ? `Prepare: ${anew} made anew, ${names.length === 0 ? 'none kept' : `${names.length} kept as ${names.length === 1 ? 'it was' : 'they were'}`}.`
      : names.length === 1
        ? 'Prepare: the layer rests on what it rested on before, and is kept.'
        : `Prepare: all ${names.length} layers rest on what they rested on before, and are kept.`,
  );
  for (const { layer, reasons } of plans)
    if (!layers.has(layer)) reporter.note(`${layer}: ${listed(reasons ?? ['it cannot be read again'])}.`);
}

async function makeLayer(
  plan: LayerPlan,
  kept: KeptLayer | null,
  coverage: Coverage,
  { study, area, files, machine, add }: Bench,
): Promise<Made> {
  if (kept !== null) {
    const { told, reaches } = kept.entry;
    for (const { findings } of told) for (const finding of asFindings(findings)) add(finding);
    if (reaches !== undefined) coverage.remember(plan.layer, reaches);
    return { table: kept.table, told, kept, plan };
  }
  const opened: string[] = [];
  // What is found while datasets are opened is told in the order in which they are asked for, whichever is opened first.
  const quiet: Machine = { ...machine, reporter: { ...machine.reporter, finding() {} } };
  const table = await planLayer(plan.layer, { study, area, files, machine: quiet, coverage, opened });
  const told = [...new Set(opened)].map((dataset) => ({
    dataset,
    findings: asKept(findingsOfOpening(dataset, files)),
  }));
  for (const { findings } of told) for (const finding of asFindings(findings)) add(finding);
  return { table, told, kept: null, plan };
}

/** All layers stay as they lie. */
function tellKept(made: readonly Made[], add: (finding: Finding) => void): void {
  for (const { kept } of made) for (const finding of asFindings(kept?.entry.findings ?? [])) add(finding);
}

async function write(
  made: readonly Made[],
  coverage: Coverage,
  { ledger, machine, add }: Bench,
): Promise<void> {
  await putAside(ledger, machine);
  const tables = made.map(({ table }) => table);
  const { accounts: written } = await machine.save(tables, preparedPath, dateInFiles);
  const accounts = made.map(({ table, kept }, k) => (kept === null ? [...table.accounts, written[k]] : []));
  const notes = notesOnce(accounts.flat());
  ledger.steps = [];
  ledger.prepared.clear();
  made.forEach(({ table, told, kept, plan }, k) => {
    const findings: Finding[] = [];
    for (const account of accounts[k]) {
      if (account.sentence !== '') {
        ledger.record(table.name, account);
        machine.reporter.say(account.sentence);
      }
      for (const note of account.notes) for (const words of notes(note)) machine.reporter.note(words);
      findings.push(...account.findings);
    }
    if (kept !== null) {
      ledger.steps.push(...kept.steps);
      findings.push(...asFindings(kept.entry.findings));
    } else {
      // What a reader finds out only while reading.
      for (const finding of table.findings) findings.push({ ...finding, layer: finding.layer ?? table.name });
    }
    for (const finding of findings) add(finding);
    const reaches = coverage.seenOf(plan.layer);
    ledger.prepared.set(plan.layer, {
      kind: 'prepared',
      layer: plan.layer,
      recipe: plan.recipe.key,
      parts: { ...plan.recipe.parts },
      told,
      findings: kept === null ? asKept(findings) : kept.entry.findings,
      ...(reaches === undefined ? {} : { reaches }),
    });
  });
  const sha256 = await machine.store.checksum(preparedPath);
  ledger.layers = sha256 === null ? null : { kind: 'layers', path: preparedPath, sha256 };
}

/** Tells a note where it comes first, with how often it holds; where it comes again, nothing. */
function notesOnce(accounts: readonly Account[]): (note: string) => string[] {
  const times = new Map<string, number>();
  for (const { notes } of accounts) for (const note of notes) times.set(note, (times.get(note) ?? 0) + 1);
  const told = new Set<string>();
  return (note) => {
    if (told.has(note)) return [];
    told.add(note);
    const count = times.get(note) ?? 1;
    return [count === 1 ? note : `${note} (So for ${count} steps.)`];
  };
}
