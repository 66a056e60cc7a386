import { IsomericError } from '../../../core/errors.ts';
import { Growing } from '../../../core/growing.ts';
import { historyRefused } from './blobs.ts';
import { BlockTexts } from './block-texts.ts';
import { blankInfo, Common, type Frame, Places, uneven } from './pbf-common.ts';
import {
  type NodeBlock,
  type ObjectInfo,
  onceEach,
  type Positions,
  type PrimitiveBlock,
  type RelationBlock,
  type WantedKinds,
  type WayBlock,
} from './primitives.ts';
import { MessageReader } from './protobuf.ts';

const noTags = new Uint32Array(0);

/** Kinds of objects in a block as bits (1 nodes, 2 ways, 4 relations), without reading them. */
export function kindsInBlock(bytes: Uint8Array): number {
  const reader = new MessageReader(bytes);
  let kinds = 0;
  while (reader.next()) {
    if (reader.field !== 2) {
      reader.skip();
      continue;
    }
    const group = reader.message();
    if (group.next()) kinds |= kindOfField(group.field);
  }
  return kinds;
}

function kindOfField(field: number): number {
  return field === 1 || field === 2 ? 1 : field === 3 ? 2 : field === 4 ? 4 : 0;
}

/** The objects of one unpacked block, one group after the other. */
export function* readPrimitiveBlock(
  bytes: Uint8Array,
  wanted: WantedKinds,
  name: string,
): Generator<PrimitiveBlock> {
  const reader = new MessageReader(bytes);
  const groups: MessageReader[] = [];
  const frame: Frame = {
    name,
    texts: undefined as unknown as BlockTexts,
    granularity: 100,
    dateGranularity: 1000,
    latOffset: 0,
    lonOffset: 0,
  };
  while (reader.next()) {
    if (reader.field === 1) frame.texts = new BlockTexts(reader.message());
    else if (reader.field === 2) groups.push(reader.message());
    else if (reader.field === 17) frame.granularity = reader.unsigned();
    else if (reader.field === 18) frame.dateGranularity = reader.unsigned();
    else if (reader.field === 19) frame.latOffset = reader.unsigned();
    else if (reader.field === 20) frame.lonOffset = reader.unsigned();
    else reader.skip();
  }
  if (frame.texts === undefined && groups.length > 0)
    throw new IsomericError('osm-damaged', 'A block has no texts.', { place: { file: name } });
  for (const group of groups) yield* readGroup(group, frame, wanted);
}

/** A group holds objects of one kind; those of another that stand in it all the same come after them. */
function* readGroup(group: MessageReader, frame: Frame, wanted: WantedKinds): Generator<PrimitiveBlock> {
  const plain = new Places();
  const ways = new Places();
  const relations = new Places();
  while (group.next()) {
    if (group.field === 2 && wanted.nodes) yield denseNodes(group.message(), frame);
    else if (group.field === 1 && wanted.nodes) plain.add(group);
    else if (group.field === 3 && wanted.ways) ways.add(group);
    else if (group.field === 4 && wanted.relations) relations.add(group);
    else group.skip();
  }
  const reader = new MessageReader(group.bytes);
  if (plain.length > 0) yield plainNodes(plain, reader, frame);
  if (ways.length > 0) yield waysOf(ways, reader, frame);
  if (relations.length > 0) yield relationsOf(relations, reader, frame);
}

/** Raw values of positions → whole 10⁻⁷ degrees where nothing is lost by it, else nanodegrees. */
function positionsOf(
  lon: Float64Array | Int32Array,
  lat: Float64Array | Int32Array,
  frame: Frame,
): Positions {
  const { granularity, latOffset, lonOffset } = frame;
  if (granularity === 100 && latOffset === 0 && lonOffset === 0 && lon instanceof Int32Array)
    return { lon, lat, unit: 1e7 };
  const nano = (raw: Float64Array | Int32Array, offset: number) => {
    const out = new Float64Array(raw.length);
    for (let i = 0; i < raw.length; i++) out[i] = offset + granularity * raw[i];
    return out;
  };
  return { lon: nano(lon, lonOffset), lat: nano(lat, latOffset), unit: 1e9 };
}

function denseNodes(dense: MessageReader, frame: Frame): NodeBlock {
  let ids = new Float64Array(0);
  let lon: Int32Array | Float64Array = new Int32Array(0);
  let lat: Int32Array | Float64Array = lon;
  let keysAndValues: Uint32Array = noTags;
  let info: MessageReader | null = null;
  const count = { lat: 0, lon: 0 };
  // At another granularity raw values may be larger than Int32.
  const room = (count: number) =>
    frame.granularity >= 100 ? new Int32Array(count) : new Float64Array(count);
  while (dense.next()) {
    if (dense.field === 1) {
      ids = new Float64Array(dense.packedCount());
      dense.sums(ids);
    } else if (dense.field === 8) {
      lat = room(ids.length || dense.packedCount());
      count.lat = dense.sums(lat);
    } else if (dense.field === 9) {
      lon = room(ids.length || dense.packedCount());
      count.lon = dense.sums(lon);
    } else if (dense.field === 10) {
      keysAndValues = new Uint32Array(dense.packedCount());
      dense.numbers(keysAndValues);
    } else if (dense.field === 5) info = dense.message();
    else dense.skip();
  }
  const n = ids.length;
  if (count.lon !== n || count.lat !== n || lon.length !== n || lat.length !== n)
    throw uneven(frame, 'nodes and positions');
  const tagStart = new Uint32Array(n + 1);
  let tags = noTags;
  if (keysAndValues.length > 0) {
    // Keys and values in turn, a 0 behind each node's (osmformat.proto, DenseNodes).
    tags = new Uint32Array(keysAndValues.length);
    let used = 0;
    let at = 0;
    for (let i = 0; i < n; i++) {
      while (at < keysAndValues.length && keysAndValues[at] !== 0) {
        tags[used++] = keysAndValues[at++];
        tags[used++] = keysAndValues[at++];
      }
      at++;
      tagStart[i + 1] = used;
    }
    frame.texts.check(tags, used);
  }
  if (info !== null) refuseInvisible(info, frame);
  return {
    kind: 0,
    length: n,
    ids,
    tagStart,
    tags,
    texts: frame.texts,
    ...positionsOf(lon, lat, frame),
    info: onceEach((editors) => denseInfo(info, n, frame, editors)),
  };
}

/** Deleted objects occur in histories only. */
function refuseInvisible(info: MessageReader, frame: Frame): void {
  const own = new MessageReader(info.bytes, info.at, info.end);
  while (own.next()) {
    if (own.field !== 6) {
      own.skip();
      continue;
    }
    const visible = new Uint8Array(own.packedCount());
    own.numbers(visible);
    if (visible.includes(0)) throw historyRefused(frame.name);
  }
}

function denseInfo(reader: MessageReader | null, n: number, frame: Frame, editors: boolean): ObjectInfo {
  const info = blankInfo(n);
  if (reader === null) return info;
  const own = new MessageReader(reader.bytes, reader.at, reader.end);
  const editor = new Float64Array(n);
  const sums = (out: Float64Array) => {
    if (own.packedCount() !== n) throw uneven(frame, 'nodes and their versions');
    own.sums(out);
  };
  while (own.next()) {
    if (own.field === 1) {
      if (own.packedCount() !== n) throw uneven(frame, 'nodes and their versions');
      own.numbers(info.version);
    } else if (own.field === 2) sums(info.time);
    else if (own.field === 3 && editors) sums(info.changeset);
    else if (own.field === 4 && editors) sums(info.editorId);
    else if (own.field === 5 && editors) sums(editor);
    else own.skip();
  }
  for (let i = 0; i < n; i++) info.time[i] *= frame.dateGranularity;
  if (editors) info.editor.set(editor);
  return info;
}

function plainNodes(places: Places, reader: MessageReader, frame: Frame): NodeBlock {
  const n = places.length;
  const common = new Common(n, reader, frame);
  const lon = new Float64Array(n);
  const lat = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    reader.move(places.start(i), places.end(i));
    common.begin(i);
    while (reader.next()) {
      const { field } = reader;
      if (field === 1) common.ids[i] = reader.signed();
      else if (field === 8) lat[i] = reader.signed();
      else if (field === 9) lon[i] = reader.signed();
      else if (!common.takes(i, field)) reader.skip();
    }
    common.end(i);
  }
  const whole = frame.granularity === 100 ? [Int32Array.from(lon), Int32Array.from(lat)] : [lon, lat];
  return { kind: 0, ...common.parts(), ...positionsOf(whole[0], whole[1], frame) };
}

function larger(array: Float64Array, needed: number): Float64Array {
  if (needed <= array.length) return array;
  const more = new Float64Array(2 * needed);
  more.set(array);
  return more;
}

function waysOf(places: Places, reader: MessageReader, frame: Frame): WayBlock {
  const n = places.length;
  const common = new Common(n, reader, frame);
  const refStart = new Uint32Array(n + 1);
  let refs = new Float64Array(Math.max(64, 12 * n)) as Float64Array;
  let lat: Float64Array | null = null;
  let lon: Float64Array | null = null;
  for (let i = 0; i < n; i++) {
    reader.move(places.start(i), places.end(i));
    const from = refStart[i];
    common.begin(i);
    refStart[i + 1] = from;
    while (reader.next()) {
      const { field } = reader;
      if (field === 8) {
        // Each reference takes a byte at least.
        refs = larger(refs, from + reader.end - reader.at);
        refStart[i + 1] = from + reader.sums(refs, from);
      } else if (field === 1) common.ids[i] = reader.unsigned();
      else if (field === 9) {
        lat = larger(lat ?? new Float64Array(64), from + reader.end - reader.at);
        reader.sums(lat, from);
      } else if (field === 10) {
        lon = larger(lon ?? new Float64Array(64), from + reader.end - reader.at);
        reader.sums(lon, from);
      } else if (!common.takes(i, field)) reader.skip();
    }
    common.end(i);
  }
  const all = refStart[n];
  return {
    kind: 1,
    ...common.parts(),
    refStart,
    refs: refs.subarray(0, all),
    places:
      lat === null || lon === null
        ? null
        : positionsOf(larger(lon, all).subarray(0, all), larger(lat, all).subarray(0, all), frame),
  };
}

function relationsOf(places: Places, reader: MessageReader, frame: Frame): RelationBlock {
  const n = places.length;
  const common = new Common(n, reader, frame);
  const memberStart = new Uint32Array(n + 1);
  const roles = new Growing(new Uint32Array(64));
  const ids = new Growing(new Float64Array(64));
  const kinds = new Growing(new Uint8Array(64));
  for (let i = 0; i < n; i++) {
    reader.move(places.start(i), places.end(i));
    common.begin(i);
    while (reader.next()) {
      const { field } = reader;
      if (field === 8) {
        const role = new Uint32Array(reader.packedCount());
        reader.numbers(role);
        roles.append(role);
      } else if (field === 9) {
        const id = new Float64Array(reader.packedCount());
        reader.sums(id);
        ids.append(id);
      } else if (field === 10) {
        const kind = new Uint8Array(reader.packedCount());
        reader.numbers(kind);
        kinds.append(kind);
      } else if (field === 1) common.ids[i] = reader.unsigned();
      else if (!common.takes(i, field)) reader.skip();
    }
    common.end(i);
    if (roles.length !== ids.length || kinds.length !== ids.length) throw uneven(frame, 'members and roles');
    memberStart[i + 1] = ids.length;
  }
  const memberKind = kinds.copy();
  if (memberKind.some((kind) => kind > 2)) throw uneven(frame, 'members and kinds');
  const memberRole = roles.copy();
  frame.texts.check(memberRole);
  return {
    kind: 2,
    ...common.parts(),
    memberStart,
    memberKind,
    memberId: ids.copy(),
    memberRole,
  };
}
