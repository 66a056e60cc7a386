import { counted, grouped, listed } from '../../core/account.ts';
import { failureOf, IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Path } from '../../formats/settings/places.ts';
import type { Gathered } from '../../sources/order.ts';
import type { Receipt } from '../../sources/receipt.ts';
import { isPassing } from '../../sources/transfer/failures.ts';
import { HostGate } from '../../sources/transfer/hosts.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { DatasetEntry } from '../ledger/ledger-entries.ts';
import type { Machine } from '../machine.ts';
import { checkLimits } from './limits.ts';
import {
  type Extent,
  groupOrders,
  type OrderGroup,
  requestOf,
  sameRequest,
  sheetsOf,
  withPlacing,
} from './orders.ts';
import { receiveOwnFiles } from './own-files.ts';
import { addressOf, contextFor, type Gathering, type GatherOptions } from './source-context.ts';
import { settleTerms } from './terms.ts';

export type { GatherOptions } from './source-context.ts';

/** Where the files of each dataset lie in the study folder. */
export class GatheredFiles extends Map<string, string[]> {
  /** What is to be known of what came, by dataset. */
  readonly findings = new Map<string, readonly Finding[]>();
  /** Datasets that have not been gathered; whoever needs one is told. */
  readonly missing = new Set<string>();
  /** CRS of coordinates by path, where the service told it and the file does not. */
  readonly crs = new Map<string, string>();

  /** Takes what the ledger knows of the files. */
  learn(ledger: Ledger): void {
    for (const paths of this.values())
      for (const path of paths) {
        const crs = ledger.receipts.get(path)?.crs;
        if (crs !== undefined && !/CRS84h?$/.test(crs)) this.crs.set(path, crs);
      }
    for (const name of this.keys()) {
      const told = ledger.datasets.get(name)?.findings;
      if (told !== undefined) this.findings.set(name, told);
    }
  }
}

/** A run that was broken off longer ago is not gone on with: what came then may be out of date. */
const longestBreak = 24 * 3600 * 1000;

/** Begins a gathering, or goes on with the one that was broken off. */
export async function beginGathering(
  study: Study,
  machine: Machine,
  ledger: Ledger,
  options: GatherOptions,
): Promise<Gathering> {
  const now = machine.now();
  const last = ledger.gathering;
  const goesOn = last?.state === 'begun' && Date.parse(now) - Date.parse(last.at) < longestBreak;
  if (!goesOn) await ledger.add(machine, { kind: 'gathering', state: 'begun', at: now });
  const atOnce = new Map<string, number>();
  for (const [name, source] of Object.entries(study.sources)) {
    const address = addressOf(study, name, options);
    if (source['at once'] !== undefined && URL.canParse(address))
      atOnce.set(new URL(address).origin, source['at once']);
  }
  const sleep = (milliseconds: number) => machine.sleep(milliseconds);
  return {
    study,
    machine,
    ledger,
    options,
    hosts: new HostGate(sleep, atOnce, () => Date.parse(machine.now())),
    documents: new Map(),
    claims: new Map(),
    uncited: [],
    entered: new Set(),
  };
}

/** Ends a gathering in which every dataset came. */
export async function endGathering({ machine, ledger, study, uncited }: Gathering): Promise<void> {
  if (uncited.length > 0)
    machine.reporter.finding({
      code: 'citation-missing',
      severity: 'note',
      words: `Nothing says where ${listed(uncited)} ${uncited.length === 1 ? 'comes' : 'come'} from: maps and report can only name the files.`,
      repair: `“citation: …” under gather → ${uncited[0]}`,
    });
  const kept = new Set([...ledger.datasets.values()].flatMap((entry) => entry.paths));
  const ofStudy = (receipt: Receipt) => receipt.datasets.some((name) => name in study.gather);
  const stale: string[] = [];
  for (const receipt of ledger.receipts.values()) {
    if (kept.has(receipt.path)) continue;
    // What explains data is no part of a dataset; it counts as long as it lies beside them.
    const beside = receipt.role === 'structure' && ofStudy(receipt);
    if (!beside || (await machine.store.open(receipt.path)) === null) stale.push(receipt.path);
  }
  ledger.forget(stale);
  await ledger.add(machine, { kind: 'gathering', state: 'done', at: machine.now() });
  await ledger.save(machine);
}

interface Outcome {
  receipts: Receipt[];
  files: Map<string, string[]>;
  state: string;
  /** Datasets that did not come, where others of their order did. */
  troubles: ReadonlyMap<string, unknown>;
}

/** What was received whole in a run that was broken off, or is kept by all later runs, if it is still there to the byte. */
async function alreadyDone(
  group: OrderGroup,
  { study, ledger, machine, options }: Gathering,
): Promise<Outcome | null> {
  const names = group.orders.map((order) => order.name);
  if (names.some((name) => options.again?.includes(name))) return null;
  const within = names.every((name) => ledger.doneWithin(name));
  if (!within && !group.orders.every((order) => group.protocol.keeps?.(order) === true)) return null;
  const files = new Map<string, string[]>();
  const receipts = new Map<string, Receipt>();
  for (const order of group.orders) {
    const entry = ledger.datasets.get(order.name);
    if (
      entry?.state !== 'done' ||
      entry.source !== order.source ||
      !sameRequest(entry.request, requestOf(order, study))
    )
      return null;
    for (const path of entry.paths) {
      const receipt = ledger.receipts.get(path);
      if (receipt === undefined) return null;
      if (!receipts.has(path) && (await machine.store.checksum(path)) !== receipt.sha256) return null;
      receipts.set(path, receipt);
    }
    files.set(order.name, entry.paths);
  }
  const state = within
    ? 'received in the run that was broken off'
    : `kept as received on ${ledger.datasets.get(names[0])!.at.slice(0, 10)}`;
  return { receipts: [...receipts.values()], files, state, troubles: new Map() };
}

async function gatherGroup(group: OrderGroup, gathering: Gathering, notes: string[]): Promise<Outcome> {
  const { study, ledger, machine } = gathering;
  const names = group.orders.map((order) => order.name);
  const requestFor = (name: string) => requestOf(group.orders.find((order) => order.name === name)!, study);
  const began = Date.parse(machine.now());
  const entry = (name: string, state: 'begun' | 'done', paths: string[], seconds?: number) => ({
    kind: 'dataset' as const,
    name,
    source: group.source,
    state,
    at: machine.now(),
    request: requestFor(name),
    paths,
    seconds,
  });
  const goesOn = (name: string) => {
    const before = ledger.datasets.get(name);
    return (
      before?.state === 'begun' &&
      before.source === group.source &&
      sameRequest(before.request, requestFor(name))
    );
  };
  if (!names.every(goesOn)) await ledger.add(machine, ...names.map((name) => entry(name, 'begun', [])));
  const context = contextFor(gathering, group.source, names, notes);
  try {
    const { orders } = withPlacing(group, study, ledger, machine);
    const result = await group.protocol.gather(orders, context);
    const seconds = Math.max(0, Date.parse(machine.now()) - began) / 1000;
    await ledger.add(
      machine,
      ...names
        .filter((name) => result.files.has(name))
        .map((name) => ({
          ...entry(name, 'done', result.files.get(name)!, Number(seconds.toFixed(1))),
          findings: findingsOf(result, name),
        })),
    );
    const { receipts, files, unchanged, troubles, findings } = result;
    for (const finding of [...(findings?.values() ?? [])].flat())
      if (finding.severity !== 'note') notes.push(finding.words);
    context.meter.state = 'received';
    context.meter.share = 1;
    context.progress();
    return {
      receipts,
      files,
      state: stateWords(receipts.length, unchanged),
      troubles: troubles ?? new Map(),
    };
  } catch (error) {
    // What a service did wrong would only be gone on with; what was broken off from outside is.
    if (!isPassing(error)) await ledger.add(machine, ...names.map((name) => entry(name, 'begun', [])));
    throw error;
  }
}

/** Findings of a dataset as the ledger keeps them: none where there are none. */
function findingsOf({ findings }: Gathered, name: string): DatasetEntry['findings'] {
  const own = findings?.get(name) ?? [];
  return own.length === 0
    ? undefined
    : own.map(({ code, severity, words, repair }) => ({ code, severity, words, repair }));
}

function stateWords(count: number, unchanged: number): string {
  const fresh = count - unchanged;
  if (fresh === 0) return 'unchanged since the last run';
  return unchanged === 0 ? 'received' : `${grouped(fresh)} received, ${grouped(unchanged)} unchanged`;
}

function sentence(group: OrderGroup, { receipts, state }: Outcome): string {
  const bytes = receipts.reduce((sum, receipt) => sum + receipt.bytes, 0);
  return `Gather: ${group.orders.map((order) => order.name).join(', ')} from ${group.source}; ${counted(receipts.length, 'file', 'files')}, ${grouped(bytes)} bytes, ${state}.`;
}

/**
 * Gathers the named datasets, those of different hosts at the same time. One that fails does not lose the others: all are
 * tried, then the first failure is raised with the names of all. `extent` limits services to what meets the area.
 */
export async function gather(
  names: readonly string[],
  extent: Extent | undefined,
  gathering: Gathering,
  files: GatheredFiles,
): Promise<void> {
  const { study, machine, options } = gathering;
  for (const name of names) {
    const { from, file, 'same as': same } = study.gather[name];
    if (from === undefined && same === undefined && file !== undefined) files.set(name, [file]);
  }
  await receiveOwnFiles(names, gathering);
  const asked = names.filter((name) => study.gather[name].from !== undefined);
  const sheets = await sheetsOf(study, asked, extent);
  const groups = groupOrders(study, asked, extent, machine, options, sheets);
  const done = new Map<OrderGroup, Outcome>();
  for (const group of groups) {
    const outcome = await alreadyDone(group, gathering);
    if (outcome !== null) done.set(group, outcome);
  }
  for (const group of groups)
    machine.reporter.progress(group.orders[0].name, { bytes: 0, features: 0, state: 'waiting' });
  // Sources of which nothing more is wanted are not asked anything.
  const open = groups.filter((group) => !done.has(group));
  const troubles = await settleTerms(open, gathering);
  const agreed = open.filter((group) => !troubles.has(group.source));
  for (const [source, error] of await checkLimits(agreed, gathering)) troubles.set(source, error);

  // What is said comes in the order of the study, whichever dataset comes first.
  const said: (string[] | null)[] = groups.map(() => null);
  let next = 0;
  const flush = () => {
    for (; next < said.length && said[next] !== null; next++) {
      const [first, ...notes] = said[next]!;
      // Until it is its turn to be told, it stands among those that come.
      machine.reporter.progress(groups[next].orders[0].name, null);
      if (first !== '') machine.reporter.say(first);
      for (const note of notes) machine.reporter.note(note);
    }
  };
  const failures: { names: string[]; error: unknown }[] = [];
  await Promise.all(
    groups.map(async (group, k) => {
      const notes: string[] = [];
      try {
        const known = done.get(group);
        if (known === undefined && troubles.has(group.source)) throw troubles.get(group.source);
        const outcome = known ?? (await gatherGroup(group, gathering, notes));
        for (const [name, paths] of outcome.files) files.set(name, paths);
        said[k] = [sentence(group, outcome), ...notes];
        for (const [name, trouble] of outcome.troubles) {
          const error = study.written.told(trouble, placeOf(trouble, name, study));
          failures.push({ names: [name], error });
          said[k]!.push(...wordsFor(name, error));
        }
      } catch (trouble) {
        const own = group.orders.map((order) => order.name);
        const error = study.written.told(trouble, placeOf(trouble, own[0], study));
        failures.push({ names: own, error });
        said[k] = ['', ...notes, ...wordsFor(own.join(', '), error)];
      }
      flush();
    }),
  );
  await gathering.ledger.save(machine);
  alsoRead(study, files);
  files.learn(gathering.ledger);
  if (failures.length > 0) throw failed(failures, asked);
}

/** What of a study is to be looked at when a dataset could not be gathered: its file, the address of its source, or all of it. */
function placeOf(error: unknown, name: string, study: Study): Path {
  const { from, file } = study.gather[name];
  if (!(error instanceof IsomericError) || error.wrong !== undefined) return ['gather', name];
  if (/^(key|account|terms|limit)-/.test(error.code) && from !== undefined) return ['sources', from];
  if (/^(file|source)-missing$/.test(error.code) && file !== undefined) return ['gather', name, 'file'];
  return isPassing(error) && from !== undefined ? ['sources', from, 'at'] : ['gather', name];
}

/** Datasets that are read from the files of others. */
function alsoRead(study: Study, files: GatheredFiles): void {
  for (const [name, { 'same as': same }] of Object.entries(study.gather)) {
    const paths = same === undefined ? undefined : files.get(same);
    if (paths !== undefined) files.set(name, paths);
  }
}

/** What happened and what to do; where, in a line of its own: addresses are long. */
function wordsFor(names: string, error: unknown): string[] {
  if (!(error instanceof IsomericError)) return [`${names} could not be gathered: ${String(error)}`];
  const words = `${names} could not be gathered: ${[error.message, error.advice].filter(Boolean).join(' ')}`;
  return error.place.file === undefined ? [words] : [words, `  asked: ${error.place.file}`];
}

function failed(failures: readonly { names: string[]; error: unknown }[], asked: readonly string[]): unknown {
  const lost = failures.flatMap((each) => each.names);
  const ordered = asked.filter((name) => lost.includes(name));
  const { error } = failures.find((each) => each.names.includes(ordered[0]))!;
  if (!(error instanceof IsomericError)) return error;
  const { code, message, place, written, advice, blame } = error;
  const all = [...failures]
    .sort((a, b) => asked.indexOf(a.names[0]) - asked.indexOf(b.names[0]))
    .map(({ names, error: each }) => failureOf(names, each));
  const one = ordered.length === 1;
  return new IsomericError(
    code,
    one
      ? message
      : `${ordered.length} of ${asked.length} datasets could not be gathered (${ordered.join(', ')}). The first: ${message}`,
    {
      place: one ? place : undefined,
      written: one ? written : undefined,
      advice,
      blame,
      cause: error,
      failures: all,
    },
  );
}

/** Datasets as they lie in the study folder after an earlier run, without asking any service. */
export function filesFromLedger(study: Study, ledger: Ledger): GatheredFiles {
  const files = new GatheredFiles();
  for (const [name, dataset] of Object.entries(study.gather)) {
    if (dataset['same as'] !== undefined) continue;
    if (dataset.from === undefined) {
      files.set(name, [dataset.file!]);
      continue;
    }
    const entry = ledger.datasets.get(name);
    if (entry === undefined || entry.state !== 'done' || entry.source !== dataset.from) {
      files.missing.add(name);
      continue;
    }
    files.set(name, entry.paths);
  }
  alsoRead(study, files);
  for (const [name, { 'same as': same }] of Object.entries(study.gather))
    if (same !== undefined && files.missing.has(same)) files.missing.add(name);
  files.learn(ledger);
  return files;
}
