import { parentPort } from 'node:worker_threads';
import { threadWork } from '../core/layer/thread-work.ts';
import type { ThreadMessage } from '../core/layer/threads.ts';

const port = parentPort!;
const work = threadWork((answer, transfer) => port.postMessage(answer, transfer));
port.on('message', (message: ThreadMessage) => void work(message));
