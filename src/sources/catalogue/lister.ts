import type { CatalogueEntry } from '../../core/catalogue/entry.ts';
import type { Order, SourceTraits } from '../order.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';

/** A source or catalogue whose contents are listed. */
export interface ListedSource {
  name: string;
  kind: string;
  at: string;
  licence?: string;
  traits: SourceTraits;
  /** Names of the files in a folder of this machine. */
  localNames?(folder: string): Promise<string[]>;
  /** What the layers and tables of a file of this machine are; remembered by checksum. */
  look?(path: string): Promise<FileLook>;
}

/** What a look into a file of this machine found. */
export interface FileLook {
  sha256: string;
  bytes: number;
  /** One for each layer, table or grid. */
  found: Omit<CatalogueEntry, 'source' | 'id' | 'ways'>[];
  /** Names of the layers, where the file has several: null stands for the only one, since a look is kept as JSON. */
  layers: (string | null)[];
  /** Why nothing could be read. */
  trouble?: string;
}

/** Knows how a kind of source tells what it has. */
export interface Lister {
  readonly kind: string;
  /** The document that changes when what the source has changes; asked with the validators that it came with. */
  probe?(source: ListedSource): string;
  /** All that the source has, one after the other. What it cannot say it leaves out. */
  list(source: ListedSource, context: TransferContext): AsyncGenerator<CatalogueEntry>;
}

/** A source as its protocol is asked. */
export function orderFor(source: ListedSource, wanted: Order['wanted'] = {}): Order {
  return { name: source.name, source: source.name, address: source.at, wanted, traits: source.traits };
}

/** Pages of one list, at most. */
const mostPages = 5000;

/** One page of a list, and the address of the next one. */
export interface Page {
  entries: Iterable<CatalogueEntry | null>;
  next: string | null;
}

/**
 * What stands on pages that lead to each other, each entry once: one that moves to the next page while they are asked for comes twice.
 *
 * @throws IsomericError `source-loop` where pages go round in a circle or never end
 */
export async function* pagesFrom(
  first: string,
  source: ListedSource,
  context: TransferContext,
  read: (url: string) => Promise<Page>,
): AsyncGenerator<CatalogueEntry> {
  const seen = new Set<string>();
  const known = new Set<string>();
  for (let url: string | null = first; url !== null; ) {
    if (seen.has(url) || seen.size >= mostPages)
      throw failure(
        'source-loop',
        { what: source.name, url },
        context,
        'its pages lead back to one that came before, or never end.',
        'Ask the makers of the service.',
      );
    seen.add(url);
    const page: Page = await read(url);
    for (const entry of page.entries) {
      if (entry === null || known.has(entry.id)) continue;
      known.add(entry.id);
      yield entry;
    }
    url = page.next;
  }
}

/** Entries of one source, at most. */
export const mostEntries = 1_000_000;
