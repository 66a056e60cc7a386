import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Ledger } from '../../src/study/ledger/ledger.ts';
import { entrySchema, type LedgerEntry, ledgerJsonSchema } from '../../src/study/ledger/ledger-entries.ts';
import { StudyFolder } from '../support/study-folder.ts';

const at = '2026-11-25T10:00:00.000Z';
const names = ['wards', 'roads', 'cars'];

const file = (name: string, page: number): LedgerEntry => ({
  kind: 'file',
  what: `office/${name}`,
  datasets: [name],
  role: 'data',
  path: `gathered/office/${name}/page-${page}.geojson`,
  url: 'http://x.test/',
  at,
  bytes: 10 + page,
  sha256: 'a'.repeat(64),
});
const dataset = (name: string, state: 'begun' | 'done'): LedgerEntry => ({
  kind: 'dataset',
  name,
  source: 'office',
  state,
  at,
  request: { kind: 'order' },
  paths: [],
});
const gathering = (state: 'begun' | 'done'): LedgerEntry => ({ kind: 'gathering', state, at });

const anyEntry: fc.Arbitrary<LedgerEntry> = fc.oneof(
  fc.tuple(fc.constantFrom(...names), fc.nat(3)).map(([name, page]) => file(name, page)),
  fc
    .tuple(fc.constantFrom(...names), fc.constantFrom('begun' as const, 'done' as const))
    .map(([name, state]) => dataset(name, state)),
  fc.constantFrom('begun' as const, 'done' as const).map(gathering),
  fc.nat(50).map(
    (features): LedgerEntry => ({
      kind: 'usage',
      source: 'office',
      month: '2026-11',
      features,
      bytes: features * 2,
    }),
  ),
  fc.boolean().map(
    (open): LedgerEntry => ({
      kind: 'order',
      key: 'k',
      source: 'desk',
      at,
      jobs: open ? [{ url: 'http://x.test/jobs/1', piece: '' }] : [],
    }),
  ),
);

const lines = (entries: readonly LedgerEntry[]) =>
  entries.map((entry) => `${JSON.stringify(entry)}\n`).join('');

/** All that the next run goes by. */
const state = (ledger: Ledger) => ({
  receipts: ledger.received(),
  datasets: [...ledger.datasets.entries()].sort(),
  gathering: ledger.gathering,
  usage: [...ledger.usage.entries()],
  orders: [...ledger.orders.entries()],
  since: names.map((name) =>
    ledger.datasets.get(name)?.state === 'begun' ? [...ledger.cameSince(name)].sort() : null,
  ),
  within: names.map((name) => ledger.gathering?.state === 'begun' && ledger.doneWithin(name)),
});

describe('the ledger', () => {
  it('says the same after it has been written anew, whatever happened before', () => {
    fc.assert(
      fc.property(fc.array(anyEntry, { maxLength: 40 }), (entries) => {
        const ledger = Ledger.read(lines(entries));
        const again = Ledger.read(ledger.text);
        expect(state(again)).toEqual(state(ledger));
        expect(again.text).toBe(ledger.text);
      }),
    );
  });

  it('loses no more than its last line when the end comes suddenly', () => {
    const entries = [gathering('begun'), dataset('wards', 'begun'), file('wards', 1), file('wards', 2)];
    const text = lines(entries);
    const whole = Ledger.read(text);
    for (let cut = text.length - 1; cut > text.length - 40; cut--) {
      const ledger = Ledger.read(text.slice(0, cut));
      expect(ledger.receipts.size).toBe(cut === text.length - 1 ? 2 : 1);
      expect([...ledger.cameSince('wards')].length).toBe(ledger.receipts.size);
    }
    expect(whole.receipts.size).toBe(2);
  });

  it('goes on after a line that was cut off, without damage', async () => {
    const study = new StudyFolder();
    try {
      const machine = study.machine();
      const text = lines([gathering('begun'), file('wards', 1)]);
      await machine.append('ledger.jsonl', text.slice(0, -20));
      const ledger = await study.ledger();
      await ledger.add(machine, file('wards', 2));
      await ledger.add(machine, file('wards', 3));
      const again = await study.ledger();
      expect([...again.receipts.keys()].map((path) => path.slice(-14))).toEqual([
        'page-2.geojson',
        'page-3.geojson',
      ]);
    } finally {
      study.end();
    }
  });

  it('tells a damaged line in the middle with its number', () => {
    expect(() => Ledger.read(`${lines([gathering('begun')])}{"kind":\n${lines([file('wards', 1)])}`)).toThrow(
      expect.objectContaining({ code: 'ledger-damaged', place: { file: 'ledger.jsonl', line: 2 } }),
    );
  });

  it('has a JSON Schema that names every kind of line', () => {
    const schema = ledgerJsonSchema() as { oneOf?: { properties: { kind: { const: string } } }[] };
    expect(schema.oneOf!.map(({ properties }) => properties.kind.const)).toEqual([
      'file',
      'dataset',
      'gathering',
      'terms',
      'order',
      'usage',
      'step',
      'prepared',
      'layers',
      'delivery',
    ]);
  });

  it('reads lines of an older kind, without what they did not have', () => {
    const { datasets: _, role: __, ...old } = file('wards', 1) as Record<string, unknown>;
    expect(entrySchema.parse(old)).toMatchObject({ datasets: [], role: 'data' });
  });
});
