import { counted, grouped } from '../../core/account.ts';
import type { CatalogueEntry } from '../../core/catalogue/entry.ts';
import { IsomericError } from '../../core/errors.ts';
import {
  type FileLook,
  type ListedSource,
  type Lister,
  mostEntries,
} from '../../sources/catalogue/lister.ts';
import { listerOf } from '../../sources/catalogue/register.ts';
import { ask, jsonOf } from '../../sources/transfer/ask.ts';
import type { TransferContext } from '../../sources/transfer/context.ts';
import { HostGate } from '../../sources/transfer/hosts.ts';
import type { Study } from '../file/schema.ts';
import { addressOf, contextFor, type Gathering, type GatherOptions } from '../gathering/source-context.ts';
import { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';
import type { CatalogueStore, SourceState } from './store.ts';

/** Milliseconds for which a list counts as good where its source says nothing of it. */
const usualLife = 24 * 3600 * 1000;
/** A source is asked whether its list has changed no more often than this. */
const shortestLife = 10 * 60 * 1000;

export interface FillOptions extends GatherOptions {
  /** Lists all sources anew. */
  refresh?: boolean;
  /** Asks nobody. */
  offline?: boolean;
  /** What a file of this machine holds; given what was seen of it before, which stands as long as its checksum is the same. */
  look?(path: string, before: FileLook | undefined): Promise<FileLook>;
  /** Told when the list of a source is there, or could not be had. */
  done?(state: SourceState): void;
}

/** What became of one source. */
export interface Filled {
  name: string;
  /** `listed`, `unchanged`, `kept` (nobody was asked), `silent` (it does not say what it has), `failed` */
  outcome: 'listed' | 'unchanged' | 'kept' | 'silent' | 'failed';
  count: number;
  words?: string;
}

/** The study with its catalogues among its sources: they are asked in the same way. */
function withCatalogues(study: Study): Study {
  const catalogues = Object.fromEntries(
    Object.entries(study.catalogues).map(([name, own]) => [name, { limits: {}, ...own }]),
  );
  return { ...study, sources: { ...study.sources, ...catalogues } as Study['sources'] };
}

/**
 * Fills the catalogue of a study: every source and catalogue that it names is listed, those of different hosts at the same time. A list
 * that is still good is kept; one that could not be had leaves the one before in its place. The catalogue is saved after each.
 */
export async function fillCatalogue(
  given: Study,
  machine: Machine,
  store: CatalogueStore,
  options: FillOptions = {},
): Promise<Filled[]> {
  const study = withCatalogues(given);
  const names = Object.keys(study.sources);
  store.keepOnly(new Set(names));
  const gathering = await gatheringFor(study, machine, options);
  let saving: Promise<void> = Promise.resolve();
  const filled = await Promise.all(
    names.map(async (name): Promise<Filled> => {
      const made = await fillOne(name, gathering, store, options);
      if (made.outcome === 'listed' || made.outcome === 'unchanged' || made.outcome === 'failed') {
        saving = saving.then(() => store.save(machine));
        await saving;
      }
      machine.reporter.progress(name, null);
      const state = store.states.get(name);
      if (state !== undefined) options.done?.(state);
      return made;
    }),
  );
  await saving;
  return filled;
}

async function gatheringFor(study: Study, machine: Machine, options: GatherOptions): Promise<Gathering> {
  const sleep = (milliseconds: number) => machine.sleep(milliseconds);
  return {
    study,
    machine,
    ledger: await Ledger.load(machine),
    options,
    hosts: new HostGate(sleep, new Map(), () => Date.parse(machine.now())),
    documents: new Map(),
    claims: new Map(),
    uncited: [],
    entered: new Set(),
  };
}

function listedSource(
  name: string,
  { study, machine, options }: Gathering,
  looks: ListedSource['look'],
): ListedSource {
  const told = study.sources[name];
  return {
    name,
    kind: told.kind as string,
    at: addressOf(study, name, options),
    licence: told.licence,
    traits: { agency: told.agency, answers: told.answers },
    localNames: (folder) => machine.localNames(folder),
    look: looks,
  };
}

async function fillOne(
  name: string,
  gathering: Gathering,
  store: CatalogueStore,
  options: FillOptions,
): Promise<Filled> {
  const { study, machine } = gathering;
  const told = study.sources[name];
  const lister = listerOf(told.kind);
  const of = `${told.kind} ${told.at}`;
  const before = store.states.get(name)?.of === of ? store.states.get(name) : undefined;
  const count = before?.count ?? 0;
  if (
    lister === undefined ||
    (told.kind === 'files' && /^https?:/i.test(addressOf(study, name, gathering.options)))
  )
    return {
      name,
      outcome: 'silent',
      count: 0,
      words: `${name} does not say what it has: a source of kind ${told.kind} lists nothing.`,
    };
  const source = listedSource(name, gathering, rememberingLook(store, options));
  const now = Date.parse(machine.now());
  const local = !/^https?:/i.test(source.at);
  if (options.offline === true && !local) return { name, outcome: 'kept', count };
  const good = before !== undefined && before.trouble === undefined && options.refresh !== true && !local;
  if (good && before.until !== undefined && Date.parse(before.until) > now)
    return { name, outcome: 'kept', count };
  const notes: string[] = [];
  try {
    const context = contextFor(gathering, name, [name], notes);
    const probe = await probed(lister, source, good ? before : undefined, context);
    const state: SourceState = {
      name,
      of,
      at: machine.now(),
      count,
      until: new Date(now + Math.max(shortestLife, probe.life)).toISOString(),
      ...(probe.etag === undefined ? {} : { etag: probe.etag }),
      ...(probe.modified === undefined ? {} : { modified: probe.modified }),
    };
    if (probe.unchanged) {
      store.put(state, store.listOf(name));
      return { name, outcome: 'unchanged', count };
    }
    const entries: CatalogueEntry[] = [];
    const seen = new Set<string>();
    for await (const entry of lister.list(source, context)) {
      // Two of one name are both kept, and told apart.
      let id = entry.id;
      for (let n = 2; seen.has(id); n++) id = `${entry.id}~${n}`;
      seen.add(id);
      entries.push(id === entry.id ? entry : { ...entry, id });
      context.meter.features = entries.length;
      if (entries.length % 50 === 0) context.progress();
      if (entries.length > mostEntries)
        throw new IsomericError(
          'catalogue-endless',
          `${name} lists more than ${grouped(mostEntries)} entries.`,
          {
            advice: 'Give the address of a part of it.',
          },
        );
    }
    store.put({ ...state, count: entries.length }, entries);
    return { name, outcome: 'listed', count: entries.length };
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    const words = [error.message, error.advice].filter(Boolean).join(' ');
    store.put(
      { name, of, at: machine.now(), count, trouble: words },
      before === undefined ? [] : store.listOf(name),
    );
    const kept = count > 0 ? ` Its ${counted(count, 'entry', 'entries')} of before stand.` : '';
    return { name, outcome: 'failed', count, words: `${name} could not be listed: ${words}${kept}` };
  }
}

interface Probe {
  unchanged: boolean;
  etag?: string;
  modified?: string;
  /** Milliseconds for which the source says that the list is good. */
  life: number;
}

/** Asks whether a list has changed, as its source says: by validators (RFC 9110, section 13) and by how long it is fresh (RFC 9111). */
async function probed(
  lister: Lister,
  source: ListedSource,
  before: SourceState | undefined,
  context: TransferContext,
): Promise<Probe> {
  const url = lister.probe?.(source);
  if (url === undefined) return { unchanged: false, life: usualLife };
  const headers: Record<string, string> = {};
  if (before?.etag !== undefined) headers['if-none-match'] = before.etag;
  else if (before?.modified !== undefined) headers['if-modified-since'] = before.modified;
  const request = {
    what: source.name,
    url,
    headers,
    accept: 'application/geo+json, application/ld+json, application/json',
  };
  const answer = await ask(request, context);
  const control = /max-age=(\d{1,9})/i.exec(answer.headers.get('cache-control') ?? '')?.[1];
  const etag = answer.headers.get('etag') ?? (answer.status === 304 ? before?.etag : undefined) ?? undefined;
  const modified =
    answer.headers.get('last-modified') ??
    (answer.status === 304 ? before?.modified : undefined) ??
    undefined;
  // A list that says when it changes is asked again soon; one that does not is taken to be good for a day.
  const life =
    control !== undefined
      ? Number(control) * 1000
      : etag !== undefined || modified !== undefined
        ? shortestLife
        : usualLife;
  // The document has come already: who lists need not ask for it again.
  if (answer.status !== 304) {
    const document = (async () => jsonOf(answer, request, context))();
    document.catch(() => context.documents.delete(`json ${url}`));
    context.documents.set(`json ${url}`, document);
  }
  return { unchanged: answer.status === 304, etag, modified, life };
}

/** Files that were looked into before are not looked into again, as long as their checksum is the same. */
function rememberingLook(store: CatalogueStore, options: FillOptions): ListedSource['look'] {
  const { look } = options;
  if (look === undefined) return undefined;
  return async (path) => {
    const found = await look(path, store.looks.get(path));
    store.looks.set(path, found);
    return found;
  };
}
