import { dictionary } from '../../../core/dictionary.ts';
import { IsomericError } from '../../../core/errors.ts';
import { Growing } from '../../../core/growing.ts';
import type { ByteSource } from '../../bytes/byte-source.ts';
import { rootElement, xmlEncoding } from '../../xml/encoding.ts';
import { rootTag, withoutComments } from '../../xml/markup.ts';
import { type Attributes, readXml, type XmlHandler } from '../../xml/read-xml.ts';
import { KeptTexts } from '../tags/tag-list.ts';
import { changeRefused, historyRefused } from './blobs.ts';
import {
  type ExtractHeader,
  type MapExtract,
  type ObjectInfo,
  onceEach,
  type PrimitiveBlock,
  type WantedKinds,
} from './primitives.ts';

/** Objects in one block. */
const blockLimit = 8192;
const kindOfElement: Readonly<Record<string, number>> = dictionary({ node: 0, way: 1, relation: 2 });

/** Nanodegrees of a position's text; NaN when it is none. */
function nanodegrees(text: string | undefined, most: number): number {
  const value = text === undefined || text === '' ? Number.NaN : Number(text);
  return Math.abs(value) <= most ? Math.round(value * 1e9) : Number.NaN;
}

/** Gathers elements into blocks of one kind each. */
class BlockMaker implements XmlHandler {
  private readonly name: string;
  private readonly wanted: readonly boolean[];
  readonly textless = true;
  readonly ready: PrimitiveBlock[] = [];
  readonly header: ExtractHeader = { sorted: false };
  private kind = -1;
  /** True inside an element of a kind that is wanted. */
  private inside = false;
  private texts = new KeptTexts();
  private ids = new Growing(new Float64Array(blockLimit));
  private tagStart = new Growing(new Uint32Array(blockLimit + 1));
  private tags = new Growing(new Uint32Array(4096));
  private lon = new Growing(new Float64Array(blockLimit));
  private lat = new Growing(new Float64Array(blockLimit));
  private itemStart = new Growing(new Uint32Array(blockLimit + 1));
  private refs = new Growing(new Float64Array(blockLimit));
  private memberKind = new Growing(new Uint8Array(256));
  private memberRole = new Growing(new Uint32Array(256));
  /** What tells of the making, of objects with tags: the others become no features. */
  private infos: (Attributes | null)[] = [];
  private made: Attributes = {};
  private lastId = Number.NaN;
  private lastKind = -1;

  constructor(name: string, wanted: WantedKinds) {
    this.name = name;
    this.wanted = [wanted.nodes, wanted.ways, wanted.relations];
  }

  open(name: string, a: Attributes): void {
    if (this.inside) {
      this.child(name, a);
      return;
    }
    const kind = kindOfElement[name];
    if (kind === undefined) {
      if (name === 'bounds') this.bounds(a);
      else if (name === 'create' || name === 'modify' || name === 'delete' || name === 'action')
        throw changeRefused(this.name);
      else if (name === 'osm') {
        if (a.generator !== undefined) this.header.writer = a.generator;
        if (a.timestamp !== undefined) this.header.time = a.timestamp;
      } else if (name === 'meta' && a.osm_base !== undefined) this.header.time = a.osm_base;
      return;
    }
    if (!this.wanted[kind]) return;
    this.object(kind, a);
  }

  private bounds(a: Attributes): void {
    const sides = [a.minlon, a.minlat, a.maxlon, a.maxlat].map(Number);
    if (sides.every(Number.isFinite)) this.header.box = sides as [number, number, number, number];
  }

  private object(kind: number, a: Attributes): void {
    if (a.visible === 'false') throw historyRefused(this.name);
    const id = Number(a.id);
    if (a.id === undefined || !Number.isSafeInteger(id)) {
      throw new IsomericError(
        'osm-damaged',
        `An object has the id “${a.id ?? ''}”, which is no whole number.`,
        {
          place: { file: this.name },
          advice: 'The file is damaged: get it again.',
        },
      );
    }
    if (id === this.lastId && kind === this.lastKind) throw historyRefused(this.name);
    this.lastId = id;
    this.lastKind = kind;
    if (kind !== this.kind || this.ids.length >= blockLimit) {
      this.close();
      this.kind = kind;
      this.tagStart.push(0);
      this.itemStart.push(0);
    }
    this.inside = true;
    this.ids.push(id);
    if (kind === 0) {
      this.lon.push(nanodegrees(a.lon, 360));
      this.lat.push(nanodegrees(a.lat, 90));
    }
    this.made = a;
  }

  private child(name: string, a: Attributes): void {
    if (name === 'tag') {
      this.tags.push(this.texts.number(a.k ?? ''));
      this.tags.push(this.texts.number(a.v ?? ''));
    } else if (name === 'nd' && this.kind === 1) this.refs.push(Number(a.ref));
    else if (name === 'member' && this.kind === 2) {
      const kind = kindOfElement[a.type ?? ''];
      if (kind === undefined) return;
      this.refs.push(Number(a.ref));
      this.memberKind.push(kind);
      this.memberRole.push(this.texts.number(a.role ?? ''));
    }
  }

  close(name?: string): void {
    if (name !== undefined) {
      if (!this.inside || kindOfElement[name] !== this.kind) return;
      this.inside = false;
      const tagged = this.tags.length > this.tagStart.at(this.tagStart.length - 1);
      this.infos.push(tagged ? this.made : null);
      if (tagged && this.made.user !== undefined) this.texts.number(this.made.user);
      this.tagStart.push(this.tags.length);
      this.itemStart.push(this.refs.length);
      return;
    }
    if (this.ids.length > 0) this.ready.push(this.block());
  }

  private block(): PrimitiveBlock {
    const { infos, texts } = this;
    const common = {
      length: this.ids.length,
      ids: this.ids.copy(),
      tagStart: this.tagStart.copy(),
      tags: this.tags.copy(),
      texts: this.texts,
      info: onceEach(() => infoOf(infos, texts)),
    };
    const block: PrimitiveBlock =
      this.kind === 0
        ? { kind: 0, ...common, lon: this.lon.copy(), lat: this.lat.copy(), unit: 1e9 }
        : this.kind === 1
          ? { kind: 1, ...common, refStart: this.itemStart.copy(), refs: this.refs.copy(), places: null }
          : {
              kind: 2,
              ...common,
              memberStart: this.itemStart.copy(),
              memberId: this.refs.copy(),
              memberKind: this.memberKind.copy(),
              memberRole: this.memberRole.copy(),
            };
    for (const list of [this.ids, this.tagStart, this.tags, this.lon, this.lat, this.itemStart, this.refs])
      list.clear();
    this.memberKind.clear();
    this.memberRole.clear();
    this.infos = [];
    this.texts = new KeptTexts();
    return block;
  }
}

function infoOf(infos: readonly (Attributes | null)[], texts: KeptTexts): ObjectInfo {
  const n = infos.length;
  const info: ObjectInfo = {
    version: new Int32Array(n),
    time: new Float64Array(n).fill(Number.NaN),
    changeset: new Float64Array(n),
    editorId: new Float64Array(n),
    editor: new Uint32Array(n),
  };
  infos.forEach((a, i) => {
    if (a === null) return;
    info.version[i] = Number(a.version) || 0;
    if (a.timestamp !== undefined) info.time[i] = Date.parse(a.timestamp);
    info.changeset[i] = Number(a.changeset) || 0;
    info.editorId[i] = Number(a.uid) || 0;
    if (a.user !== undefined) info.editor[i] = texts.number(a.user);
  });
  return info;
}

/** What the bytes of a document say of its order, without parsing. */
interface Survey {
  /** Byte at which the first relation begins; −1 when there is none. */
  relationsAt: number;
  nodesFirst: boolean;
}

/** Beginnings of elements, told apart by two letters: `<no`, `<wa`, `<re`. */
const letters = { n: 110, o: 111, w: 119, a: 97, r: 114, e: 101 };

async function surveyOf(source: ByteSource): Promise<Survey> {
  const survey: Survey = { relationsAt: -1, nodesFirst: true };
  let waysSeen = false;
  let inComment = false;
  let before = 0;
  let tail = new Uint8Array(0);
  for await (const chunk of source.stream()) {
    const bytes = tail.length === 0 ? chunk : new Uint8Array(tail.length + chunk.length);
    if (bytes !== chunk) {
      bytes.set(tail);
      bytes.set(chunk, tail.length);
    }
    let at = 0;
    for (;;) {
      if (inComment) {
        const end = commentEnd(bytes, at);
        // What may be the beginning of an end is looked at with the next chunk.
        at = end < 0 ? Math.max(at, bytes.length - 2) : end;
        if (end < 0) break;
        inComment = false;
      }
      at = bytes.indexOf(60, at);
      if (at < 0 || at + 3 >= bytes.length) break;
      const one = bytes[at + 1];
      const two = bytes[at + 2];
      if (one === letters.n && two === letters.o) {
        // “<note>” stands in the head of some extracts, before any way.
        if (waysSeen) survey.nodesFirst = false;
      } else if (one === letters.w && two === letters.a) waysSeen = true;
      else if (one === letters.r && two === letters.e && survey.relationsAt < 0)
        survey.relationsAt = before + at;
      inComment = one === 33 && two === 45 && bytes[at + 3] === 45;
      at += inComment ? 4 : 1;
    }
    // A beginning that is cut by the end of the chunk is looked at with the next one.
    const rest = at < 0 ? bytes.length : at;
    before += rest;
    tail = bytes.slice(rest);
  }
  return survey;
}

/** Byte behind the next `-->`; −1 when there is none. */
function commentEnd(bytes: Uint8Array, from: number): number {
  for (let at = bytes.indexOf(62, from); at >= 0; at = bytes.indexOf(62, at + 1))
    if (at - 2 >= from && bytes[at - 1] === 45 && bytes[at - 2] === 45) return at + 1;
  return -1;
}

/** The document from a byte on, with a root before it, so that it stays one. */
function tailOf(source: ByteSource, from: number): ByteSource {
  const root = new TextEncoder().encode('<osm>');
  return {
    ...source,
    bytes: async (start, end) => root.subarray(start, end),
    async *stream() {
      yield root;
      let before = 0;
      for await (const chunk of source.stream()) {
        if (before + chunk.length > from) yield chunk.subarray(Math.max(0, from - before));
        before += chunk.length;
      }
    },
  };
}

/** Reads the elements of a document as blocks; `start`: a byte that is known to be before all wanted ones. */
async function* blocksOf(source: ByteSource, maker: BlockMaker): AsyncGenerator<PrimitiveBlock> {
  yield* readXml(source, maker, () => maker.ready.splice(0));
  maker.close();
  yield* maker.ready.splice(0);
}

/**
 * An extract as OSM XML (API 0.6). When only relations are wanted, the bytes before the first one are searched, not
 * parsed.
 */
export async function openOsmXml(source: ByteSource): Promise<MapExtract> {
  const head = await source.bytes(0, 65_536);
  const root = rootElement(head);
  if (root?.name !== 'osm') throw changeRefused(source.name);
  const header = await headerOf(source, head);
  let survey: Promise<Survey> | null = null;
  const surveyed = () => {
    survey ??= surveyOf(source);
    return survey;
  };
  return {
    name: source.name,
    header,
    async *blocks(wanted) {
      let from = source;
      if (!wanted.nodes && !wanted.ways && xmlEncoding(head) === 'utf-8') {
        const { relationsAt } = await surveyed();
        if (relationsAt < 0) return;
        from = tailOf(source, relationsAt);
      }
      yield* blocksOf(from, new BlockMaker(source.name, wanted));
    },
    nodesFirst: async () => (await surveyed()).nodesFirst,
  };
}

/** What stands before the first object. */
async function headerOf(source: ByteSource, head: Uint8Array): Promise<ExtractHeader> {
  const maker = new BlockMaker(source.name, { nodes: false, ways: false, relations: false });
  const text = withoutComments(new TextDecoder().decode(head));
  const end = text.search(/<(node|way|relation)[\s>]/);
  // Only whole tags: what is cut off after them is closed by a root end of our own.
  const start = end < 0 ? text.slice(0, text.lastIndexOf('>') + 1) : text.slice(0, end);
  if (!/<osm[\s>]/.test(start) || rootTag(start)?.closed === true || /<\/osm>/.test(start))
    return maker.header;
  const bytes = new TextEncoder().encode(`${start}</osm>`);
  const small: ByteSource = {
    name: source.name,
    size: bytes.length,
    bytes: async (a, b) => bytes.subarray(a, b),
    async *stream() {
      yield bytes;
    },
  };
  try {
    for await (const _ of readXml(small, maker, () => []));
  } catch (error) {
    // What is wrong with the document is told when it is read for good.
    if (error instanceof IsomericError && error.code === 'xml-damaged') return maker.header;
    throw error;
  }
  return maker.header;
}
