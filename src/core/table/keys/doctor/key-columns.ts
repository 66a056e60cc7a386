import type { Batch } from '../../../layer/batch.ts';
import type { Table } from '../../../layer/layer.ts';
import type { Field } from '../../schema.ts';
import { lot } from './chance.ts';
import { type KeySet, keySet } from './pair-search.ts';

/** A field that may hold keys, with its different values. */
export interface KeyColumn extends KeySet {
  field: string;
  rows: number;
  /** Rows without a value. */
  blank: number;
  /** How likely it holds keys, by what it is called and what it is. */
  likely: number;
}

/** All fields of a table that may hold keys, and some of its rows. */
export interface KeyColumns {
  name: string;
  rows: number;
  columns: KeyColumn[];
  /** Texts of the same fields, of rows drawn by lot (all of a small table). */
  sample: readonly (readonly (string | null)[])[];
}

/** Fields looked at: of a long table the likeliest, since all their values are held. */
const mostFields = { short: 24, long: 6 };
const longTable = 100_000;
const mostSampled = 20_000;
/** Different values of a field that are held. */
const mostValues = 2_000_000;

const mayBeKey = (field: Field) =>
  (field.type === 'text' || field.type === 'integer' || field.type === 'real') &&
  field.featureId !== 'numbering' &&
  field.role !== 'margin';

/** By its name: codes before ids before names, figures last. */
function likelihood({ name, code, title, type, role, featureId }: Field): number {
  const words = `${name} ${code ?? ''} ${title ?? ''}`.replace(/_/g, ' ');
  let likely = type === 'text' ? 1 : type === 'integer' ? 0.5 : 0;
  if (role === 'code') likely += 1.5;
  else if (featureId === 'given') likely += 0.5;
  if (/\b(code|geoid|geo id|gid|key|ags|fips|nuts|iso)\b|code$/i.test(words)) likely += 2;
  else if (/\b(id|nr|no|number|ref|area|unit)\b|id$/i.test(words)) likely += 1;
  else if (/\bname\b/i.test(words)) likely += 0.5;
  return likely;
}

interface Looked {
  c: number;
  field: Field;
  values: Set<string>;
  blank: number;
  likely: number;
  /** False: it holds fractions, or more values than are held. */
  usable: boolean;
}

function look(looked: Looked, batch: Batch): void {
  const column = batch.columns[looked.c];
  const real = looked.field.type === 'real';
  for (let i = 0; i < batch.length; i++) {
    if (real && column.number(i) % 1 !== 0 && !column.isNull(i)) {
      looked.usable = false;
      return;
    }
    const text = column.text(i);
    if (text === null || text === '') looked.blank++;
    else looked.values.add(text);
  }
  if (looked.values.size > mostValues) looked.usable = false;
}

/** Reads a table once for the values of all fields that may hold keys. */
export async function keyColumnsOf(table: Table): Promise<KeyColumns> {
  let all: Looked[] = table.schema.flatMap((field, c) =>
    mayBeKey(field)
      ? [{ c, field, values: new Set<string>(), blank: 0, likely: likelihood(field), usable: true }]
      : [],
  );
  const fields = table.schema.map((_, c) => c);
  const sample: (string | null)[][] = [];
  const random = lot(4711);
  let rows = 0;
  for await (const batch of table.batches()) {
    for (const looked of all) if (looked.usable) look(looked, batch);
    for (let i = 0; i < batch.length; i++) {
      // Reservoir sampling (Vitter 1985, algorithm R).
      const at = rows + i < mostSampled ? rows + i : Math.floor(random() * (rows + i + 1));
      if (at < mostSampled) sample[at] = fields.map((c) => batch.columns[c].text(i));
    }
    rows += batch.length;
    all = likeliest(all, rows > longTable ? mostFields.long : mostFields.short);
  }
  const usable = all.filter((looked) => looked.usable && looked.values.size > 1 && !saidBefore(looked, all));
  return {
    name: table.name,
    rows,
    columns: usable.map(({ field, values, blank, likely }) =>
      withKeys(keySet([...values], values), { field: field.name, rows, blank, likely }),
    ),
    sample: sample.map((row) => usable.map(({ c }) => row[c])),
  };
}

/** The likeliest fields in the order of the table; a field whose values are nearly all different is likelier than its name says. */
function likeliest(all: readonly Looked[], most: number): Looked[] {
  const usable = all.filter((each) => each.usable);
  if (usable.length <= most) return usable;
  const kept = new Set([...usable].sort((a, b) => b.likely - a.likely).slice(0, most));
  return usable.filter((each) => kept.has(each));
}

/** Has another field the same values, and is it likelier to be the key: ids of features beside the code that they are? */
function saidBefore(looked: Looked, all: readonly Looked[]): boolean {
  return all.some((other) => {
    if (other === looked || !other.usable || other.values.size !== looked.values.size) return false;
    if (other.likely < looked.likely || (other.likely === looked.likely && other.c > looked.c)) return false;
    for (const value of looked.values) if (!other.values.has(value)) return false;
    return true;
  });
}

/** The map of loosest keys stays made when it is needed, not before. */
function withKeys(set: KeySet, rest: Omit<KeyColumn, keyof KeySet>): KeyColumn {
  return Object.defineProperty({ ...rest, keys: set.keys, has: set.has } as KeyColumn, 'loose', {
    get: () => set.loose,
  });
}
