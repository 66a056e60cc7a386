import * as z from 'zod';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { idNumber, type PageIds, scalarEnd, stringEnd, valueAfter } from '../feature-ids.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { linkShape, linkTo } from '../transfer/links.ts';

const quote = 0x22;

export interface Page {
  /** Address of the page that follows, as it stands. */
  next: string | undefined;
  features: number;
  /** Features in all, where the service says it. */
  matched: number | undefined;
  ids: PageIds['ids'];
}

/**
 * The members of the outermost object of a JSON document, found by its bytes alone: where each value begins and ends, and
 * how many objects stand directly in it when it is an array. Null when the document is not whole. Reading the features
 * into objects to find a link beside them would cost many times as much.
 *
 * @param ids gets the numbers of the ids of the objects in "features"
 */
export function outerMembers(
  bytes: Uint8Array,
  ids: number[] = [],
): Map<string, { from: number; to: number; objects: number }> | null {
  const members = new Map<string, { from: number; to: number; objects: number }>();
  let depth = 0;
  let key: string | null = null;
  let from = -1;
  let objects = 0;
  const close = (to: number) => {
    if (key !== null && from >= 0) members.set(key, { from, to, objects });
    key = null;
    from = -1;
    objects = 0;
  };
  let k = 0;
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) k = 3;
  for (; k < bytes.length; k++) {
    const c = bytes[k];
    if (c === quote) {
      const end = stringEnd(bytes, k);
      if (depth === 1 && key === null) {
        try {
          key = JSON.parse(new TextDecoder().decode(bytes.subarray(k, end))) as string;
        } catch {
          return null;
        }
      }
      if (
        depth === 3 &&
        end === k + 4 &&
        bytes[k + 1] === 0x69 &&
        bytes[k + 2] === 0x64 &&
        key === 'features'
      ) {
        const value = valueAfter(bytes, end);
        const valueEnd = value < 0 ? -1 : scalarEnd(bytes, value);
        // The number 7 and the text "7" name the same feature.
        const quoted = bytes[value] === quote ? 1 : 0;
        if (valueEnd > 0) ids.push(idNumber(bytes, value + quoted, valueEnd - quoted));
      }
      k = end - 1;
    } else if (c === 0x7b || c === 0x5b) {
      if (c === 0x7b && depth === 2) objects++;
      depth++;
    } else if (c === 0x7d || c === 0x5d) {
      depth--;
      if (depth === 0) {
        close(k);
        // Nothing but white space may follow.
        for (k++; k < bytes.length; k++) if (bytes[k] > 0x20) return null;
        return c === 0x7d ? members : null;
      }
    } else if (depth === 1) {
      if (c === 0x3a && from < 0) from = k + 1;
      else if (c === 0x2c) close(k);
    } else if (depth === 0 && c > 0x20) return null;
  }
  return null;
}

const pageLinks = z.array(linkShape);

/** Looks through a page of features in GeoJSON; one that is not whole or is something else is an error. */
export async function readPage(file: ByteSource, request: Request, context: TransferContext): Promise<Page> {
  const bytes = await file.bytes(0, file.size);
  const ids: number[] = [];
  const members = outerMembers(bytes, ids);
  if (members === null) {
    const begins = bytes.find((each) => each > 0x20 && each < 0x80);
    throw begins === 0x7b
      ? failure(
          'source-cut',
          request,
          context,
          'a page of features ends in the middle.',
          'Run again; if it stays so, ask the makers of the service.',
        )
      : failure(
          'source-garbled',
          request,
          context,
          'a page of features is no JSON.',
          'Run again; if it stays so, ask the makers of the service.',
        );
  }
  const value = (name: string): unknown => {
    const found = members.get(name);
    if (found === undefined) return undefined;
    try {
      return JSON.parse(new TextDecoder().decode(bytes.subarray(found.from, found.to)));
    } catch {
      return undefined;
    }
  };
  const type = value('type');
  const matched = value('numberMatched');
  if (type === 'Feature') return { next: undefined, features: 1, matched: undefined, ids };
  if (type !== 'FeatureCollection')
    throw failure(
      'source-garbled',
      request,
      context,
      'a page of features is no FeatureCollection.',
      'Is the address that of a feature service?',
    );
  const links = pageLinks.safeParse(value('links') ?? []);
  const next = links.success ? linkTo(links.data, 'next')?.href : undefined;
  return {
    next: next === '' ? undefined : next,
    features: members.get('features')?.objects ?? 0,
    matched: typeof matched === 'number' ? matched : undefined,
    ids,
  };
}
