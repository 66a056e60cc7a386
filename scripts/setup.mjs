// What a fresh machine needs before anything runs. Plain Node, no packages: this is what installs them.
import { execFileSync } from 'node:child_process';
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = dirname(dirname(fileURLToPath(import.meta.url)));
const run = (command, args, options = {}) =>
  execFileSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'], ...options });

/** Installs the packages when they are missing or when the lock file is newer than the last installation. */
export function packages() {
  const lock = join(root, 'package-lock.json');
  const mark = join(root, 'node_modules', '.package-lock.json');
  if (existsSync(mark) && statSync(mark).mtimeMs >= statSync(lock).mtimeMs - 2000) return;
  console.log('Installing packages (once) …');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
}

function newest(folder) {
  let time = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    time = Math.max(time, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs);
  }
  return time;
}

/** Lays the weights of the font that maps are written in beside the code: the package holds them, not its whole family. */
function fonts() {
  const family = join(root, 'node_modules', '@expo-google-fonts', 'source-sans-3');
  mkdirSync(join(root, 'fonts'), { recursive: true });
  for (const weight of ['400Regular', '600SemiBold', '700Bold']) {
    const file = `SourceSans3_${weight}.ttf`;
    copyFileSync(join(family, weight, file), join(root, 'fonts', file));
  }
  copyFileSync(join(family, 'LICENSE_FONT'), join(root, 'fonts', 'LICENSE_FONT'));
}

/** Builds the library, the stand-ins, the fonts and the JSON Schema of study.yaml when a source is newer than the last build. */
export function build({ force = false } = {}) {
  const mark = join(root, 'dist', '.built');
  const sources = Math.max(newest(join(root, 'src')), newest(join(root, 'stand-ins', 'src')));
  if (
    !force &&
    existsSync(mark) &&
    existsSync(join(root, 'stand-ins', 'dist', 'index.js')) &&
    existsSync(join(root, 'fonts', 'LICENSE_FONT')) &&
    statSync(mark).mtimeMs >= sources
  )
    return;
  console.log('Building …');
  // What is no source any more must not be packed.
  rmSync(join(root, 'dist'), { recursive: true, force: true });
  rmSync(join(root, 'stand-ins', 'dist'), { recursive: true, force: true });
  fonts();
  const tsc = join(root, 'node_modules', 'typescript', 'bin', 'tsc');
  run(process.execPath, [tsc, '-p', 'stand-ins/tsconfig.json']);
  run(process.execPath, [tsc, '-p', 'tsconfig.build.json']);
  run(process.execPath, [
    '--input-type=module',
    '-e',
    `
    import { schemeJsonSchema, sheetSchemeJsonSchema } from './dist/formats/index.js';
    import { ledgerJsonSchema, studyJsonSchema } from './dist/study/index.js';
    import { writeFileSync } from 'node:fs';
    writeFileSync('./dist/scheme.schema.json', JSON.stringify(schemeJsonSchema(), null, 2));
    writeFileSync('./dist/sheets.schema.json', JSON.stringify(sheetSchemeJsonSchema(), null, 2));
    writeFileSync('./dist/study.schema.json', JSON.stringify(studyJsonSchema(), null, 2));
    writeFileSync('./dist/ledger.schema.json', JSON.stringify(ledgerJsonSchema(), null, 2));`,
  ]);
  run(process.execPath, ['scripts/bundle.mjs']);
  mkdirSync(dirname(mark), { recursive: true });
  writeFileSync(mark, new Date().toISOString());
}

const browsers = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'];

/** Finds a browser for the tests; installs the Debian one when it is missing and may be installed. Absent: an error. */
export function browser() {
  const found = [process.env.ISOMERIC_BROWSER, ...browsers].find((path) => path && existsSync(path));
  if (found) return found;
  installDebian(['chromium']);
  const installed = browsers.find((path) => existsSync(path));
  if (!installed)
    throw new Error(
      'No browser: install Chromium, or name one in ISOMERIC_BROWSER, then run npm test again.',
    );
  return installed;
}

/** Installs outside programs that the tests read our files with (xmllint, sqlite3), where the machine is a Debian one. */
export function outsidePrograms() {
  const wanted = {
    xmllint: 'libxml2-utils',
    sqlite3: 'sqlite3',
    soffice: 'libreoffice-calc-nogui',
    bzip2: 'bzip2',
  };
  const missing = Object.entries(wanted)
    .filter(([name]) => !existsSync(`/usr/bin/${name}`))
    .map(([, debian]) => debian);
  // The office program reads .dbf files through a driver of its own package.
  if (missing.includes(wanted.soffice)) missing.push('libreoffice-base-drivers');
  if (missing.length > 0) installDebian(missing);
}

function installDebian(names) {
  if (!existsSync('/usr/bin/apt-get') || process.getuid?.() !== 0) {
    throw new Error(
      `Missing: ${names.join(', ')}. Install with the system's package manager, then run npm test again.`,
    );
  }
  console.log(`Installing ${names.join(', ')} (once) …`);
  const quiet = {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  };
  run('apt-get', ['update', '-qq'], quiet);
  run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...names], quiet);
}

export function tool(name) {
  return JSON.parse(readFileSync(join(root, 'node_modules', name, 'package.json'), 'utf8'));
}
export { run };
