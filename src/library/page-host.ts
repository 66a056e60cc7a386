import { IsomericError } from '../core/errors.ts';
import type { Threads } from '../core/layer/threads.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import type { Contents } from '../formats/opening/contents.ts';
import type { Host, Reading, SavedFile } from './host.ts';

/** Where the page lies, when there is one: addresses may be relative to it. */
const base = () => (globalThis as { location?: { href: string } }).location?.href;

async function fetched(place: string): Promise<ByteSource> {
  if (!URL.canParse(place, base()))
    throw new IsomericError('file-missing', 'There are no files here, and it is no address.', {
      place: { file: place },
      advice: 'Give a Blob (a file that was chosen or dropped), or an address.',
      blame: 'usage',
    });
  const { remoteSource } = await import('../sources/files/remote.ts');
  return remoteSource(new URL(place, base()).href);
}

/** Formats are loaded when there is something to open. */
async function lookAt(sources: readonly ByteSource[], reading: Reading): Promise<Contents> {
  const { lookAtSources } = await import('./look-at.ts');
  return lookAtSources(sources, reading, {});
}

/** Workers of the page, where it can have some. */
function threads(): Threads | null {
  if (typeof Worker === 'undefined') return null;
  return {
    most: Math.min(globalThis.navigator?.hardwareConcurrency ?? 1, 8),
    clock: () => performance.now(),
    start: async (task, setup) => (await import('./page-crew.ts')).startPageCrew(task, setup),
  };
}

/** In a page a place is an address, and what is saved is handed over in memory. */
export const host: Host = {
  threads,
  source: fetched,
  look: async (place, reading) => lookAt([await fetched(place)], reading),
  lookAt,
  async save(tables, place, { as, sqlite, ...saving }) {
    const [{ writingFormatFor }, { writeTables }, { memoryTarget }] = await Promise.all([
      import('../formats/writing/register.ts'),
      import('../formats/writing/write-tables.ts'),
      import('../formats/writing/target.ts'),
    ]);
    const name = place.slice(place.lastIndexOf('/') + 1);
    const database = await sqlite?.databases?.();
    const target = memoryTarget(name, { database });
    const accounts = await writeTables(writingFormatFor(name, as), tables, target, {
      ...saving,
      now: new Date().toISOString(),
    });
    const files = [...target.files()].map(
      ([file, bytes]): SavedFile => ({
        name: file,
        blob: async () => new Blob([bytes as Uint8Array<ArrayBuffer>]),
      }),
    );
    return { accounts, files };
  },
};
