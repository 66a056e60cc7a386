import { existsSync } from 'node:fs';
import { copyFile, mkdir, readFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { IsomericError } from '../../core/index.ts';
import { writeText } from '../../node/index.ts';
import { type AddCommand, outputOf } from './command.ts';
import { runAndPrint } from './study.ts';

/** Ports that the study file of the demo names. */
const ports = { boundaryOffice: 47811, statisticsOffice: 47812, mapExtracts: 47813 };

/** The folder `demo/` of the package, from the compiled file or from the source. */
function demoFolder(): string {
  let folder = dirname(fileURLToPath(import.meta.url));
  while (!existsSync(join(folder, 'demo', 'study.yaml'))) {
    const up = dirname(folder);
    if (up === folder)
      throw new IsomericError('demo-missing', 'The demo data are not with this installation.', {
        advice: 'Use a full copy of the package.',
      });
    folder = up;
  }
  return join(folder, 'demo');
}

export const addDemo: AddCommand = (program) => {
  program
    .command('demo')
    .description('the whole job on the made-up country: starts simulated services, runs the study, delivers')
    .argument('[folder]', 'where the study goes', 'demo-study')
    .action(async (folder: string, _options, command) => {
      const output = outputOf(command);
      const demo = demoFolder();
      const { startStandIns } = await import('@isomeric/stand-ins');
      const services = await startStandIns({ data: join(demo, 'data'), ports });
      try {
        const addresses = {
          'boundary-office': `${services.boundaryOffice.address}/`,
          'statistics-office': `${services.statisticsOffice.address}/files/`,
          'map-extracts': `${services.mapExtracts.address}/files/`,
        };
        await mkdir(folder, { recursive: true });
        if (!existsSync(join(folder, 'study.yaml'))) {
          await writeText(join(folder, 'study.yaml'), await readFile(join(demo, 'study.yaml'), 'utf8'));
          await copyFile(join(demo, 'data', 'teskaria-grid.wkt'), join(folder, 'teskaria-grid.wkt'));
        }
        if (!output.json) {
          output.line(`Teskaria, a made-up island country. Simulated services are running:`);
          for (const [name, address] of Object.entries(addresses))
            output.line(`  ${name.padEnd(18)} ${address}`);
          output.line(`The study: ${join(folder, 'study.yaml')}`);
        }
        await runAndPrint(output, folder, { failAt: 'never', addresses });
      } finally {
        await services.close();
      }
    });
};
