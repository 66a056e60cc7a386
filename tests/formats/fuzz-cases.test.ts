import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, it } from 'vitest';
import { checksumSaysDamaged } from '../fuzz/checksums.ts';
import { damaged, recipeFrom } from '../fuzz/damage.ts';
import { outcomeOf } from '../fuzz/read-all.ts';

const folder = fileURLToPath(new URL('../fuzz-cases', import.meta.url));
const cases = readdirSync(folder).filter((name) => name !== 'README.md');

describe('inputs that once went wrong', () => {
  it.each(cases.flatMap((name) => [[name, true] as const, [name, false] as const]))(
    '%s (with what Node lends: %s) gives an error of ours, or a reading',
    async (name, native) => {
      const bytes = new Uint8Array(readFileSync(join(folder, name)));
      const outcome = await outcomeOf(bytes, name, native);
      expect(outcome.kind).not.toBe('foreign');
      if (outcome.kind === 'read' && !outcome.told) expect(checksumSaysDamaged(bytes, name)).toBe('');
      if (outcome.kind === 'read') expect(outcome.rows).toBeLessThan(10 * bytes.length + 20_000);
      else expect(outcome).toMatchObject({ kind: 'refused', code: expect.stringMatching(/^[a-z0-9-]+$/) });
    },
  );
});

describe('the damage itself', () => {
  it('is the same for the same seed, and does change bytes', () => {
    const good = Uint8Array.from({ length: 500 }, (_, k) => k % 251);
    let changed = 0;
    for (let seed = 0; seed < 300; seed++) {
      const one = damaged(good, recipeFrom(seed), good);
      expect(damaged(good, recipeFrom(seed), good)).toEqual(one);
      if (Buffer.compare(Buffer.from(one), Buffer.from(good)) !== 0) changed++;
    }
    expect(changed).toBeGreaterThan(250);
  });
});
