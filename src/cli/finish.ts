import type { Account, Table } from '../core/index.ts';
import { saverFor } from '../node/index.ts';
import type { Reporter } from '../study/machine.ts';
import { exitCodes } from './exit-codes.ts';
import { type Output, printAccounts, printFindings, printingReporter, printJson } from './output.ts';
import { type Settled, tellReplaced } from './outputs.ts';

/** The same table, its rows counted on the terminal while they flow. */
export function watched(table: Table, reporter: Pick<Reporter, 'progress'>): Table {
  return {
    ...table,
    async *batches(options) {
      let rows = 0;
      for await (const batch of table.batches(options)) {
        rows += batch.length;
        reporter.progress(table.name, { bytes: 0, features: rows, totalFeatures: table.count });
        yield batch;
      }
    },
  };
}

/** Saves, then prints what every step did. */
export async function finish(output: Output, result: Table, out: string, settled: Settled): Promise<void> {
  const saver = saverFor(out);
  const progress = printingReporter(output);
  let written: Account[];
  try {
    written = await saver.save([watched(result, progress)], out, new Date().toISOString(), settled);
    tellReplaced(written, settled);
  } finally {
    progress.stop();
  }
  const accounts: Account[] = [...result.accounts, ...written];
  // A join that met nothing, features that were lost: saved, and not what was asked for.
  if (accounts.some(({ findings }) => findings.some(({ severity }) => severity === 'error')))
    process.exitCode = exitCodes.findings;
  if (output.json) printJson({ out, accounts, findings: result.findings });
  else {
    printAccounts(output, accounts);
    printFindings(output, result.findings);
  }
}
