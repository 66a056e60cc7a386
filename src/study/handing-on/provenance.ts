import type { Receipt } from '../../sources/receipt.ts';
import { withoutSecrets } from '../../sources/secrets.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import { knownLicence, type Obligation } from './licences.ts';

/** What was received under one licence and one citation, and which layers rest on it. */
export interface Provenance {
  /** Names of the sources; the study folder where files lie in it. */
  sources: string[];
  datasets: string[];
  citation: string | null;
  licence: string | null;
  /** Null: nothing is known of what the licence asks. */
  asks: readonly Obligation[] | null;
  /** The line that the licence wants to be shown, or the citation. */
  attribution: string | null;
  /** Address without secrets of the first file, and the date on which the last one was received. */
  url: string;
  received: string;
  layers: string[];
}

/** Datasets that a prepared layer rests on, those of the layers that it is made of among them. */
export function datasetsUnder(layer: string, ledger: Ledger, seen = new Set<string>()): Set<string> {
  const found = new Set<string>();
  if (seen.has(layer)) return found;
  seen.add(layer);
  for (const part of Object.keys(ledger.prepared.get(layer)?.parts ?? {})) {
    const dataset = /^files of (.*)$/.exec(part)?.[1];
    if (dataset !== undefined) found.add(dataset);
    const other = /^layer (.*)$/.exec(part)?.[1];
    if (other !== undefined) for (const each of datasetsUnder(other, ledger, seen)) found.add(each);
  }
  return found;
}

const sourceNamed = (name: string, study: Study) => {
  const { from, 'same as': same } = study.gather[name] ?? {};
  return from ?? (same === undefined ? undefined : study.gather[same]?.from);
};

/** Everything that was received, put together by citation and licence, in the order in which the study gathers it. */
export function provenanceOf(study: Study, ledger: Ledger): Provenance[] {
  const found = new Map<string, Provenance>();
  const under = new Map([...ledger.prepared.keys()].map((layer) => [layer, datasetsUnder(layer, ledger)]));
  for (const name of Object.keys(study.gather)) {
    const entry = ledger.datasets.get(study.gather[name]['same as'] ?? name);
    const receipts = (entry?.paths ?? []).flatMap((path) => ledger.receipts.get(path) ?? []);
    const [first] = receipts;
    if (first === undefined) continue;
    const source = sourceNamed(name, study);
    const told = source === undefined ? undefined : study.sources[source];
    const { licence = null, citation = null } = first;
    const key = JSON.stringify([source ?? name, licence, citation]);
    let one = found.get(key);
    if (one === undefined) {
      const asks = told?.obligations ?? (licence === null ? null : (knownLicence(licence)?.asks ?? null));
      one = {
        sources: [source ?? 'the study folder'],
        datasets: [],
        citation,
        licence,
        asks,
        attribution: told?.attribution ?? citation,
        // What was made to order has an address that soon leads nowhere: its source is cited.
        url: told?.kind === 'orders' ? withoutSecrets(told.at) : first.url,
        received: '',
        layers: [],
      };
      found.set(key, one);
    }
    one.datasets.push(name);
    one.received = lastOf(receipts, one.received);
    for (const layer of Object.keys(study.prepare))
      if (under.get(layer)?.has(name) && !one.layers.includes(layer)) one.layers.push(layer);
  }
  return [...found.values()];
}

const lastOf = (receipts: readonly Receipt[], before: string) =>
  [before, ...receipts.map(({ at }) => at)].sort().at(-1) ?? before;
