import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { IsomericError } from '../core/errors.ts';

/** The folder `demo/` of the package, from the compiled file or from the source. */
export function demoFolder(): string {
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
