/**
 * What the package costs who uses it: start-up beside the floor of Node, what an installation brings, what a page loads.
 * `npm run measure` prints the tables of docs/performance.md. Start-up is the median of runs that alternate with the floor.
 */
import { execFileSync, spawnSync } from 'node:child_process';
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { brought, bytesIn } from './brought.mjs';
import { build, packages, root } from './setup.mjs';

packages();
build();
const folder = mkdtempSync(join(tmpdir(), 'isomeric-measure-'));
const runs = 15;
const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];
const timed = (args) => {
  const start = process.hrtime.bigint();
  spawnSync(process.execPath, args, { cwd: folder, stdio: 'ignore' });
  return Number(process.hrtime.bigint() - start) / 1e6;
};

/** Median milliseconds of a start and of its floor, in turn. */
function beside(args) {
  timed(args);
  const own = [];
  const floor = [];
  for (let k = 0; k < runs; k++) {
    floor.push(timed(['-e', '0']));
    own.push(timed(args));
  }
  return { own: median(own), floor: median(floor) };
}

try {
  mkdirSync(join(folder, 'node_modules'));
  const packed = execFileSync('npm', ['pack', '--ignore-scripts', '--silent', '--pack-destination', folder], {
    cwd: root,
    encoding: 'utf8',
  }).trim();
  execFileSync('tar', ['xzf', packed], { cwd: folder });
  const installed = join(folder, 'node_modules/isomeric');
  cpSync(join(folder, 'package'), installed, { recursive: true });
  for (const place of brought()) {
    mkdirSync(dirname(join(folder, place)), { recursive: true });
    cpSync(join(root, place), join(folder, place), { recursive: true });
  }
  const megabytes = (path) => (bytesIn(path) / 1e6).toFixed(1);
  console.log(`| Installed | |\n| --- | --- |
| packages | ${brought().length + 1} |
| all of them | ${megabytes(join(folder, 'node_modules'))} MB |
| Isomeric itself | ${megabytes(installed)} MB |
| its tarball | ${(readFileSync(join(folder, packed)).length / 1e6).toFixed(1)} MB |
`);
  const wards = join(root, 'demo/data/boundary-office/districts-2024.geojson');
  const command = join(installed, 'dist/cli/main.js');
  writeFileSync(join(folder, 'package.json'), '{"type":"module","private":true}');
  writeFileSync(join(folder, 'library.js'), "import 'isomeric';\n");
  const starts = [
    ['`isomeric --version`', [command, '--version']],
    ['`isomeric --help`', [command, '--help']],
    ['`isomeric look` at 15 areas', [command, 'look', wards]],
    ['`isomeric where`, saved', [command, 'where', wards, "code = 'T204'", '--out', 'x.geojson']],
    ['`isomeric crs EPSG:32626`', [command, 'crs', 'EPSG:32626']],
    ["`import 'isomeric'`", ['library.js']],
  ];
  console.log('| Started | ms | `node -e 0` | ratio |\n| --- | --- | --- | --- |');
  for (const [name, args] of starts) {
    const { own, floor } = beside(args);
    console.log(`| ${name} | ${own.toFixed(0)} | ${floor.toFixed(0)} | ${(own / floor).toFixed(2)} |`);
  }
  console.log('\n| A page that imports | loads at first, gz | all of its parts, gz |\n| --- | --- | --- |');
  const vite = join(root, 'node_modules/vite/bin/vite.js');
  for (const [names, from] of [
    ['clip', 'isomeric'],
    ['join', 'isomeric'],
    ['reproject', 'isomeric'],
    ['openLayer, save', 'isomeric'],
    ['clipLayer', 'isomeric/core'],
    ['reprojectLayer', 'isomeric/core'],
  ]) {
    const page = join(folder, 'page');
    rmSync(page, { recursive: true, force: true });
    mkdirSync(page);
    writeFileSync(join(page, 'index.html'), '<script type="module" src="./main.js"></script>');
    writeFileSync(join(page, 'main.js'), `import { ${names} } from '${from}';\nconsole.log(${names});\n`);
    const done = spawnSync(process.execPath, [vite, 'build', page, '--logLevel', 'error'], {
      encoding: 'utf8',
    });
    if (done.status !== 0) throw new Error(done.stderr);
    const [, first] = /src="\/assets\/([^"]+)"/.exec(readFileSync(join(page, 'dist/index.html'), 'utf8'));
    const size = (file) => gzipSync(readFileSync(join(page, 'dist/assets', file))).length / 1000;
    const parts = readdirSync(join(page, 'dist/assets')).filter((file) => file.endsWith('.js'));
    console.log(
      `| \`${names}\` of \`${from}\` | ${size(first).toFixed(1)} kB | ${parts.reduce((sum, file) => sum + size(file), 0).toFixed(0)} kB |`,
    );
  }
} finally {
  if (existsSync(folder)) rmSync(folder, { recursive: true, force: true });
}
