/** A cell as workbooks hold it: a number with its format, a text, true or false, an error by its number, a date. */
export interface BookCell {
  t: string;
  v?: unknown;
  z?: string | number;
}

export interface Sheet {
  /** Rows and cells that are blank are holes. */
  rows: (BookCell | undefined)[][];
  merges: { s: { r: number; c: number }; e: { r: number; c: number } }[];
}

export interface Book {
  /** Days are counted from 1904, not from 1900. */
  base1904: boolean;
  /** A sheet is read when it is its turn, and may be let go afterwards. */
  sheets: { name: string; read(): Sheet }[];
}
