/// <reference path="./bzip2.d.ts" />
import bitIterator from 'unbzip2-stream/lib/bit_iterator.js';
import bzip2 from 'unbzip2-stream/lib/bzip2.js';
import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { gunzipChunks } from './gunzip.ts';
import type { Compression } from './sniff.ts';

/** Most that one file may expand to, and most times its packed size (past a size where that says anything). */
const largest = 16 * 2 ** 30;
const largestRatio = 1000;
const ratioFrom = 64 * 2 ** 20;
/** What unpacks to no more than this is kept once unpacked. */
const keepUpTo = 64 * 2 ** 20;

function damaged(source: ByteSource, kind: Compression, words: string): IsomericError {
  return new IsomericError(`${kind}-damaged`, words, {
    place: { file: source.name },
    advice: 'The file is damaged or was cut short: get it again.',
  });
}

/** Unpacks gzip; what is damaged is told with the file. */
function gunzip(source: ByteSource): AsyncGenerator<Uint8Array> {
  return gunzipChunks(source.stream(), (words) => damaged(source, 'gzip', words));
}

/** Unpacks bzip2 block by block; the package checks the checksums of blocks and streams. */
async function* bunzip(source: ByteSource): AsyncGenerator<Uint8Array> {
  const queue: Uint8Array[] = [];
  let given = 0;
  const chunks = source.stream()[Symbol.asyncIterator]();
  let last = false;
  const fill = async (until: number) => {
    while (!last && given < until) {
      const next = await chunks.next();
      if (next.done) last = true;
      else if (next.value.length > 0) {
        queue.push(next.value);
        given += next.value.length;
      }
    }
  };
  try {
    await fill(1);
    const bits = bitIterator(() => queue.shift());
    while (bits.bytesRead < given || !last) {
      await fill(bits.bytesRead + 8);
      if (bits.bytesRead >= given) break;
      const size = 100_000 * bzip2.header(bits);
      const work = new Int32Array(size);
      let crc: number | null = 0;
      while (crc !== null) {
        // A block packs into little more than its own size, whatever is in it.
        await fill(bits.bytesRead + size + 25_000);
        let block = new Uint8Array(size);
        let used = 0;
        crc = bzip2.decompress(
          bits,
          (byte) => {
            if (used === block.length) {
              const larger = new Uint8Array(2 * used);
              larger.set(block);
              block = larger;
            }
            block[used++] = byte;
          },
          work,
          size,
          crc,
        );
        if (used > 0) yield block.subarray(0, used);
      }
    }
  } catch (error) {
    if (error instanceof IsomericError) throw error;
    throw damaged(source, 'bzip2', 'It cannot be unpacked: it is damaged or ends in the middle.');
  } finally {
    await chunks.return?.();
  }
}

/** The file inside a compressed one, unpacked while it is read. Its size is found by unpacking it once. */
export async function openCompressed(source: ByteSource, kind: Compression): Promise<ByteSource> {
  const name = source.name.replace(/\.(gz|gzip|bz2|bzip2)$/i, '');
  let kept: Uint8Array | null = null;
  async function* checked(): AsyncGenerator<Uint8Array> {
    let total = 0;
    for await (const chunk of kind === 'gzip' ? gunzip(source) : bunzip(source)) {
      total += chunk.length;
      if (total > largest || (total > ratioFrom && total > largestRatio * source.size)) {
        throw new IsomericError(
          'compression-bomb',
          `It unpacks from ${grouped(source.size)} to more than ${grouped(total)} bytes.`,
          { place: { file: source.name }, advice: 'Such files are not opened.' },
        );
      }
      yield chunk;
    }
  }
  let size = 0;
  let parts: Uint8Array[] | null = [];
  for await (const chunk of checked()) {
    size += chunk.length;
    if (size > keepUpTo) parts = null;
    else parts?.push(chunk.slice());
  }
  if (parts !== null) {
    kept = new Uint8Array(size);
    let used = 0;
    for (const part of parts) {
      kept.set(part, used);
      used += part.length;
    }
  }
  return {
    name,
    size,
    async bytes(start, end) {
      if (kept !== null) return kept.subarray(start, end);
      const wanted = new Uint8Array(Math.max(0, Math.min(end, size) - start));
      let at = 0;
      for await (const chunk of checked()) {
        const from = Math.max(0, start - at);
        const to = Math.min(chunk.length, end - at);
        if (from < to) wanted.set(chunk.subarray(from, to), at + from - start);
        at += chunk.length;
        if (at >= end) break;
      }
      return wanted;
    },
    async *stream() {
      if (kept !== null) yield kept;
      else yield* checked();
    },
  };
}
