// Makes docs/screenshots/ anew from the demo data: `npm run shots`. Needs Chromium, Xvfb, xterm and ImageMagick.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import {
  cpSync,
  createReadStream,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { extname, join } from 'node:path';
import { chromium } from 'playwright-core';
import { browser, build, packages, root } from './setup.mjs';

packages();
build();
const begun = Date.now();
const target = join(root, 'docs', 'screenshots');
mkdirSync(target, { recursive: true });
const only = process.argv[2];
const folder = mkdtempSync(join(tmpdir(), 'isomeric-shots-'));
cpSync(join(root, 'demo', 'data'), join(folder, 'data'), { recursive: true });
const command = join(root, 'dist', 'cli', 'main.js');
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
spawnSync(process.execPath, [command, 'demo', join(folder, 'flats')], { stdio: 'ignore' });
if (only === undefined || only === 'command-again')
  spawnSync(process.execPath, [command, 'demo', join(folder, 'again')], { stdio: 'ignore' });
spawnSync(
  process.execPath,
  [
    command,
    'clip',
    'data/boundary-office/wards-2024.geojson',
    '--area',
    'data/boundary-office/districts-2024.geojson',
    '--area-where',
    "code IN ('T204','T205')",
    '--out',
    'wards.gpkg',
  ],
  { cwd: folder, stdio: 'ignore' },
);

/** Pictures that are taken while the command still runs, after so many milliseconds. */
const during = { 'command-gather': 5500, 'command-find': 7000 };

// A study that gathers from services with a slow day, and one that asks first.
const sources = readFileSync(join(root, 'demo', 'study.yaml'), 'utf8');
const slowData = join(folder, 'slow-data');
cpSync(join(root, 'demo', 'data'), slowData, { recursive: true });
writeFileSync(
  join(slowData, 'statistics-office', 'HOUSING.csv'),
  `area_code,households\n${'020401,181\n'.repeat(600_000)}`,
);
const { madeUpSecrets, offices, startStandIns } = await import('#stand-ins');
const slow = Object.fromEntries(offices.slice(0, 3).map((office) => [office, () => 'slow']));
const services = await startStandIns({
  data: slowData,
  moods: slow,
  pageSize: 10,
  desk: { takes: 9000, mostArea: 200 },
});
const quick = await startStandIns({ data: join(root, 'demo', 'data'), desk: { takes: 300 } });
const at = (own, text) =>
  offices.reduce(
    (result, office, k) => result.replaceAll(`http://127.0.0.1:4781${k + 1}`, own[office].address),
    text,
  );
mkdirSync(join(folder, 'slow'));
writeFileSync(
  join(folder, 'slow', 'study.yaml'),
  at(services, sources).replace(/ {4}where: area_code <>.*\n/, ''),
);
cpSync(join(root, 'demo', 'data', 'teskaria-grid.wkt'), join(folder, 'slow', 'teskaria-grid.wkt'));
mkdirSync(join(folder, 'works'));
const how = readFileSync(join(root, 'docs', 'gather.md'), 'utf8');
writeFileSync(
  join(folder, 'works', 'study.yaml'),
  at(quick, how.split('```yaml ways/study.yaml\n')[1].split('```')[0]),
);

mkdirSync(join(folder, 'find'));
const looking = readFileSync(join(root, 'docs', 'find.md'), 'utf8');
writeFileSync(
  join(folder, 'find', 'study.yaml'),
  at(quick, looking.split('```yaml flats/study.yaml\n')[1].split('```')[0]),
);
const units =
  'units: { of: [data/boundary-office/districts-2024.geojson, data/boundary-office/wards-2024.geojson], name: [ombrey flats west, ombrey flats east], down to: finest }, margin: 500 m';

/** What is typed in each terminal picture. */
const terminals = {
  // Keys go through a terminal of their own: to the facets, the third of them opened, its second value chosen.
  'command-find': [
    `(sleep 4; printf '\\t\\033[B\\033[B\\r\\033[B\\033[B\\r'; sleep 60) | script -qfc "stty cols 150 rows 46; node ${command} find households --study find" /dev/null`,
  ],
  'command-area': [
    `isomeric area "${units}" --sheets teskaria --level 80k`,
    'isomeric sheets teskaria TG03-17',
  ],
  'command-demo': ['isomeric demo flats | tail -n 40'],
  'command-look': ['isomeric look data/map-extracts/teskaria-ombrey.zip'],
  'command-gather': ['isomeric run slow --only gather'],
  'command-ledger': [
    'isomeric run works --dry',
    'isomeric run works --only gather | tail -n 6',
    'isomeric ledger works --verify',
  ],
  'command-field': [
    'isomeric field data/receiver',
    'isomeric field data/receiver --waypoints "CUL-001 to CUL-048" --tracks "Omber, left bank" --photos all --zone -02:00 --crs data/teskaria-grid.wkt --fastest 4 --out field.gpkg | grep -v "Write\\|From\\|Reproject"',
    'isomeric rows field.gpkg --layer legs --columns track_name,begin,seconds,moving,distance,speed_mean,climb,stops,jumps',
  ],
  'command-again': [
    'isomeric demo again --second-release | grep -A 30 "Changes since"',
    'isomeric trace again --of 020413 --field no_car_share --layer wards',
  ],
  'command-compute': [
    'isomeric save data/statistics-office/MOBILITY-2024.zip --level "6 digits" --variables "adults = residents aged 16 and over; walk = cannot walk" --out m.csv > /dev/null',
    'isomeric compute m.csv "share = share(walk, adults)" --out shares.csv',
    'isomeric check shares.csv --sure share --unsure-above 60',
    'isomeric widen data/statistics-office/RESIDENTS.csv --by SEX,AGE --value OBS_VALUE --rows REF_AREA --out wide.csv',
    'isomeric variables data/statistics-office/MOBILITY-2024.zip cannot walk | head -n 6',
    'isomeric group data/statistics-office/HOUSING.csv "households = sum(households)" "no_car = mean(households_no_car, households)" --out all.csv',
    'isomeric look data/map-extracts/flood-depth.tif',
  ],
  'command-clip': [
    `isomeric rows data/statistics-office/HOUSING.csv --where "households > 1000" --sort households_no_car --descending --limit 6`,
    `isomeric clip data/map-extracts/teskaria-ombrey.zip --layer buildings --from data/teskaria-grid.wkt --area data/boundary-office/districts-2024.geojson --area-where "code = 'T204'" --out buildings.gpkg`,
    'isomeric simplify data/boundary-office/wards-2024.geojson --scale 500000 --out small.gpkg',
    'isomeric buffer data/map-extracts/teskaria-ombrey.zip --layer refuge_halls --rings 500,1000,2000 --out rings.gpkg',
    'isomeric nearest buildings.gpkg data/map-extracts/teskaria-ombrey.zip --things refuge_halls --columns NAME --out far.csv | head -n 2',
    'isomeric rows far.csv --columns ID,refuge_halls_distance,NAME --sort refuge_halls_distance --descending --limit 4',
  ],
  'command-features': [
    `isomeric features data/map-extracts/ombrey.osm.pbf --class roads,water,places,boundaries --area data/boundary-office/districts-2024.geojson --area-where "code = 'T204'" --figures --out west.gpkg`,
    'isomeric tags data/map-extracts/ombrey.osm.pbf --most 6',
  ],
  'command-join': [
    'isomeric keys wards.gpkg data/statistics-office/POPULATION.csv --most 1',
    'isomeric join wards.gpkg data/statistics-office/POPULATION.csv --on "code = ward" --repair "leading zeros to 6" --out people.gpkg',
    'isomeric crosswalk data/boundary-office/wards-2019.geojson wards.gpkg --on code --least-share 0.5 --out walk.csv',
    'isomeric summarise wards.gpkg data/map-extracts/flood-depth.tif --figures "mean, above 100" --as depth --grid-crs data/teskaria-grid.wkt --out depth.gpkg',
  ],
  'command-crs': [
    'isomeric crs EPSG:32626',
    'isomeric crs --for data/boundary-office/districts-2024.geojson --purpose densities | head -n 7',
    'isomeric locate data/map-extracts/teskaria-ombrey.zip --layer footbridges --near data/boundary-office/districts-2024.geojson | head -n 5',
    'isomeric reproject data/boundary-office/wards-2024.geojson --crs data/teskaria-grid.wkt --out grid.gpkg --steps',
  ],
  'command-check': [
    'isomeric check data/map-extracts/teskaria-ombrey.zip --layer buildings --key ID',
    'isomeric check data/statistics-office/HOUSING.csv --key area_code --that "households_ground <= households"',
    'isomeric new mine',
    'sed -i "s/colour by/color by/; s/households.csv/household.csv/; s/5 natural/5 natual/" mine/study.yaml',
    'isomeric run mine',
  ],
};

if (only === undefined || only.startsWith('command')) {
  const display = ':97';
  const server = spawn('Xvfb', [display, '-screen', '0', '1280x800x24'], { stdio: 'ignore' });
  await wait(1500);
  const env = {
    ...process.env,
    DISPLAY: display,
    FORCE_COLOR: '1',
    TESKARIA_KEY: madeUpSecrets.key,
    TESKARIA_USER: madeUpSecrets.user,
    TESKARIA_PASSWORD: madeUpSecrets.password,
  };
  for (const [name, lines] of Object.entries(terminals)) {
    if (only !== undefined && only !== name) continue;
    const quoted = lines
      .map(
        (line) =>
          `printf '\\033[1;36m$\\033[0m %s\\n' ${JSON.stringify(line).replace(/\$/g, '\\$').replace(/`/g, '\\`')}; ${line}; echo`,
      )
      .join('\n');
    const script = `isomeric() { node ${command} "$@"; }\ncd ${folder}\n${quoted}\ntouch ${folder}/${name}.done\nsleep 60`;
    const terminal = spawn(
      'xterm',
      [
        '-geometry',
        '156x52+0+0',
        '-fa',
        'DejaVu Sans Mono',
        '-fs',
        '9.5',
        '-bg',
        '#1b2429',
        '-fg',
        '#e6edf0',
        '-b',
        '12',
        '-e',
        'bash',
        '-c',
        script,
      ],
      { env, stdio: 'ignore' },
    );
    if (during[name] !== undefined) await wait(during[name]);
    else for (let k = 0; k < 600 && !existsSync(join(folder, `${name}.done`)); k++) await wait(200);
    await wait(500);
    execFileSync('import', ['-window', 'root', join(target, `${name}.png`)], { env });
    terminal.kill();
    await wait(200);
  }
  server.kill();
}

if (only === undefined || !only.startsWith('command')) {
  execFileSync(
    process.execPath,
    [join(root, 'node_modules/vite/bin/vite.js'), 'build', '--logLevel', 'error'],
    { cwd: join(root, 'examples/study-viewer') },
  );
  const types = {
    '.html': 'text/html',
    '.js': 'text/javascript',
    '.css': 'text/css',
    '.wasm': 'application/wasm',
  };
  const delivered = join(folder, 'flats', 'delivered');
  const site = createServer((request, response) => {
    const path = decodeURIComponent(new URL(request.url, 'http://x').pathname);
    const file = [join(root, 'examples/study-viewer/dist'), delivered]
      .map((each) => join(each, path === '/' ? 'index.html' : path))
      .find((each) => existsSync(each) && statSync(each).isFile());
    if (file === undefined) return response.writeHead(404).end();
    response.writeHead(200, { 'content-type': types[extname(file)] ?? 'application/octet-stream' });
    createReadStream(file).pipe(response);
  });
  await new Promise((resolve) => site.listen(0, '127.0.0.1', resolve));
  const address = `http://127.0.0.1:${site.address().port}`;
  const chrome = await chromium.launch({
    executablePath: browser(),
    args: ['--headless', '--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  });
  const page = await chrome.newPage({ viewport: { width: 1280, height: 800 } });
  const wards = 'data/boundary-office/wards-2024.geojson';
  execFileSync(
    process.execPath,
    [command, 'crs', '--for', wards, '--purpose', 'densities', '--picture', join(target, 'crs.png')],
    { cwd: folder, stdio: 'ignore' },
  );
  execFileSync(
    process.execPath,
    [
      command,
      'area',
      units,
      '--sheets',
      'teskaria',
      '--level',
      '20k',
      '--crs',
      'data/teskaria-grid.wkt',
      '--picture',
      join(target, 'area.png'),
    ],
    { cwd: folder, stdio: 'ignore' },
  );
  execFileSync('convert', [
    join(delivered, 'maps', 'no-car.png'),
    '-resize',
    '1280x',
    join(target, 'map-no-car.png'),
  ]);
  await page.goto(`${address}/report.html`);
  await page.screenshot({ path: join(target, 'report.png') });
  await page.goto(`${address}/?open=flood-refuges-on-the-ombrey-flats.gpkg&open=findings.json`);
  await page.getByTestId('state').getByText('23 layers').waitFor();
  for (const layer of [
    'frequency',
    'buildings',
    'footbridges',
    'cars_districts',
    'cars_wards',
    'omber',
    'embankments',
    'pumps',
    'culverts',
    'walks_points',
    'walks_lines',
    'stops',
    'photos',
    'sluices',
    'reach',
    'flats',
  ])
    await page.getByLabel(`Show ${layer}`).uncheck();
  await page.getByLabel('Condition').fill('no_car_share > 32');
  await page.getByLabel('Condition').press('Enter');
  await page.getByTestId('map').click({ position: { x: 108, y: 398 } });
  await page.waitForTimeout(600);
  await page.screenshot({ path: join(target, 'viewer.png') });
  await chrome.close();
  site.close();
}
await Promise.all([services.close(), quick.close()]);
rmSync(folder, { recursive: true, force: true });
// 255 colours are enough for what is drawn here, and a third of the bytes. Only of what was made now: it is not done twice.
for (const name of readdirSync(target)) {
  const path = join(target, name);
  if (statSync(path).mtimeMs < begun) continue;
  execFileSync('convert', [path, '-strip', '+dither', '-colors', '255', `PNG8:${path}`]);
}
