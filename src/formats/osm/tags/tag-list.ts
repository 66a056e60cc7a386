import type { ColumnBuilder } from '../../../core/table/column-builder.ts';
import type { Texts } from '../reading/primitives.ts';
import { isSilent, makesArea } from './conventions.ts';

const encoder = new TextEncoder();

/** What is known of the texts of one block, worked out once for each of them. */
class KnownTexts {
  /** 1: a key that says nothing of the thing; 2: one that does; 0: not asked yet. */
  readonly silent: Uint8Array;
  /** As in JSON, with quotes, in UTF-8. */
  readonly quoted: (Uint8Array | undefined)[] = [];
  /** By numbers of key and value: does the tag make a closed way an area? */
  readonly areas = new Map<number, boolean>();

  constructor(count: number) {
    this.silent = new Uint8Array(count);
  }
}

const known = new WeakMap<Texts, KnownTexts>();

function knownTexts(texts: Texts): KnownTexts {
  let found = known.get(texts);
  if (found === undefined || found.silent.length < texts.count) {
    found = new KnownTexts(texts.count);
    known.set(texts, found);
  }
  return found;
}

/** The tags of one object: a view that moves from object to object. */
export class TagList {
  texts!: Texts;
  tags!: Uint32Array;
  from = 0;
  to = 0;
  private known!: KnownTexts;
  /** The JSON that is being written. */
  private json = new Uint8Array(1024);

  /** Goes to a block; `at` then chooses an object of it. */
  of(texts: Texts, tags: Uint32Array): this {
    this.known = knownTexts(texts);
    this.texts = texts;
    this.tags = tags;
    return this;
  }

  at(from: number, to: number): this {
    this.from = from;
    this.to = to;
    return this;
  }

  get(key: string): string | undefined {
    for (let k = this.from; k < this.to; k += 2)
      if (this.texts.text(this.tags[k]) === key) return this.texts.text(this.tags[k + 1]);
    return undefined;
  }

  /** Is there a tag that says something of the thing itself? */
  get speaks(): boolean {
    const { silent } = this.known;
    for (let k = this.from; k < this.to; k += 2) {
      const index = this.tags[k];
      if (silent[index] === 0) silent[index] = isSilent(this.texts.text(index)) ? 1 : 2;
      if (silent[index] === 2) return true;
    }
    return false;
  }

  /** Would a closed way with these tags be an area? */
  get makesArea(): boolean {
    const told = this.get('area');
    if (told === 'yes') return true;
    if (told === 'no') return false;
    const { areas } = this.known;
    for (let k = this.from; k < this.to; k += 2) {
      const pair = this.tags[k] * 4294967296 + this.tags[k + 1];
      let area = areas.get(pair);
      if (area === undefined) {
        area = makesArea(this.texts.text(this.tags[k]), this.texts.text(this.tags[k + 1]));
        areas.set(pair, area);
      }
      if (area) return true;
    }
    return false;
  }

  private quotedAt(index: number): Uint8Array {
    let quoted = this.known.quoted[index];
    if (quoted === undefined) {
      quoted = encoder.encode(JSON.stringify(this.texts.text(index)));
      this.known.quoted[index] = quoted;
    }
    return quoted;
  }

  /** Puts the tags as a JSON object into a column, but those whose place in the list is marked in `without`. */
  putJson(column: ColumnBuilder, without: Uint8Array): void {
    let at = 0;
    this.json[at++] = 123;
    for (let k = this.from; k < this.to; k += 2) {
      if (without[(k - this.from) >> 1] === 1) continue;
      const key = this.quotedAt(this.tags[k]);
      const value = this.quotedAt(this.tags[k + 1]);
      const json = this.room(at + key.length + value.length + 4);
      if (at > 1) json[at++] = 44;
      for (let i = 0; i < key.length; i++) json[at++] = key[i];
      json[at++] = 58;
      for (let i = 0; i < value.length; i++) json[at++] = value[i];
    }
    this.json[at++] = 125;
    column.raw(this.json, 0, at);
  }

  /** The JSON with room for so many bytes. */
  private room(needed: number): Uint8Array {
    if (needed > this.json.length) {
      const larger = new Uint8Array(2 * needed);
      larger.set(this.json);
      this.json = larger;
    }
    return this.json;
  }

  *pairs(): Generator<[key: string, value: string]> {
    for (let k = this.from; k < this.to; k += 2)
      yield [this.texts.text(this.tags[k]), this.texts.text(this.tags[k + 1])];
  }
}

/** Texts that are added one by one. */
export class KeptTexts implements Texts {
  private readonly numbers = new Map<string, number>([['', 0]]);
  private readonly list: string[] = [''];

  get count(): number {
    return this.list.length;
  }

  text(index: number): string {
    return this.list[index] ?? '';
  }

  put(index: number, column: ColumnBuilder): void {
    column.text(this.text(index));
  }

  number(text: string): number {
    let number = this.numbers.get(text);
    if (number === undefined) {
      number = this.list.length;
      this.list.push(text);
      this.numbers.set(text, number);
    }
    return number;
  }
}
