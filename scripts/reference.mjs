/**
 * The reference of the whole public surface (docs/reference/site) and the pages of docs/ as a site (docs/site/dist): `npm run
 * docs`. What has no comment, and a link that leads nowhere, ends it with an error; `--check` only looks at the reference.
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
if (done.status !== 0) process.exit(done.status ?? 3);
console.log(
  `Reference: all of the public surface has comments${check.length > 0 ? '' : '; the pages are in docs/reference/site'}.`,
);

// The pages of docs/ as a site. A link that leads nowhere ends it.
const site = spawnSync(
  process.execPath,
  [join(root, 'node_modules/vitepress/bin/vitepress.js'), 'build', '.'],
  {
    cwd: join(root, 'docs/site'),
    encoding: 'utf8',
  },
);
if (site.status !== 0) {
  process.stderr.write(site.stdout + site.stderr);
  process.exit(site.status ?? 3);
}
console.log('Site: built into docs/site/dist; “npm run docs:read” shows it.');
