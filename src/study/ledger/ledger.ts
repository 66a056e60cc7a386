import type { Account } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Receipt } from '../../sources/receipt.ts';
import { type Machine, readText, writeText } from '../machine.ts';
import {
  type DatasetEntry,
  type DeliveryEntry,
  entrySchema,
  type GatheringEntry,
  type LayersEntry,
  type LedgerEntry,
  type OrderEntry,
  type PreparedEntry,
  type StepEntry,
  type TermsEntry,
  type UsageEntry,
} from './ledger-entries.ts';

export const ledgerPath = 'ledger.jsonl';

/**
 * The ledger: one JSON object a line; what came from where, under which terms, and what each step of the last run did.
 * While data come, lines are only ever added, so that whatever happens the next run knows what is there; now and then it
 * is written anew, without what is out of date.
 */
export class Ledger {
  readonly receipts = new Map<string, Receipt>();
  readonly datasets = new Map<string, DatasetEntry>();
  readonly terms = new Map<string, TermsEntry>();
  readonly orders = new Map<string, OrderEntry>();
  readonly usage = new Map<string, UsageEntry>();
  gathering: GatheringEntry | null = null;
  steps: StepEntry[] = [];
  /** What each prepared layer rests on, and the file that they lie in. */
  readonly prepared = new Map<string, PreparedEntry>();
  layers: LayersEntry | null = null;
  delivery: DeliveryEntry | null = null;
  /** Files of each dataset that came since it was begun. */
  private readonly since = new Map<string, Set<string>>();
  /** Datasets that were done since the gathering was begun. */
  private readonly within = new Set<string>();
  private writing: Promise<void> = Promise.resolve();
  /** True when the file ends in the middle of a line. */
  private ragged = false;

  /** Reads the ledger of a study; an empty one when there is none. */
  static async load(machine: Machine): Promise<Ledger> {
    return Ledger.read((await readText(machine, ledgerPath)) ?? '');
  }

  /** A ledger from its text. A last line that was cut off by a sudden end is passed over. */
  static read(text: string, file = ledgerPath): Ledger {
    const ledger = new Ledger();
    ledger.ragged = text !== '' && !text.endsWith('\n');
    const lines = text.split('\n');
    lines.forEach((line, k) => {
      if (line.trim() === '') return;
      let entry: LedgerEntry;
      try {
        entry = entrySchema.parse(JSON.parse(line));
      } catch (cause) {
        if (k === lines.length - 1) return;
        throw new IsomericError('ledger-damaged', 'The ledger has a damaged line.', {
          place: { file, line: k + 1 },
          advice: 'Remove the line; what it told of is gathered again.',
          cause,
        });
      }
      ledger.take(entry);
    });
    return ledger;
  }

  private take(entry: LedgerEntry): void {
    switch (entry.kind) {
      case 'file':
        this.receipts.set(entry.path, entry);
        for (const name of entry.datasets) this.since.get(name)?.add(entry.path);
        break;
      case 'dataset':
        this.datasets.set(entry.name, entry);
        if (entry.state === 'begun') {
          this.since.set(entry.name, new Set());
          this.within.delete(entry.name);
        } else this.within.add(entry.name);
        break;
      case 'gathering':
        this.gathering = entry;
        if (entry.state === 'begun') this.within.clear();
        break;
      case 'terms':
        this.terms.set(entry.source, entry);
        break;
      case 'order':
        if (entry.jobs.length === 0) this.orders.delete(entry.key);
        else this.orders.set(entry.key, entry);
        break;
      case 'usage': {
        const key = `${entry.source} ${entry.month}`;
        const before = this.usage.get(key);
        this.usage.set(key, {
          ...entry,
          features: entry.features + (before?.features ?? 0),
          bytes: entry.bytes + (before?.bytes ?? 0),
        });
        break;
      }
      case 'step':
        this.steps.push(entry);
        break;
      case 'prepared':
        this.prepared.set(entry.layer, entry);
        break;
      case 'layers':
        this.layers = entry;
        break;
      case 'delivery':
        this.delivery = entry;
    }
  }

  /** Receipts in the order of their paths: not of their coming, which differs from run to run. */
  received(): Receipt[] {
    return [...this.receipts.values()].sort((a, b) => (a.path < b.path ? -1 : 1));
  }

  /** Files that came since a dataset was begun and not done. */
  cameSince(dataset: string): ReadonlySet<string> {
    return this.since.get(dataset) ?? new Set();
  }

  /** Was a dataset received whole in the gathering that is going on? */
  doneWithin(dataset: string): boolean {
    return this.within.has(dataset);
  }

  /** Adds entries as lines of the file, together or not at all. */
  add(machine: Machine, ...entries: LedgerEntry[]): Promise<void> {
    for (const entry of entries) this.take(entry);
    const text = entries.map((entry) => `${JSON.stringify(entry)}\n`).join('');
    return this.inTurn(async () => {
      if (this.ragged) return this.write(machine);
      try {
        await machine.append(ledgerPath, text);
      } catch (error) {
        // A part of a line may stand there; the next writing is of the whole.
        this.ragged = true;
        throw error;
      }
    });
  }

  /** One after the other: datasets come at the same time. One that fails does not take those after it along. */
  private inTurn(work: () => Promise<void>): Promise<void> {
    const done = this.writing.then(work);
    this.writing = done.catch(() => {});
    return done;
  }

  /** A step of the preparation; written with the next saving. */
  record(layer: string, account: Account): void {
    this.steps.push({
      kind: 'step',
      layer,
      verb: account.verb,
      counts: account.counts,
      sentence: account.sentence,
      notes: account.notes,
    });
  }

  /** Forgets receipts of files that no dataset is made of any more. */
  forget(paths: Iterable<string>): void {
    for (const path of paths) this.receipts.delete(path);
  }

  /** Everything in the order in which it is written. */
  entries(): LedgerEntry[] {
    const byKey = <Entry>(known: ReadonlyMap<string, Entry>) =>
      [...known.entries()].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, value]) => value);
    // The order of lines says what came since when: what the gathering that goes on has brought stands behind it.
    const datasets = byKey(this.datasets);
    const goingOn = this.gathering?.state === 'begun';
    const ofNow = ({ name, state }: DatasetEntry) => state === 'begun' || (goingOn && this.within.has(name));
    const fresh = new Set(
      datasets.filter(({ state }) => state === 'begun').flatMap(({ name }) => [...this.cameSince(name)]),
    );
    const receipts = byKey(this.receipts);
    return [
      ...byKey(this.terms),
      ...byKey(this.usage),
      ...byKey(this.orders),
      ...datasets.filter((entry) => !ofNow(entry)),
      ...receipts.filter(({ path }) => !fresh.has(path)),
      ...(this.gathering === null ? [] : [this.gathering]),
      ...datasets.filter(ofNow),
      ...receipts.filter(({ path }) => fresh.has(path)),
      ...this.steps,
      ...byKey(this.prepared),
      ...(this.layers === null ? [] : [this.layers]),
      ...(this.delivery === null ? [] : [this.delivery]),
    ];
  }

  /** All of it, the members of each line in the order of the schema: the same entries are the same bytes. */
  get text(): string {
    return this.entries()
      .map((entry) => `${JSON.stringify(entrySchema.parse(entry))}\n`)
      .join('');
  }

  /**
   * What is handed on of it: where everything came from and what each step did, without what only this folder and the hour of
   * the run can know. The same inputs make the same bytes.
   */
  get handedOn(): string {
    const known = new Set(['file', 'dataset', 'terms', 'step']);
    return this.entries()
      .filter(({ kind }) => known.has(kind))
      .map((entry) => {
        if (entry.kind !== 'dataset') return entry;
        const { seconds: _, ...dataset } = entry;
        const came = entry.paths.map((path) => this.receipts.get(path)?.at ?? '').sort();
        return { ...dataset, at: came[came.length - 1] || entry.at };
      })
      .map((entry) => `${JSON.stringify(entrySchema.parse(entry))}\n`)
      .join('');
  }

  /** When the last of the data came, ISO 8601; null where nothing did. */
  get lastReceived(): string | null {
    const came = [...this.receipts.values()].map(({ at }) => at).sort();
    return came[came.length - 1] ?? null;
  }

  /** Writes the ledger anew, without what is out of date. */
  async save(machine: Machine): Promise<void> {
    await this.inTurn(() => this.write(machine));
  }

  private async write(machine: Machine): Promise<void> {
    await writeText(machine, ledgerPath, this.text);
    this.ragged = false;
  }
}
