import { SaxesParser } from 'saxes';
import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { encodingExists, textPieces } from '../bytes/code-pages.ts';
import { xmlEncoding } from './encoding.ts';

/** Deepest nesting of elements that is read. */
const deepest = 256;

export type Attributes = Readonly<Record<string, string>>;

/** What a format does with the elements of a document, in their order. Names come without their prefix. */
export interface XmlHandler {
  open(name: string, attributes: Attributes, whole: string): void;
  /** Says that the document's texts are not wanted: then `text` below is always blank, and reading costs less. */
  readonly textless?: boolean;
  /** `text`: the character data that stood directly in the element, in one piece. */
  close(name: string, text: string): void;
  /** Character data as they come, for elements whose text and children stand mixed. */
  characters?(text: string): void;
}

/** The name without its prefix. */
export function localName(name: string): string {
  const colon = name.indexOf(':');
  return colon < 0 ? name : name.slice(colon + 1);
}

/** An attribute by its local name, whatever its prefix. */
export function attribute(attributes: Attributes, name: string): string | undefined {
  if (attributes[name] !== undefined) return attributes[name];
  for (const key in attributes) if (localName(key) === name) return attributes[key];
  return undefined;
}

/**
 * Goes through an XML document once, piece by piece. After every piece, `ready` hands over what has become whole.
 * Entities of the document's own are never expanded and nothing outside is fetched: `&name;` stays as it stands, and
 * `onEntity` is told.
 */
export async function* readXml<T>(
  source: ByteSource,
  handler: XmlHandler,
  ready: () => Iterable<T>,
  onEntity: () => void = () => {},
): AsyncGenerator<T> {
  const parser = new SaxesParser({ xmlns: false });
  // Text of the elements that are open, the innermost last.
  const texts: string[] = [];
  const locals = new Map<string, string>();
  const local = (name: string) => {
    let short = locals.get(name);
    if (short === undefined) {
      short = localName(name);
      if (locals.size < 5000) locals.set(name, short);
    }
    return short;
  };
  const fail = (words: string): never => {
    throw new IsomericError('xml-damaged', words, {
      place: { file: source.name, line: parser.line, column: parser.column + 1 },
      advice: 'The file is damaged or was cut short: get it again.',
    });
  };
  parser.on('error', (error) => {
    const words = error.message.replace(/^\d+:\d+:\s*/, '').replace(/\.$/, '');
    if (/undefined entity/.test(words)) onEntity();
    else fail(`The XML is not well-formed: ${words}.`);
  });
  let depth = 0;
  const wantsText = handler.textless !== true;
  parser.on('opentag', (tag) => {
    if (depth++ >= deepest) fail(`Elements are nested more than ${deepest} deep.`);
    if (wantsText) texts.push('');
    handler.open(local(tag.name), tag.attributes as Attributes, tag.name);
  });
  if (wantsText) {
    const add = (text: string) => {
      handler.characters?.(text);
      if (texts.length > 0) texts[texts.length - 1] += text;
    };
    parser.on('text', add);
    parser.on('cdata', add);
  }
  parser.on('closetag', (tag) => {
    depth--;
    handler.close(local(tag.name), texts.pop() ?? '');
  });
  const encoding = xmlEncoding(await source.bytes(0, 256));
  if (!encodingExists(encoding))
    throw new IsomericError('xml-encoding', `The encoding “${encoding}” is not known.`, {
      place: { file: source.name },
    });
  const utf8 = encoding === 'utf-8' ? new TextDecoder('utf-8', { fatal: true }) : null;
  const other = utf8 === null ? textPieces(encoding) : null;
  const decode = (chunk: Uint8Array | null): string => {
    if (other !== null) return chunk === null ? other.end() : other.write(chunk);
    try {
      return chunk === null ? utf8!.decode() : utf8!.decode(chunk, { stream: true });
    } catch {
      return fail('A byte is no UTF-8, though the document says so or says nothing.');
    }
  };
  for await (const chunk of source.stream()) {
    // Pieces of this size keep what waits between two `ready` small.
    for (let at = 0; at < chunk.length; at += 65_536) {
      parser.write(decode(chunk.subarray(at, at + 65_536)));
      yield* ready();
    }
  }
  parser.write(decode(null));
  parser.close();
  yield* ready();
}
