// The whole job on the made-up country, from a fresh clone: packages, build, stand-ins, study, delivered folder.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build, packages, root } from './setup.mjs';

packages();
build();
// A folder, and options of the command: `npm run demo -- --second-release`.
const given = process.argv.slice(2);
const folder = given.some((each) => !each.startsWith('-')) ? [] : [join(root, 'demo-study')];
const done = spawnSync(
  process.execPath,
  [join(root, 'dist', 'cli', 'main.js'), 'demo', ...folder, ...given],
  {
    stdio: 'inherit',
  },
);
process.exit(done.status ?? 3);
