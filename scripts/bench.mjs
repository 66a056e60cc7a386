import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build, packages, root } from './setup.mjs';

packages();
build();
const tsx = join(root, 'node_modules', 'tsx', 'dist', 'cli.mjs');
const done = spawnSync(process.execPath, [tsx, join(root, 'bench', 'run.ts'), ...process.argv.slice(2)], {
  cwd: root,
  stdio: 'inherit',
});
process.exit(done.status ?? 3);
