import type { CellStore } from './cell-store.ts';

export interface Book {
  sheets: BookSheet[];
  /** Names of its own for texts (entities) stand in it, which are never put in. */
  entities: boolean;
}

export interface BookSheet {
  name: string;
  /** Reads the cells. A sheet is read when it is its turn. */
  read(): Promise<CellStore>;
}
