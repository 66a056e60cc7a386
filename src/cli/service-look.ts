import { counted, grouped } from '../core/account.ts';
import { type CatalogueEntry, entryName } from '../core/catalogue/entry.ts';
import { nodeFetch } from '../node/fetch.ts';
import { recognise } from '../sources/catalogue/recognise.ts';
import { listerOf } from '../sources/catalogue/register.ts';
import { contextOf } from '../sources/gather-dataset.ts';
import { linesFor, linesText } from '../study/catalogue/add.ts';
import { factsOf } from './narrowing.ts';
import { type Output, printingReporter, printJson } from './output.ts';

/** Entries that are printed, at most. */
const mostListed = 60;

/** An entry without the name that its source has here only. */
const withoutName = ({ source: _, ...entry }: CatalogueEntry) => entry;

/** Lists what a service at an address has, with the words of “isomeric find”; false where it is none, but a file. */
export async function lookAtService(address: string, output: Output): Promise<boolean> {
  const reporter = printingReporter({ ...output, line: (text = '') => output.aside(text) });
  const context = contextOf(address, {
    fetch: nodeFetch,
    tries: 2,
    progress: (meter) => reporter.progress('listing', meter),
  });
  const found = await recognise(address, context);
  const lister = found === null ? undefined : listerOf(found.kind);
  if (found === null || lister === undefined) {
    reporter.stop();
    return false;
  }
  const entries: CatalogueEntry[] = [];
  try {
    const source = { name: 'it', kind: found.kind, at: found.at, traits: {} };
    for await (const entry of lister.list(source, context)) entries.push(entry);
  } finally {
    reporter.stop();
  }
  if (output.json) {
    printJson({ path: address, ...found, entries: entries.map(withoutName) });
    return true;
  }
  const { colours } = output;
  output.line(
    `${colours.bold(address)}  a service of kind ${found.kind}: ${counted(entries.length, 'entry', 'entries')}`,
  );
  for (const entry of entries.slice(0, mostListed)) {
    const [, ...facts] = factsOf(entry);
    const columns =
      entry.columns === undefined
        ? ''
        : ` · ${counted(entry.columns.length, 'column', 'columns')}: ${entry.columns
            .slice(0, 8)
            .map(({ name, title }) => (title === undefined ? name : `${name} (${title})`))
            .join(', ')}${entry.columns.length > 8 ? ' …' : ''}`;
    output.line();
    output.line(
      `${entry.dead === undefined ? colours.bold(entry.title) : colours.dim(entry.title)}  ${colours.cyan(entryName(entry).replace(/^it\//, ''))}`,
    );
    output.line(colours.dim(`  ${facts.join(' · ')}${columns}`));
  }
  if (entries.length > mostListed)
    output.line(colours.dim(`\n… and ${grouped(entries.length - mostListed)} more; --json lists all.`));
  const first = entries.find(({ dead }) => dead === undefined);
  if (first?.ways.some(({ source, dead }) => source !== undefined && dead === undefined)) {
    output.line(colours.dim('\nIn a study, for the first:'));
    for (const line of linesText(linesFor(first, { sources: {}, gather: {} })).split('\n'))
      output.line(`  ${line}`);
  }
  return true;
}
