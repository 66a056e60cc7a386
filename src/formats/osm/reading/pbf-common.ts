import { IsomericError } from '../../../core/errors.ts';
import { Growing } from '../../../core/growing.ts';
import { historyRefused } from './blobs.ts';
import type { BlockTexts } from './block-texts.ts';
import { type ObjectInfo, onceEach } from './primitives.ts';
import { MessageReader } from './protobuf.ts';

/** What all groups of a block share (osmformat.proto, PrimitiveBlock). */
export interface Frame {
  name: string;
  texts: BlockTexts;
  granularity: number;
  dateGranularity: number;
  latOffset: number;
  lonOffset: number;
}

/** Where messages lie in the bytes of a block, without an object for each. */
export class Places {
  private readonly list = new Growing(new Uint32Array(256));

  /** The message in the field that the reader came to. */
  add(reader: MessageReader): void {
    const end = reader.delimited();
    this.list.push(reader.at);
    this.list.push(end);
    reader.at = end;
  }

  none(): void {
    this.list.push(0);
    this.list.push(0);
  }

  get length(): number {
    return this.list.length / 2;
  }

  start(i: number): number {
    return this.list.at(2 * i);
  }

  end(i: number): number {
    return this.list.at(2 * i + 1);
  }
}

export function uneven(frame: Frame, what: string): IsomericError {
  return new IsomericError('osm-damaged', `A block has unlike numbers of ${what}.`, {
    place: { file: frame.name },
    advice: 'The file is damaged: get it again.',
  });
}

export function blankInfo(n: number): ObjectInfo {
  return {
    version: new Int32Array(n),
    time: new Float64Array(n).fill(Number.NaN),
    changeset: new Float64Array(n),
    editorId: new Float64Array(n),
    editor: new Uint32Array(n),
  };
}

/** Info messages of plain objects (osmformat.proto, Info). */
function plainInfo(places: Places, reader: MessageReader, frame: Frame): ObjectInfo {
  const n = places.length;
  const info = blankInfo(n);
  const own = new MessageReader(reader.bytes);
  for (let i = 0; i < n; i++) {
    own.move(places.start(i), places.end(i));
    while (own.next()) {
      if (own.field === 1) info.version[i] = Math.max(0, own.unsigned());
      else if (own.field === 2) info.time[i] = own.unsigned() * frame.dateGranularity;
      else if (own.field === 3) info.changeset[i] = own.unsigned();
      else if (own.field === 4) info.editorId[i] = own.unsigned();
      else if (own.field === 5) info.editor[i] = own.unsigned();
      else own.skip();
    }
  }
  return info;
}

/** Gathers what plain objects of one group have in common: ids, tags, infos. */
export class Common {
  readonly ids: Float64Array;
  readonly tagStart: Uint32Array;
  private tags: Uint32Array;
  private readonly infos = new Places();
  private readonly frame: Frame;
  private readonly reader: MessageReader;
  /** For what lies inside the message that is read. */
  private readonly inner: MessageReader;

  constructor(n: number, reader: MessageReader, frame: Frame) {
    this.ids = new Float64Array(n);
    this.tagStart = new Uint32Array(n + 1);
    this.tags = new Uint32Array(Math.max(64, 8 * n));
    this.reader = reader;
    this.inner = new MessageReader(reader.bytes);
    this.frame = frame;
  }

  begin(i: number): void {
    this.tagStart[i + 1] = this.tagStart[i];
  }

  end(i: number): void {
    if (this.infos.length <= i) this.infos.none();
  }

  /** Takes a field that all objects have; false when it is none. */
  takes(i: number, field: number): boolean {
    if (field === 2) this.keys(i);
    else if (field === 3) this.values(i);
    else if (field === 4) this.info();
    else return false;
    return true;
  }

  /** Keys and values stand beside each other in two packed lists. */
  private keys(i: number): void {
    const { reader } = this;
    const start = this.tagStart[i];
    // Each takes a byte at least, and so does the length before them.
    const most = start + 2 * (reader.end - reader.at);
    if (most > this.tags.length) {
      const larger = new Uint32Array(2 * most);
      larger.set(this.tags);
      this.tags = larger;
    }
    this.tagStart[i + 1] = start + 2 * reader.numbers(this.tags, start, 2);
  }

  private values(i: number): void {
    const start = this.tagStart[i];
    const room = this.tagStart[i + 1] - start;
    if (2 * this.reader.numbers(this.tags, start + 1, 2) !== room)
      throw uneven(this.frame, 'keys and values');
  }

  private info(): void {
    this.infos.add(this.reader);
    const k = this.infos.length - 1;
    const own = this.inner.move(this.infos.start(k), this.infos.end(k));
    while (own.next()) {
      if (own.field !== 6) own.skip();
      else if (own.unsigned() === 0) throw historyRefused(this.frame.name);
    }
  }

  parts() {
    this.frame.texts.check(this.tags, this.tagStart[this.tagStart.length - 1]);
    return {
      length: this.ids.length,
      ids: this.ids,
      tagStart: this.tagStart,
      tags: this.tags,
      texts: this.frame.texts,
      info: onceEach(() => plainInfo(this.infos, this.reader, this.frame)),
    };
  }
}
