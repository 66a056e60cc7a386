import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import type { Host } from '../library/host.ts';
import { threads } from './threads.ts';

/** In Node a place is a path of the disk, or an address. What a program does not use is not loaded. */
export const host: Host = {
  threads,
  async look(place, { sqlite: _, ...reading }) {
    const { lookPath } = await import('./open.ts');
    return lookPath(place, reading);
  },
  async lookAt(sources, reading) {
    const [{ lookAtSources }, { nodeCapabilities }] = await Promise.all([
      import('../library/look-at.ts'),
      import('./capabilities.ts'),
    ]);
    return lookAtSources(sources, reading, nodeCapabilities);
  },
  async source(place) {
    if (!/^https?:\/\//i.test(place)) return (await import('./bytes.ts')).fileSource(place);
    return (await import('../sources/files/remote.ts')).remoteSource(place);
  },
  async save(tables, place, { as, add, replace }) {
    const { saverFor } = await import('./save.ts');
    const saver = saverFor(place, as);
    const accounts = await saver.save(tables, place, new Date().toISOString(), { add, replace });
    const files = saver.files.map((path) => ({
      name: basename(path),
      path,
      blob: async () => new Blob([await readFile(path)]),
    }));
    return { accounts, files };
  },
};
