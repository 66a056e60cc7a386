import type { Study } from '../file/schema.ts';
import { isDelivered } from '../handing-on/deliver.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';
import { canonicalJson, digestOf } from './digest.ts';

/** Digest of all that the delivered files rest on: the study, the code, what was received, the prepared layers. */
export async function standingOf(study: Study, ledger: Ledger, machine: Machine): Promise<string> {
  const { written: _, ...words } = study;
  const received = ledger
    .received()
    .map(({ path, sha256, at, url, what, licence, citation, datasets, bytes, role }) => ({
      path,
      sha256,
      at,
      url,
      what,
      licence,
      citation,
      datasets,
      bytes,
      role,
    }));
  const prepared = recipesIn(ledger);
  return digestOf(
    canonicalJson({
      words,
      version: machine.version,
      received,
      prepared,
      terms: [...ledger.terms.values()],
      layers: ledger.layers?.sha256,
    }),
  );
}

/** What each prepared layer rests on, in the order of their names. */
export function recipesIn(ledger: Ledger): Record<string, string> {
  const pairs = [...ledger.prepared.values()].map(({ layer, recipe }) => [layer, recipe] as const);
  return Object.fromEntries(pairs.sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** Does everything that was delivered lie there to the byte, and rest on what there is now? */
export async function stillStands(standing: string, ledger: Ledger, machine: Machine): Promise<boolean> {
  const { delivery } = ledger;
  if (delivery?.of !== standing || delivery.sums === undefined) return false;
  // What it says to have delivered is what it took the checksums of.
  const { paths, sums } = delivery;
  if (paths.length !== Object.keys(sums).length || !paths.every((path) => Object.hasOwn(sums, path)))
    return false;
  // A ledger may come from anywhere: what leads out of the folder of results was not delivered.
  if (!paths.every(isDelivered)) return false;
  for (const [path, sha256] of Object.entries(sums))
    if ((await machine.store.checksum(path)) !== sha256) return false;
  return (await machine.store.open('prepared/findings.json')) !== null;
}

/** SHA-256 of each delivered file. */
export async function sumsOf(paths: readonly string[], machine: Machine): Promise<Record<string, string>> {
  const sums: Record<string, string> = {};
  for (const path of [...paths].sort()) sums[path] = (await machine.store.checksum(path)) ?? '';
  return sums;
}
