import type { CatalogueEntry } from '../../core/catalogue/entry.ts';
import type { Order, SourceTraits } from '../order.ts';
import type { TransferContext } from '../transfer/context.ts';

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

/** An address that ends the listing of a source that goes round in a circle or never ends. */
export const mostPages = 5000;

/** Entries of one source, at most. */
export const mostEntries = 1_000_000;
