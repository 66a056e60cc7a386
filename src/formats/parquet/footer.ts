import { ThriftReader, type ThriftStruct } from './thrift.ts';

/** Physical types (parquet.thrift, enum Type). */
export const Physical = {
  Boolean: 0,
  Int32: 1,
  Int64: 2,
  Int96: 3,
  Float: 4,
  Double: 5,
  ByteArray: 6,
  Fixed: 7,
} as const;

/** What the values of a column mean, whichever of the two ways a file says it. */
export type Meaning =
  | { kind: 'plain' | 'text' | 'json' | 'date' | 'uuid' | 'half' | 'list' | 'map' }
  | { kind: 'unsigned' }
  | { kind: 'decimal'; scale: number }
  | { kind: 'timestamp'; perMillisecond: number };

/** An element of the schema with what is in it. */
export interface SchemaNode {
  name: string;
  repetition: 'required' | 'optional' | 'repeated';
  /** Physical type of a leaf. */
  type: number;
  /** Bytes of a value of fixed length. */
  length: number;
  meaning: Meaning;
  children: SchemaNode[];
  /** Names from the top, joined by dots, as column chunks name them. */
  path: string;
  /** Levels at which an instance of it is there (Dremel; Parquet format, “Nested encoding”). */
  definition: number;
  repeated: number;
}

export interface Statistics {
  least: Uint8Array | undefined;
  greatest: Uint8Array | undefined;
}

export interface ColumnChunk {
  path: string;
  codec: number;
  values: number;
  /** First byte, and how many. */
  at: number;
  size: number;
  statistics: Statistics;
}

export interface RowGroup {
  rows: number;
  chunks: Map<string, ColumnChunk>;
}

export interface Footer {
  top: SchemaNode[];
  rows: number;
  groups: RowGroup[];
  /** Texts that the writer put in besides. */
  texts: Map<string, string>;
}

/** Converted types (parquet.thrift, enum ConvertedType). */
function convertedMeaning(converted: number | undefined, scale: number): Meaning {
  switch (converted) {
    case 0:
    case 4:
      return { kind: 'text' };
    case 1:
    case 2:
      return { kind: 'map' };
    case 3:
      return { kind: 'list' };
    case 5:
      return { kind: 'decimal', scale };
    case 6:
      return { kind: 'date' };
    case 9:
      return { kind: 'timestamp', perMillisecond: 1 };
    case 10:
      return { kind: 'timestamp', perMillisecond: 1000 };
    case 11:
    case 12:
    case 13:
    case 14:
      return { kind: 'unsigned' };
    case 19:
      return { kind: 'json' };
    default:
      return { kind: 'plain' };
  }
}

/** Logical types (parquet.thrift, union LogicalType), which go before the older converted ones. */
function meaningOf(element: ThriftStruct): Meaning {
  const converted = convertedMeaning(element.number(6), element.number(7) ?? 0);
  const logical = element.struct(10);
  if (logical === undefined) return converted;
  const [field] = logical.fields.keys();
  const inner = logical.struct(field);
  switch (field) {
    case 1:
    case 4:
      return { kind: 'text' };
    case 2:
      return { kind: 'map' };
    case 3:
      return { kind: 'list' };
    case 5:
      return { kind: 'decimal', scale: inner?.number(1) ?? 0 };
    case 6:
      return { kind: 'date' };
    case 8: {
      const unit = inner?.struct(2);
      const [which] = unit?.fields.keys() ?? [];
      return { kind: 'timestamp', perMillisecond: which === 3 ? 1e6 : which === 2 ? 1000 : 1 };
    }
    case 10:
      return { kind: inner?.flag(2) === false ? 'unsigned' : 'plain' };
    case 12:
      return { kind: 'json' };
    case 14:
      return { kind: 'uuid' };
    case 15:
      return { kind: 'half' };
    default:
      return converted;
  }
}

const repetitions = ['required', 'optional', 'repeated'] as const;
const deepestSchema = 32;

/** The flat list of the schema, in which elements say how many follow as their children, as a tree. */
function treeOf(elements: readonly ThriftStruct[]): SchemaNode[] {
  let at = 1;
  const take = (parent: SchemaNode | null, depth: number): SchemaNode => {
    const element = elements[at++];
    if (element === undefined || depth > deepestSchema) throw new Error('the schema does not fit together');
    const repetition = repetitions[element.number(3) ?? 0] ?? 'required';
    const name = element.text(4) ?? '';
    const count = element.number(5) ?? 0;
    const node: SchemaNode = {
      name,
      repetition,
      type: element.number(1) ?? -1,
      length: element.number(2) ?? 0,
      meaning: meaningOf(element),
      children: [],
      path: parent === null ? name : `${parent.path}.${name}`,
      definition: (parent?.definition ?? 0) + (repetition === 'required' ? 0 : 1),
      repeated: (parent?.repeated ?? 0) + (repetition === 'repeated' ? 1 : 0),
    };
    if (count < 0 || count > elements.length) throw new Error('the schema does not fit together');
    for (let k = 0; k < count; k++) node.children.push(take(node, depth + 1));
    return node;
  };
  const top: SchemaNode[] = [];
  while (at < elements.length) top.push(take(null, 0));
  return top;
}

function chunkOf(chunk: ThriftStruct): ColumnChunk {
  const meta = chunk.struct(3);
  if (meta === undefined)
    throw new Error(
      chunk.struct(8) === undefined ? 'a column says not where it is' : 'its columns are encrypted',
    );
  const dictionary = meta.number(11);
  const data = meta.number(9) ?? -1;
  const statistics = meta.struct(12);
  return {
    path: meta.texts(3).join('.'),
    codec: meta.number(4) ?? 0,
    values: meta.number(5) ?? -1,
    at: dictionary !== undefined && dictionary > 0 ? Math.min(dictionary, data) : data,
    size: meta.number(7) ?? -1,
    statistics: {
      least: statistics?.bytes(6) ?? statistics?.bytes(2),
      greatest: statistics?.bytes(5) ?? statistics?.bytes(1),
    },
  };
}

/**
 * Reads the footer of a file (parquet.thrift, FileMetaData), and holds what it says against the size of the file.
 *
 * @throws Error when it does not fit together
 */
export function readFooter(bytes: Uint8Array, fileSize: number): Footer {
  const meta = new ThriftReader(bytes).struct();
  const top = treeOf(meta.structs(2));
  const leaves = new Map<string, SchemaNode>();
  const gather = (node: SchemaNode) => {
    if (node.children.length === 0) leaves.set(node.path, node);
    node.children.forEach(gather);
  };
  top.forEach(gather);
  let rows = 0;
  const groups = meta.structs(4).map((group): RowGroup => {
    const own = group.number(3) ?? -1;
    const chunks = new Map(group.structs(1).map((each) => [chunkOf(each).path, chunkOf(each)]));
    rows += own;
    for (const [path, leaf] of leaves) {
      const chunk = chunks.get(path);
      if (chunk === undefined) throw new Error(`the column ${path} is missing in a row group`);
      if (!(chunk.at >= 4 && chunk.size >= 0 && chunk.at + chunk.size <= fileSize))
        throw new Error('a column chunk lies outside the file');
      if (leaf.repeated === 0 ? chunk.values !== own : chunk.values < 0)
        throw new Error('a column has not as many values as its row group has rows');
      // A value takes a thousandth of a bit at the least, even where all are alike.
      if (!(own >= 0 && chunk.values <= 1e6 + 1e4 * chunk.size))
        throw new Error('a row group claims more rows than its bytes can hold');
    }
    return { rows: own, chunks };
  });
  const said = meta.number(3) ?? -1;
  if (rows !== said) throw new Error('the row groups do not add up to the number of rows');
  const texts = new Map(meta.structs(5).map((pair) => [pair.text(1) ?? '', pair.text(2) ?? '']));
  return { top, rows, groups, texts };
}
