import { zlibSync } from 'fflate';
import { PbfWriter } from 'pbf';
import type { ExtractNode, ExtractObject, ExtractObjects, ExtractRelation, ExtractWay } from './objects.ts';

export interface PbfOptions {
  /** Nodes one by one instead of densely. */
  plainNodes?: boolean;
  /** Blobs as they are, not packed. */
  raw?: boolean;
  /** Nanodegrees of a unit, and offsets in nanodegrees. */
  granularity?: number;
  latOffset?: number;
  lonOffset?: number;
  /** Objects in one block. */
  blockLimit?: number;
  required?: string[];
  optional?: string[];
  level?: 0 | 1 | 6 | 9;
  /** Another zlib than the one that gives the same bytes on every machine. */
  pack?: (content: Uint8Array) => Uint8Array;
  writer?: string;
  /** Positions of nodes also with the ways. */
  locations?: boolean;
}

/** Texts of one block; number 0 is the blank one. */
export class TextTable {
  readonly list = [''];
  private readonly numbers = new Map<string, number>([['', 0]]);

  number(text: string): number {
    let number = this.numbers.get(text);
    if (number === undefined) {
      number = this.list.push(text) - 1;
      this.numbers.set(text, number);
    }
    return number;
  }

  /** As the message StringTable. */
  bytes(): Uint8Array {
    const encoder = new TextEncoder();
    return message((pbf) => {
      for (const text of this.list) pbf.writeBytesField(1, encoder.encode(text));
    });
  }
}

export const differences = (values: ArrayLike<number>) =>
  Array.from(values, (value, i) => value - (i === 0 ? 0 : values[i - 1]));

/** Length-delimited bytes as a field, in the way of this package. */
export function message(write: (pbf: PbfWriter) => void): Uint8Array {
  const pbf = new PbfWriter();
  write(pbf);
  return pbf.finish().slice();
}

function infoMessage(object: ExtractObject, texts: TextTable): Uint8Array {
  return message((pbf) => {
    if (object.version !== undefined) pbf.writeVarintField(1, object.version);
    if (object.time !== undefined) pbf.writeVarintField(2, Math.round(object.time / 1000));
    if (object.changeset !== undefined) pbf.writeVarintField(3, object.changeset);
    if (object.editorId !== undefined) pbf.writeVarintField(4, object.editorId);
    if (object.editor !== undefined) pbf.writeVarintField(5, texts.number(object.editor));
  });
}

function writeTags(pbf: PbfWriter, object: ExtractObject, texts: TextTable): void {
  const tags = Object.entries(object.tags ?? {});
  if (tags.length === 0) return;
  pbf.writePackedVarint(
    2,
    tags.map(([key]) => texts.number(key)),
  );
  pbf.writePackedVarint(
    3,
    tags.map(([, value]) => texts.number(value)),
  );
}

class BlockWriter {
  private readonly options: Required<Pick<PbfOptions, 'granularity' | 'latOffset' | 'lonOffset'>> &
    PbfOptions;

  constructor(options: PbfOptions) {
    this.options = { granularity: 100, latOffset: 0, lonOffset: 0, ...options };
  }

  private raw(degrees: number, offset: number): number {
    return Math.round((Math.round(degrees * 1e9) - offset) / this.options.granularity);
  }

  /** A block of one group: field number of its members, and how each is written. */
  block(group: (pbf: PbfWriter, texts: TextTable) => void): Uint8Array {
    const { granularity, latOffset, lonOffset } = this.options;
    const texts = new TextTable();
    const groupBytes = message((pbf) => group(pbf, texts));
    const table = texts.bytes();
    return message((pbf) => {
      pbf.writeBytesField(1, table);
      pbf.writeBytesField(2, groupBytes);
      if (granularity !== 100) pbf.writeVarintField(17, granularity);
      if (latOffset !== 0) pbf.writeVarintField(19, latOffset);
      if (lonOffset !== 0) pbf.writeVarintField(20, lonOffset);
    });
  }

  nodes(nodes: readonly ExtractNode[]): Uint8Array {
    const { latOffset, lonOffset, plainNodes } = this.options;
    return this.block((group, texts) => {
      if (plainNodes === true) {
        for (const node of nodes)
          group.writeBytesField(
            1,
            message((pbf) => {
              pbf.writeSVarintField(1, node.id);
              writeTags(pbf, node, texts);
              pbf.writeBytesField(4, infoMessage(node, texts));
              pbf.writeSVarintField(8, this.raw(node.lat, latOffset));
              pbf.writeSVarintField(9, this.raw(node.lon, lonOffset));
            }),
          );
        return;
      }
      group.writeBytesField(
        2,
        message((pbf) => this.dense(pbf, nodes, texts)),
      );
    });
  }

  private dense(pbf: PbfWriter, nodes: readonly ExtractNode[], texts: TextTable): void {
    const { latOffset, lonOffset } = this.options;
    pbf.writePackedSVarint(1, differences(nodes.map((node) => node.id)));
    if (nodes.some((node) => node.version !== undefined))
      pbf.writeBytesField(
        5,
        message((info) => {
          info.writePackedVarint(
            1,
            nodes.map((node) => node.version ?? 0),
          );
          info.writePackedSVarint(2, differences(nodes.map((node) => Math.round((node.time ?? 0) / 1000))));
          info.writePackedSVarint(3, differences(nodes.map((node) => node.changeset ?? 0)));
          info.writePackedSVarint(4, differences(nodes.map((node) => node.editorId ?? 0)));
          info.writePackedSVarint(5, differences(nodes.map((node) => texts.number(node.editor ?? ''))));
        }),
      );
    pbf.writePackedSVarint(8, differences(nodes.map((node) => this.raw(node.lat, latOffset))));
    pbf.writePackedSVarint(9, differences(nodes.map((node) => this.raw(node.lon, lonOffset))));
    if (nodes.some((node) => node.tags !== undefined))
      pbf.writePackedVarint(
        10,
        nodes.flatMap((node) => [
          ...Object.entries(node.tags ?? {}).flatMap((pair) => pair.map((text) => texts.number(text))),
          0,
        ]),
      );
  }

  ways(ways: readonly ExtractWay[], places: ReadonlyMap<number, ExtractNode> | null): Uint8Array {
    const { latOffset, lonOffset } = this.options;
    return this.block((group, texts) => {
      for (const way of ways)
        group.writeBytesField(
          3,
          message((pbf) => {
            pbf.writeVarintField(1, way.id);
            writeTags(pbf, way, texts);
            pbf.writeBytesField(4, infoMessage(way, texts));
            pbf.writePackedSVarint(8, differences(way.nodes));
            if (places === null) return;
            const own = way.nodes.map((id) => places.get(id)!);
            pbf.writePackedSVarint(9, differences(own.map((node) => this.raw(node.lat, latOffset))));
            pbf.writePackedSVarint(10, differences(own.map((node) => this.raw(node.lon, lonOffset))));
          }),
        );
    });
  }

  relations(relations: readonly ExtractRelation[]): Uint8Array {
    const kinds = ['node', 'way', 'relation'];
    return this.block((group, texts) => {
      for (const relation of relations)
        group.writeBytesField(
          4,
          message((pbf) => {
            pbf.writeVarintField(1, relation.id);
            writeTags(pbf, relation, texts);
            pbf.writeBytesField(4, infoMessage(relation, texts));
            const { members } = relation;
            pbf.writePackedVarint(
              8,
              members.map((member) => texts.number(member.role)),
            );
            pbf.writePackedSVarint(9, differences(members.map((member) => member.id)));
            pbf.writePackedVarint(
              10,
              members.map((member) => kinds.indexOf(member.kind)),
            );
          }),
        );
    });
  }
}

/** A blob with its header and length (fileformat.proto). */
export function blobBytes(
  type: string,
  content: Uint8Array,
  options: Pick<PbfOptions, 'raw' | 'level' | 'pack'> = {},
): Uint8Array {
  const blob = message((pbf) => {
    if (options.raw === true) pbf.writeBytesField(1, content);
    else {
      pbf.writeVarintField(2, content.length);
      pbf.writeBytesField(3, options.pack?.(content) ?? zlibSync(content, { level: options.level ?? 6 }));
    }
  });
  const header = message((pbf) => {
    pbf.writeStringField(1, type);
    pbf.writeVarintField(3, blob.length);
  });
  const bytes = new Uint8Array(4 + header.length + blob.length);
  new DataView(bytes.buffer).setUint32(0, header.length);
  bytes.set(header, 4);
  bytes.set(blob, 4 + header.length);
  return bytes;
}

export function headerBlob(options: PbfOptions = {}): Uint8Array {
  const content = message((pbf) => {
    for (const feature of options.required ?? ['OsmSchema-V0.6', 'DenseNodes'])
      pbf.writeStringField(4, feature);
    for (const feature of options.optional ?? ['Sort.Type_then_ID']) pbf.writeStringField(5, feature);
    pbf.writeStringField(16, options.writer ?? 'Teskaria');
  });
  return blobBytes('OSMHeader', content, options);
}

/** OSM PBF, blob by blob. */
export function* pbfBlobs(objects: ExtractObjects, options: PbfOptions = {}): Generator<Uint8Array> {
  yield headerBlob(options);
  const writer = new BlockWriter(options);
  const limit = options.blockLimit ?? 8000;
  const places = options.locations === true ? new Map(objects.nodes.map((node) => [node.id, node])) : null;
  for (let at = 0; at < objects.nodes.length; at += limit)
    yield blobBytes('OSMData', writer.nodes(objects.nodes.slice(at, at + limit)), options);
  for (let at = 0; at < objects.ways.length; at += limit)
    yield blobBytes('OSMData', writer.ways(objects.ways.slice(at, at + limit), places), options);
  for (let at = 0; at < objects.relations.length; at += limit)
    yield blobBytes('OSMData', writer.relations(objects.relations.slice(at, at + limit)), options);
}

export function osmPbf(objects: ExtractObjects, options: PbfOptions = {}): Uint8Array {
  const blobs = [...pbfBlobs(objects, options)];
  const whole = new Uint8Array(blobs.reduce((sum, blob) => sum + blob.length, 0));
  let at = 0;
  for (const blob of blobs) {
    whole.set(blob, at);
    at += blob.length;
  }
  return whole;
}
