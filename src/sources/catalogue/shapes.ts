import type { Box } from '../../core/geometry/geometry-array.ts';
import { bareAddress } from '../transfer/links.ts';

/** Values of a document from outside, taken as what they are wanted to be; undefined where they are something else. */
export const textIn = (value: unknown): string | undefined => {
  if (typeof value === 'string') return value.trim() === '' ? undefined : value.trim();
  if (typeof value === 'number') return String(value);
  return undefined;
};

export const recordIn = (value: unknown): Record<string, unknown> | undefined =>
  value !== null && typeof value === 'object' && !Array.isArray(value)
    ? (value as Record<string, unknown>)
    : undefined;

export const listIn = (value: unknown): unknown[] =>
  Array.isArray(value) ? value : value === undefined || value === null ? [] : [value];

export const recordsIn = (value: unknown): Record<string, unknown>[] =>
  listIn(value).flatMap((each) => {
    const own = recordIn(each);
    return own === undefined ? [] : [own];
  });

/** A text, or that in English (else the first) of texts by language. */
export function languageText(value: unknown): string | undefined {
  const plain = textIn(value);
  if (plain !== undefined) return plain;
  const own = recordIn(value);
  if (own === undefined) return undefined;
  for (const language of ['en', 'en-GB', 'en-US', ...Object.keys(own)]) {
    const text = textIn(own[language]);
    if (text !== undefined) return text;
  }
  return undefined;
}

/** Four or six numbers as a box in degrees; undefined where they are none. */
export function boxIn(value: unknown): Box | undefined {
  const numbers = listIn(value).map(Number);
  const box = numbers.length === 6 ? [numbers[0], numbers[1], numbers[3], numbers[4]] : numbers;
  if (box.length !== 4 || !box.every(Number.isFinite)) return undefined;
  if (Math.abs(box[1]) > 90 || Math.abs(box[3]) > 90 || Math.abs(box[0]) > 360 || Math.abs(box[2]) > 360)
    return undefined;
  return box as Box;
}

/** The box around the coordinates of a GeoJSON geometry. */
export function boxOfGeojson(value: unknown): Box | undefined {
  const geometry = recordIn(value);
  if (geometry === undefined) return undefined;
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  // Gone through without recursion: how deep it is nested is said outside.
  const open: unknown[] = [
    geometry.coordinates,
    ...listIn(geometry.geometries).map((each) => recordIn(each)?.coordinates),
  ];
  let seen = 0;
  while (open.length > 0 && seen++ < 200_000) {
    const each = open.pop();
    if (!Array.isArray(each)) continue;
    if (typeof each[0] === 'number' && typeof each[1] === 'number') {
      box[0] = Math.min(box[0], each[0]);
      box[1] = Math.min(box[1], each[1]);
      box[2] = Math.max(box[2], each[0]);
      box[3] = Math.max(box[3], each[1]);
    } else open.push(...each);
  }
  return boxIn(box);
}

/** `2024-06-30` of any text that begins with a date. */
export const dayIn = (value: unknown): string | undefined =>
  /^\d{4}(-\d{2}(-\d{2})?)?/.exec(textIn(value) ?? '')?.[0];

/** The years of a time from a date to a date, both within; open ends count as themselves alone. */
export function yearsBetween(from: unknown, to: unknown): string[] {
  const [first, last] = [from, to].map((value) =>
    Number(/^\d{4}/.exec(textIn(value) ?? '')?.[0] ?? Number.NaN),
  );
  if (Number.isNaN(first)) return Number.isNaN(last) ? [] : [String(last)];
  if (Number.isNaN(last) || last < first || last - first > 60) return [String(first)];
  return Array.from({ length: last - first + 1 }, (_, k) => String(first + k));
}

/** A licence as people call it: the last words of an address. */
export function licenceName(text: string | undefined): string | undefined {
  if (text === undefined || !/^(https?|urn):/i.test(text)) return text;
  const commons = /creativecommons\.org\/(licenses|publicdomain)\/([a-z-]+)\/([\d.]+)/i.exec(
    text.slice(0, 300),
  );
  if (commons !== null)
    return `CC${commons[2] === 'zero' ? '0' : ` ${commons[2].toUpperCase()}`} ${commons[3]}`;
  const parts = bareAddress(text)
    .replace(/^https?:\/\/[^/]*\//i, '')
    .split(/[/:]/)
    .filter((part) => part !== '' && !/^(legalcode|deed(\.\w+)?|index\.html?)$/i.test(part));
  const last = parts[parts.length - 1];
  if (last === undefined) return text;
  // A number alone is the version of what stands before it.
  const named = /^v?[\d.]+$/.test(last) && parts.length > 1 ? `${parts[parts.length - 2]} ${last}` : last;
  return named.replace(/[-_+]+/g, ' ').trim();
}
