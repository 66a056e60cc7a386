import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import type { Threads } from '../core/layer/threads.ts';

/** Threads that are of use, at most: what reads and writes is one. */
const most = 8;

/** The program of a thread: beside this file, from the one file of the command too, or as it was built. */
function entry(): string | undefined {
  return ['../node/thread-entry.js', '../../dist/node/thread-entry.js']
    .map((path) => fileURLToPath(new URL(path, import.meta.url)))
    .find((path) => existsSync(path));
}

/** As many threads as there are processors; `ISOMERIC_THREADS` says another number, 1 that there is one only. */
export function threads(): Threads | null {
  const wanted = Number(process.env.ISOMERIC_THREADS ?? availableParallelism());
  const count = Math.min(Number.isInteger(wanted) && wanted > 0 ? wanted : 1, most);
  const path = count < 2 ? undefined : entry();
  if (path === undefined) return null;
  return {
    most: count,
    clock: () => performance.now(),
    start: async (task, setup) => (await import('./node-crew.ts')).startNodeCrew(count, path, task, setup),
  };
}
