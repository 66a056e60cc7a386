/** What the job in sentences tells of itself in a page. */
export interface Told {
  sentences: string[];
  files: [name: string, bytes: number][];
  again: number;
  first: string;
  ended: string;
  address: number;
}
