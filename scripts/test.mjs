// All that the tests need on a fresh machine, then the tests.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { browser, build, outsidePrograms, packages, root } from './setup.mjs';

packages();
build();
outsidePrograms();
const env = { ...process.env, ISOMERIC_BROWSER: browser() };
const vitest = join(root, 'node_modules', 'vitest', 'vitest.mjs');
const done = spawnSync(process.execPath, [vitest, 'run', ...process.argv.slice(2)], {
  cwd: root,
  stdio: 'inherit',
  env,
});
process.exit(done.status ?? 3);
