import { localName } from '../formats/xml/read-xml.ts';

const [quote, backslash, less, greater, slash] = [0x22, 0x5c, 0x3c, 0x3e, 0x2f];

/** A number of 53 bits that tells ids apart (two FNV-1a hashes of their bytes): no string is made for any of them. */
export function idNumber(bytes: Uint8Array, from: number, to: number): number {
  let a = 0x811c9dc5;
  let b = 0x9e3779b9;
  for (let k = from; k < to; k++) {
    a = Math.imul(a ^ bytes[k], 0x01000193);
    b = Math.imul(b ^ bytes[k], 0x85ebca6b);
  }
  a ^= b >>> 15;
  return (a >>> 0) * 0x200000 + (b >>> 11);
}

/** The features of a page: how many there are, and the numbers of the ids that some or all of them have. */
export interface PageIds {
  features: number;
  ids: readonly number[];
}

/** End of the string that begins at `at` (its first quote); the length of the bytes when it does not end. */
export function stringEnd(bytes: Uint8Array, at: number): number {
  for (let k = at + 1; ; k++) {
    k = bytes.indexOf(quote, k);
    if (k < 0) return bytes.length;
    let slashes = 0;
    while (bytes[k - 1 - slashes] === backslash) slashes++;
    if (slashes % 2 === 0) return k + 1;
  }
}

/** Where the value of a JSON member begins whose name ends before `at`; -1 where no colon follows. */
export function valueAfter(bytes: Uint8Array, at: number): number {
  let k = at;
  while (bytes[k] <= 0x20) k++;
  if (bytes[k] !== 0x3a) return -1;
  k++;
  while (bytes[k] <= 0x20) k++;
  return k;
}

/** End of a JSON text or number that begins at `at`; -1 for a value of another kind. */
export function scalarEnd(bytes: Uint8Array, at: number): number {
  if (bytes[at] === quote) return stringEnd(bytes, at);
  if (!(bytes[at] === 0x2d || (bytes[at] >= 0x30 && bytes[at] <= 0x39))) return -1;
  let k = at + 1;
  while (k < bytes.length && !(bytes[k] <= 0x20 || bytes[k] === 0x2c || bytes[k] === 0x7d)) k++;
  return k;
}

const idName = new TextEncoder().encode('id');
const members = new Set(['member', 'featureMember', 'featureMembers']);

/** Value of the attribute `gml:id`, or `fid` as the older GML has it, in a tag; null where there is none. */
function idInTag(bytes: Uint8Array, from: number, to: number): number | null {
  for (let k = from + 1; k < to - 3; k++) {
    if (bytes[k] !== idName[0] || bytes[k + 1] !== idName[1]) continue;
    const before = bytes[k - 1];
    const old = before === 0x66 && bytes[k - 2] <= 0x20;
    if (before !== 0x3a && !old) continue;
    let at = k + 2;
    while (at < to && bytes[at] <= 0x20) at++;
    if (bytes[at] !== 0x3d) continue;
    at++;
    while (at < to && bytes[at] <= 0x20) at++;
    const end = bytes.indexOf(bytes[at], at + 1);
    return end < 0 || end > to ? null : idNumber(bytes, at + 1, end);
  }
  return null;
}

/** Features in a collection in XML (WFS 1.1 and 2.0, GML), found by its bytes alone: the children of its members. */
export function xmlPageIds(bytes: Uint8Array): PageIds {
  const ids: number[] = [];
  let features = 0;
  let depth = 0;
  let member = false;
  const decoder = new TextDecoder();
  const skipTo = (mark: string, at: number) => {
    const wanted = [...mark].map((sign) => sign.charCodeAt(0));
    for (let k = at; ; k++) {
      k = bytes.indexOf(wanted[0], k);
      if (k < 0) return bytes.length;
      if (wanted.every((code, n) => bytes[k + n] === code)) return k + wanted.length;
    }
  };
  for (let k = bytes.indexOf(less); k >= 0; k = bytes.indexOf(less, k)) {
    const next = bytes[k + 1];
    if (next === 0x21) {
      // <!-- … -->, <![CDATA[ … ]]>, a document type
      k =
        bytes[k + 2] === 0x2d
          ? skipTo('-->', k + 4)
          : bytes[k + 2] === 0x5b
            ? skipTo(']]>', k + 9)
            : skipTo('>', k);
      continue;
    }
    if (next === 0x3f) {
      k = skipTo('?>', k + 2);
      continue;
    }
    if (next === slash) {
      depth--;
      k++;
      continue;
    }
    let end = k + 1;
    for (let inside = 0; end < bytes.length; end++) {
      const c = bytes[end];
      if (inside !== 0) {
        if (c === inside) inside = 0;
      } else if (c === quote || c === 0x27) inside = c;
      else if (c === greater) break;
    }
    depth++;
    if (depth === 2) {
      let nameEnd = k + 1;
      while (nameEnd < end && bytes[nameEnd] > 0x20 && bytes[nameEnd] !== slash) nameEnd++;
      member = members.has(localName(decoder.decode(bytes.subarray(k + 1, nameEnd))));
    } else if (depth === 3 && member) {
      features++;
      const id = idInTag(bytes, k, end);
      if (id !== null) ids.push(id);
    }
    if (bytes[end - 1] === slash) depth--;
    k = end;
  }
  return { features, ids };
}
