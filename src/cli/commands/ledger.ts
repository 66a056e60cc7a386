import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { counted, grouped, IsomericError } from '../../core/index.ts';
import { folderStore } from '../../node/store.ts';
import { Ledger, ledgerPath } from '../../study/ledger/ledger.ts';
import { exitCodes } from '../exit-codes.ts';
import { type Output, printJson, textTable } from '../output.ts';
import { bytesText } from '../progress.ts';
import { type AddCommand, outputOf } from './command.ts';
import { studyFolder } from './study.ts';

async function load(folder: string): Promise<Ledger> {
  const path = join(folder, ledgerPath);
  if (!existsSync(path))
    throw new IsomericError('ledger-missing', 'There is no ledger in this folder.', {
      place: { file: path },
      advice: `Gather first: “isomeric run ${folder} --only gather”.`,
      blame: 'usage',
    });
  return Ledger.read(await readFile(path, 'utf8'), path);
}

const day = (time: string) => time.slice(0, 10);

interface DatasetLine {
  name: string;
  source: string;
  state: string;
  files: number;
  bytes: number;
  at: string;
  licence: string | undefined;
  citation: string | undefined;
}

function datasetLines(ledger: Ledger): DatasetLine[] {
  const sorted = [...ledger.datasets.values()].sort((a, b) =>
    a.source === b.source ? (a.name < b.name ? -1 : 1) : a.source < b.source ? -1 : 1,
  );
  return sorted.map((entry) => {
    const paths = entry.state === 'done' ? entry.paths : [...ledger.cameSince(entry.name)];
    const receipts = paths.flatMap((path) => ledger.receipts.get(path) ?? []);
    return {
      name: entry.name,
      source: entry.source,
      state: entry.state === 'done' ? 'received' : 'broken off',
      files: receipts.length,
      bytes: receipts.reduce((sum, receipt) => sum + receipt.bytes, 0),
      at:
        receipts
          .map((receipt) => receipt.at)
          .sort()
          .at(-1) ?? '',
      licence: receipts.find((receipt) => receipt.licence !== undefined)?.licence,
      citation: receipts.find((receipt) => receipt.citation !== undefined)?.citation,
    };
  });
}

/** Files that are no longer as they were received. */
async function changedFiles(folder: string, ledger: Ledger): Promise<{ path: string; why: string }[]> {
  const store = folderStore(folder);
  const changed: { path: string; why: string }[] = [];
  for (const { path, sha256 } of ledger.receipts.values()) {
    const found = await store.checksum(path);
    if (found !== sha256) changed.push({ path, why: found === null ? 'is not there' : 'was changed' });
  }
  return changed;
}

function print(output: Output, ledger: Ledger): void {
  const { colours } = output;
  const heading = (words: string) => output.line(`\n${colours.bold(colours.underline(words))}`);
  const lines = datasetLines(ledger);
  heading('Received');
  for (const [k, row] of textTable(
    ['dataset', 'source', 'files', 'size', 'received', 'licence'],
    lines.map((line) => [
      line.name,
      line.source,
      grouped(line.files),
      bytesText(line.bytes),
      line.state === 'received' ? day(line.at) : line.state,
      line.licence ?? 'not told',
    ]),
    [false, false, true, true, false, false],
    44,
  ).entries())
    output.line(k === 0 ? colours.dim(row) : row);
  const citations = new Set(lines.flatMap((line) => line.citation ?? []));
  if (citations.size > 0) {
    heading('Citations');
    for (const citation of [...citations].sort()) output.line(`  ${citation}`);
  }
  if (ledger.terms.size > 0) {
    heading('Terms of use');
    for (const { source, title, agreed, url, path } of ledger.terms.values())
      output.line(`  ${source}: “${title ?? url}”, agreed to on ${agreed}; ${url}, kept in ${path}.`);
  }
  if (ledger.orders.size > 0) {
    heading('Orders under way');
    for (const { source, at, jobs } of ledger.orders.values())
      for (const { url } of jobs)
        output.line(`  ${source}, since ${at.slice(0, 16).replace('T', ' ')}: ${url}`);
  }
  if (ledger.usage.size > 0) {
    heading('Taken by month');
    for (const { source, month, features, bytes } of ledger.usage.values())
      output.line(`  ${source}, ${month}: ${counted(features, 'feature', 'features')}, ${bytesText(bytes)}.`);
  }
  if (ledger.steps.length > 0) {
    heading('Steps of the last run');
    for (const { sentence } of ledger.steps) output.line(`  ${sentence}`);
  }
}

export const addLedger: AddCommand = (program) => {
  program
    .command('ledger')
    .description('what a study received: from where, when, under which licence and terms, how to cite it')
    .argument('<folder>', 'folder of the study')
    .option('--verify', 'hold every file against its checksum; ends with 1 when one was changed')
    .action(async (path: string, options: { verify?: boolean }, command) => {
      const output = outputOf(command);
      const folder = await studyFolder(path);
      const ledger = await load(folder);
      const changed = options.verify ? await changedFiles(folder, ledger) : null;
      if (output.json)
        printJson({
          folder,
          datasets: datasetLines(ledger),
          entries: ledger.entries(),
          ...(changed === null ? {} : { changed }),
        });
      else {
        print(output, ledger);
        const receipts = [...ledger.receipts.values()];
        const bytes = receipts.reduce((sum, receipt) => sum + receipt.bytes, 0);
        output.line(
          `\nLedger: ${counted(ledger.datasets.size, 'dataset', 'datasets')} in ${counted(receipts.length, 'file', 'files')}, ${grouped(bytes)} bytes.`,
        );
        if (changed !== null) {
          for (const { path, why } of changed) output.line(`  ${output.colours.redBright(path)} ${why}.`);
          output.line(
            changed.length === 0
              ? 'Verify: every file is as it was received.'
              : `Verify: ${counted(changed.length, 'file is', 'files are')} not as received.`,
          );
        }
      }
      if (changed !== null && changed.length > 0) process.exitCode = exitCodes.findings;
    });
};
