import { inflateSync } from 'node:zlib';
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

/** What Node lends to formats. */
export const nodeCapabilities: Capabilities = {
  sqlite: nodeSqlite,
  inflate(packed, size) {
    const out = inflateSync(packed, { maxOutputLength: Math.max(1, size) });
    return new Uint8Array(out.buffer, out.byteOffset, out.length);
  },
  scratch: lendScratch,
};
