/**
 * The reference of the whole public surface, as pages: `npm run docs`, into docs/reference/site. What has no comment ends it
 * with an error; `--check` looks only.
 */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { packages, root } from './setup.mjs';

packages();
const folder = join(root, 'docs/reference');
const check = process.argv.includes('--check') ? ['--emit', 'none'] : [];
const done = spawnSync(
  process.execPath,
  ['node_modules/typedoc/bin/typedoc', '--logLevel', 'Warn', ...check],
  {
    cwd: folder,
    stdio: 'inherit',
  },
);
if (done.status === 0)
  console.log(
    `Reference: all of the public surface has comments${check.length > 0 ? '' : '; the pages are in docs/reference/site'}.`,
  );
process.exit(done.status ?? 3);
