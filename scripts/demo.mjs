// The whole job on the made-up country, from a fresh clone: packages, build, stand-ins, study, delivered folder.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build, packages, root } from './setup.mjs';

packages();
build();
const folder = process.argv[2] ?? join(root, 'demo-study');
const done = spawnSync(process.execPath, [join(root, 'dist', 'cli', 'main.js'), 'demo', folder], {
  stdio: 'inherit',
});
process.exit(done.status ?? 3);
