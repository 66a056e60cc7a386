import type { ExtractHeader, MapExtract, ObjectInfo, PrimitiveBlock, WantedKinds } from './primitives.ts';

/** Values of the chosen objects, of arrays with one value an object. */
function chosen<T extends Float64Array | Int32Array | Uint32Array>(values: T, kept: readonly number[]): T {
  const made = new (values.constructor as new (length: number) => T)(kept.length);
  for (let k = 0; k < kept.length; k++) made[k] = values[kept[k]];
  return made;
}

/** Starts of the chosen objects' items, and the indices of these items. */
function items(starts: Uint32Array, kept: readonly number[]): { starts: Uint32Array; indices: number[] } {
  const made = new Uint32Array(kept.length + 1);
  const indices: number[] = [];
  for (let k = 0; k < kept.length; k++) {
    for (let at = starts[kept[k]]; at < starts[kept[k] + 1]; at++) indices.push(at);
    made[k + 1] = indices.length;
  }
  return { starts: made, indices };
}

function infoOf(info: ObjectInfo, kept: readonly number[]): ObjectInfo {
  return {
    version: chosen(info.version, kept),
    time: chosen(info.time, kept),
    changeset: chosen(info.changeset, kept),
    editorId: chosen(info.editorId, kept),
    editor: chosen(info.editor, kept),
  };
}

/** The same block with only some of its objects. */
function subset(block: PrimitiveBlock, kept: readonly number[]): PrimitiveBlock {
  const tags = items(block.tagStart, kept);
  const common = {
    length: kept.length,
    ids: chosen(block.ids, kept),
    tagStart: tags.starts,
    tags: chosen(block.tags, tags.indices),
    texts: block.texts,
    info: (editors: boolean) => infoOf(block.info(editors), kept),
  };
  switch (block.kind) {
    case 0:
      return {
        ...common,
        kind: 0,
        lon: chosen(block.lon, kept),
        lat: chosen(block.lat, kept),
        unit: block.unit,
      };
    case 1: {
      const refs = items(block.refStart, kept);
      const { places } = block;
      return {
        ...common,
        kind: 1,
        refStart: refs.starts,
        refs: chosen(block.refs, refs.indices),
        places:
          places === null
            ? null
            : {
                lon: chosen(places.lon, refs.indices),
                lat: chosen(places.lat, refs.indices),
                unit: places.unit,
              },
      };
    }
    default: {
      const members = items(block.memberStart, kept);
      return {
        ...common,
        kind: 2,
        memberStart: members.starts,
        memberKind: Uint8Array.from(members.indices, (at) => block.memberKind[at]),
        memberId: chosen(block.memberId, members.indices),
        memberRole: chosen(block.memberRole, members.indices),
      };
    }
  }
}

/** Objects of one kind that were seen, so that each comes once. */
async function* onceEach(
  parts: readonly MapExtract[],
  kind: 0 | 1 | 2,
  wanted: WantedKinds,
): AsyncGenerator<PrimitiveBlock> {
  const seen = new Set<number>();
  for (const part of parts) {
    for await (const block of part.blocks(wanted)) {
      if (block.kind !== kind) continue;
      const kept: number[] = [];
      for (let i = 0; i < block.length; i++) {
        const id = block.ids[i];
        if (seen.has(id)) continue;
        seen.add(id);
        kept.push(i);
      }
      if (kept.length === block.length) yield block;
      else if (kept.length > 0) yield subset(block, kept);
    }
  }
}

/**
 * Pieces of one area as one extract: nodes of all of them, then ways, then relations, each object once by its id, as it
 * stands in the first piece that has it.
 */
export function mergedExtract(name: string, parts: readonly MapExtract[]): MapExtract {
  if (parts.length === 1) return parts[0];
  const header: ExtractHeader = { ...parts[0].header, sorted: false };
  const extents = parts.map((part) => part.header.box);
  if (extents.every((extent) => extent !== undefined))
    header.box = [
      Math.min(...extents.map((extent) => extent![0])),
      Math.min(...extents.map((extent) => extent![1])),
      Math.max(...extents.map((extent) => extent![2])),
      Math.max(...extents.map((extent) => extent![3])),
    ];
  return {
    name,
    header,
    async *blocks(wanted) {
      const none = { nodes: false, ways: false, relations: false };
      if (wanted.nodes) yield* onceEach(parts, 0, { ...none, nodes: true });
      if (wanted.ways) yield* onceEach(parts, 1, { ...none, ways: true });
      if (wanted.relations) yield* onceEach(parts, 2, { ...none, relations: true });
    },
    nodesFirst: async () => true,
  };
}
