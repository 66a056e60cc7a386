import iconv from 'iconv-lite';
import { SaxesParser } from 'saxes';
import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../byte-source.ts';

/** Deepest nesting of elements that is read. */
const deepest = 256;

export type Attributes = Readonly<Record<string, string>>;

/** What a format does with the elements of a document, in their order. Names come without their prefix. */
export interface XmlHandler {
  open(name: string, attributes: Attributes, whole: string): void;
  /** `text`: the character data that stood directly in the element, in one piece. */
  close(name: string, text: string): void;
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

/** Encoding of an XML document by its byte-order mark or its declaration (XML 1.0, appendix F). */
export function xmlEncoding(head: Uint8Array): string {
  if (head[0] === 0xff && head[1] === 0xfe) return 'utf-16le';
  if (head[0] === 0xfe && head[1] === 0xff) return 'utf-16be';
  if (head[0] === 0x3c && head[1] === 0) return 'utf-16le';
  if (head[0] === 0 && head[1] === 0x3c) return 'utf-16be';
  const start = String.fromCharCode(...head.subarray(0, 200));
  const named = /^(?:\u00ef\u00bb\u00bf)?\s*<\?xml[^>]*encoding\s*=\s*["']([A-Za-z0-9._-]+)["']/.exec(start);
  const name = (named?.[1] ?? 'utf-8').toLowerCase();
  return name === 'utf8' || name === 'us-ascii' ? 'utf-8' : name;
}

/** The beginning of an XML document as text, for sniffing. */
export function xmlHead(head: Uint8Array): string {
  const encoding = xmlEncoding(head);
  const text = iconv.encodingExists(encoding)
    ? iconv.decode(head as Buffer, encoding)
    : new TextDecoder().decode(head);
  return text.replace(/^\ufeff/, '');
}

/** Local name of the root element, and the text of its tag; null when the text does not begin as XML does. */
export function rootElement(head: Uint8Array): { name: string; tag: string } | null {
  let text = xmlHead(head).trimStart();
  for (;;) {
    const skip = /^(<\?[\s\S]*?\?>|<!--[\s\S]*?-->|<!DOCTYPE[^>[]*(\[[\s\S]*?\])?\s*>)\s*/.exec(text);
    if (skip === null) break;
    text = text.slice(skip[0].length);
  }
  const found = /^<([A-Za-z_][\w.-]*:)?([A-Za-z_][\w.-]*)([^>]*)/.exec(text);
  return found === null ? null : { name: found[2], tag: found[0] };
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
  parser.on('opentag', (tag) => {
    if (texts.length >= deepest) fail(`Elements are nested more than ${deepest} deep.`);
    texts.push('');
    handler.open(local(tag.name), tag.attributes as Attributes, tag.name);
  });
  parser.on('text', (text) => {
    if (texts.length > 0) texts[texts.length - 1] += text;
  });
  parser.on('cdata', (text) => {
    if (texts.length > 0) texts[texts.length - 1] += text;
  });
  parser.on('closetag', (tag) => {
    handler.close(local(tag.name), texts.pop() ?? '');
  });
  const encoding = xmlEncoding(await source.bytes(0, 256));
  if (!iconv.encodingExists(encoding))
    throw new IsomericError('xml-encoding', `The encoding “${encoding}” is not known.`, {
      place: { file: source.name },
    });
  const utf8 = encoding === 'utf-8' ? new TextDecoder('utf-8', { fatal: true }) : null;
  const other = utf8 === null ? iconv.getDecoder(encoding) : null;
  const decode = (chunk: Uint8Array | null): string => {
    if (other !== null) return chunk === null ? (other.end() ?? '') : other.write(chunk as Buffer);
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
