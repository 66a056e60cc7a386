import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { deepestJson, isDeepJson } from '../../core/json-depth.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { utf16Of } from '../geojson/encoding.ts';

/** JSON documents are held whole; longer ones are refused. */
const largest = 500_000_000;

export type JsonObject = Record<string, unknown>;

export const isObject = (value: unknown): value is JsonObject =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** A whole JSON document. */
export async function readJson(source: ByteSource): Promise<unknown> {
  if (source.size > largest)
    throw new IsomericError('json-too-large', `It has more than ${grouped(largest / 1e6)} MB.`, {
      place: { file: source.name },
      advice: 'Such documents are held in memory whole; ask the provider for CSV.',
    });
  const bytes = await source.bytes(0, source.size);
  const text = new TextDecoder(utf16Of(bytes) ?? 'utf-8').decode(bytes);
  if (isDeepJson(text))
    throw new IsomericError(
      'json-nesting',
      `Lists and objects stand in one another, more than ${deepestJson} deep.`,
      {
        place: { file: source.name },
        advice: 'No table is so deep: is it another file?',
      },
    );
  try {
    return JSON.parse(text);
  } catch (error) {
    const words = error instanceof Error ? error.message : String(error);
    const at = /position (\d+)/.exec(words);
    const line = at === null ? undefined : text.slice(0, Number(at[1])).split('\n').length;
    throw new IsomericError('json-damaged', 'The JSON is not well-formed.', {
      place: { file: source.name, line },
      advice: 'The file is damaged or was cut short: get it again.',
      cause: error,
    });
  }
}

/** `{ ":": "not available" }` or `{ label: { … } }` → code → label. */
export function labelOf(value: JsonObject): Record<string, string> {
  const labels = isObject(value.label) ? value.label : value;
  return Object.fromEntries(
    Object.entries(labels).filter(([, label]) => typeof label === 'string'),
  ) as Record<string, string>;
}

/** The value at a JSON Pointer (RFC 6901, section 4); undefined when there is none. */
export function atPointer(root: unknown, pointer: string): unknown {
  if (pointer === '') return root;
  if (!pointer.startsWith('/'))
    throw new IsomericError('pointer-wrong', `“${pointer}” is no JSON Pointer.`, {
      blame: 'usage',
      advice: 'It begins with a slash: /data/rows.',
    });
  let value = root;
  for (const part of pointer.slice(1).split('/')) {
    const key = part.replaceAll('~1', '/').replaceAll('~0', '~');
    if (Array.isArray(value)) value = /^(0|[1-9]\d*)$/.test(key) ? value[Number(key)] : undefined;
    else if (isObject(value)) value = Object.hasOwn(value, key) ? value[key] : undefined;
    else return undefined;
  }
  return value;
}
