/** Makes dist/cli/command.cjs: the command with all that it is made of in one file, of ASCII signs only. */
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { rolldown } from 'rolldown';
import { root } from './setup.mjs';

const file = join(root, 'dist/cli/command.cjs');
const made = await rolldown({
  input: join(root, 'dist/cli/program.js'),
  platform: 'node',
  // What brings files of its own is loaded from where it lies.
  external: ['@resvg/resvg-js', 'node-sqlite3-wasm', '#stand-ins', /^node:/],
  logLevel: 'warn',
});
await made.write({
  file,
  format: 'cjs',
  codeSplitting: false,
  minify: { mangle: false, compress: true },
  comments: false,
});
// What stays outside is imported by the module that runs the file.
const text = readFileSync(file, 'utf8').replace(
  /\bimport\((?=["'`](?:#stand-ins|@resvg\/resvg-js|node-sqlite3-wasm|node:[\w/]+)["'`]\))/g,
  '__import(',
);
if (/\bimport\(["'`]/.test(text))
  throw new Error('The command’s one file imports something that is not known.');
// One byte a sign: it is read and kept at half the cost.
const ascii = text.replace(/[^\0-\x7f]/g, (sign) => `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`);
// The start keeps what it compiled under this name.
const checksum = createHash('sha256').update(ascii).digest('hex').slice(0, 16);
writeFileSync(file, `/*${checksum}*/${ascii}`);
