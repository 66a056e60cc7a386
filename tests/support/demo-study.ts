import { copyFileSync, cpSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { demoAddresses } from '../../src/cli/commands/demo.ts';
import { nodeMachine } from '../../src/node/index.ts';
import {
  type Machine,
  type Reporter,
  type RunOptions,
  type RunResult,
  runStudy,
  silentReporter,
} from '../../src/study/index.ts';
import {
  type Mood,
  madeUpSecrets,
  type Office,
  type StandIns,
  type StandInsOptions,
  startStandIns,
} from '../../stand-ins/src/index.ts';
import { patient } from './http-service.ts';

export const demoFolder = fileURLToPath(new URL('../../demo', import.meta.url));

/** What the simulated offices want of the environment. */
export const demoEnvironment: Readonly<Record<string, string>> = {
  TESKARIA_KEY: madeUpSecrets.key,
  TESKARIA_USER: madeUpSecrets.user,
  TESKARIA_PASSWORD: madeUpSecrets.password,
};

/** The demo's study in a folder of its own, with its stand-ins running on free ports. */
export interface DemoStudy {
  folder: string;
  services: StandIns;
  addresses: Record<string, string>;
  /** Requests that the stand-ins have had, `office path`. */
  requests: string[];
  moods: Record<Office, Mood>;
  said: string[];
  /** The machine of the study, with the environment of the demo. */
  machine(more?: Partial<Machine>): Machine;
  run(options?: RunOptions, more?: Partial<Machine>): Promise<RunResult>;
  end(): Promise<void>;
}

export async function demoStudy(pageSize?: number, more: Partial<StandInsOptions> = {}): Promise<DemoStudy> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-study-'));
  copyFileSync(join(demoFolder, 'study.yaml'), join(folder, 'study.yaml'));
  copyFileSync(join(demoFolder, 'data', 'teskaria-grid.wkt'), join(folder, 'teskaria-grid.wkt'));
  const data = join(folder, 'service-data');
  mkdirSync(data);
  for (const office of [
    'boundary-office',
    'statistics-office',
    'map-extracts',
    'map-database',
    'order-desk',
    'receiver',
    'receiver-line',
  ])
    cpSync(join(demoFolder, 'data', office), join(data, office), { recursive: true });
  const requests: string[] = [];
  const moods: DemoStudy['moods'] = {
    boundaryOffice: 'well',
    statisticsOffice: 'well',
    mapExtracts: 'well',
    orderDesk: 'well',
    catalogue: 'well',
  };
  const services = await startStandIns({
    data,
    pageSize,
    moods: {
      boundaryOffice: () => moods.boundaryOffice,
      statisticsOffice: () => moods.statisticsOffice,
      mapExtracts: () => moods.mapExtracts,
      orderDesk: () => moods.orderDesk,
      catalogue: () => moods.catalogue,
    },
    onRequest: (office, url) => requests.push(`${office} ${url}`),
    ...more,
    desk: { takes: 20, ...more.desk },
  });
  const said: string[] = [];
  const reporter: Reporter = {
    ...silentReporter,
    say: (words) => said.push(words),
    note: (words) => said.push(words),
  };
  const addresses = demoAddresses(services);
  const machine = (own: Partial<Machine> = {}): Machine => ({
    ...nodeMachine(folder, reporter),
    environment: (name) => demoEnvironment[name],
    ...own,
  });
  return {
    folder,
    services,
    addresses,
    requests,
    moods,
    said,
    machine,
    run: (options = {}, own = {}) =>
      runStudy(machine(own), { patience: patient, tries: 1, addresses, ...options }),
    async end() {
      await services.close();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
