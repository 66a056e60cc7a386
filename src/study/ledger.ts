import { z } from 'zod';
import type { Account } from '../core/account.ts';
import { IsomericError } from '../core/errors.ts';
import type { Receipt } from '../sources/receipt.ts';
import { type Machine, readText, writeText } from './machine.ts';

export const ledgerPath = 'ledger.jsonl';

/** What one step did to how many features. */
export interface StepEntry {
  kind: 'step';
  layer: string;
  verb: string;
  at: string;
  counts: Record<string, number>;
  sentence: string;
  notes: string[];
}

export type LedgerEntry = Receipt | StepEntry;

const receiptSchema = z.object({
  kind: z.literal('file'),
  what: z.string(),
  path: z.string(),
  url: z.string(),
  at: z.string(),
  bytes: z.number(),
  sha256: z.string(),
  etag: z.string().optional(),
  lastModified: z.string().optional(),
  next: z.string().optional(),
  licence: z.string().optional(),
  citation: z.string().optional(),
});
const stepSchema = z.object({
  kind: z.literal('step'),
  layer: z.string(),
  verb: z.string(),
  at: z.string(),
  counts: z.record(z.string(), z.number()),
  sentence: z.string(),
  notes: z.array(z.string()),
});
const entrySchema = z.discriminatedUnion('kind', [receiptSchema, stepSchema]);

/** The ledger: one JSON object a line; what came from where, and what each step of the last run did. */
export class Ledger {
  readonly receipts = new Map<string, Receipt>();
  steps: StepEntry[] = [];

  static async load(machine: Machine): Promise<Ledger> {
    const ledger = new Ledger();
    const text = await readText(machine, ledgerPath);
    text?.split('\n').forEach((line, k) => {
      if (line.trim() === '') return;
      let entry: LedgerEntry;
      try {
        entry = entrySchema.parse(JSON.parse(line));
      } catch (cause) {
        throw new IsomericError('ledger-damaged', 'The ledger has a damaged line.', {
          place: { file: ledgerPath, line: k + 1 },
          advice: 'Remove the line; what it told of is gathered again.',
          cause,
        });
      }
      if (entry.kind === 'file') ledger.receipts.set(entry.path, entry);
      else ledger.steps.push(entry);
    });
    return ledger;
  }

  record(layer: string, account: Account, at: string): void {
    this.steps.push({
      kind: 'step',
      layer,
      verb: account.verb,
      at,
      counts: account.counts,
      sentence: account.sentence,
      notes: account.notes,
    });
  }

  async save(machine: Machine): Promise<void> {
    const entries: LedgerEntry[] = [...this.receipts.values(), ...this.steps];
    await writeText(machine, ledgerPath, entries.map((entry) => `${JSON.stringify(entry)}\n`).join(''));
  }
}
