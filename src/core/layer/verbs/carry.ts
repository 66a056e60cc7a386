import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { ExactSums, exactSum } from '../../exact-sum.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { asKeyPairs } from '../../table/keys/key-pairs.ts';
import type { KeyReader } from '../../table/keys/key-reader.ts';
import type { Mend } from '../../table/keys/mends.ts';
import { marginOfSum } from '../../table/margins.ts';
import { type Field, fieldIndex, requireField, type Schema } from '../../table/schema.ts';
import { isSummable } from '../../table/summable.ts';
import { Batch, batchLimit } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import { HeldTable } from '../joining/held-table.ts';
import { keySides, mendedKeys } from '../joining/mended-keys.ts';
import { type Against, tellAgainst } from '../joining/sums-against.ts';
import { inMemory, type Table, withoutGeometry } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** How figures are carried to other units. */
export interface CarryOptions {
  /** Key field of the table, field of the crosswalk with the same keys (`from`). */
  on: readonly [tableField: string, crosswalkField: string];
  /** What is done to the keys before they are compared; “the layer” is the crosswalk. */
  repair?: string | readonly Mend[];
  /** Field of the crosswalk with the keys of the other units; `to` when left out. */
  to?: string;
  /** Field of the crosswalk with the share that goes there; `share` when left out, and all of it where there is no such field. */
  share?: string;
  /** Fields that are counts: moved by their share, sums kept. All that can be summed when left out. */
  counts?: readonly string[];
  /** Fields that are means or rates, with the count that weighs each: `['income', 'households']`. */
  means?: readonly (readonly [mean: string, weight: string])[];
  /** Figures that the other units themselves have, by the same names: the sums of their parts are held against them. */
  against?: Against;
}

/** Columns that are carried, by their places in the table. */
interface Carried {
  c: number;
  field: Field;
  /** For means: the place of the weight among the counts. */
  weight: number;
  /** For margins: the place of the estimates among the counts. */
  estimate: number;
}

/**
 * Carries figures of a table to other units by a crosswalk: each count goes by the shares, so that its sum is kept; what goes to no
 * unit and what the crosswalk does not know is told, with the totals before and after. Means go as means weighted by a count; margins
 * of error as those of sums of shares. Rates are best computed anew afterwards from the counts that they are made of. The result has a
 * row for each unit, its key in the field that the crosswalk has for it.
 *
 * Without a field of shares each row of the crosswalk goes whole: so wards are rolled up to their districts.
 *
 * @throws IsomericError `field-unknown`, `carry-nothing`; while reading `crosswalk-shares`, `crosswalk-twice`, `join-nothing-matched`
 */
export function carryFigures(table: Table, crosswalk: Table, options: CarryOptions): Table {
  const sides = keySides(crosswalk, table, asKeyPairs([options.on[1], options.on[0]]), options.repair);
  const toName = options.to ?? 'to';
  const t = requireField(crosswalk.schema, toName, crosswalk.name);
  const s =
    options.share === undefined
      ? fieldIndex(crosswalk.schema, 'share')
      : requireField(crosswalk.schema, options.share, crosswalk.name);
  if (options.against !== undefined)
    requireField(options.against.table.schema, options.against.key, options.against.table.name);
  const carried = carriedOf(table, sides.other.columns, options);
  const schema: Schema = [
    asPlainField(crosswalk.schema[t]),
    ...carried.map(({ field }) => ({ ...asPlainField(field), type: 'real' as const })),
  ];
  const told: Table = { ...withoutGeometry(table), accounts: [...table.accounts, ...crosswalk.accounts] };
  return applyVerb('Carry', told, {
    schema,
    async *run(account, source, signal) {
      // It may be made anew at each reading: once is enough.
      const walk = await inMemory(crosswalk);
      const ready = await mendedKeys({ ...sides, layer: walk }, { signal });
      account.notes.push(...ready.notes);
      const held = await HeldTable.of(walk, ready.own, s < 0 ? [t] : [t, s], { signal });
      const shares = sharesOf(held, s >= 0, crosswalk.name);
      const mover = new Mover(held, shares, carried);
      for await (const batch of source) mover.add(batch, ready.other);
      yield* mover.batches(schema);
      if (options.against !== undefined) {
        const fields = carried
          .filter(({ weight, estimate }) => weight < 0 && estimate < 0)
          .map(({ field }) => field);
        const sum = (field: number, unit: string) => mover.figure(field, mover.units.get(unit)!);
        await tellAgainst(account, options.against, new Set(mover.units.keys()), fields, sum, { signal });
      }
      closeCarry(account, { table, crosswalk, options, mover, carried, held });
    },
  });
}

/** The columns that go, counts first: means and margins speak of them. */
function carriedOf(table: Table, keys: readonly number[], { counts, means = [] }: CarryOptions): Carried[] {
  const weighted = means.map(([mean]) => mean);
  const chosen =
    counts?.map((name) => requireField(table.schema, name, table.name)) ??
    table.schema.flatMap((field, c) =>
      !keys.includes(c) && isSummable(field) && !weighted.includes(field.name) ? [c] : [],
    );
  const carried: Carried[] = chosen.map((c) => ({ c, field: table.schema[c], weight: -1, estimate: -1 }));
  const countAt = (name: string) => {
    const c = requireField(table.schema, name, table.name);
    const known = chosen.indexOf(c);
    if (known >= 0) return known;
    throw new IsomericError(
      'carry-weight',
      `${name} weighs a mean, but is not among the counts that are carried.`,
      {
        blame: 'usage',
        wrong: name,
      },
    );
  };
  for (const [mean, weight] of means) {
    const c = requireField(table.schema, mean, table.name);
    carried.push({ c, field: table.schema[c], weight: countAt(weight), estimate: -1 });
  }
  chosen.forEach((c, estimate) => {
    const { margin } = table.schema[c];
    const m = margin === undefined ? -1 : fieldIndex(table.schema, margin);
    if (m >= 0 && !carried.some((each) => each.c === m))
      carried.push({ c: m, field: table.schema[m], weight: -1, estimate });
  });
  if (carried.length > 0) return carried;
  throw new IsomericError('carry-nothing', `${table.name} has no figures that could be summed.`, {
    blame: 'usage',
    advice: 'Name the fields with “counts”.',
  });
}

/** The share of each row of a crosswalk; those of one unit must sum to one. */
function sharesOf(held: HeldTable, given: boolean, name: string): Float64Array {
  const shares = new Float64Array(held.rows).fill(1);
  if (given) for (let row = 0; row < held.rows; row++) shares[row] = held.columns[1].number(row);
  for (let key = 0; key < held.index.size; key++) {
    const rows = held.rowsOf(key);
    const sum = exactSum([...rows].map((row) => shares[row]));
    if (Math.abs(sum - 1) <= 1e-6) {
      // Shares that were written with few digits are made to sum to one exactly.
      for (const row of rows) shares[row] /= sum;
      continue;
    }
    const code = held.index.text(key);
    if (!given)
      throw new IsomericError(
        'crosswalk-twice',
        `${name} has ${counted(rows.length, 'row', 'rows')} for ${code}, and no share of each.`,
        {
          blame: 'usage',
          advice: 'Name the field with the shares, or leave one row a unit.',
        },
      );
    throw new IsomericError(
      'crosswalk-shares',
      `The shares of ${code} in ${name} sum to ${Number(sum.toPrecision(6))}, not to 1: figures would be lost or doubled.`,
      {
        blame: 'usage',
        advice: 'What goes nowhere has a row with a blank unit.',
      },
    );
  }
  return shares;
}

/** Moves figures, and counts what came and went. */
class Mover {
  readonly units = new Map<string, number>();
  rows = 0;
  unknown: string[] = [];
  blankKeys = 0;
  /** By column: all that came, what went to no unit, what the crosswalk does not know, blanks. */
  readonly totals: { before: ExactSums; outside: ExactSums; lost: ExactSums; blanks: number }[];
  private readonly sums: ExactSums[];
  /** For means: the sum of their weights. */
  private readonly weights: ExactSums[];
  private readonly margins: { margins: number[]; estimates: number[] }[][];
  private readonly got: Set<number>[];

  constructor(
    private readonly held: HeldTable,
    private readonly shares: Float64Array,
    private readonly carried: readonly Carried[],
  ) {
    const each = () => carried.map(() => new ExactSums());
    this.sums = each();
    this.weights = each();
    this.margins = carried.map(() => []);
    this.got = carried.map(() => new Set());
    this.totals = carried.map(() => ({
      before: new ExactSums(),
      outside: new ExactSums(),
      lost: new ExactSums(),
      blanks: 0,
    }));
    // Units in the order of the crosswalk, also those that get nothing.
    for (let row = 0; row < held.rows; row++) {
      const to = held.columns[0].text(row);
      if (to !== null && to !== '' && !this.units.has(to)) this.units.set(to, this.units.size);
    }
  }

  add(batch: Batch, reader: KeyReader): void {
    reader.each(batch, (i, bytes, start, end) => {
      this.rows++;
      if (bytes === null || start === end) {
        this.blankKeys++;
        this.move(batch, i, null);
        return;
      }
      const key = this.held.index.get(bytes, start, end);
      if (key < 0) {
        this.unknown.push(new TextDecoder().decode(bytes.subarray(start, end)));
        this.move(batch, i, null);
      } else this.move(batch, i, this.held.rowsOf(key));
    });
  }

  private move(batch: Batch, i: number, rows: Uint32Array | null): void {
    this.carried.forEach(({ c, weight, estimate }, k) => {
      const value = batch.columns[c].number(i);
      const total = this.totals[k];
      if (Number.isNaN(value)) {
        total.blanks++;
        return;
      }
      const weighs = weight < 0 ? 1 : batch.columns[this.carried[weight].c].number(i);
      if (weight < 0 && estimate < 0) total.before.add(0, value);
      if (rows === null) {
        if (weight < 0 && estimate < 0) total.lost.add(0, value);
        return;
      }
      for (const row of rows) {
        const to = this.held.columns[0].text(row);
        const share = this.shares[row];
        if (share === 0) continue;
        if (to === null || to === '') {
          if (weight < 0 && estimate < 0) total.outside.add(0, value * share);
          continue;
        }
        const unit = this.units.get(to)!;
        this.got[k].add(unit);
        if (estimate >= 0)
          this.margin(k, unit, value * share, batch.columns[this.carried[estimate].c].number(i) * share);
        else if (weight >= 0) {
          if (Number.isNaN(weighs)) continue;
          this.sums[k].add(unit, value * weighs * share);
          this.weights[k].add(unit, weighs * share);
        } else this.sums[k].add(unit, value * share);
      }
    });
  }

  private margin(k: number, unit: number, margin: number, estimate: number): void {
    let own = this.margins[k][unit];
    if (own === undefined) {
      own = { margins: [], estimates: [] };
      this.margins[k][unit] = own;
    }
    own.margins.push(margin);
    own.estimates.push(estimate);
  }

  /** The figure of a unit; NaN where nothing came. */
  figure(k: number, unit: number): number {
    if (!this.got[k].has(unit)) return Number.NaN;
    const { weight, estimate } = this.carried[k];
    if (estimate >= 0) {
      const own = this.margins[k][unit];
      return marginOfSum(own.margins, own.estimates);
    }
    return weight < 0 ? this.sums[k].of(unit) : this.sums[k].of(unit) / this.weights[k].of(unit);
  }

  /** Sum of a column over all units, by what was given out. */
  after(k: number): number {
    return exactSum([...this.units.values()].map((unit) => this.sums[k].of(unit)));
  }

  *batches(schema: Schema): Generator<Batch> {
    const all = [...this.units];
    for (let first = 0; first < all.length; first += batchLimit) {
      const part = all.slice(first, first + batchLimit);
      const builders = schema.map((field) => new ColumnBuilder(field.type));
      for (const [to, unit] of part) {
        if (schema[0].type === 'integer') builders[0].number(Number(to));
        else builders[0].text(to);
        this.carried.forEach((_, k) => {
          const value = this.figure(k, unit);
          if (Number.isFinite(value)) builders[k + 1].number(value);
          else builders[k + 1].null();
        });
      }
      yield new Batch({
        length: part.length,
        first,
        geometry: null,
        columns: builders.map((builder) => builder.finish()),
      });
    }
  }
}

interface Closing {
  table: Table;
  crosswalk: Table;
  options: CarryOptions;
  mover: Mover;
  carried: readonly Carried[];
  held: HeldTable;
}

const figure = (value: number) => grouped(Number(value.toPrecision(12)));

function closeCarry(account: Account, { table, crosswalk, options, mover, carried, held }: Closing): void {
  const known = mover.rows - mover.unknown.length - mover.blankKeys;
  account.counts = {
    in: mover.rows,
    units: mover.units.size,
    unknown: mover.unknown.length,
    blankKeys: mover.blankKeys,
  };
  if (mover.rows > 0 && known === 0)
    throw new IsomericError(
      'join-nothing-matched',
      `None of ${counted(mover.rows, 'row', 'rows')} of ${table.name} is in ${crosswalk.name} by ${options.on.join(' = ')}: ${mover.unknown.slice(0, 3).join(', ')} on one side, ${[...held.index.texts()].slice(0, 3).join(', ')} on the other.`,
      { blame: 'usage', advice: '“isomeric keys” searches all fields of both.' },
    );
  carried.forEach(({ field, weight, estimate }, k) => {
    const { before, outside, lost, blanks } = mover.totals[k];
    if (weight < 0 && estimate < 0)
      account.notes.push(
        `${field.name}: ${figure(before.of(0))} before, ${figure(mover.after(k))} after${outside.of(0) === 0 ? '' : `, ${figure(outside.of(0))} in no unit`}${lost.of(0) === 0 ? '' : `, ${figure(lost.of(0))} of rows that the crosswalk does not know`}.`,
      );
    if (blanks > 0 && estimate < 0)
      account.findings.push({
        code: 'carry-incomplete',
        severity: 'warning',
        layer: table.name,
        words: `${field.name}: ${counted(blanks, 'row has', 'rows have')} no value (blank, suppressed or missing), and the units that ${blanks === 1 ? 'it goes' : 'they go'} to are short of it.`,
      });
  });
  const left = table.schema.filter(
    (each, c) =>
      (each.type === 'integer' || each.type === 'real') &&
      each.role === undefined &&
      each.featureId === undefined &&
      !carried.some((one) => one.c === c) &&
      each.name !== options.on[0],
  );
  if (left.length > 0)
    account.notes.push(
      `Not carried: ${left.map(({ name }) => name).join(', ')}; compute rates anew from the counts that they are made of, or carry them as means.`,
    );
  if (mover.unknown.length > 0)
    account.findings.push({
      code: 'carry-unknown',
      severity: 'warning',
      layer: table.name,
      words: `${counted(mover.unknown.length, 'row', 'rows')} of ${table.name} ${mover.unknown.length === 1 ? 'is' : 'are'} not in ${crosswalk.name} (${mover.unknown.slice(0, 5).join(', ')}${mover.unknown.length > 5 ? ' …' : ''}).`,
    });
  const counts: Count[] = [
    [known, `carried to ${counted(mover.units.size, 'unit', 'units')}`],
    [mover.rows - known, `not in ${crosswalk.name}`],
  ];
  closeAccount(account, [mover.rows, `${table.name} in`], ...counts);
}
