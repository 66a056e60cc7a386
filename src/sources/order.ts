import type { Box } from '../core/geometry/geometry-array.ts';
import type { Receipt } from './receipt.ts';
import type { TransferContext } from './transfer.ts';

/** What a study asks of one source for one dataset. */
export interface Order {
  /** Name of the dataset in the study. */
  name: string;
  /** Name of the source in the study. */
  source: string;
  /** Address of the source. */
  address: string;
  collection?: string;
  file?: string;
  vintage?: string;
  /** Only what meets this box, longitudes and latitudes on WGS 84. */
  box?: Box;
  /** Features on a page; what the service prefers when left out. */
  pageSize?: number;
  licence?: string;
  citation?: string;
}

export interface Gathered {
  receipts: Receipt[];
  /** Files that were still current. */
  unchanged: number;
}

/** One way to ask for data: one folder in `sources`, one line in the register. */
export interface Protocol {
  kind: string;
  gather(order: Order, context: TransferContext): Promise<Gathered>;
}
