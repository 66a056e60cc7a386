import type { Crs } from '../core/crs/crs.ts';
import type { Finding } from '../core/findings.ts';
import type { Box } from '../core/geometry/geometry-array.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import type { Receipt } from './receipt.ts';
import type { TransferContext } from './transfer/context.ts';

/** What is asked for, in the words of the study; each protocol knows some of it. */
export interface Wanted {
  /** Collection or feature type of a service; also a dataset of an order. */
  collection?: string;
  /** File below the address of the source. */
  file?: string;
  /** Codes of map sheets, each of which stands in the name of a file in place of {sheet}. */
  sheets?: readonly string[];
  /** SHA-256 that the file must have. */
  sha256?: string;
  /** CQL2 condition: sent along where the service can, and applied here all the same. */
  where?: string;
  /** Only these features, by id. */
  ids?: readonly string[];
  /** CRS that coordinates are asked for in: `EPSG:3035`. */
  inCrs?: string;
  /** Features on a page; what the service prefers when left out. */
  pageSize?: number;
  /** Dataflow, cube or table of a statistics service. */
  table?: string;
  /** Dimension → values, by code or by what they are called. */
  choose?: Readonly<Record<string, readonly string[]>>;
  /** `2024`, `2019 to 2024`. */
  period?: string;
  /** Columns of a rows service. */
  columns?: readonly string[];
  /** Process of a service that takes orders, and its further inputs. */
  process?: string;
  inputs?: Readonly<Record<string, unknown>>;
  /** Region of a service of extracts. */
  region?: string;
  /** One object of a map-feature server with its parts: `relation/12`. */
  object?: string;
  /** Of a receiver: what is chosen by name or by run of names (`all`), of one kind; and the days, in a zone. */
  waypoints?: readonly string[];
  tracks?: readonly string[];
  routes?: readonly string[];
  photos?: readonly string[];
  days?: readonly string[];
  zone?: string;
}

/** How a source is asked, beyond its address. */
export interface SourceTraits {
  /** Agency that keeps the tables of a statistics service. */
  agency?: string;
  /** Answers that are preferred: `csv`, `json`, `xml`. */
  answers?: string;
  /** Names of parameters of a rows service, and of its key columns. */
  parameters?: Readonly<Record<string, string>>;
  keyColumns?: readonly string[];
  /** The key columns come by themselves, and must not be asked for. */
  keysUnasked?: boolean;
  /** How several values of one parameter are written; found out where it is not said. */
  lists?: 'commas' | 'repeated';
  /** Most columns in one request. */
  mostColumns?: number;
  /** Largest area of one order, square kilometres. */
  mostArea?: number;
  /** Seconds after which a receiver that sends nothing more is not listened to any longer, and seconds in all. */
  quietAfter?: number;
  listenFor?: number;
}

/** What a study asks of one source for one dataset. */
export interface Order {
  /** Name of the dataset in the study. */
  name: string;
  /** Name of the source in the study. */
  source: string;
  /** Address of the source. */
  address: string;
  vintage?: string;
  /** Only what meets this box, longitudes and latitudes on WGS 84; west greater than east across the antimeridian. */
  box?: Box;
  /** The same area's box in another CRS, [east, north]; undefined where there is no way to it. */
  boxIn?(crs: Crs): Box | undefined;
  wanted: Wanted;
  traits: SourceTraits;
  licence?: string;
  citation?: string;
  /** An order that was placed in an earlier run and may be ready now. */
  placed?: PlacedOrder;
  /** Told when an order has been placed, so that a later run can fetch it; null when it is of no use any more. */
  place?(placed: PlacedOrder | null): Promise<void>;
  /** Opens a file of this machine, for sources that are folders. */
  local?(path: string): Promise<ByteSource | null>;
  /** Names of the files in a folder of this machine; none where there is no such folder. */
  localNames?(folder: string): Promise<string[]>;
  /** What a device of this machine, or of its network, sends; its address as the study writes it. */
  listen?(address: string): Promise<AsyncIterable<Uint8Array>>;
}

/** Jobs of an order at a provider, each with the piece of the area that it is for. */
export interface PlacedOrder {
  jobs: { url: string; piece: string }[];
}

/** What came of one order. */
export interface Gathered {
  receipts: Receipt[];
  /** Paths of the data of each dataset, in the order in which they are read. */
  files: Map<string, string[]>;
  /** Files that were still current. */
  unchanged: number;
  /** What is to be known of what came, by dataset. */
  findings?: ReadonlyMap<string, readonly Finding[]>;
  /** Datasets of the order that did not come, with the reason, where others did. */
  troubles?: ReadonlyMap<string, unknown>;
}

/** What an order would bring, as far as the service says. */
export interface Estimate {
  features?: number;
  /** Features of the whole collection, where the area takes only some. */
  featuresInAll?: number;
  bytes?: number;
  requests?: number;
  /** How it was worked out, and what cannot be known: sentences. */
  notes: string[];
}

/** Terms of use that a service names, and asks to be agreed to. */
export interface TermsLink {
  url: string;
  title?: string;
}

/** One way to ask for data: one folder in `sources`, one line in the register. */
export interface Protocol {
  kind: string;
  /** What was received is kept by later runs: asking again would be a new order each time. */
  keeps?(order: Order): boolean;
  /** Orders with the same text are gathered in one go. */
  together(order: Order): string;
  /** The file that an order is kept as, where it has no folder of its own (`folderOf`). */
  place?(order: Order): string;
  /** Gathers datasets of one source. */
  gather(orders: readonly Order[], context: TransferContext): Promise<Gathered>;
  /** What gathering would take, asked of the service. */
  estimate(orders: readonly Order[], context: TransferContext): Promise<Estimate>;
  /**
   * Why a source that was gathered has something newer, in a sentence, where its own list of releases or contents says so; null
   * where it does not.
   */
  newer?(
    orders: readonly Order[],
    receipts: readonly Receipt[],
    context: TransferContext,
  ): Promise<string | null>;
  /** Terms that the service itself asks agreement to. */
  terms?(order: Order, context: TransferContext): Promise<TermsLink | null>;
}

/** Address of a source that more is appended to. */
export function withSlash(address: string): string {
  const url = new URL(address);
  if (!url.pathname.endsWith('/')) url.pathname += '/';
  return url.toString();
}
