// All that the tests need on a fresh machine, then the tests.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { browser, build, outsidePrograms, packages, root } from './setup.mjs';

packages();
build();
outsidePrograms();
const env = { ...process.env, ISOMERIC_BROWSER: browser() };
const vitest = join(root, 'node_modules', 'vitest', 'vitest.mjs');
/** What takes longest: every command of all pages, processes that are killed, damage without end, packages, browsers. */
const long = [
  'project/{docs,package,generated}',
  'study/{study,killed,catalogue,key-examples,series,again}',
  'formats/{round-trip,fuzz,formats-in-browser,large,zip}',
  'sources/{bad-days,fuzz-services,healing,catalogue-forms}',
  'node/threads',
  'cli/cli',
  'core/geometry/{area-index,faces,adversarial}',
];
const given = process.argv.slice(2);
const everyday = given.includes('--everyday');
const args = given.filter((arg) => arg !== '--everyday');
if (everyday) for (const each of long) args.push('--exclude', `tests/${each}.test.ts`);
const done = spawnSync(process.execPath, [vitest, 'run', ...args], {
  cwd: root,
  stdio: 'inherit',
  env,
});
process.exit(done.status ?? 3);
