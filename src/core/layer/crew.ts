import { GeometryArray } from '../geometry/geometry-array.ts';
import type { Crew, TaskGiven, TaskResult, ThreadAnswer, ThreadMessage } from './threads.ts';

/** One thread of a host: a worker of Node, or of a page. */
export interface Thread {
  send(message: ThreadMessage): void;
  end(): void;
}

interface Waiting {
  message: ThreadMessage;
  resolve(result: TaskResult | null): void;
}

/** Threads that do what is asked in the order in which they are free. A thread that fails is not asked again. */
export class ThreadCrew implements Crew {
  readonly size: number;
  private readonly free: Thread[] = [];
  private readonly busy = new Map<Thread, Waiting>();
  private readonly queue: Waiting[] = [];
  private readonly all: Thread[] = [];
  private alive = 0;

  /** @param open makes a thread; it is told what to call with each answer, and when the thread is gone */
  constructor(
    size: number,
    begin: ThreadMessage,
    open: (answered: (answer: ThreadAnswer) => void, gone: () => void) => Thread,
  ) {
    this.size = size;
    for (let k = 0; k < size; k++) {
      const thread: Thread = open(
        (answer) => this.answered(thread, answer),
        () => this.gone(thread),
      );
      thread.send(begin);
      this.all.push(thread);
      this.free.push(thread);
      this.alive++;
    }
  }

  ask({ geometry, numbers }: TaskGiven): Promise<TaskResult | null> {
    return new Promise((resolve) => {
      this.queue.push({ message: { kind: 'do', geometry: geometry.buffers(), numbers }, resolve });
      this.next();
    });
  }

  private next(): void {
    if (this.alive === 0) for (const { resolve } of this.queue.splice(0)) resolve(null);
    while (this.queue.length > 0 && this.free.length > 0) {
      const thread = this.free.pop()!;
      const waiting = this.queue.shift()!;
      this.busy.set(thread, waiting);
      thread.send(waiting.message);
    }
  }

  private answered(thread: Thread, answer: ThreadAnswer): void {
    const waiting = this.busy.get(thread);
    this.busy.delete(thread);
    this.free.push(thread);
    waiting?.resolve(
      answer.kind === 'failed'
        ? null
        : {
            geometry: answer.geometry === null ? null : new GeometryArray(answer.geometry),
            arrays: answer.arrays,
          },
    );
    this.next();
  }

  private gone(thread: Thread): void {
    const waiting = this.busy.get(thread);
    this.busy.delete(thread);
    const at = this.free.indexOf(thread);
    if (at >= 0) this.free.splice(at, 1);
    else if (waiting === undefined) return;
    this.alive--;
    waiting?.resolve(null);
    this.next();
  }

  end(): void {
    for (const thread of this.all) thread.end();
  }
}
