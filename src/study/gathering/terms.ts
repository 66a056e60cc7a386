import { IsomericError } from '../../core/errors.ts';
import { markupText } from '../../formats/xml/markup.ts';
import type { Order, TermsLink } from '../../sources/order.ts';
import { termsPath } from '../../sources/places.ts';
import { ask } from '../../sources/transfer/ask.ts';
import type { TransferContext } from '../../sources/transfer/context.ts';
import { linkAddress } from '../../sources/transfer/links.ts';
import type { TermsEntry } from '../ledger/ledger-entries.ts';
import type { OrderGroup } from './orders.ts';
import { contextFor, type Gathering } from './source-context.ts';

/** Longest text of terms that the ledger repeats; all of it lies beside the data. */
const longestText = 20_000;

/** Tags that end a line. */
const lineEnds = /^(br|\/p|\/h\d|\/li|\/div)$/;

/** Words of a document of terms: what stands in a page, without its markup. */
export function wordsOf(text: string, type: string | null): string {
  const plain = /html|xml/.test(type ?? '') || /^<(!doctype|html|h\d|p)\b/i.test(text.trimStart());
  const words = plain ? markupText(text, (name) => (lineEnds.test(name) ? '\n' : '')) : text;
  const lines = words.split('\n').map((line) => line.replace(/\s+/g, ' ').trim());
  return lines
    .filter((line) => line !== '')
    .join('\n')
    .slice(0, longestText);
}

async function termsOf(
  group: OrderGroup,
  order: Order,
  gathering: Gathering,
  context: TransferContext,
): Promise<TermsLink | null> {
  const told = gathering.study.sources[group.source].terms;
  if (told !== undefined)
    return {
      url: linkAddress(
        told,
        order.address,
        group.source,
        contextFor(gathering, group.source, [order.name], []),
      ),
    };
  return (await group.protocol.terms?.(order, context)) ?? null;
}

/** Keeps the terms of one source; those that the study has not agreed to, or that have changed since, are an error. */
async function settle(group: OrderGroup, gathering: Gathering): Promise<void> {
  const { study, machine, ledger } = gathering;
  const { source } = group;
  const [order] = group.orders;
  const context = contextFor(gathering, source, [order.name], []);
  const link = await termsOf(group, order, gathering, context);
  if (link === null) return;
  const request = {
    what: `${source}, terms of use`,
    url: link.url,
    accept: 'text/html, text/plain',
    page: true,
  };
  const answer = await ask(request, context);
  const type = answer.headers.get('content-type');
  const text = new TextDecoder().decode(answer.bytes);
  const path = termsPath(source, /html/.test(type ?? ''));
  const { sha256 } = await machine.store.write(path, one(answer.bytes));
  const words = wordsOf(text, type);
  const title = link.title ?? words.split('\n')[0]?.slice(0, 120);
  const { agreed } = study.sources[source];
  const before = ledger.terms.get(source);
  if (agreed === undefined)
    throw new IsomericError(
      'terms-not-agreed',
      `${source} asks for agreement to its terms of use${title === undefined || title === '' ? '' : `, “${title}”`}.`,
      {
        place: { file: path },
        advice: `Read them there; when you agree, write “agreed: ${machine.now().slice(0, 10)}” under sources → ${source}.`,
        blame: 'usage',
      },
    );
  if (before !== undefined && before.agreed === agreed && before.sha256 !== sha256)
    throw new IsomericError('terms-changed', `${source} has changed its terms of use since ${agreed}.`, {
      place: { file: path },
      advice: `Read them there; when you agree, write “agreed: ${machine.now().slice(0, 10)}” under sources → ${source}.`,
      blame: 'usage',
    });
  const url = context.credentials.shown(link.url);
  const entry: TermsEntry = {
    kind: 'terms',
    source,
    url,
    title,
    agreed,
    at: machine.now(),
    sha256,
    path,
    text: words,
  };
  if (before === undefined || before.agreed !== agreed) await ledger.add(machine, entry);
}

async function* one(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield bytes;
}

/**
 * Sees to the terms of all sources before anything is fetched. Terms that are not agreed to stop the run; a source whose
 * terms cannot be had is left out, and its error returned.
 */
export async function settleTerms(
  groups: readonly OrderGroup[],
  gathering: Gathering,
): Promise<Map<string, unknown>> {
  const troubles = new Map<string, unknown>();
  const open: IsomericError[] = [];
  const sources = new Map(groups.map((group) => [group.source, group]));
  await Promise.all(
    [...sources.values()].map(async (group) => {
      try {
        await settle(group, gathering);
      } catch (error) {
        if (error instanceof IsomericError && error.code.startsWith('terms-')) open.push(error);
        else troubles.set(group.source, error);
      }
    }),
  );
  if (open.length === 1) throw open[0];
  if (open.length > 1) {
    const sentences = open.map((error) => error.sentence).sort();
    throw new IsomericError(
      open[0].code,
      `${open.length} sources wait for agreement:\n  ${sentences.join('\n  ')}`,
      {
        blame: 'usage',
      },
    );
  }
  return troubles;
}
