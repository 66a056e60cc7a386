import { decodeText, encodingExists } from '../bytes/code-pages.ts';
import { rootTag } from './markup.ts';

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
  const text = encodingExists(encoding) ? decodeText(head, encoding) : new TextDecoder().decode(head);
  return text.replace(/^\ufeff/, '');
}

/** Local name of the root element, and the text of its tag; null when the text does not begin as XML does. */
export function rootElement(head: Uint8Array): { name: string; tag: string } | null {
  return rootTag(xmlHead(head));
}
