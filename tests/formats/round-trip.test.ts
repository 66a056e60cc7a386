import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { everyRoundTrip } from '../round-trip/every.ts';
import { lossTable, withLossTable } from '../round-trip/losses.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-round-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const page = fileURLToPath(new URL('../../docs/formats.md', import.meta.url));

describe('every readable sample in every format and back', () => {
  it('changes only in what the list says, and other programs read what is written', async () => {
    const result = await everyRoundTrip(data, folder, { mostRows: 200 });
    expect(result.failures).toEqual([]);
    expect(result.trips).toBeGreaterThan(1000);
    expect(result.checked).toBeGreaterThan(700);
  });

  it('as the page of the formats tells', () => {
    const text = readFileSync(page, 'utf8');
    expect(withLossTable(text, lossTable())).toBe(text);
  });
});
