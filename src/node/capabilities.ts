import { Readable } from 'node:stream';
import { createInflateRaw, inflateSync } from 'node:zlib';
import type { Capabilities } from '../formats/register.ts';
import type { Scratch } from '../formats/writing/target.ts';
import { nodeSqlite } from './sqlite.ts';
import { FileScratch } from './target.ts';

const lent: FileScratch[] = [];

/** Room in a temporary file, removed when the program ends. */
function lendScratch(): Scratch {
  if (lent.length === 0)
    process.on('exit', () => {
      for (const scratch of lent) scratch.remove();
    });
  const scratch = new FileScratch();
  lent.push(scratch);
  return scratch;
}

/** Unpacks as zlib does; whatever ends the reading closes both ends. */
async function* inflateRawStream(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const unpacker = createInflateRaw({ chunkSize: 1 << 17 });
  const input = Readable.from(chunks, { objectMode: true, highWaterMark: 1 });
  input.on('error', (error) => unpacker.destroy(error));
  input.pipe(unpacker);
  try {
    for await (const chunk of unpacker) yield chunk as Uint8Array;
  } finally {
    input.destroy();
    unpacker.destroy();
  }
}

/** What Node lends to formats. */
export const nodeCapabilities: Capabilities = {
  sqlite: nodeSqlite,
  inflate(packed, size) {
    const out = inflateSync(packed, { maxOutputLength: Math.max(1, size) });
    return new Uint8Array(out.buffer, out.byteOffset, out.length);
  },
  inflateRaw: inflateRawStream,
  scratch: lendScratch,
};
