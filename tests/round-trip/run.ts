/**
 * Saves every sample that is read, and layers that each try one thing, in every format that is written, and reads them
 * again: `npm run round-trip`. What changes must be in the list of what may (`losses.ts`), and everything on the list must
 * have been seen; `docs/formats.md` shows it. `--write` puts the list there.
 */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { everyRoundTrip } from './every.ts';
import { lossTable, withLossTable } from './losses.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-round-'));
process.on('exit', () => rmSync(folder, { recursive: true, force: true }));
const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const page = fileURLToPath(new URL('../../docs/formats.md', import.meta.url));

const result = await everyRoundTrip(data, folder, {
  say: (line) => process.stderr.write(`\r${line.padEnd(70)}`),
});
process.stderr.write('\n');
if (process.argv.includes('--all'))
  for (const [format, seen] of result.seen)
    for (const [aspect, example] of seen) console.log(`${format}: ${aspect}: ${example}`);
for (const line of result.failures) console.log(line);
console.log(
  `Round trips: ${result.trips.toLocaleString('en')} savings of ${result.tables} tables in ${result.seen.size} formats; ${result.refused.toLocaleString('en')} refused with a sentence; ${result.checked.toLocaleString('en')} files read by other programs; ${result.failures.length} failures.`,
);
if (process.argv.includes('--write'))
  writeFileSync(page, withLossTable(readFileSync(page, 'utf8'), lossTable()));
process.exit(result.failures.length > 0 ? 1 : 0);
