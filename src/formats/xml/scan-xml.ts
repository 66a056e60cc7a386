import { IsomericError } from '../../core/errors.ts';
import { decodeText } from '../../core/table/column.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { encodingExists, textPieces } from '../bytes/code-pages.ts';
import { xmlEncoding } from './encoding.ts';
import { withoutEntities } from './markup.ts';

/** Deepest nesting of elements, and longest tag, that are read. */
const deepest = 256;
const longestTag = 1 << 24;

/** The tag at hand: its attributes are looked for when somebody asks. Valid until the next one. */
export class TagView {
  bytes: Uint8Array = new Uint8Array(0);
  /** Where the attributes begin and the tag ends. */
  from = 0;
  to = 0;
  /** Where the value that was found begins and ends. */
  start = 0;
  end = 0;

  /** Looks for an attribute by its name without a prefix; true when it is there, at `start … end`. */
  find(name: string): boolean {
    const { bytes, to } = this;
    let at = this.from;
    for (;;) {
      while (at < to && bytes[at] <= 32) at++;
      if (at >= to) return false;
      let begin = at;
      while (at < to && bytes[at] !== 61 && bytes[at] > 32) {
        if (bytes[at] === 58) begin = at + 1;
        at++;
      }
      const length = at - begin;
      while (at < to && bytes[at] <= 32) at++;
      if (bytes[at] !== 61) return false;
      at++;
      while (at < to && bytes[at] <= 32) at++;
      const quote = bytes[at];
      if (quote !== 34 && quote !== 39) return false;
      let end = at + 1;
      while (end < to && bytes[end] !== quote) end++;
      if (end >= to) return false;
      if (length === name.length && sameAs(bytes, begin, name)) {
        this.start = at + 1;
        this.end = end;
        return true;
      }
      at = end + 1;
    }
  }

  /** The text of an attribute; undefined when there is none of this name. */
  text(name: string): string | undefined {
    if (!this.find(name)) return undefined;
    return plain(this.bytes, this.start, this.end);
  }
}

function sameAs(bytes: Uint8Array, at: number, name: string): boolean {
  for (let k = 0; k < name.length; k++) if (bytes[at + k] !== name.charCodeAt(k)) return false;
  return true;
}

/** Bytes as text, the entities that every document knows read. */
function plain(bytes: Uint8Array, start: number, end: number): string {
  const text = decodeText(bytes, start, end);
  return text.includes('&') ? withoutEntities(text) : text;
}

/** What is done with the elements of a document, in their order. Names come without their prefix. */
export interface ScanHandler {
  open(name: string, tag: TagView): void;
  close(name: string): void;
  /** Whether the text that follows is wanted. */
  readonly wantsText: boolean;
  /** Text as it comes, in one or more pieces. */
  text(text: string): void;
  /** The document defines names for texts. */
  entities(): void;
}

/** Names of elements, each made a text once. */
class Names {
  private readonly byHash = new Map<number, string[]>();

  get(bytes: Uint8Array, start: number, end: number): string {
    let hash = 0;
    for (let k = start; k < end; k++) hash = (Math.imul(hash, 31) + bytes[k]) | 0;
    const found = this.byHash.get(hash);
    if (found !== undefined)
      for (const name of found) if (name.length === end - start && sameAs(bytes, start, name)) return name;
    const name = decodeText(bytes, start, end);
    if (found === undefined) this.byHash.set(hash, [name]);
    else found.push(name);
    return name;
  }
}

/**
 * Goes through an XML document once, working on its bytes (in UTF-8): for parts of office documents, which are long and come
 * whole from an archive whose checksum has been held against them. Tags must be closed as they were opened; entities of
 * the document's own are never expanded.
 */
export async function scanXml(source: ByteSource, handler: ScanHandler): Promise<void> {
  const scanner = new Scanner(source.name, handler);
  const encoding = xmlEncoding(await source.bytes(0, 256));
  const decoder = encoding === 'utf-8' || !encodingExists(encoding) ? null : textPieces(encoding);
  const encoder = new TextEncoder();
  for await (const chunk of source.stream())
    scanner.push(decoder === null ? chunk : encoder.encode(decoder.write(chunk)));
  const rest = decoder?.end();
  if (rest) scanner.push(encoder.encode(rest));
  scanner.finish();
}

class Scanner {
  private readonly file: string;
  private readonly handler: ScanHandler;
  private bytes = new Uint8Array(1 << 17);
  private limit = 0;
  private at = 0;
  private passed = 0;
  private readonly names = new Names();
  private readonly open: string[] = [];
  private readonly tag = new TagView();
  private root = false;

  constructor(file: string, handler: ScanHandler) {
    this.file = file;
    this.handler = handler;
  }

  private fail(words: string): never {
    throw new IsomericError('xml-damaged', `The XML is not well-formed: ${words}.`, {
      place: { file: this.file, byte: this.passed + this.at },
      advice: 'The file is damaged or was cut short: get it again.',
    });
  }

  push(chunk: Uint8Array): void {
    const left = this.limit - this.at;
    if (left > longestTag) this.fail('a tag does not end');
    if (left + chunk.length > this.bytes.length) {
      const larger = new Uint8Array(Math.max(2 * left, left + chunk.length));
      larger.set(this.bytes.subarray(this.at, this.limit));
      this.bytes = larger;
    } else this.bytes.copyWithin(0, this.at, this.limit);
    this.passed += this.at;
    this.bytes.set(chunk, left);
    this.at = 0;
    this.limit = left + chunk.length;
    this.scan(false);
  }

  finish(): void {
    this.scan(true);
    if (this.open.length > 0) this.fail(`${this.open[this.open.length - 1]} is not closed`);
    if (!this.root) this.fail('it has no element');
  }

  /** Where `sign` stands next among the bytes at hand; −1 when it does not. */
  private next(sign: number, from: number): number {
    const { bytes, limit } = this;
    // Texts and tags are short: a loop is faster than a call.
    for (let k = from; k < limit; k++) if (bytes[k] === sign) return k;
    return -1;
  }

  private scan(last: boolean): void {
    while (this.at < this.limit) {
      const { bytes, at } = this;
      if (bytes[at] !== 60) {
        const end = this.next(60, at);
        if (end < 0 && !last && this.limit - at < 1 << 16) return;
        this.characters(end < 0 ? this.cut(last) : end);
        if (end < 0 && this.at === at) return;
        continue;
      }
      if (at + 9 > this.limit && !last) return;
      const c = bytes[at + 1];
      const more =
        c === 33 ? this.declaration() : c === 63 ? this.pass('?>', 2) : c === 47 ? this.end() : this.begin();
      if (!more) {
        if (last) this.fail('it ends within a tag');
        return;
      }
    }
  }

  /** How far a long text can be taken without cutting an entity or a sign. */
  private cut(last: boolean): number {
    if (last) return this.limit;
    const { bytes } = this;
    let end = this.limit;
    while (end > this.at && (bytes[end - 1] & 0xc0) === 0x80) end--;
    if (end > this.at && bytes[end - 1] >= 0xc0) end--;
    const entity = bytes.lastIndexOf(38, end - 1);
    return entity >= this.at && end - entity < 12 ? entity : end;
  }

  private characters(end: number): void {
    if (this.handler.wantsText && end > this.at) this.handler.text(plain(this.bytes, this.at, end));
    this.at = end;
  }

  /** Passes what ends with a text; false when that has not come yet. */
  private pass(ending: string, skip: number): boolean {
    const { bytes } = this;
    for (let from = this.at + skip; ; from++) {
      from = this.next(ending.charCodeAt(0), from);
      if (from < 0 || from + ending.length > this.limit) return false;
      if (!sameAs(bytes, from, ending)) continue;
      this.at = from + ending.length;
      return true;
    }
  }

  /** Comments, CDATA, and document types. */
  private declaration(): boolean {
    const { bytes, at } = this;
    if (sameAs(bytes, at, '<!--')) return this.pass('-->', 4);
    if (!sameAs(bytes, at, '<![CDATA[')) {
      this.handler.entities();
      return this.pass('>', 2);
    }
    if (!this.pass(']]>', 9)) return false;
    if (this.handler.wantsText) this.handler.text(decodeText(bytes, at + 9, this.at - 3));
    return true;
  }

  /** Where the name that begins at `from` ends; `begin` says where its local part does. */
  private name(from: number, to: number): string {
    const { bytes } = this;
    let begin = from;
    let end = from;
    for (; end < to && bytes[end] > 32 && bytes[end] !== 47; end++) if (bytes[end] === 58) begin = end + 1;
    if (end === begin) this.fail('a tag has no name');
    this.at = end;
    return this.names.get(bytes, begin, end);
  }

  private end(): boolean {
    const end = this.next(62, this.at);
    if (end < 0) return false;
    const name = this.name(this.at + 2, end);
    const opened = this.open.pop();
    if (opened !== name) this.fail(`${opened ?? 'nothing'} is open where ${name} is closed`);
    this.handler.close(name);
    this.at = end + 1;
    return true;
  }

  private begin(): boolean {
    const { bytes, tag } = this;
    // A “>” may stand in the value of an attribute.
    let end = this.at;
    for (let quote = 0; ; end++) {
      if (end >= this.limit) return false;
      const c = bytes[end];
      if (quote !== 0) {
        if (c === quote) quote = 0;
      } else if (c === 34 || c === 39) quote = c;
      else if (c === 62) break;
    }
    const closed = bytes[end - 1] === 47;
    const name = this.name(this.at + 1, closed ? end - 1 : end);
    if (this.open.length >= deepest) this.fail(`elements are nested more than ${deepest} deep`);
    if (this.open.length === 0 && this.root) this.fail('it has more than one element at the top');
    this.root = true;
    tag.bytes = bytes;
    tag.from = this.at;
    tag.to = closed ? end - 1 : end;
    this.handler.open(name, tag);
    if (closed) this.handler.close(name);
    else this.open.push(name);
    this.at = end + 1;
    return true;
  }
}
