import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { rootTag, withoutComments } from '../../formats/xml/markup.ts';
import { localName } from '../../formats/xml/read-xml.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure, reasonIn } from '../transfer/failures.ts';

/** Bytes in which the outermost element of an answer begins, at the latest. */
const headLength = 65_536;

export interface CollectionHead {
  next: string | undefined;
  matched: number | undefined;
  returned: number | undefined;
}

const unescaped = (text: string) =>
  text
    .replaceAll('&lt;', '<')
    .replaceAll('&gt;', '>')
    .replaceAll('&quot;', '"')
    .replaceAll('&apos;', "'")
    .replaceAll('&#38;', '&')
    .replaceAll('&amp;', '&');

function attributeOf(tag: string, name: string): string | undefined {
  const found = new RegExp(`[\\s:]${name}\\s*=\\s*(?:"([^"]*)"|'([^']*)')`).exec(tag);
  return found === null ? undefined : unescaped(found[1] ?? found[2]);
}

function numberOf(text: string | undefined): number | undefined {
  const value = text === undefined || text === 'unknown' ? Number.NaN : Number(text);
  return Number.isInteger(value) && value >= 0 ? value : undefined;
}

/** Does a text end with the closing tag of an element, white space and comments behind it? */
function endsWithTag(text: string, name: string): boolean {
  const bare = withoutComments(text).trimEnd();
  const from = bare.lastIndexOf('</');
  return from >= 0 && localName(bare.slice(from + 2, -1).trimEnd()) === name && bare.endsWith('>');
}

/**
 * Looks at the outermost element of an answer to GetFeature, and at its end. An exception report that came as if it were
 * data, and a collection that does not end, are errors.
 */
export async function readCollectionHead(
  file: ByteSource,
  request: Request,
  context: TransferContext,
): Promise<CollectionHead> {
  const head = new TextDecoder().decode(await file.bytes(0, headLength));
  const root = rootTag(head.replace(/^\ufeff/, ''));
  const name = root?.name ?? '';
  if (/^(ServiceException|Exception)Report$/.test(name))
    throw failure(
      'source-refused',
      request,
      context,
      `the service refuses: “${reasonIn(head, 'text/xml')}”.`,
      'Check what is asked of it.',
    );
  if (root === null || name !== 'FeatureCollection')
    throw failure(
      'source-garbled',
      request,
      context,
      name === '' ? 'the answer is no XML.' : `the answer is a “${name}”, not a collection of features.`,
      'Is the address that of a Web Feature Service?',
    );
  if (!root.closed) {
    const tail = new TextDecoder().decode(await file.bytes(Math.max(0, file.size - 200), file.size));
    if (!endsWithTag(tail, name))
      throw failure(
        'source-cut',
        request,
        context,
        'an answer ends in the middle.',
        'Run again; if it stays so, ask the makers of the service.',
      );
  }
  const attributes = root.tag;
  return {
    next: attributeOf(attributes, 'next') || undefined,
    matched: numberOf(attributeOf(attributes, 'numberMatched')),
    returned: numberOf(
      attributeOf(attributes, 'numberReturned') ?? attributeOf(attributes, 'numberOfFeatures'),
    ),
  };
}
