import { copyFileSync, cpSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { nodeMachine } from '../src/node/index.ts';
import {
  type Reporter,
  type RunOptions,
  type RunResult,
  runStudy,
  silentReporter,
} from '../src/study/index.ts';
import { type Mood, type StandIns, startStandIns } from '../stand-ins/src/index.ts';

export const demoFolder = fileURLToPath(new URL('../demo', import.meta.url));

/** The demo's study in a folder of its own, with its stand-ins running on free ports. */
export interface DemoStudy {
  folder: string;
  services: StandIns;
  /** Requests that the stand-ins have had, `office path`. */
  requests: string[];
  moods: { boundaryOffice: Mood; statisticsOffice: Mood; mapExtracts: Mood };
  said: string[];
  run(options?: RunOptions): Promise<RunResult>;
  end(): Promise<void>;
}

export async function demoStudy(pageSize?: number): Promise<DemoStudy> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-study-'));
  copyFileSync(join(demoFolder, 'study.yaml'), join(folder, 'study.yaml'));
  copyFileSync(join(demoFolder, 'data', 'teskaria-grid.wkt'), join(folder, 'teskaria-grid.wkt'));
  const data = join(folder, 'service-data');
  mkdirSync(data);
  for (const office of ['boundary-office', 'statistics-office', 'map-extracts'])
    cpSync(join(demoFolder, 'data', office), join(data, office), { recursive: true });
  const requests: string[] = [];
  const moods: DemoStudy['moods'] = { boundaryOffice: 'well', statisticsOffice: 'well', mapExtracts: 'well' };
  const services = await startStandIns({
    data,
    pageSize,
    moods: {
      boundaryOffice: () => moods.boundaryOffice,
      statisticsOffice: () => moods.statisticsOffice,
      mapExtracts: () => moods.mapExtracts,
    },
    onRequest: (office, url) => requests.push(`${office} ${url}`),
  });
  const said: string[] = [];
  const reporter: Reporter = {
    ...silentReporter,
    say: (words) => said.push(words),
    note: (words) => said.push(words),
  };
  return {
    folder,
    services,
    requests,
    moods,
    said,
    run: (options = {}) =>
      runStudy(nodeMachine(folder, reporter), {
        patience: 1500,
        tries: 1,
        addresses: {
          'boundary-office': `${services.boundaryOffice.address}/`,
          'statistics-office': `${services.statisticsOffice.address}/files/`,
          'map-extracts': `${services.mapExtracts.address}/files/`,
        },
        ...options,
      }),
    async end() {
      await services.close();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
