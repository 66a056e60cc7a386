import { counted, grouped } from '../account.ts';
import type { Finding } from '../findings.ts';
import type { Batch } from '../layer/batch.ts';
import type { Table } from '../layer/layer.ts';
import type { Field } from './schema.ts';

/** Tables with more rows are not searched: their keys would fill memory. */
export const mostSearchedRows = 500_000;
/** A column with more different values is no dimension and no level. */
const mostValues = 200;
/** Columns whose sums are compared. */
const mostSums = 12;

export interface TotalRow {
  /** Number of the row, from 0. */
  row: number;
  /** What gave it away. */
  why: 'code' | 'label' | 'sum';
  /** What stands in its key or label. */
  text: string;
  /** True when its figures are the sum of the others; null when there is nothing to compare. */
  proved: boolean | null;
}

export interface Level {
  name: string;
  rows: number;
  /** One of its keys. */
  example: string;
}

/** What kinds of rows a table has besides those of the units that it is about. */
export interface RowKinds {
  /** False: the table is too long to be searched, and nothing is known of its rows. */
  searched: boolean;
  /** Number of the field with the keys of the units; −1 when none was found. */
  key: number;
  totals: TotalRow[];
  /** Dimensions that have a total among their values. */
  dimensionTotals: { field: string; value: string; rows: number }[];
  /** Several levels in one table: empty when there is one. */
  levels: Level[];
  /** Name of the level of a row; null where it has none. */
  levelOf(batch: Batch, i: number): string | null;
  /** True when the row is a total, a sub-total or a total in one of its dimensions. `row` counts from 0. */
  isTotal(batch: Batch, i: number, row: number): boolean;
}

const totalWords =
  /^\W*(grand |over|sub-?)?(total|sum|summe|insgesamt|gesamt|totaal|totale?|ensemble|celkem|suma)\b|\b(total|sum)\W*$|^\W*(all|whole|entire) (areas|wards|districts|provinces|units|country|area|ages|persons|population|households)\b/i;
/** Longer texts are sentences, and name no row. */
const namesTotal = (text: string) => text.length < 60 && totalWords.test(text);
const totalCodes = /^(_T|_Z|TOT|TOTAL|ALL|SUM)$/i;
const levelNames =
  /^(geo(graphic|graphical)?[ _]?)?(level|summary[ _]?level|area[ _]?type|unit[ _]?type|geo[ _]?type|layer|tier)$/i;
const keyNames = /(code|geo_?id|area|unit|ward|district|id|key|geo|ref_?area)/i;

/** 999999 and 0000: no unit, but all of them. */
const fillerCode = (text: string) => /^(9{2,}|0{2,})$/.test(text);

const textual = (field: Field) => field.type === 'text' || field.type === 'integer';

/** What is gathered of one column in the pass over the table. */
interface Seen {
  values: Map<string, number>;
  many: boolean;
}

/** Goes through a table once and recognises rows that are totals, and levels of units that stand in one table. */
export async function recogniseRows(table: Table): Promise<RowKinds> {
  const none: RowKinds = {
    searched: true,
    key: -1,
    totals: [],
    dimensionTotals: [],
    levels: [],
    levelOf: () => null,
    isTotal: () => false,
  };
  if ((table.count ?? 0) > mostSearchedRows) return { ...none, searched: false };
  const { schema } = table;
  const numeric = schema
    .map((field, c) => ({ field, c }))
    .filter(
      ({ field, c }) =>
        (field.type === 'integer' || field.type === 'real') &&
        c > 0 &&
        field.role === undefined &&
        field.featureId === undefined,
    )
    .map(({ c }) => c)
    .slice(0, mostSums);
  const seen = schema.map((): Seen => ({ values: new Map(), many: false }));
  const numbers = numeric.map(() => [] as number[]);
  const texts = schema.map((field): (string | null)[] | null => (textual(field) ? [] : null));
  let rows = 0;
  for await (const batch of table.batches()) {
    if (rows + batch.length > mostSearchedRows) return { ...none, searched: false };
    batch.columns.forEach((column, c) => {
      const held = texts[c];
      if (held === null) return;
      const { values } = seen[c];
      for (let i = 0; i < batch.length; i++) {
        const text = column.text(i);
        // Figures need no text; only keys and labels are kept.
        if (schema[c].type === 'text' || c < 3) held.push(text);
        if (text === null || seen[c].many) continue;
        if (values.size > mostValues) seen[c].many = true;
        else values.set(text, (values.get(text) ?? 0) + 1);
      }
    });
    numeric.forEach((c, k) => {
      for (let i = 0; i < batch.length; i++) numbers[k].push(batch.columns[c].number(i));
    });
    rows += batch.length;
  }
  if (rows < 2) return none;
  const key = keyOf(schema, texts, rows);
  const levelColumn = schema.findIndex(
    (field, c) =>
      levelNames.test(field.name.trim()) &&
      textual(field) &&
      !seen[c].many &&
      seen[c].values.size >= 2 &&
      seen[c].values.size <= 30,
  );
  const dimensions = dimensionTotalsOf(schema, seen, key, levelColumn);
  const levels =
    levelColumn >= 0
      ? levelsOfColumn(levelColumn, schema, seen, texts, key)
      : key < 0
        ? null
        : levelsOfKeys(texts[key]!);
  const finest = levels?.finest ?? (() => true);
  const totals = totalsOf(schema, texts, key, numbers, rows, finest);
  const totalRows = new Set(totals.map((total) => total.row));
  return {
    searched: true,
    key,
    totals,
    dimensionTotals: dimensions.map(({ c, value, rows: times }) => ({
      field: schema[c].name,
      value,
      rows: times,
    })),
    levels: levels?.levels ?? [],
    levelOf: levels?.levelOf(key) ?? (() => null),
    isTotal: (batch, i, row) =>
      totalRows.has(row) || dimensions.some(({ c, value }) => batch.columns[c].text(i) === value),
  };
}

/** The column with the keys of units: nearly every value once, and a name or values like codes. */
function keyOf(
  schema: readonly Field[],
  texts: readonly (readonly (string | null)[] | null)[],
  rows: number,
): number {
  let best = -1;
  let most = 0;
  schema.forEach((field, c) => {
    const held = texts[c];
    if (held === null || held.length < rows) return;
    const distinct = new Set(held).size / rows;
    const score =
      (field.role === 'code' ? 2 : 0) +
      (keyNames.test(field.name) ? 1 : 0) +
      (distinct > 0.9 ? 2 : 0) -
      c * 0.05;
    if (score > most && (distinct > 0.5 || field.role === 'code')) [best, most] = [c, score];
  });
  return best;
}

function dimensionTotalsOf(
  schema: readonly Field[],
  seen: readonly Seen[],
  key: number,
  levelColumn: number,
): { c: number; value: string; rows: number }[] {
  const found: { c: number; value: string; rows: number }[] = [];
  schema.forEach((field, c) => {
    if (c === key || c === levelColumn || field.type !== 'text' || seen[c].many || seen[c].values.size < 2)
      return;
    // A value that comes once is a single row, told by itself.
    for (const [value, rows] of seen[c].values)
      if (rows > 1 && (totalCodes.test(value) || namesTotal(field.codes?.[value] ?? value)))
        found.push({ c, value, rows });
  });
  return found;
}

interface Levels {
  levels: Level[];
  levelOf(key: number): (batch: Batch, i: number) => string | null;
  /** Rows of the level that the others are made of. */
  finest(row: number): boolean;
}

function levelsOfColumn(
  c: number,
  schema: readonly Field[],
  seen: readonly Seen[],
  texts: readonly (readonly (string | null)[] | null)[],
  key: number,
): Levels {
  const { codes } = schema[c];
  const name = (value: string | null) => (value === null ? null : (codes?.[value] ?? value));
  const held = texts[c];
  const keys = key < 0 ? null : texts[key];
  const levels = [...seen[c].values].map(([value, rows]): Level => {
    const row = held?.indexOf(value) ?? -1;
    return { name: name(value)!, rows, example: row < 0 ? '' : (keys?.[row] ?? '') };
  });
  const largest = [...seen[c].values].sort((a, b) => b[1] - a[1])[0]?.[0];
  return {
    levels,
    levelOf: () => (batch, i) => name(batch.columns[c].text(i)),
    finest: (row) => held === null || held.length === 0 || held[row] === largest,
  };
}

/** What comes after the last letter of a long identifier: its tail is the code of the unit. */
function tailOf(key: string): string {
  let from = key.length;
  while (from > 0 && key.charCodeAt(from - 1) >= 48 && key.charCodeAt(from - 1) <= 57) from--;
  return from === key.length ? key : key.slice(from);
}
const shapeOf = (key: string) => `${key.length}`;

/** Keys of several lengths, the longer ones beginning (in their tails) with the shorter: units within units. */
function levelsOfKeys(keys: readonly (string | null)[]): Levels | null {
  const groups = new Map<string, { keys: Set<string>; rows: number; example: string }>();
  for (const key of keys) {
    if (key === null || !/\d$/.test(key) || fillerCode(key) || namesTotal(key)) continue;
    const shape = shapeOf(key);
    const group = groups.get(shape) ?? { keys: new Set(), rows: 0, example: key };
    group.keys.add(tailOf(key));
    group.rows++;
    groups.set(shape, group);
  }
  const sorted = [...groups].sort((a, b) => Number(a[0]) - Number(b[0]));
  if (sorted.length < 2 || sorted.length > 8) return null;
  for (let k = 1; k < sorted.length; k++) {
    const upper = sorted[k - 1][1].keys;
    const own = sorted[k][1].keys;
    const [width] = [...upper].map((each) => each.length);
    if ([...upper].some((each) => each.length !== width)) return null;
    let inside = 0;
    for (const each of own) if (each.length > width && upper.has(each.slice(0, width))) inside++;
    if (inside < 0.8 * own.size || upper.size >= own.size) return null;
  }
  const names = new Map(sorted.map(([shape, group]) => [shape, `${tailOf(group.example).length} digits`]));
  const finest = sorted[sorted.length - 1][0];
  return {
    levels: sorted.map(([shape, group]) => ({
      name: names.get(shape)!,
      rows: group.rows,
      example: group.example,
    })),
    levelOf: (c) => (batch, i) => {
      const key = batch.columns[c].text(i);
      return key === null || fillerCode(key) || !/\d$/.test(key) ? null : (names.get(shapeOf(key)) ?? null);
    },
    finest: (row) => keys[row] !== null && shapeOf(keys[row]!) === finest,
  };
}

function totalsOf(
  schema: readonly Field[],
  texts: readonly (readonly (string | null)[] | null)[],
  key: number,
  numbers: readonly number[][],
  rows: number,
  finest: (row: number) => boolean,
): TotalRow[] {
  const candidates = new Map<number, { why: 'code' | 'label'; text: string }>();
  schema.forEach((field, c) => {
    const held = texts[c];
    if (held === null || held.length < rows) return;
    // Fillers are looked for among keys of one length only: 99 is an ordinary number elsewhere.
    const lengths = new Set<number>();
    if (c === key) for (const text of held) if (text !== null && !fillerCode(text)) lengths.add(text.length);
    for (let row = 0; row < rows; row++) {
      const text = held[row];
      if (text === null || candidates.has(row)) continue;
      if (c === key && fillerCode(text) && Math.max(...lengths) <= text.length)
        candidates.set(row, { why: 'code', text });
      else if (field.type === 'text' && c === key && totalCodes.test(text))
        candidates.set(row, { why: 'code', text });
      else if (field.type === 'text' && namesTotal(text)) candidates.set(row, { why: 'label', text });
    }
  });
  // A word that many rows have is a dimension, not the total row of the table.
  if (candidates.size > Math.max(3, rows / 4)) candidates.clear();
  const sums = numbers.map((column) => {
    let sum = 0;
    for (let row = 0; row < rows; row++)
      if (!candidates.has(row) && finest(row) && !Number.isNaN(column[row])) sum += column[row];
    return sum;
  });
  const near = (a: number, b: number) => Math.abs(a - b) <= Math.max(0.5, 1e-6 * Math.abs(b));
  const equals = (row: number, without: boolean) => {
    let compared = 0;
    let same = 0;
    numbers.forEach((column, k) => {
      const value = column[row];
      const sum = without && finest(row) ? sums[k] - (Number.isNaN(value) ? 0 : value) : sums[k];
      if (Number.isNaN(value) || sum === 0) return;
      compared++;
      if (near(value, sum)) same++;
    });
    return { compared, same };
  };
  const totals = [...candidates].map(([row, { why, text }]): TotalRow => {
    const { compared, same } = equals(row, false);
    return { row, why, text, proved: compared === 0 ? null : same > 0 };
  });
  // Without a telling code or word: the first or the last row, when every figure of it is the sum of all others.
  if (candidates.size === 0 && rows > 3) {
    for (const row of [0, rows - 1]) {
      const { compared, same } = equals(row, true);
      if (compared > 0 && same === compared)
        totals.push({
          row,
          why: 'sum',
          text: (key < 0 ? null : texts[key]?.[row]) ?? `row ${row + 1}`,
          proved: true,
        });
    }
  }
  return totals.sort((a, b) => a.row - b.row);
}

/** What is told of a table's rows. */
export function rowFindings(table: Table, kinds: RowKinds): Finding[] {
  const findings: Finding[] = [];
  if (!kinds.searched)
    findings.push({
      code: 'rows-not-searched',
      severity: 'note',
      words: `${table.name}: it has more than ${grouped(mostSearchedRows)} rows, so totals and levels among them were not looked for.`,
      repair: 'filter it to the units of the study first',
    });
  if (kinds.totals.length > 0) {
    const [first] = kinds.totals;
    const how = {
      code: `by its code (${first.text})`,
      label: `by its label (“${first.text}”)`,
      sum: 'since every figure of it is the sum of the others',
    }[first.why];
    const proof =
      first.proved === true && first.why !== 'sum' ? '; its figures are the sum of the others' : '';
    findings.push({
      code: 'row-total',
      severity: 'warning',
      words: `${table.name}: ${counted(kinds.totals.length, 'row is a total', 'rows are totals')} and no unit, recognised ${how}${proof}.`,
      repair: 'leave totals out (--without-totals, or “rows: without totals” in the study)',
    });
  }
  for (const { field, value, rows } of kinds.dimensionTotals)
    findings.push({
      code: 'dimension-total',
      severity: 'note',
      words: `${table.name}: ${grouped(rows)} rows are totals over ${field} (${value}); summed up with the others they would count twice.`,
    });
  if (kinds.levels.length > 1)
    findings.push({
      code: 'levels-several',
      severity: 'warning',
      words: `${table.name}: units of ${kinds.levels.length} levels stand in one table: ${kinds.levels.map((level) => `${level.name} (${grouped(level.rows)} rows, for example ${level.example})`).join('; ')}.`,
      repair: 'choose one with --level, or write one table for each with --by-level',
    });
  return findings;
}
