// Compiled, so that what is measured is what ships. `npm run bench -- clip` measures one thing only.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build, packages, root } from './setup.mjs';

packages();
build();
const tsc = join(root, 'node_modules', 'typescript', 'bin', 'tsc');
const compiled = spawnSync(process.execPath, [tsc, '-p', 'tsconfig.bench.json'], {
  cwd: root,
  stdio: 'inherit',
});
if (compiled.status !== 0) process.exit(compiled.status ?? 3);
const run = join(root, '.cache', 'bench', 'bench', 'run.js');
// Each measurement and its floor in a process of their own, so that none weighs on the next.
const asked = process.argv.slice(2);
for (const name of asked.length > 0
  ? asked
  : [
      'geojson',
      'shapefile',
      'geopackage',
      'bybox',
      'clip',
      'reproject',
      'join',
      'memory',
      'streams',
      'tables',
      'savings',
      'gather',
    ]) {
  const done = spawnSync(process.execPath, ['--expose-gc', run, name], { cwd: root, stdio: 'inherit' });
  if (done.status !== 0) process.exit(done.status ?? 3);
}
