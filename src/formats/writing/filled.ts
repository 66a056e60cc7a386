import { type Account, counted } from '../../core/account.ts';

/**
 * Vertices that got 0 as a height or measure, since the format has them for all vertices of a geometry or for none, and
 * no sign for a missing one.
 */
export class Filled {
  private readonly format: string;
  private heights = 0;
  private measures = 0;

  constructor(format: string) {
    this.format = format;
  }

  height(value: number): number {
    if (!Number.isNaN(value)) return value;
    this.heights++;
    return 0;
  }

  measure(value: number): number {
    if (!Number.isNaN(value)) return value;
    this.measures++;
    return 0;
  }

  tell(account: Account): void {
    for (const [what, n] of [
      ['height', this.heights],
      ['measure', this.measures],
    ] as const)
      if (n > 0)
        account.notes.push(
          `${this.format} has ${what}s for all vertices of a geometry or for none: ${counted(n, 'vertex', 'vertices')} without one got 0.`,
        );
  }
}
