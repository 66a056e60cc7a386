import type { Finding } from '../../core/findings.ts';
import type { Ledger } from '../ledger/ledger.ts';
import { type Machine, readText, writeText } from '../machine.ts';
import { preparedPath } from '../preparing/open-datasets.ts';

/** Where the layers lie that the last whole run delivered, while a run makes others. */
export const beforePath = 'prepared/before.gpkg';
const findingsPath = 'prepared/findings.json';
const beforeFindings = 'prepared/before.json';

/** What the last whole run left: its layers, and what it found. */
export interface Baseline {
  path: string;
  findings: Finding[];
}

/**
 * The state that this run is held against: that of the last run which came to its end, also where others were interrupted since.
 * Its layers are found by their checksum, wherever they lie.
 */
export async function baselineOf(ledger: Ledger, machine: Machine): Promise<Baseline | null> {
  const wanted = ledger.delivery?.prepared;
  if (wanted === undefined) return null;
  for (const path of [beforePath, preparedPath]) {
    if ((await machine.store.checksum(path)) !== wanted) continue;
    const text = (await readText(machine, path === beforePath ? beforeFindings : findingsPath)) ?? '[]';
    return { path, findings: JSON.parse(text) as Finding[] };
  }
  return null;
}

/** Puts the layers and findings of the last whole run aside before others take their place; kept until a run comes to its end. */
export async function putAside(ledger: Ledger, machine: Machine): Promise<void> {
  const baseline = await baselineOf(ledger, machine);
  if (baseline === null || baseline.path === beforePath) return;
  // The findings first: the layers say that both are there.
  await writeText(machine, beforeFindings, `${JSON.stringify(baseline.findings, null, 2)}\n`);
  await machine.copy(preparedPath, beforePath);
}

/** The run came to its end: what it was held against is of no more use. */
export async function forgetBaseline(machine: Machine): Promise<void> {
  await machine.store.remove(beforePath);
  await machine.store.remove(beforeFindings);
}
