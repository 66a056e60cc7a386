import { Worker } from 'node:worker_threads';
import { ThreadCrew } from '../core/layer/crew.ts';
import type { Crew, ThreadAnswer } from '../core/layer/threads.ts';

/** Worker threads of Node, at work on one task. */
export function startNodeCrew(count: number, path: string, task: string, setup: unknown): Crew {
  return new ThreadCrew(count, { kind: 'begin', task, setup }, (answered, gone) => {
    const worker = new Worker(path);
    worker.on('message', (answer: ThreadAnswer) => answered(answer));
    // What goes wrong there is done again here, and told here.
    worker.on('error', gone);
    worker.on('exit', gone);
    return {
      send: (message) => worker.postMessage(message),
      end: () => void worker.terminate(),
    };
  });
}
