import { GeometryArray } from '../geometry/geometry-array.ts';
import type { TaskGiven, TaskResult, ThreadAnswer, ThreadMessage, ThreadTask } from './threads.ts';

/** Where tasks are found by name. A new one is a line here. */
const tasks: Readonly<Record<string, () => Promise<ThreadTask<never>>>> = {
  cut: async () => (await import('./verbs/cut-task.ts')).cutTask as ThreadTask<never>,
  buffer: async () => (await import('./verbs/buffer-task.ts')).bufferTask as ThreadTask<never>,
  intersect: async () => (await import('./verbs/intersect-task.ts')).intersectTask as ThreadTask<never>,
};

/** What a thread does with the messages that it gets: one task is begun, then done again and again. */
export function threadWork(
  reply: (answer: ThreadAnswer, transfer: ArrayBuffer[]) => void,
): (message: ThreadMessage) => Promise<void> {
  let ready: Promise<(given: TaskGiven) => TaskResult> | null = null;
  return async (message) => {
    try {
      if (message.kind === 'begin') {
        const { task, setup } = message;
        ready = tasks[task]().then((found) => found.begin(setup as never));
        // Whether it could begin shows with the first that is asked.
        ready.catch(() => {});
        return;
      }
      const work = await ready!;
      const { geometry, arrays } = work({
        geometry: new GeometryArray(message.geometry),
        numbers: message.numbers,
      });
      const buffers = [
        ...(geometry?.transferables() ?? []),
        ...arrays.map((array) => array.buffer as ArrayBuffer),
      ];
      reply({ kind: 'done', geometry: geometry?.buffers() ?? null, arrays }, [...new Set(buffers)]);
    } catch {
      // The words of what went wrong are made where it is done again: in the thread that asked.
      reply({ kind: 'failed' }, []);
    }
  };
}
