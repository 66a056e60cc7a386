import { join } from 'node:path';
import type { FastifyInstance } from 'fastify';
import { boundaryOffice } from './boundary-office.ts';
import { fileOffice } from './file-office.ts';
import type { Mood } from './moods.ts';

export interface StandInsOptions {
  /** The folder `demo/data`. */
  data: string;
  /** Ports that are tried first, so that addresses stay the same; others are taken when they are not free. */
  ports?: { boundaryOffice: number; statisticsOffice: number; mapExtracts: number };
  moods?: { boundaryOffice?: () => Mood; statisticsOffice?: () => Mood; mapExtracts?: () => Mood };
  onRequest?: (office: string, url: string) => void;
  /** Features on a page of the boundary office. */
  pageSize?: number;
}

export interface StandIn {
  address: string;
}

export interface StandIns {
  boundaryOffice: StandIn;
  statisticsOffice: StandIn;
  mapExtracts: StandIn;
  close(): Promise<void>;
}

async function listen(server: FastifyInstance, port: number): Promise<string> {
  try {
    return await server.listen({ host: '127.0.0.1', port });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EADDRINUSE' || port === 0) throw error;
    return server.listen({ host: '127.0.0.1', port: 0 });
  }
}

/** Starts all offices on this machine. */
export async function startStandIns(options: StandInsOptions): Promise<StandIns> {
  const told = (office: string) => (url: string) => options.onRequest?.(office, url);
  const boundary = boundaryOffice({
    folder: join(options.data, 'boundary-office'),
    mood: options.moods?.boundaryOffice,
    onRequest: told('boundary-office'),
    pageSize: options.pageSize,
  });
  const statistics = fileOffice({
    folder: join(options.data, 'statistics-office'),
    title: 'Statistics Office of Teskaria',
    mood: options.moods?.statisticsOffice,
    onRequest: told('statistics-office'),
  });
  const extracts = fileOffice({
    folder: join(options.data, 'map-extracts'),
    title: 'Map extracts of Teskaria',
    mood: options.moods?.mapExtracts,
    onRequest: told('map-extracts'),
  });
  return {
    boundaryOffice: { address: await listen(boundary, options.ports?.boundaryOffice ?? 0) },
    statisticsOffice: { address: await listen(statistics, options.ports?.statisticsOffice ?? 0) },
    mapExtracts: { address: await listen(extracts, options.ports?.mapExtracts ?? 0) },
    async close() {
      await Promise.all([boundary.close(), statistics.close(), extracts.close()]);
    },
  };
}
