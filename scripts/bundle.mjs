/** Makes dist/cli/command.cjs: the command with all that it is made of in one file, of ASCII signs only. */
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
  minify: { mangle: false, compress: false },
  comments: false,
});
// One byte a sign: it is read and kept at half the cost.
const ascii = readFileSync(file, 'utf8').replace(
  /[^\0-\x7f]/g,
  (sign) => `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`,
);
writeFileSync(file, ascii);
