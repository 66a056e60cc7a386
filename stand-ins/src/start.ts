import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type BoundaryOfficeOptions, boundaryOffice } from './boundary-office.ts';
import { type CatalogueOfficeOptions, catalogueOffice } from './catalogue-office.ts';
import { type MapHostOptions, mapHost } from './map-host.ts';
import type { Mood } from './moods.ts';
import { type OrderDeskOptions, orderDesk } from './order-desk.ts';
import { ReceiverLine, type ReceiverLineOptions } from './receiver-line.ts';
import type { Service } from './service.ts';
import { type StatisticsOfficeOptions, statisticsOffice } from './statistics-office.ts';

/** The simulated services, by the names that the demo's study gives them. */
export const offices = [
  'boundaryOffice',
  'statisticsOffice',
  'mapExtracts',
  'orderDesk',
  'catalogue',
] as const;
export type Office = (typeof offices)[number];

/** Ports that the study file of the demo names. */
export const usualPorts: Readonly<Record<Office, number>> = {
  boundaryOffice: 47811,
  statisticsOffice: 47812,
  mapExtracts: 47813,
  orderDesk: 47814,
  catalogue: 47815,
};

/** Port of the receiver's line that the study file of the demo names. */
export const receiverPort = 47816;

/** Key and account that the simulated statistics office knows; they open nothing else. */
export const madeUpSecrets = {
  key: 'made-up-key-of-teskaria',
  user: 'analyst',
  password: 'made-up-password',
};

export interface StandInsOptions {
  /** The folder `demo/data`. */
  data: string;
  /** Which state the boundary and the statistics office have published; the first when left out. */
  release?: 'first' | 'second';
  /** Ports that are tried first, so that addresses stay the same; others are taken when they are not free. */
  ports?: Partial<Record<Office, number>>;
  moods?: Partial<Record<Office, () => Mood>>;
  /** Lets `POST /mood` change the mood of an office; those of `moods` stay as they are. */
  moodsByRequest?: boolean;
  onRequest?: (office: string, url: string) => void;
  /** Features on a page of the boundary office. */
  pageSize?: number;
  boundary?: Partial<BoundaryOfficeOptions>;
  statistics?: Partial<StatisticsOfficeOptions>;
  map?: Partial<MapHostOptions>;
  desk?: Partial<OrderDeskOptions>;
  catalogue?: Partial<CatalogueOfficeOptions>;
  receiver?: Partial<ReceiverLineOptions>;
  /** Port of the receiver's line that is tried first. */
  receiverPort?: number;
}

export interface StandIn {
  address: string;
}

export type StandIns = Record<Office, StandIn> & {
  /** A receiver that sends over a line of the network. */
  receiverLine: StandIn;
  /** A receiver that is mounted as a folder. */
  receiver: StandIn;
  close(): Promise<void>;
};

/** The data with those of the second release in place of the first, in a folder that goes with the process. */
function secondRelease(first: string): string {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-release-'));
  process.once('exit', () => rmSync(folder, { recursive: true, force: true }));
  const options = { recursive: true, preserveTimestamps: true };
  cpSync(first, folder, options);
  cpSync(join(first, 'second-release'), folder, options);
  return folder;
}

async function listenLine(line: ReceiverLine, port: number): Promise<string> {
  try {
    return await line.listen(port);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EADDRINUSE' || port === 0) throw error;
    return line.listen(0);
  }
}

async function listen(server: Service, port: number): Promise<string> {
  try {
    return await server.listen({ host: '127.0.0.1', port });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EADDRINUSE' || port === 0) throw error;
    return server.listen({ host: '127.0.0.1', port: 0 });
  }
}

/** Starts all offices on this machine. */
export async function startStandIns(options: StandInsOptions): Promise<StandIns> {
  const told: Partial<Record<Office, Mood>> = {};
  const common = (office: Office, name: string) => ({
    mood: options.moods?.[office] ?? (() => told[office] ?? ('well' as const)),
    setMood: options.moodsByRequest
      ? (mood: Mood) => {
          told[office] = mood;
        }
      : undefined,
    onRequest: (url: string) => options.onRequest?.(name, url),
  });
  const data = options.release === 'second' ? secondRelease(options.data) : options.data;
  const started = {} as Record<Office, StandIn>;
  const servers: Record<Office, Service> = {
    boundaryOffice: boundaryOffice({
      folder: join(data, 'boundary-office'),
      pageSize: options.pageSize,
      ...common('boundaryOffice', 'boundary-office'),
      ...options.boundary,
    }),
    statisticsOffice: statisticsOffice({
      folder: join(data, 'statistics-office'),
      key: madeUpSecrets.key,
      account: { user: madeUpSecrets.user, password: madeUpSecrets.password },
      ...common('statisticsOffice', 'statistics-office'),
      ...options.statistics,
    }),
    mapExtracts: mapHost({
      folder: join(data, 'map-extracts'),
      database: join(data, 'map-database', 'ombrey.osm.gz'),
      ...common('mapExtracts', 'map-extracts'),
      ...options.map,
    }),
    orderDesk: orderDesk({
      folder: join(data, 'order-desk'),
      mostArea: 200,
      ...common('orderDesk', 'order-desk'),
      ...options.desk,
    }),
    catalogue: catalogueOffice({
      statistics: join(data, 'statistics-office'),
      // Known as soon as all have begun; nobody asks before.
      addresses: () => ({
        catalogue: started.catalogue.address,
        statistics: started.statisticsOffice.address,
        boundary: started.boundaryOffice.address,
      }),
      ...common('catalogue', 'catalogue'),
      ...options.catalogue,
    }),
  };
  for (const office of offices)
    started[office] = { address: await listen(servers[office], options.ports?.[office] ?? 0) };
  const line = new ReceiverLine({ file: join(data, 'receiver-line', 'sentences.nmea'), ...options.receiver });
  const address = await listenLine(line, options.receiverPort ?? 0);
  return {
    ...started,
    receiverLine: { address },
    receiver: { address: join(options.data, 'receiver') },
    async close() {
      await Promise.all([...Object.values(servers).map((each) => each.close()), line.close()]);
    },
  };
}
