import type { GeometryArray } from '../geometry/geometry-array.ts';
import type { Column } from '../table/column.ts';
import { type Field, fieldIndex } from '../table/schema.ts';
import type { Batch } from './batch.ts';
import type { Table } from './layer.ts';

/** A field that two states of a table do not have alike. */
export interface FieldDifference {
  field: string;
  what: 'added' | 'gone' | 'of another type';
  before?: string;
  after?: string;
}

/** A figure of one feature before and after. */
export interface FigureDifference {
  feature: string;
  field: string;
  before: number | null;
  after: number | null;
}

/** What became of the figures of one field. */
export interface FieldFigures {
  field: string;
  /** Features whose figure is another one. */
  changed: number;
  /** Sums over all features, where there are figures. */
  before: number | null;
  after: number | null;
}

/** How two states of a table differ. */
export interface TableDifference {
  /** Fields by which features are known again; null where none names them: then rows are held against each other whole. */
  key: string | null;
  before: number;
  after: number;
  /** How many, and the keys of the first of them. */
  added: { count: number; features: string[] };
  gone: { count: number; features: string[] };
  /** Changed in shape, and in fields. */
  reshaped: { count: number; features: string[] };
  altered: { count: number; features: string[] };
  fields: FieldDifference[];
  figures: FieldFigures[];
  /** The greatest changes of figures, each measured by how its field spreads. */
  greatest: FigureDifference[];
}

/** Names of features that are kept of each kind of change, and of the greatest changes. */
const mostNamed = 20;
/** Texts in the key beyond this are cut: they only name. */
const longestName = 80;

/** 53 bits that tell contents apart: two interleaved multiplicative hashes. */
class Hash {
  private a = 0xdeadbeef;
  private b = 0x41c6ce57;

  word(value: number): void {
    this.a = Math.imul(this.a ^ value, 2654435761);
    this.b = Math.imul(this.b ^ value, 1597334677);
  }

  text(text: string): void {
    for (let k = 0; k < text.length; k++) this.word(text.charCodeAt(k));
    this.word(0x1f);
  }

  get value(): number {
    const a =
      Math.imul(this.a ^ (this.a >>> 16), 2246822507) ^ Math.imul(this.b ^ (this.b >>> 13), 3266489909);
    const b =
      Math.imul(this.b ^ (this.b >>> 16), 2246822507) ^ Math.imul(this.a ^ (this.a >>> 13), 3266489909);
    return 4294967296 * (2097151 & b) + (a >>> 0);
  }
}

const double = new Float64Array(1);
const words = new Uint32Array(double.buffer);

function hashDouble(hash: Hash, value: number): void {
  // Zero is zero, whatever its sign.
  double[0] = value === 0 ? 0 : value;
  hash.word(words[0]);
  hash.word(words[1]);
}

function hashGeometry(hash: Hash, geometry: GeometryArray | null, i: number): void {
  if (geometry === null) return;
  hash.word(geometry.kind[i]);
  for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
    hash.word(0x70);
    for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
      hash.word(0x72);
      for (let v = geometry.vertexStart[r]; v < geometry.vertexStart[r + 1]; v++) {
        hashDouble(hash, geometry.xy[2 * v]);
        hashDouble(hash, geometry.xy[2 * v + 1]);
        if (geometry.z !== null) hashDouble(hash, geometry.z[v]);
        if (geometry.m !== null) hashDouble(hash, geometry.m[v]);
      }
    }
  }
}

/** A table in memory, without its shapes: of each row the hash of its shape and of its values. */
interface Held {
  batches: Batch[];
  /** Batch and row of each. */
  batch: number[];
  row: number[];
  shape: number[];
  values: number[];
}

const isFigure = (field: Field) => field.type === 'integer' || field.type === 'real';
/** Numbering says nothing of a feature: it is another one wherever one was added before. */
const counts = (field: Field) => field.featureId !== 'numbering';

async function held(table: Table, shared: readonly string[]): Promise<Held> {
  const found: Held = { batches: [], batch: [], row: [], shape: [], values: [] };
  const columns = shared.map((name) => fieldIndex(table.schema, name));
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++) {
      const shape = new Hash();
      hashGeometry(shape, batch.geometry, i);
      const values = new Hash();
      for (const c of columns) values.text(batch.columns[c].text(i) ?? '\u0000');
      found.batch.push(found.batches.length);
      found.row.push(i);
      found.shape.push(shape.value);
      found.values.push(values.value);
    }
    found.batches.push(batch.with({ geometry: null }));
  }
  return found;
}

const columnOf = (table: Held, c: number, k: number): Column => table.batches[table.batch[k]].columns[c];

/** Rows by their key; null where keys are blank or come twice. */
function byKey(rows: Held, c: number): Map<string, number> | null {
  const found = new Map<string, number>();
  for (let k = 0; k < rows.row.length; k++) {
    const key = columnOf(rows, c, k).text(rows.row[k]);
    if (key === null || found.has(key)) return null;
    found.set(key, k);
  }
  return found;
}

/** Fields that may name features, the likeliest first. */
function keyFields(before: Table, after: Table, wanted: readonly string[]): string[] {
  const both = before.schema.filter((field) => fieldIndex(after.schema, field.name) >= 0 && counts(field));
  const given = both.filter(({ featureId }) => featureId === 'given').map(({ name }) => name);
  const codes = both.filter(({ role }) => role === 'code').map(({ name }) => name);
  const others = both
    .filter(({ type }) => type === 'text' || type === 'integer')
    .slice(0, 12)
    .map(({ name }) => name);
  return [
    ...new Set([
      ...wanted.filter((name) => both.some((field) => field.name === name)),
      ...given,
      ...codes,
      ...others,
    ]),
  ];
}

/**
 * Holds two states of a table against each other: features that came, went, changed in shape or in fields; fields; figures. Both are
 * held in memory without their shapes.
 *
 * @param wanted fields that name features, as far as that is known
 */
export async function tableDifference(
  before: Table,
  after: Table,
  wanted: readonly string[] = [],
): Promise<TableDifference> {
  const fields = fieldDifferences(before, after);
  const shared = before.schema
    .filter((field) => counts(field) && fieldIndex(after.schema, field.name) >= 0)
    .map(({ name }) => name);
  const [old, now] = [await held(before, shared), await held(after, shared)];
  const difference: TableDifference = {
    key: null,
    before: old.row.length,
    after: now.row.length,
    added: { count: 0, features: [] },
    gone: { count: 0, features: [] },
    reshaped: { count: 0, features: [] },
    altered: { count: 0, features: [] },
    fields,
    figures: [],
    greatest: [],
  };
  for (const name of keyFields(before, after, wanted)) {
    const oldKeys = byKey(old, fieldIndex(before.schema, name));
    const newKeys = oldKeys === null ? null : byKey(now, fieldIndex(after.schema, name));
    if (oldKeys === null || newKeys === null) continue;
    // A field that only counts on has no value in common once something was added before.
    if (old.row.length > 0 && now.row.length > 0 && ![...newKeys.keys()].some((key) => oldKeys.has(key)))
      continue;
    difference.key = name;
    compareByKey(difference, { before, after, old, now, oldKeys, newKeys, shared });
    return difference;
  }
  compareWhole(difference, old, now);
  return difference;
}

function fieldDifferences(before: Table, after: Table): FieldDifference[] {
  const found: FieldDifference[] = [];
  for (const { name, type } of before.schema) {
    const now = after.schema[fieldIndex(after.schema, name)];
    if (now === undefined) found.push({ field: name, what: 'gone', before: type });
    else if (now.type !== type)
      found.push({ field: name, what: 'of another type', before: type, after: now.type });
  }
  for (const { name, type } of after.schema)
    if (fieldIndex(before.schema, name) < 0) found.push({ field: name, what: 'added', after: type });
  return found;
}

function note(into: { count: number; features: string[] }, key: string): void {
  into.count++;
  if (into.features.length < mostNamed) into.features.push(key.slice(0, longestName));
}

interface Compared {
  before: Table;
  after: Table;
  old: Held;
  now: Held;
  oldKeys: ReadonlyMap<string, number>;
  newKeys: ReadonlyMap<string, number>;
  shared: readonly string[];
}

function compareByKey(difference: TableDifference, compared: Compared): void {
  const { old, now, oldKeys, newKeys } = compared;
  for (const key of oldKeys.keys()) if (!newKeys.has(key)) note(difference.gone, key);
  for (const [key, k] of newKeys) {
    const before = oldKeys.get(key);
    if (before === undefined) {
      note(difference.added, key);
      continue;
    }
    if (old.shape[before] !== now.shape[k]) note(difference.reshaped, key);
    if (old.values[before] !== now.values[k]) note(difference.altered, key);
  }
  compareFigures(difference, compared);
}

function compareFigures(
  difference: TableDifference,
  { before, after, old, now, oldKeys, newKeys, shared }: Compared,
): void {
  const all: (FigureDifference & { weight: number })[] = [];
  for (const name of shared) {
    if (name === difference.key) continue;
    const [a, b] = [fieldIndex(before.schema, name), fieldIndex(after.schema, name)];
    if (!isFigure(before.schema[a]) || !isFigure(after.schema[b])) continue;
    const spread = spreadOf(old, a);
    const changes: FigureDifference[] = [];
    for (const [key, k] of newKeys) {
      const row = oldKeys.get(key);
      if (row === undefined) continue;
      const was = columnOf(old, a, row).number(old.row[row]);
      const is = columnOf(now, b, k).number(now.row[k]);
      if (was === is || (Number.isNaN(was) && Number.isNaN(is))) continue;
      changes.push({
        feature: key.slice(0, longestName),
        field: name,
        before: Number.isNaN(was) ? null : was,
        after: Number.isNaN(is) ? null : is,
      });
    }
    if (changes.length === 0) continue;
    difference.figures.push({
      field: name,
      changed: changes.length,
      before: sumOf(old, a),
      after: sumOf(now, b),
    });
    for (const change of changes)
      all.push({
        ...change,
        // A figure that came or went is told before those that moved.
        weight:
          change.before === null || change.after === null
            ? Number.MAX_VALUE
            : Math.abs(change.after - change.before) / (spread || 1),
      });
  }
  difference.greatest = all
    .sort((x, y) => y.weight - x.weight || (x.feature < y.feature ? -1 : x.feature > y.feature ? 1 : 0))
    .slice(0, mostNamed)
    .map(({ weight: _, ...change }) => change);
}

function sumOf(rows: Held, c: number): number | null {
  let sum = 0;
  let any = false;
  for (let k = 0; k < rows.row.length; k++) {
    const value = columnOf(rows, c, k).number(rows.row[k]);
    if (Number.isNaN(value)) continue;
    sum += value;
    any = true;
  }
  return any ? sum : null;
}

/** Standard deviation of the values of a field. */
function spreadOf(rows: Held, c: number): number {
  let n = 0;
  let mean = 0;
  let squares = 0;
  for (let k = 0; k < rows.row.length; k++) {
    const value = columnOf(rows, c, k).number(rows.row[k]);
    if (Number.isNaN(value)) continue;
    n++;
    const off = value - mean;
    mean += off / n;
    squares += off * (value - mean);
  }
  return n < 2 ? 0 : Math.sqrt(squares / (n - 1));
}

/** Where nothing names features, rows are the same or they are others. */
function compareWhole(difference: TableDifference, old: Held, now: Held): void {
  const seen = new Map<string, number>();
  const key = (rows: Held, k: number) => `${rows.shape[k]} ${rows.values[k]}`;
  for (let k = 0; k < old.row.length; k++) seen.set(key(old, k), (seen.get(key(old, k)) ?? 0) + 1);
  for (let k = 0; k < now.row.length; k++) {
    const left = seen.get(key(now, k)) ?? 0;
    if (left > 0) seen.set(key(now, k), left - 1);
    else difference.added.count++;
  }
  difference.gone.count = [...seen.values()].reduce((sum, count) => sum + count, 0);
}
