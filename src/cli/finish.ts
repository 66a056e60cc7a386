import type { Account, Table } from '../core/index.ts';
import { saverFor } from '../node/index.ts';
import { type Output, printAccounts, printFindings, printingReporter, printJson } from './output.ts';

/** Saves, then prints what every step did. */
export async function finish(output: Output, result: Table, out: string): Promise<void> {
  const saver = saverFor(out);
  const progress = printingReporter(output);
  const watched: Table = {
    ...result,
    async *batches(options) {
      let rows = 0;
      for await (const batch of result.batches(options)) {
        rows += batch.length;
        progress.progress(result.name, rows);
        yield batch;
      }
    },
  };
  let written: Account[];
  try {
    written = await saver.save([watched], out, new Date().toISOString());
  } finally {
    progress.stop();
  }
  const accounts: Account[] = [...result.accounts, ...written];
  if (output.json) printJson({ out, accounts, findings: result.findings });
  else {
    printAccounts(output, accounts);
    printFindings(output, result.findings);
  }
}
