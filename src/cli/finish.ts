import type { Account, Table } from '../core/index.ts';
import type { Reporter } from '../study/machine.ts';
import { exitCodes } from './exit-codes.ts';
import { type Output, printAccounts, printFindings, printingReporter, printJson } from './output.ts';
import { type Settled, tellReplaced } from './outputs.ts';
import { saveMany } from './save-many.ts';

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

/** Saves, each layer in a file named for it where the format holds one, then prints what every step did. */
export async function finish(
  output: Output,
  results: readonly Table[],
  out: string,
  settled: Settled,
): Promise<void> {
  const progress = printingReporter(output);
  let written: Account[];
  try {
    written = await saveMany(
      results.map((result) => watched(result, progress)),
      out,
      settled,
    );
    tellReplaced(written, settled);
  } finally {
    progress.stop();
  }
  const accounts: Account[] = results.flatMap((result, k) => [
    ...result.accounts,
    ...(written[k] === undefined ? [] : [written[k]]),
  ]);
  const findings = results.flatMap((result) => result.findings);
  // A join that met nothing, features that were lost: saved, and not what was asked for.
  if (accounts.some(({ findings }) => findings.some(({ severity }) => severity === 'error')))
    process.exitCode = exitCodes.findings;
  if (output.json) printJson({ out, accounts, findings });
  else {
    printAccounts(output, accounts);
    printFindings(output, findings);
  }
}
