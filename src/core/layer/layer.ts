import type { Account } from '../account.ts';
import type { Crs } from '../crs/crs.ts';
import type { Finding } from '../findings.ts';
import type { Box, KindName } from '../geometry/geometry-array.ts';
import type { Grid } from '../grid/grid.ts';
import type { Schema } from '../table/schema.ts';
import type { Batch } from './batch.ts';

/** What a reader may leave out because nobody asks for it. */
export interface ReadOptions {
  /** Only features whose box meets this one need to come (others may); in the layer's CRS. */
  box?: Box;
  /** Ends the reading, between two batches, with the signal's reason. */
  signal?: AbortSignal;
}

/** Rows with a schema, read batch by batch and as often as asked. Nothing is read before it is needed. */
export interface Table {
  readonly name: string;
  readonly schema: Schema;
  /** Readable title, when the source gave one. */
  readonly title?: string;
  /** What the source wrote above and below the rows. */
  readonly notes?: readonly string[];
  /** Number of rows, when it is known without reading them. */
  readonly count?: number;
  /** Troubles seen when the source was opened. */
  readonly findings: readonly Finding[];
  /** What the verbs before did, the first one first; filled while batches flow. */
  readonly accounts: readonly Account[];
  /** Reads from the beginning, batch by batch; as often as it is called. */
  batches(options?: ReadOptions): AsyncIterable<Batch>;
}

/** A table whose rows have geometry. */
export interface Layer extends Table {
  /** Null: not known, and then never assumed. */
  readonly crs: Crs | null;
  /** Kinds that occur, when known. */
  readonly kinds?: readonly KindName[];
  /** True when a reading limited to a box passes over features that do not meet it; then `count` is known. */
  readonly readsByBox?: boolean;
  /** Box of all features, when known without reading them. */
  readonly extent?: Box;
  /** The grid whose cells the features are, where they are all of its cells. */
  readonly grid?: Grid;
}

/** Has a table geometry? */
export function isLayer(table: Table): table is Layer {
  return 'crs' in table;
}

/** Only the rows: for verbs whose results are rows of another kind, which have no place. */
export function withoutGeometry(table: Table): Table {
  const { name, schema, title, notes, count, findings, accounts } = table;
  return {
    name,
    schema,
    title,
    notes,
    count,
    findings,
    accounts,
    batches: (options) => table.batches(options),
  };
}

/** A layer that stands in memory. */
export function layerOf(parts: {
  name: string;
  schema: Schema;
  crs: Crs | null;
  batches: readonly Batch[];
  kinds?: readonly KindName[];
  findings?: readonly Finding[];
  accounts?: readonly Account[];
}): Layer {
  return {
    name: parts.name,
    schema: parts.schema,
    crs: parts.crs,
    count: parts.batches.reduce((sum, batch) => sum + batch.length, 0),
    kinds: parts.kinds,
    findings: parts.findings ?? [],
    accounts: parts.accounts ?? [],
    async *batches() {
      yield* parts.batches;
    },
  };
}

/** A table that stands in memory. */
export function tableOf(parts: {
  name: string;
  schema: Schema;
  batches: readonly Batch[];
  findings?: readonly Finding[];
  accounts?: readonly Account[];
}): Table {
  return {
    name: parts.name,
    schema: parts.schema,
    count: parts.batches.reduce((sum, batch) => sum + batch.length, 0),
    findings: parts.findings ?? [],
    accounts: parts.accounts ?? [],
    async *batches() {
      yield* parts.batches;
    },
  };
}

/** Reads everything into memory. */
export async function inMemory<T extends Table>(table: T): Promise<T> {
  const batches: Batch[] = [];
  for await (const batch of table.batches()) batches.push(batch);
  const whole = { ...table, count: batches.reduce((sum, batch) => sum + batch.length, 0) };
  whole.batches = async function* () {
    yield* batches;
  };
  return whole;
}

/** The row objects of a table: a convenience for small results, tests and printing. */
export async function* rowsOf(table: Table): AsyncGenerator<Record<string, unknown>> {
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++) {
      yield Object.fromEntries(table.schema.map((field, c) => [field.name, batch.columns[c].value(i)]));
    }
  }
}

/** Number of rows, by reading them when it is not known. */
export async function countRows(table: Table): Promise<number> {
  if (table.count !== undefined) return table.count;
  let total = 0;
  for await (const batch of table.batches()) total += batch.length;
  return total;
}
