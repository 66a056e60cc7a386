import { IsomericError } from '../../../core/errors.ts';
import type { ByteSource } from '../../bytes/byte-source.ts';
import {
  type BlobPlace,
  historyRefused,
  type Inflate,
  openBlob,
  readBlobs,
  readHeaderBlock,
} from './blobs.ts';
import { kindsInBlock, readPrimitiveBlock } from './pbf-block.ts';
import type { MapExtract, PrimitiveBlock, WantedKinds } from './primitives.ts';

const bitOf = { nodes: 1, ways: 2, relations: 4 } as const;

/**
 * An extract as OSM PBF (fileformat.proto and osmformat.proto 1.5). In one that promises the order nodes, ways,
 * relations, the blobs of kinds that nobody wants are passed over without unpacking them.
 */
export async function openPbf(source: ByteSource, inflate: Inflate): Promise<MapExtract> {
  let header: ReturnType<typeof readHeaderBlock> | null = null;
  for await (const { place, bytes } of readBlobs(source, ({ type }) => type === 'OSMHeader')) {
    if (bytes === null) break;
    header = readHeaderBlock(openBlob(bytes, inflate, source.name, place.at), source.name);
    break;
  }
  if (header === null)
    throw new IsomericError('osm-damaged', 'It does not begin with its header.', {
      place: { file: source.name },
    });
  const found = header;
  let borders: Promise<KindBorders> | null = null;
  let nodesFirst: boolean | null = found.sorted ? true : null;
  const extract: MapExtract = {
    name: source.name,
    header: found,
    async *blocks(wanted) {
      let limits: { from: number; to: number } | null = null;
      if (found.sorted && !(wanted.nodes && wanted.ways && wanted.relations)) {
        borders ??= findBorders(source, inflate);
        limits = (await borders).limits(wanted);
        if (limits.from >= limits.to) return;
      }
      const skipped = (place: BlobPlace) =>
        place.type !== 'OSMData' || (limits !== null && (place.at < limits.from || place.at >= limits.to));
      const order = new OrderWatch(source.name);
      const watchKinds = nodesFirst === null;
      let waysSeen = false;
      let mixed = false;
      for await (const { place, bytes } of readBlobs(source, (each) => !skipped(each))) {
        if (limits !== null && place.at >= limits.to) return;
        if (bytes === null) continue;
        const block = openBlob(bytes, inflate, source.name, place.at);
        if (watchKinds) {
          const kinds = kindsInBlock(block);
          if (waysSeen && (kinds & bitOf.nodes) !== 0) mixed = true;
          if ((kinds & bitOf.ways) !== 0) waysSeen = true;
        }
        for (const each of readPrimitiveBlock(block, wanted, source.name)) {
          order.watch(each, found.sorted);
          yield each;
        }
      }
      if (watchKinds) nodesFirst = !mixed;
    },
    async nodesFirst() {
      if (nodesFirst === null)
        for await (const _ of extract.blocks({ nodes: false, ways: false, relations: true }));
      return nodesFirst ?? false;
    },
  };
  return extract;
}

/** An object that comes twice in a row is a history; a broken promise of order would lose objects silently. */
class OrderWatch {
  private kind = 0;
  private last = Number.NEGATIVE_INFINITY;
  private readonly name: string;

  constructor(name: string) {
    this.name = name;
  }

  watch(block: PrimitiveBlock, promised: boolean): void {
    if (block.length === 0) return;
    const { ids } = block;
    let last = block.kind === this.kind ? this.last : Number.NEGATIVE_INFINITY;
    let rising = block.kind >= this.kind;
    for (let i = 0; i < ids.length; i++) {
      const id = ids[i];
      if (id === last) throw historyRefused(this.name);
      // Ids of objects that were never uploaded are negative and go down.
      if (id < last && (id > 0 || last > 0)) rising = false;
      last = id;
    }
    if (promised && !rising)
      throw new IsomericError(
        'osm-order',
        'It promises its objects in the order of kinds and ids, and does not keep it.',
        { place: { file: this.name }, advice: 'Get the extract again, or have it sorted.' },
      );
    this.kind = block.kind;
    this.last = last;
  }
}

/** Where in a sorted file the blobs of ways and of relations begin. */
class KindBorders {
  private readonly firstWay: number;
  private readonly firstRelation: number;
  private readonly end: number;

  constructor(firstWay: number, firstRelation: number, end: number) {
    this.firstWay = firstWay;
    this.firstRelation = firstRelation;
    this.end = end;
  }

  /** The stretch of the file that holds all wanted kinds. A blob at a border may hold two kinds. */
  limits(wanted: WantedKinds): { from: number; to: number } {
    const from = wanted.nodes ? 0 : wanted.ways ? this.firstWay : this.firstRelation;
    const lastKind = wanted.relations ? this.end : wanted.ways ? this.firstRelation : this.firstWay;
    return { from, to: wanted.relations ? this.end : Math.min(this.end, lastKind + 1) };
  }
}

/** Finds the borders by halving: a blob is unpacked at each step only to see what kinds it holds. */
async function findBorders(source: ByteSource, inflate: Inflate): Promise<KindBorders> {
  const places: BlobPlace[] = [];
  for await (const { place } of readBlobs(source, () => false))
    if (place.type === 'OSMData') places.push(place);
  const known = new Map<number, number>();
  const kinds = async (k: number): Promise<number> => {
    let bits = known.get(k);
    if (bits === undefined) {
      const { at, size } = places[k];
      bits = kindsInBlock(openBlob(await source.bytes(at, at + size), inflate, source.name, at));
      known.set(k, bits);
    }
    return bits;
  };
  const firstWith = async (bits: number): Promise<number> => {
    let low = 0;
    let high = places.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (((await kinds(middle)) & bits) !== 0) high = middle;
      else low = middle + 1;
    }
    return low < places.length ? places[low].at : source.size + 1;
  };
  return new KindBorders(
    await firstWith(bitOf.ways | bitOf.relations),
    await firstWith(bitOf.relations),
    source.size + 1,
  );
}
