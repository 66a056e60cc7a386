import { Growing } from '../../../core/growing.ts';
import type { Scratch } from '../../writing/target.ts';
import type { ObjectInfo } from '../reading/primitives.ts';
import { KeptTexts, type TagList } from '../tags/tag-list.ts';

/** A way that waits for the relations it is a member of. */
export interface HeldWay {
  nodes: Float64Array;
  /** Longitude and latitude in turn; NaN where the node is not in the extract. */
  xy: Float64Array;
}

/** Ways that relations need, until all have come: nodes and positions in the scratch, the rest in flat lists. */
export class HeldWays {
  /** Ids of the ways that are wanted, sorted, each once. */
  private readonly wanted: Float64Array;
  /** Number of way k of `wanted` in the lists, or −1 while it has not come. */
  private readonly place: Int32Array;
  private readonly scratch: Scratch;
  private readonly ids = new Growing(new Float64Array(64));
  private readonly at = new Growing(new Float64Array(64));
  private readonly nodes = new Growing(new Uint32Array(64));
  private readonly tagStart = new Growing(new Uint32Array(64));
  private readonly tags = new Growing(new Uint32Array(256));
  readonly texts = new KeptTexts();
  private readonly version = new Growing(new Int32Array(64));
  private readonly time = new Growing(new Float64Array(64));
  private readonly changeset = new Growing(new Float64Array(64));
  private readonly editorId = new Growing(new Float64Array(64));
  private readonly editor = new Growing(new Uint32Array(64));

  constructor(ids: Float64Array, scratch: Scratch) {
    const sorted = ids.slice().sort();
    let n = 0;
    for (let i = 0; i < sorted.length; i++)
      if (i === 0 || sorted[i] !== sorted[i - 1]) sorted[n++] = sorted[i];
    this.wanted = sorted.slice(0, n);
    this.place = new Int32Array(n).fill(-1);
    this.scratch = scratch;
    this.tagStart.push(0);
  }

  get length(): number {
    return this.ids.length;
  }

  private find(id: number): number {
    const { wanted } = this;
    let low = 0;
    let high = wanted.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (wanted[middle] < id) low = middle + 1;
      else high = middle;
    }
    return wanted[low] === id ? low : -1;
  }

  wants(id: number): boolean {
    return this.wanted.length > 0 && this.find(id) >= 0;
  }

  add(id: number, nodes: Float64Array, xy: Float64Array, tags: TagList, info: ObjectInfo, i: number): void {
    const bytes = (array: Float64Array) => new Uint8Array(array.buffer, array.byteOffset, array.byteLength);
    this.place[this.find(id)] = this.ids.length;
    this.ids.push(id);
    this.at.push(this.scratch.append(bytes(nodes)));
    this.scratch.append(bytes(xy));
    this.nodes.push(nodes.length);
    for (const [key, value] of tags.pairs()) {
      this.tags.push(this.texts.number(key));
      this.tags.push(this.texts.number(value));
    }
    this.tagStart.push(this.tags.length);
    this.version.push(info.version[i]);
    this.time.push(info.time[i]);
    this.changeset.push(info.changeset[i]);
    this.editorId.push(info.editorId[i]);
    this.editor.push(this.texts.number(tags.texts.text(info.editor[i])));
  }

  /** Number of a way in the order in which they came; −1 when it is not in the extract. */
  number(id: number): number {
    const k = this.find(id);
    return k < 0 ? -1 : this.place[k];
  }

  id(number: number): number {
    return this.ids.at(number);
  }

  way(number: number): HeldWay {
    const n = this.nodes.at(number);
    const at = this.at.at(number);
    const { buffer } = this.scratch.read(at, at + 24 * n).slice();
    return { nodes: new Float64Array(buffer, 0, n), xy: new Float64Array(buffer, 8 * n, 2 * n) };
  }

  /** Moves the list to the tags of a way. */
  tagsOf(number: number, list: TagList): TagList {
    return list.of(this.texts, this.tags.view()).at(this.tagStart.at(number), this.tagStart.at(number + 1));
  }

  info(): ObjectInfo {
    return {
      version: this.version.view(),
      time: this.time.view(),
      changeset: this.changeset.view(),
      editorId: this.editorId.view(),
      editor: this.editor.view(),
    };
  }
}
