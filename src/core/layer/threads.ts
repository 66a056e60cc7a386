import type { GeometryArray, GeometryBuffers } from '../geometry/geometry-array.ts';

/** What a thread is given for one batch: some geometries, and a number for each where the task wants one. */
export interface TaskGiven {
  geometry: GeometryArray;
  numbers: Float64Array | null;
}

/** What it gives back: geometries, and arrays of numbers. Nothing else crosses between threads. */
export interface TaskResult {
  geometry: GeometryArray | null;
  arrays: readonly (Uint8Array | Int32Array | Uint32Array | Float64Array)[];
}

/** Work on the geometries of one batch that needs nothing but its setup, so that any thread can do it. */
export interface ThreadTask<Setup> {
  readonly name: string;
  /** Makes ready; `setup` is cloned into each thread. */
  begin(setup: Setup): Promise<(given: TaskGiven) => TaskResult>;
}

/** A message to a thread, and its answer; buffers as they are cloned or handed over. */
export type ThreadMessage =
  | { kind: 'begin'; task: string; setup: unknown }
  | { kind: 'do'; geometry: GeometryBuffers; numbers: Float64Array | null };
export type ThreadAnswer =
  | { kind: 'done'; geometry: GeometryBuffers | null; arrays: TaskResult['arrays'] }
  | { kind: 'failed' };

/** Threads at work on one task. */
export interface Crew {
  readonly size: number;
  /** Has it done by the next thread that is free; null when that failed, whatever for: then it is done here, and fails here. */
  ask(given: TaskGiven): Promise<TaskResult | null>;
  end(): void;
}

/** What a host has to offer. The core has neither threads nor a clock of its own. */
export interface Threads {
  /** Threads that can work at the same time. */
  readonly most: number;
  /** Milliseconds. */
  clock(): number;
  /** Starts threads for a task, each with a copy of its setup. */
  start(task: string, setup: unknown): Promise<Crew>;
}

let threads: Threads | null = null;

/** Lets layer verbs work in several threads; null: in one. The result is the same, to the last byte. */
export function useThreads(offered: Threads | null): void {
  threads = offered;
}

/** Milliseconds of work in one thread after which others are called. */
const patience = 400;

/**
 * Does a task for one batch after the other, in order; in other threads as well as soon as it proves to take long.
 *
 * @param given what the task needs of a batch; null: nothing is to be done for it
 * @param accept makes of a result what is handed on
 */
export async function* withThreads<Setup, Batch, Out>(
  task: ThreadTask<Setup>,
  setup: Setup,
  batches: AsyncIterable<Batch>,
  given: (batch: Batch) => TaskGiven | null,
  accept: (batch: Batch, result: TaskResult | null) => Iterable<Out>,
): AsyncGenerator<Out> {
  const here = await task.begin(setup);
  const offered = threads !== null && threads.most > 1 ? threads : null;
  let crew: Crew | null = null;
  let spent = 0;
  const waiting: { batch: Batch; asked: TaskGiven; answer: Promise<TaskResult | null> }[] = [];
  const next = async (): Promise<Iterable<Out>> => {
    const { batch, asked, answer } = waiting.shift()!;
    return accept(batch, (await answer) ?? here(asked));
  };
  try {
    for await (const batch of batches) {
      const asked = given(batch);
      if (asked === null || crew === null) {
        while (waiting.length > 0) yield* await next();
        const before = offered?.clock() ?? 0;
        yield* accept(batch, asked === null ? null : here(asked));
        if (asked === null || offered === null) continue;
        spent += offered.clock() - before;
        if (spent > patience) crew = await offered.start(task.name, setup);
        continue;
      }
      waiting.push({ batch, asked, answer: crew.ask(asked) });
      // No more in memory than keeps all of them busy.
      if (waiting.length >= 2 * crew.size) yield* await next();
    }
    while (waiting.length > 0) yield* await next();
  } finally {
    crew?.end();
  }
}
