import type { CellStore } from './cell-store.ts';

export interface Book {
  /** Reads what is left of the file, once all sheets have been read. */
  examineRest(): Promise<void>;
  sheets: BookSheet[];
  /** Names of its own for texts (entities) stand in it, which are never put in. */
  entities: boolean;
}

export interface BookSheet {
  name: string;
  /** Reads the cells. A sheet is read when it is its turn. */
  read(): Promise<CellStore>;
}
