import type { SchemaNode } from './footer.ts';
import type { Page } from './pages.ts';
import { type GiveValue, type ValueSink, valueNumber } from './values.ts';

/** All entries of a leaf in a row group. */
export interface LeafEntries {
  pages: readonly Page[];
  give: GiveValue;
}

/** Moves over the entries of a leaf. */
class Cursor {
  private readonly entries: LeafEntries;
  private readonly node: SchemaNode;
  private page = 0;
  private entry = 0;
  private value = 0;

  constructor(node: SchemaNode, entries: LeafEntries) {
    this.node = node;
    this.entries = entries;
    this.settle();
  }

  private settle(): void {
    while (this.page < this.entries.pages.length && this.entry >= this.entries.pages[this.page].entries) {
      this.page++;
      this.entry = 0;
      this.value = 0;
    }
  }

  get done(): boolean {
    return this.page >= this.entries.pages.length;
  }

  /** Up to which level the entry at hand is there. */
  get definition(): number {
    if (this.done) throw new Error('a column ends within a row');
    return this.entries.pages[this.page].definition?.[this.entry] ?? this.node.definition;
  }

  /** At which list it goes on; 0: it begins a row, or there is none. */
  get repetition(): number {
    return this.done ? 0 : (this.entries.pages[this.page].repetition?.[this.entry] ?? 0);
  }

  /** Takes the entry at hand: its value, or null. */
  take(): unknown {
    const page = this.entries.pages[this.page];
    let found: unknown = null;
    if (this.definition === this.node.definition) {
      const sink: ValueSink = {
        number: (value) => {
          found = value;
        },
        text: (value) => {
          found = value;
        },
        bytes: (bytes, start, end) => {
          found = bytes.subarray(start, end);
        },
        unfit: () => {},
      };
      this.entries.give(page.values, valueNumber(page, this.value++), sink);
      found = meant(this.node, found);
    }
    this.entry++;
    this.settle();
    return found;
  }
}

const decoder = new TextDecoder();

/** Inside JSON, truth values are such, and texts are no bytes; long numbers are numbers where they can be. */
function meant(node: SchemaNode, value: unknown): unknown {
  if (value instanceof Uint8Array) return decoder.decode(value);
  if (node.type === 0 && typeof value === 'number') return value === 1;
  if (node.type === 2 && typeof value === 'string' && Number.isSafeInteger(Number(value)))
    return Number(value);
  return value;
}

/** What JSON has no word for is none. */
export function plainJson(_: string, value: unknown): unknown {
  return typeof value === 'number' && !Number.isFinite(value) ? null : value;
}

/**
 * Puts the values of a column of structures or lists together, row by row, from the levels of its leaves (Dremel:
 * Melnik and others, “Dremel: Interactive Analysis of Web-Scale Datasets”, 2010, section 4.3).
 */
export function* assemble(
  node: SchemaNode,
  leaves: ReadonlyMap<SchemaNode, LeafEntries>,
): Generator<unknown> {
  const cursors = new Map([...leaves].map(([leaf, entries]) => [leaf, new Cursor(leaf, entries)]));
  const below = new Map<SchemaNode, Cursor[]>();
  const cursorsBelow = (each: SchemaNode): Cursor[] => {
    let found = below.get(each);
    if (found === undefined) {
      found = each.children.length === 0 ? [cursors.get(each)!] : each.children.flatMap(cursorsBelow);
      below.set(each, found);
    }
    return found;
  };
  const pass = (each: SchemaNode) => {
    for (const cursor of cursorsBelow(each)) cursor.take();
  };
  const instance = (each: SchemaNode): unknown =>
    each.children.length === 0
      ? cursors.get(each)!.take()
      : Object.fromEntries(each.children.map((child) => [child.name, read(child)]));
  const read = (each: SchemaNode): unknown => {
    const [first] = cursorsBelow(each);
    if (first === undefined) return null;
    if (each.repetition === 'repeated') {
      if (first.definition < each.definition) {
        pass(each);
        return [];
      }
      const list: unknown[] = [];
      do list.push(instance(each));
      while (first.repetition === each.repeated);
      return list;
    }
    if (first.definition < each.definition) {
      pass(each);
      return null;
    }
    return unwrapped(each, instance(each));
  };
  const [first] = cursorsBelow(node);
  while (first !== undefined && !first.done) yield read(node);
}

/** Lists and maps without the groups that only carry them (Parquet format, “Nested types”). */
function unwrapped(node: SchemaNode, value: unknown): unknown {
  const [carrier] = node.children;
  if (carrier?.repetition !== 'repeated' || node.children.length !== 1) return value;
  const items = (value as Record<string, unknown>)[carrier.name];
  if (!Array.isArray(items)) return value;
  if (node.meaning.kind === 'list')
    return carrier.children.length === 1
      ? items.map((item) => (item as Record<string, unknown>)[carrier.children[0].name])
      : items;
  if (node.meaning.kind === 'map' && carrier.children.length === 2) {
    const [key, held] = carrier.children;
    return Object.fromEntries(
      items.map((item) => {
        const pair = item as Record<string, unknown>;
        return [String(pair[key.name]), pair[held.name]];
      }),
    );
  }
  return value;
}
