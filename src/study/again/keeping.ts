import type { Finding } from '../../core/findings.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { PreparedEntry, StepEntry } from '../ledger/ledger-entries.ts';
import type { Machine } from '../machine.ts';
import { preparedPath } from '../preparing/open-datasets.ts';
import { beforePath } from './baseline.ts';
import { neverPrepared, type Recipe, type Recipes, reasonsFor } from './recipes.ts';

/** What becomes of one layer of a study in this run. */
export interface LayerPlan {
  layer: string;
  recipe: Recipe;
  /** Why it is made anew; null where it is kept as it is. */
  reasons: string[] | null;
}

/** A layer as it was prepared in an earlier run, with what was told of it. */
export interface KeptLayer {
  table: Layer | Table;
  entry: PreparedEntry;
  steps: StepEntry[];
}

/** The file with the prepared layers of the ledger, wherever an interrupted run left it; null where it is not there to the byte. */
export async function preparedFile(ledger: Ledger, machine: Machine): Promise<string | null> {
  const { layers } = ledger;
  if (layers === null) return null;
  for (const path of [preparedPath, beforePath])
    if ((await machine.store.checksum(path)) === layers.sha256) return path;
  return null;
}

/** Which layers rest on something else than before, and why. */
export async function planLayers(
  study: Study,
  recipes: Recipes,
  ledger: Ledger,
  file: string | null,
): Promise<LayerPlan[]> {
  const plans: LayerPlan[] = [];
  for (const layer of Object.keys(study.prepare)) {
    const recipe = await recipes.of(layer);
    const before = ledger.prepared.get(layer);
    const reasons =
      file === null
        ? [ledger.layers === null ? neverPrepared : 'what was prepared is not there any more']
        : before?.recipe === recipe.key
          ? null
          : reasonsFor(recipe, before?.parts);
    plans.push({ layer, recipe, reasons });
  }
  return plans;
}

/** What can be kept of the prepared layers. */
export interface Kept {
  layers: Map<string, KeptLayer>;
  /** True where the file holds exactly the layers of the study, all of them kept: it stays as it is. */
  whole: boolean;
}

/** Opens the layers that are kept; what cannot be read again is made anew. */
export async function openKept(
  plans: readonly LayerPlan[],
  file: string | null,
  ledger: Ledger,
  machine: Machine,
): Promise<Kept> {
  const layers = new Map<string, KeptLayer>();
  if (file === null || plans.every(({ reasons }) => reasons !== null)) return { layers, whole: false };
  const tables = (await machine.open(file)).map(({ table }) => table);
  const opened = new Map(tables.map((table) => [table.name, table]));
  for (const { layer, reasons } of plans) {
    const table = opened.get(layer);
    const entry = ledger.prepared.get(layer);
    if (reasons !== null || table === undefined || entry === undefined) continue;
    layers.set(layer, { table, entry, steps: ledger.steps.filter((step) => step.layer === layer) });
  }
  const whole =
    file === preparedPath &&
    layers.size === plans.length &&
    tables.length === plans.length &&
    plans.every(({ layer }, k) => tables[k].name === layer);
  return { layers, whole };
}

/** Findings as the ledger keeps them. */
export const asFindings = (kept: readonly Readonly<Record<string, unknown>>[]) =>
  kept as unknown as Finding[];
