import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import type { Host } from '../library/host.ts';
import { lookAtSources } from '../library/look-at.ts';
import { remoteSource } from '../sources/files/remote.ts';
import { fileSource } from './bytes.ts';
import { nodeCapabilities } from './capabilities.ts';
import { lookPath } from './open.ts';
import { saverFor } from './save.ts';

/** In Node a place is a path of the disk, or an address. */
export const host: Host = {
  look: (place, { sqlite: _, ...reading }) => lookPath(place, reading),
  lookAt: (sources, reading) => lookAtSources(sources, reading, nodeCapabilities),
  source: (place) => (/^https?:\/\//i.test(place) ? remoteSource(place) : fileSource(place)),
  async save(tables, place, { as, add, replace }) {
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
