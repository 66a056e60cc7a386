import * as z from 'zod';
import { grouped } from '../../core/account.ts';
import type { CatalogueEntry } from '../../core/catalogue/entry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { FileLook } from '../../sources/catalogue/lister.ts';
import { type Machine, readText, writeText } from '../machine.ts';

/** Where the catalogue of a study lies, beside it. */
const cataloguePath = 'catalogue.jsonl';

const text = z.string();
const way = z.looseObject({
  format: text,
  source: z.looseObject({ kind: text, at: text }).optional(),
  dataset: z.record(text, z.unknown()).optional(),
  address: text.optional(),
  bytes: z.number().optional(),
  dead: text.optional(),
});
const list = z.array(text).optional();
const entry = z.looseObject({
  kind: z.literal('entry'),
  source: text,
  id: text,
  title: text,
  holds: z.enum(['layer', 'table', 'grid', 'extract', 'other']),
  description: text.optional(),
  keywords: list,
  themes: list,
  levels: list,
  years: list,
  provider: text.optional(),
  licence: text.optional(),
  universe: text.optional(),
  breakdowns: list,
  columns: z.array(z.looseObject({ name: text, title: text.optional(), values: list })).optional(),
  series: text.optional(),
  updated: text.optional(),
  box: z.tuple([z.number(), z.number(), z.number(), z.number()]).optional(),
  ways: z.array(way),
  dead: text.optional(),
});

/** What is known of the list of one source. */
const state = z.object({
  kind: z.literal('source'),
  name: text,
  /** Kind and address that were listed: another address is another source. */
  of: text,
  at: text,
  /** Validators of the document that tells of changes. */
  etag: text.optional(),
  modified: text.optional(),
  /** Until when the source says that its list is good. */
  until: text.optional(),
  count: z.number(),
  /** Why it could not be listed the last time; what stands here is older. */
  trouble: text.optional(),
});
const look = z.object({
  kind: z.literal('look'),
  path: text,
  look: z.looseObject({
    sha256: text,
    bytes: z.number(),
    found: z.array(z.looseObject({ title: text })),
    layers: z.array(text.nullable()),
    trouble: text.optional(),
  }),
});

const line = z.discriminatedUnion('kind', [entry, state, look]);

export type SourceState = Omit<z.output<typeof state>, 'kind'>;

/** The list of everything that the sources of a study have, as it is kept beside it: one JSON object a line. */
export class CatalogueStore {
  readonly states = new Map<string, SourceState>();
  readonly looks = new Map<string, FileLook>();
  private readonly lists = new Map<string, CatalogueEntry[]>();

  static async load(machine: Machine): Promise<CatalogueStore> {
    return CatalogueStore.read((await readText(machine, cataloguePath)) ?? '');
  }

  /** Reads a catalogue; lines that are damaged end it with what to do: it can be made again at any time. */
  static read(content: string): CatalogueStore {
    const store = new CatalogueStore();
    const lines = content.split('\n');
    lines.forEach((each, k) => {
      if (each.trim() === '') return;
      let told: z.output<typeof line>;
      try {
        told = line.parse(JSON.parse(each));
      } catch (cause) {
        throw new IsomericError(
          'catalogue-damaged',
          `The catalogue has a damaged line (${grouped(k + 1)}).`,
          {
            place: { file: cataloguePath, line: k + 1 },
            advice: 'Remove the file; it is made anew by “isomeric find”.',
            cause,
          },
        );
      }
      if (told.kind === 'source') {
        const { kind: _, ...own } = told;
        store.states.set(own.name, own);
      } else if (told.kind === 'look') store.looks.set(told.path, told.look as unknown as FileLook);
      else {
        const { kind: _, ...own } = told;
        const known = store.lists.get(own.source) ?? [];
        known.push(own as CatalogueEntry);
        store.lists.set(own.source, known);
      }
    });
    return store;
  }

  /** What one source has. */
  listOf(name: string): readonly CatalogueEntry[] {
    return this.lists.get(name) ?? [];
  }

  /** Everything, source after source. */
  entries(): CatalogueEntry[] {
    return [...this.lists.values()].flat();
  }

  put(own: SourceState, entries: readonly CatalogueEntry[]): void {
    this.states.set(own.name, own);
    this.lists.set(own.name, [...entries]);
  }

  /** Forgets sources that the study does not name any more. */
  keepOnly(names: ReadonlySet<string>): void {
    for (const name of [...this.states.keys(), ...this.lists.keys()])
      if (!names.has(name)) {
        this.states.delete(name);
        this.lists.delete(name);
      }
  }

  get text(): string {
    const lines: string[] = [];
    for (const own of this.states.values()) {
      lines.push(JSON.stringify({ kind: 'source', ...own }));
      for (const each of this.listOf(own.name)) lines.push(JSON.stringify({ kind: 'entry', ...each }));
    }
    for (const [path, found] of this.looks) lines.push(JSON.stringify({ kind: 'look', path, look: found }));
    return lines.length === 0 ? '' : `${lines.join('\n')}\n`;
  }

  save(machine: Machine): Promise<void> {
    return writeText(machine, cataloguePath, this.text);
  }
}
