/** Reads damaged inputs one after the other, and tells of each what came of it. Started by `run.ts`, one process each. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { damageOf, type FuzzCase, type Told } from './cases.ts';
import { checksumSaysDamaged } from './checksums.ts';
import { outcomeOf } from './read-all.ts';

const [folder] = process.argv.slice(2);
const held = new Map<string, Uint8Array>();
const load = (name: string) => {
  let bytes = held.get(name);
  if (bytes === undefined) {
    bytes = new Uint8Array(readFileSync(join(folder, name)));
    held.set(name, bytes);
  }
  return bytes;
};

const tell = (told: Told) => process.send!(told);
/** Megabytes that the process has taken at most. */
const peak = () => process.resourceUsage().maxRSS / 1024;

process.on('message', async (cases: readonly FuzzCase[]) => {
  for (const one of cases) {
    tell({ at: one.number });
    const bytes = damageOf(one, load);
    const before = peak();
    const from = performance.now();
    const outcome = await outcomeOf(bytes, one.sample, one.native);
    const seconds = (performance.now() - from) / 1000;
    let wrong = '';
    if (outcome.kind === 'read' && !outcome.told && one.recipe.length > 0)
      wrong = checksumSaysDamaged(bytes, one.sample);
    tell({
      number: one.number,
      outcome,
      seconds,
      bytes: bytes.length,
      grown: peak() - before,
      peak: peak(),
      wrong,
    });
  }
  tell({ done: true });
});
process.on('unhandledRejection', (reason) => {
  tell({ stray: String(reason instanceof Error ? reason.stack : reason) });
});
tell({ done: true });
