import { ThreadCrew } from '../core/layer/crew.ts';
import type { Crew, ThreadAnswer } from '../core/layer/threads.ts';

/** Workers of a page, at work on one task. */
export function startPageCrew(task: string, setup: unknown): Crew {
  const count = Math.min(globalThis.navigator?.hardwareConcurrency ?? 2, 8);
  return new ThreadCrew(count, { kind: 'begin', task, setup }, (answered, gone) => {
    const worker = new Worker(new URL('./page-thread.js', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<ThreadAnswer>) => answered(data);
    worker.onerror = gone;
    return {
      send: (message) => worker.postMessage(message),
      end: () => worker.terminate(),
    };
  });
}
