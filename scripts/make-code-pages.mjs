/**
 * Makes src/formats/bytes/code-pages.generated.ts (or the file that is named) from the tables of iconv-lite: `npm run
 * code-pages`. What browsers' TextDecoder has may differ in signs that nobody assigned, so all pages of one byte a sign
 * are taken from one source.
 */
import { writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
import iconv from 'iconv-lite';

const require = createRequire(import.meta.url);
const tables = {
  ...require('iconv-lite/encodings/sbcs-data-generated.js'),
  ...require('iconv-lite/encodings/sbcs-data.js'),
};

const pages = new Map();
for (const [name, what] of Object.entries(tables)) {
  let end = name;
  for (let next = what; typeof next === 'string' || typeof next === 'number'; next = tables[end])
    end = String(next);
  const low = iconv.decode(Buffer.from(Array.from({ length: 128 }, (_, k) => k)), end);
  // Pages whose first half is not ASCII are of no use here.
  if (low !== String.fromCharCode(...Array.from({ length: 128 }, (_, k) => k))) continue;
  const high = iconv.decode(Buffer.from(Array.from({ length: 128 }, (_, k) => 128 + k)), end);
  if (high.length !== 128) continue;
  pages.set(high, [...(pages.get(high) ?? []), name.toLowerCase()]);
}
const rows = [...pages].map(
  ([signs, names]) => `  ${JSON.stringify([...new Set(names)].sort().join(' '))}: ${JSON.stringify(signs)},`,
);
writeFileSync(
  process.argv[2] ?? fileURLToPath(new URL('../src/formats/bytes/code-pages.generated.ts', import.meta.url)),
  `// Made by \`npm run code-pages\` from the tables of iconv-lite. Do not edit.
/** Names of a page, without other signs than letters and digits → its signs for the bytes from 128. */
export const pages: Readonly<Record<string, string>> = {
${rows.join('\n')}
};
`,
);
console.log(`Code pages: ${pages.size}.`);
