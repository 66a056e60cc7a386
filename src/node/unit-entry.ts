import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { parentPort, workerData } from 'node:worker_threads';
import { runUnit, type UnitRequest } from '../study/series/unit-run.ts';
import { unitMachine } from './unit-machine.ts';

/** One unit for a worker thread. */
export interface UnitTask {
  number: number;
  folder: string;
  request: UnitRequest;
}

const port = parentPort!;
const { study } = workerData as { study: string };

port.on('message', (task: UnitTask) => {
  const machine = unitMachine(study, task.folder);
  const readOwn = (path: string) => readFile(join(study, task.folder, path), 'utf8').catch(() => null);
  void runUnit(machine, task.request, readOwn).then((outcome) =>
    port.postMessage({ number: task.number, outcome }),
  );
});
