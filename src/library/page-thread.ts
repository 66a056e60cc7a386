import { threadWork } from '../core/layer/thread-work.ts';
import type { ThreadMessage } from '../core/layer/threads.ts';

/** What the page talks to: the global scope of a worker. */
const scope = globalThis as unknown as {
  postMessage(message: unknown, transfer: ArrayBuffer[]): void;
  onmessage: ((event: MessageEvent<ThreadMessage>) => void) | null;
};
const work = threadWork((answer, transfer) => scope.postMessage(answer, transfer));
scope.onmessage = ({ data }) => void work(data);
