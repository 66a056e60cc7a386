import { grouped } from '../../../core/account.ts';
import { IsomericError } from '../../../core/errors.ts';
import { ByteQueue, type ByteSource } from '../../bytes/byte-source.ts';
import { unzlib } from '../../compressed/unzlib.ts';
import type { ExtractHeader } from './primitives.ts';
import { MessageReader } from './protobuf.ts';

/** Unpacks zlib data (RFC 1950) of a known size. */
export type Inflate = (packed: Uint8Array, size: number) => Uint8Array;

/** The one that runs everywhere; a machine may lend a faster one. */
export const inflateAnywhere: Inflate = unzlib;

/** Largest sizes that the format allows (fileformat.proto): 64 KiB of header, 32 MiB of blob, packed or not. */
const longestHeader = 64 * 1024;
const longestBlob = 32 * 1024 * 1024;

/** Where a blob lies in the file. */
export interface BlobPlace {
  type: string;
  /** First byte of the blob (behind its header), and how many. */
  at: number;
  size: number;
}

function damaged(name: string, byte: number, words: string): IsomericError {
  return new IsomericError('osm-damaged', words, {
    place: { file: name, byte },
    advice: 'The file is damaged or was cut short: get it again.',
  });
}

function readBlobHeader(bytes: Uint8Array): { type: string; size: number } {
  const reader = new MessageReader(bytes);
  let type = '';
  let size = -1;
  while (reader.next()) {
    if (reader.field === 1) type = reader.text();
    else if (reader.field === 3) size = reader.unsigned();
    else reader.skip();
  }
  return { type, size };
}

/** Names of the packings that a blob can have beside the two that are read (fileformat.proto, message Blob). */
const otherPackings: Record<number, string> = { 4: 'LZMA', 5: 'bzip2', 6: 'LZ4', 7: 'Zstandard' };

/** The contents of a blob, unpacked. */
export function openBlob(bytes: Uint8Array, inflate: Inflate, name: string, at: number): Uint8Array {
  const reader = new MessageReader(bytes);
  let raw: Uint8Array | null = null;
  let packed: Uint8Array | null = null;
  let size = -1;
  let other = '';
  while (reader.next()) {
    if (reader.field === 1) raw = reader.view();
    else if (reader.field === 2) size = reader.unsigned();
    else if (reader.field === 3) packed = reader.view();
    else {
      other = otherPackings[reader.field] ?? other;
      reader.skip();
    }
  }
  if (raw !== null) return raw;
  if (packed === null) {
    if (other === '') throw damaged(name, at, 'A blob holds no data.');
    throw new IsomericError('osm-packing', `A blob is packed with ${other}, which is not read.`, {
      place: { file: name, byte: at },
      advice: 'Get the extract with zlib packing; providers offer it nearly always.',
    });
  }
  if (size < 0 || size > longestBlob)
    throw damaged(name, at, `A blob says that it unpacks to ${grouped(size)} bytes, which is not allowed.`);
  let out: Uint8Array;
  try {
    out = inflate(packed, size);
  } catch (error) {
    throw damaged(
      name,
      at,
      `A blob cannot be unpacked (${error instanceof Error ? error.message : String(error)}).`,
    );
  }
  if (out.length !== size)
    throw damaged(name, at, `A blob unpacks to ${grouped(out.length)} bytes where it says ${grouped(size)}.`);
  return out;
}

/**
 * Goes through the blobs of a file in order. `take` says for each whether its bytes are wanted; the others come without.
 */
export async function* readBlobs(
  source: ByteSource,
  take: (place: BlobPlace) => boolean,
  from = 0,
): AsyncGenerator<{ place: BlobPlace; bytes: Uint8Array | null }> {
  const queue = new ByteQueue(from === 0 ? source.stream() : streamFrom(source, from));
  try {
    for (;;) {
      const start = from + queue.taken;
      const there = await queue.ensure(4);
      if (there === 0) return;
      if (there < 4) throw damaged(source.name, start, 'It ends within the length of a blob header.');
      const four = queue.take(4);
      const length = ((four[0] << 24) | (four[1] << 16) | (four[2] << 8) | four[3]) >>> 0;
      if (length > longestHeader)
        throw damaged(source.name, start, `A blob header of ${grouped(length)} bytes is not allowed.`);
      if ((await queue.ensure(length)) < length)
        throw damaged(source.name, start, 'It ends within a blob header.');
      const { type, size } = readBlobHeader(queue.take(length));
      const place = { type, at: from + queue.taken, size };
      if (size < 0 || size > longestBlob)
        throw damaged(source.name, start, `A blob of ${grouped(size)} bytes is not allowed.`);
      if ((await queue.ensure(size)) < size) throw damaged(source.name, place.at, 'It ends within a blob.');
      if (take(place)) yield { place, bytes: queue.take(size) };
      else {
        queue.pass(size);
        yield { place, bytes: null };
      }
    }
  } finally {
    await queue.close();
  }
}

async function* streamFrom(source: ByteSource, from: number): AsyncGenerator<Uint8Array> {
  const step = 4 << 20;
  for (let at = from; at < source.size; at += step)
    yield await source.bytes(at, Math.min(source.size, at + step));
}

const understood = new Set(['OsmSchema-V0.6', 'DenseNodes']);

/** What the header block says; a file that needs what is not understood is refused (osmformat.proto, HeaderBlock). */
export function readHeaderBlock(bytes: Uint8Array, name: string): ExtractHeader & { locations: boolean } {
  const reader = new MessageReader(bytes);
  const header: ExtractHeader & { locations: boolean } = { sorted: false, locations: false };
  while (reader.next()) {
    switch (reader.field) {
      case 1: {
        const box = reader.message();
        const sides = [0, 0, 0, 0];
        while (box.next()) {
          if (box.field >= 1 && box.field <= 4) sides[box.field - 1] = box.signed();
          else box.skip();
        }
        const [left, right, top, bottom] = sides.map((v) => v / 1e9);
        header.box = [left, bottom, right, top];
        break;
      }
      case 4: {
        const feature = reader.text();
        if (feature === 'HistoricalInformation') throw historyRefused(name);
        if (!understood.has(feature))
          throw new IsomericError('osm-feature', `It needs “${feature}”, which is not understood.`, {
            place: { file: name },
            advice: 'Get the extract in the plain form (OsmSchema-V0.6, DenseNodes).',
          });
        break;
      }
      case 5: {
        const feature = reader.text();
        if (feature === 'Sort.Type_then_ID') header.sorted = true;
        if (feature === 'LocationsOnWays') header.locations = true;
        break;
      }
      case 16:
        header.writer = reader.text();
        break;
      case 17:
        header.source = reader.text();
        break;
      case 32: {
        const date = new Date(reader.unsigned() * 1000);
        if (!Number.isNaN(date.getTime())) header.time = date.toISOString().replace('.000Z', 'Z');
        break;
      }
      default:
        reader.skip();
    }
  }
  return header;
}

/** Files with all versions of all objects are another thing than the state of one day. */
export function historyRefused(name: string): IsomericError {
  return new IsomericError(
    'osm-history',
    'It is a history: it holds earlier and deleted versions of objects, so it shows no single state.',
    { place: { file: name }, advice: 'Get the extract of one day instead.' },
  );
}

/** Files with changes alone say what to do to a state that is not in them. */
export function changeRefused(name: string): IsomericError {
  return new IsomericError(
    'osm-change',
    'It is a change file: it says what to create, modify and delete in a state that is not in it.',
    { place: { file: name }, advice: 'Get the extract that the changes are for, with them applied.' },
  );
}
