import { IsomericError } from '../core/errors.ts';
import type { Order } from './order.ts';
import { withoutSecretsIn } from './secrets.ts';

/** Longest part of a path that is spelt out, in UTF-8 bytes: file systems take 255, and endings are added. */
const longestPart = 120;

const encoder = new TextEncoder();

/** 64 bits that tell texts apart (FNV-1a), hexadecimal. */
function fingerprint(text: string): string {
  let hash = 0xcbf29ce484222325n;
  for (const byte of encoder.encode(text))
    hash = ((hash ^ BigInt(byte)) * 0x100000001b3n) & 0xffffffffffffffffn;
  return hash.toString(16).padStart(16, '0');
}

/**
 * A name as a part of a path, one-to-one: what file systems and sorters stumble over is written as `~` and the
 * hexadecimal digits of its code point, closed by `~` where there are more than two. `a b` becomes `a~20b`.
 */
export function pathPart(name: string): string {
  let part = '';
  for (const sign of name) {
    // Letters that are put together from several signs would be changed by some file systems.
    const plain = /[\p{L}\p{N}_-]/u.test(sign) && sign.normalize('NFC') === sign;
    if (plain || (sign === '.' && part !== '')) part += sign;
    else {
      const digits = sign.codePointAt(0)!.toString(16).toUpperCase().padStart(2, '0');
      part += digits.length === 2 ? `~${digits}` : `~~${digits}~`;
    }
  }
  if (part === '') return '~';
  if (encoder.encode(part).length <= longestPart) return part;
  let short = part.slice(0, longestPart);
  while (encoder.encode(short).length > longestPart - 20) short = short.slice(0, -1);
  return `${short}~-${fingerprint(name)}`;
}

/** Written behind a name; no name made safe holds an `@`. */
const ofVintage = (vintage: string | undefined) => (vintage === undefined ? '' : `@${pathPart(vintage)}`);

/** Folder of a dataset, named for source, dataset and vintage: providers name every download alike. */
export function folderOf(order: Pick<Order, 'source' | 'name' | 'vintage'>): string {
  return `gathered/${pathPart(order.source)}/${pathPart(order.name)}${ofVintage(order.vintage)}`;
}

/**
 * Where a file of a source goes: below the source and its vintage, under the folders that the provider has it in. What
 * tells files apart only behind a `?` is a folder of its own.
 */
export function filePath(order: Pick<Order, 'source' | 'vintage'>, file: string): string {
  const [address] = file.split('#', 1);
  const mark = address.indexOf('?');
  const path = mark < 0 ? address : address.slice(0, mark);
  const query = mark < 0 ? '' : withoutSecretsIn(address.slice(mark));
  const parts = path.split(/[/\\]/).filter((part, k) => part !== '.' && !(part === '' && k === 0));
  const name = parts.pop() ?? '';
  // A part of a path never begins with a question mark, and so none begins with its escape.
  return extractPath(order, query === '' ? parts : [...parts, query], name);
}

/** The same for a file of a region: below the source, the region's path and its date. */
export function extractPath(
  { source, vintage }: Pick<Order, 'source' | 'vintage'>,
  folders: readonly string[],
  file: string,
  date?: string,
): string {
  return [
    `gathered/${pathPart(source)}`,
    ...(vintage === undefined ? [] : [ofVintage(vintage)]),
    ...folders.map(pathPart),
    ...(date === undefined ? [] : [ofVintage(date)]),
    pathPart(file),
  ].join('/');
}

/** Where the terms of use of a source are kept: no file of the source is called so. */
export function termsPath(source: string, page: boolean): string {
  return `gathered/${pathPart(source)}/~terms${page ? '.html' : '.txt'}`;
}

/**
 * Orders that would be written to one place, or one below the other: each would overwrite what the other brought. Refused
 * before anything is fetched.
 */
export function refuseSharedPlaces(orders: readonly { name: string; place: string }[]): void {
  const byPlace = new Map<string, string>();
  for (const { name, place } of orders) {
    const other = byPlace.get(place);
    if (other !== undefined) throw shared(other, name, place);
    byPlace.set(place, name);
  }
  for (const [place, name] of byPlace)
    for (let cut = place.lastIndexOf('/'); cut > 0; cut = place.lastIndexOf('/', cut - 1)) {
      const above = byPlace.get(place.slice(0, cut));
      if (above !== undefined) throw shared(above, name, place.slice(0, cut));
    }
}

function shared(one: string, other: string, place: string): IsomericError {
  return new IsomericError(
    'place-shared',
    `${one} and ${other} would both be kept as ${place}, and one would overwrite the other.`,
    {
      advice:
        'Where both mean the same file, write it alike in both; where they differ by a key only, make them two sources; or give one a “vintage:”.',
      blame: 'usage',
    },
  );
}
