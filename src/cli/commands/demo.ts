import { existsSync } from 'node:fs';
import { copyFile, cp, mkdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { counted } from '../../core/account.ts';
import { nodeMachine, writeText } from '../../node/index.ts';
import { demoFolder } from '../demo-data.ts';
import { type Output, printingReporter } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';
import { putData } from './new-study.ts';
import { runAndPrint } from './study.ts';

interface Services {
  boundaryOffice: { address: string };
  statisticsOffice: { address: string };
  mapExtracts: { address: string };
  orderDesk: { address: string };
  catalogue: { address: string };
  receiver: { address: string };
  receiverLine: { address: string };
}

/** Addresses of the demo's sources, by their names in its study. */
export function demoAddresses(services: Services): Record<string, string> {
  const { boundaryOffice, statisticsOffice, mapExtracts, orderDesk, catalogue, receiver, receiverLine } =
    services;
  return {
    'boundary-office': `${boundaryOffice.address}/`,
    'boundary-wfs': `${boundaryOffice.address}/wfs`,
    'statistics-office': `${statisticsOffice.address}/files/`,
    'statistics-packs': `${statisticsOffice.address}/packs/`,
    'statistics-sdmx': `${statisticsOffice.address}/sdmx/`,
    'statistics-cubes': `${statisticsOffice.address}/json-stat/`,
    'statistics-rows': `${statisticsOffice.address}/rows/`,
    'map-extracts': `${mapExtracts.address}/files/`,
    'map-regions': `${mapExtracts.address}/regions.json`,
    'map-database': `${mapExtracts.address}/`,
    'order-desk': `${orderDesk.address}/`,
    receiver: receiver.address,
    'receiver-line': receiverLine.address,
    'open-data': `${catalogue.address}/`,
    'national-catalogue': `${catalogue.address}/dcat/nested`,
  };
}

/** What the catalogue has of the question, before anything is gathered. */
async function findTables(folder: string, addresses: Record<string, string>, output: Output): Promise<void> {
  const [
    { fillCatalogue },
    { CatalogueStore },
    { studyIn },
    { CatalogueIndex },
    { compareEntries },
    { entryName },
  ] = await Promise.all([
    import('../../study/catalogue/fill.ts'),
    import('../../study/catalogue/store.ts'),
    import('../../study/area-of-study.ts'),
    import('../../core/catalogue/catalogue-index.ts'),
    import('../../core/catalogue/compare.ts'),
    import('../../core/catalogue/entry.ts'),
  ]);
  const reporter = printingReporter(output);
  const machine = nodeMachine(folder, reporter);
  const study = await studyIn(machine);
  const store = await CatalogueStore.load(machine);
  reporter.stage('Find');
  const filled = await fillCatalogue(study, machine, store, { addresses });
  reporter.stop();
  const index = new CatalogueIndex(store.entries());
  const listed = filled.filter(({ count }) => count > 0);
  reporter.say(
    `Find: ${counted(index.entries.length, 'entry', 'entries')} of ${counted(listed.length, 'source', 'sources')} and catalogues, kept in catalogue.jsonl.`,
  );
  const query = { words: 'households floor car', facets: { level: ['ward'], holds: ['table'] } };
  const { count, best } = index.search(query, 3);
  reporter.say(
    `Find: “${query.words}” by ward; ${counted(count, 'table', 'tables')}, the best ${best.map((i) => entryName(index.entries[i])).join(', ')}.`,
  );
  const vintages = index.entries.filter(({ series }) => series === 'HOUSING');
  for (const note of compareEntries(vintages).notes) reporter.note(note);
  reporter.stop();
}

export const addDemo: AddCommand = (program) => {
  program
    .command('demo')
    .description('the whole job on the made-up country: starts simulated services, runs the study, delivers')
    .argument('[folder]', 'where the study goes', 'demo-study')
    .option(
      '--second-release',
      'as if the offices had published again: run it on a folder of the demo, and see what changed',
    )
    .option('--data <folder>', 'instead: only put the data of all examples into this folder')
    .action(async (folder: string, options: { data?: string; secondRelease?: boolean }, command) => {
      const output = outputOf(command);
      if (options.data !== undefined) return putData(options.data, output);
      const demo = demoFolder();
      const { madeUpSecrets, receiverPort, startStandIns, usualPorts } = await import('#stand-ins');
      const services = await startStandIns({
        data: join(demo, 'data'),
        release: options.secondRelease === true ? 'second' : 'first',
        ports: usualPorts,
        receiverPort,
      });
      // The simulated offices know a made-up key and account; of real ones each has their own.
      process.env.TESKARIA_KEY ??= madeUpSecrets.key;
      process.env.TESKARIA_USER ??= madeUpSecrets.user;
      process.env.TESKARIA_PASSWORD ??= madeUpSecrets.password;
      try {
        const addresses = demoAddresses(services);
        await mkdir(folder, { recursive: true });
        if (!existsSync(join(folder, 'study.yaml'))) {
          await writeText(join(folder, 'study.yaml'), await readFile(join(demo, 'study.yaml'), 'utf8'));
          await copyFile(join(demo, 'data', 'teskaria-grid.wkt'), join(folder, 'teskaria-grid.wkt'));
          // As if the receiver were mounted there: later runs, without this command, find it.
          await cp(join(demo, 'data', 'receiver'), join(folder, 'receiver'), { recursive: true });
        }
        if (!output.json) {
          output.line(`Teskaria, a made-up island country. Simulated services are running:`);
          for (const [name, { address }] of [
            ['boundary office', services.boundaryOffice],
            ['statistics office', services.statisticsOffice],
            ['map host', services.mapExtracts],
            ['order desk', services.orderDesk],
            ['catalogue', services.catalogue],
            ['receiver', services.receiver],
            ['receiver’s line', services.receiverLine],
          ] as const)
            output.line(`  ${name.padEnd(18)} ${address}`);
          output.line(`The study: ${join(folder, 'study.yaml')}`);
        }
        await findTables(folder, addresses, output);
        await runAndPrint(output, folder, { addresses });
      } finally {
        await services.close();
      }
    });
};
