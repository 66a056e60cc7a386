import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { FieldType } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { ColumnChunk, RowGroup, SchemaNode } from './footer.ts';
import { assemble, type LeafEntries, plainJson } from './nested.ts';
import { type Page, pagesOf } from './pages.ts';
import { type GiveValue, giver, needsExact, type ValueSink, valueNumber } from './values.ts';

/** Counts what did not fit. */
export interface Troubles {
  values: number;
}

/** Puts what a leaf gives into a builder. */
export class BuilderSink implements ValueSink {
  builder!: ColumnBuilder;
  private readonly troubles: Troubles;

  constructor(troubles: Troubles) {
    this.troubles = troubles;
  }

  number(value: number): void {
    const { type } = this.builder;
    if (type === 'text' || type === 'json' || type === 'bytes') this.builder.text(String(value));
    else this.builder.number(value);
  }

  text(value: string): void {
    const { type } = this.builder;
    if (type === 'text' || type === 'json' || type === 'bytes') this.builder.text(value);
    else this.unfit();
  }

  bytes(bytes: Uint8Array, start: number, end: number): void {
    const { type } = this.builder;
    if (type === 'text' || type === 'json' || type === 'bytes') this.builder.raw(bytes, start, end);
    else this.unfit();
  }

  unfit(): void {
    this.troubles.values++;
    this.builder.null();
  }
}

/** Gives the rows of one column of a row group, some at a time. */
export interface ColumnRows {
  /** Gives up to `count` rows, as long as `more` wants them; returns how many. */
  rows(count: number, sink: ValueSink, blank: () => void, more?: () => boolean): Promise<number>;
}

/** A leaf that stands at the top: an entry a row. */
class FlatRows implements ColumnRows {
  private readonly pages: AsyncIterator<Page>;
  private readonly leaf: SchemaNode;
  private readonly give: GiveValue;
  private page: Page | null = null;
  private entry = 0;
  private value = 0;

  constructor(source: ByteSource, chunk: ColumnChunk, leaf: SchemaNode, type: FieldType) {
    this.leaf = leaf;
    this.give = giver(leaf, type);
    this.pages = pagesOf(source, chunk, leaf, needsExact(leaf, type));
  }

  async rows(
    count: number,
    sink: ValueSink,
    blank: () => void,
    more: () => boolean = () => true,
  ): Promise<number> {
    let n = 0;
    while (n < count && more()) {
      if (this.page === null || this.entry === this.page.entries) {
        const next = await this.pages.next();
        if (next.done) return n;
        this.page = next.value;
        this.entry = 0;
        this.value = 0;
        continue;
      }
      const { page, give } = this;
      const { definition, values } = page;
      const full = this.leaf.definition;
      const end = Math.min(page.entries, this.entry + count - n);
      for (; this.entry < end && more(); this.entry++, n++) {
        if (definition !== null && definition[this.entry] < full) blank();
        else give(values, valueNumber(page, this.value++), sink);
      }
    }
    return n;
  }
}

/** A column of structures or lists: the leaves of a row group are read whole, and put together row by row as JSON. */
class NestedRows implements ColumnRows {
  private readonly source: ByteSource;
  private readonly group: RowGroup;
  private readonly node: SchemaNode;
  private made: Generator<unknown> | null = null;

  constructor(source: ByteSource, group: RowGroup, node: SchemaNode) {
    this.source = source;
    this.group = group;
    this.node = node;
  }

  private async entries(): Promise<Map<SchemaNode, LeafEntries>> {
    const found = new Map<SchemaNode, LeafEntries>();
    const visit = async (node: SchemaNode): Promise<void> => {
      for (const child of node.children) await visit(child);
      if (node.children.length > 0) return;
      const pages: Page[] = [];
      for await (const page of pagesOf(
        this.source,
        this.group.chunks.get(node.path)!,
        node,
        needsExact(node, 'json'),
      ))
        pages.push(page);
      found.set(node, { pages, give: giver(node, 'json') });
    };
    await visit(this.node);
    return found;
  }

  async rows(
    count: number,
    sink: ValueSink,
    blank: () => void,
    more: () => boolean = () => true,
  ): Promise<number> {
    this.made ??= assemble(this.node, await this.entries());
    let n = 0;
    while (n < count && more()) {
      const next = this.made.next();
      if (next.done) return n;
      if (next.value === null) blank();
      else sink.text(JSON.stringify(next.value, plainJson));
      n++;
    }
    return n;
  }
}

/** The rows of a column of a row group. */
export function columnRows(
  source: ByteSource,
  group: RowGroup,
  node: SchemaNode,
  type: FieldType,
): ColumnRows {
  return node.children.length === 0 && node.repetition !== 'repeated'
    ? new FlatRows(source, group.chunks.get(node.path)!, node, type)
    : new NestedRows(source, group, node);
}
