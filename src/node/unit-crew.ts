import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { UnitRunner } from '../study/series/series.ts';
import { runUnit, type UnitOutcome, type UnitRequest } from '../study/series/unit-run.ts';
import type { UnitTask } from './unit-entry.ts';
import { unitMachine } from './unit-machine.ts';

/** Threads at most; units that one thread runs before a fresh one takes its place; megabytes of objects that a thread may hold. */
const mostThreads = 8;
const mostUnits = 20;
const mostMegabytes = 2048;

interface Job {
  task: UnitTask;
  settle(outcome: UnitOutcome): void;
}

function entry(): string | undefined {
  return ['../node/unit-entry.js', '../../dist/node/unit-entry.js']
    .map((path) => fileURLToPath(new URL(path, import.meta.url)))
    .find((path) => existsSync(path));
}

const failed = (code: string, words: string): UnitOutcome => ({
  code,
  state: 'failed',
  trouble: { code: 'unit-lost', words },
  layers: 0,
  features: 0,
  counts: {},
  findings: { error: 0, warning: 0, note: 0 },
  figures: {},
});

/**
 * Runs units on worker threads, one at a time on each. What a thread holds is bounded: it is replaced after some units, and one that
 * needs too much memory loses its own unit only.
 *
 * @param atOnce how many; as many as there are processors when left out
 */
export function unitCrew(study: string, atOnce?: number): UnitRunner {
  const path = entry();
  const count = Math.min(atOnce ?? availableParallelism(), mostThreads);
  if (path === undefined || count < 2) return oneByOne(study);
  const waiting: Job[] = [];
  const busy = new Set<Worker>();
  let number = 0;
  let ended = false;

  const begin = (first: Job): void => {
    if (ended) {
      first.settle(failed(first.task.request.code, 'The series was ended.'));
      return;
    }
    const worker = new Worker(path, {
      workerData: { study },
      resourceLimits: { maxOldGenerationSizeMb: mostMegabytes },
    });
    busy.add(worker);
    let job: Job | null = first;
    let units = 0;
    worker.postMessage(first.task);
    worker.on('message', ({ outcome }: { outcome: UnitOutcome }) => {
      job?.settle(outcome);
      units++;
      job = units < mostUnits ? (waiting.shift() ?? null) : null;
      if (job === null) void worker.terminate();
      else worker.postMessage(job.task);
    });
    const gone = (words: string) => {
      if (!busy.delete(worker)) return;
      job?.settle(failed(job.task.request.code, words));
      job = null;
      const next = waiting.shift();
      if (next !== undefined) begin(next);
    };
    worker.on('error', (error) => gone(`Its thread ended: ${error.message}.`));
    worker.on('exit', () => gone('Its thread ended.'));
  };
  return {
    run: (folder, request) =>
      new Promise((settle) => {
        const job: Job = { task: { number: number++, folder, request }, settle };
        if (busy.size < count) begin(job);
        else waiting.push(job);
      }),
    async end() {
      ended = true;
      await Promise.all([...busy].map((worker) => worker.terminate()));
    },
  };
}

/** The same in this thread, where there are no others. */
function oneByOne(study: string): UnitRunner {
  let before: Promise<unknown> = Promise.resolve();
  return {
    run(folder: string, request: UnitRequest) {
      const next = before.then(() =>
        runUnit(unitMachine(study, folder), request, (path) =>
          readFile(join(study, folder, path), 'utf8').catch(() => null),
        ),
      );
      before = next;
      return next;
    },
    async end() {},
  };
}
