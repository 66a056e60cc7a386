import type { ColumnBuilder } from '../../../core/table/column-builder.ts';

/** The three kinds of objects of a map extract, as numbers in hot paths and in this order. */
export const objectKinds = ['node', 'way', 'relation'] as const;
export type ObjectKind = (typeof objectKinds)[number];
export const ObjectNumber = { Node: 0, Way: 1, Relation: 2 } as const;

/** Texts of one block: keys, values, roles, names of editors, by number. Number 0 is the blank text. */
export interface Texts {
  readonly count: number;
  text(index: number): string;
  /** Adds a text to a column, without making a string of it where it lies in bytes. */
  put(index: number, column: ColumnBuilder): void;
}

/** Who made the objects of a block, and when. */
export interface ObjectInfo {
  /** 0 where it is not told. */
  version: Int32Array;
  /** Milliseconds since 1970-01-01T00:00Z; NaN where it is not told. */
  time: Float64Array;
  changeset: Float64Array;
  editorId: Float64Array;
  /** Text number of the editor's name; 0 where it is not told. */
  editor: Uint32Array;
}

interface CommonBlock {
  length: number;
  /** In the order of the file. */
  ids: Float64Array;
  /** Tags of object i: `tags[tagStart[i] … tagStart[i + 1]]`, text numbers of key and value in turn. */
  tagStart: Uint32Array;
  tags: Uint32Array;
  texts: Texts;
  /** @param editors with change sets and editors; without, those stay blank */
  info(editors: boolean): ObjectInfo;
}

/** Positions in whole units: `unit` of them make a degree (10⁷ in Int32Array, 10⁹ in Float64Array). */
export interface Positions {
  lon: Int32Array | Float64Array;
  lat: Int32Array | Float64Array;
  unit: number;
}

/** Up to some thousand nodes, in buffers that are valid until the next block is asked for. */
export interface NodeBlock extends CommonBlock, Positions {
  kind: 0;
}

export interface WayBlock extends CommonBlock {
  kind: 1;
  /** Nodes of way i: `refs[refStart[i] … refStart[i + 1]]`. */
  refStart: Uint32Array;
  refs: Float64Array;
  /** Positions of the nodes, in extracts that give them with the ways. */
  places: Positions | null;
}

export interface RelationBlock extends CommonBlock {
  kind: 2;
  memberStart: Uint32Array;
  memberKind: Uint8Array;
  memberId: Float64Array;
  /** Text numbers. */
  memberRole: Uint32Array;
}

export type PrimitiveBlock = NodeBlock | WayBlock | RelationBlock;

/** What an extract says of itself. */
export interface ExtractHeader {
  writer?: string;
  source?: string;
  /** State of the data, ISO 8601. */
  time?: string;
  /** [west, south, east, north] in degrees. */
  box?: [number, number, number, number];
  /** True when it promises nodes, then ways, then relations, each by rising id. */
  sorted: boolean;
}

/** Kinds that a reading is about. */
export interface WantedKinds {
  nodes: boolean;
  ways: boolean;
  relations: boolean;
}

/** An extract that can be gone through as often as needed. */
export interface MapExtract {
  readonly name: string;
  readonly header: ExtractHeader;
  /** Blocks in the order of the file; what is not wanted is passed over as cheaply as the format allows. */
  blocks(wanted: WantedKinds): AsyncIterable<PrimitiveBlock>;
  /** Does every node come before the first way, so that ways can be placed as they come? */
  nodesFirst(): Promise<boolean>;
}

/** `way/123` */
export function objectName(kind: number, id: number): string {
  return `${objectKinds[kind]}/${id}`;
}

/** Works something out once for each of the two ways of asking. */
export function onceEach(make: (editors: boolean) => ObjectInfo): (editors: boolean) => ObjectInfo {
  const made: (ObjectInfo | undefined)[] = [];
  return (editors) => {
    made[Number(editors)] ??= make(editors);
    return made[Number(editors)]!;
  };
}
