import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { dimensionOf } from '../../geometry/geometry-array.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, fieldIndex, requireField, type Schema } from '../../table/schema.ts';
import { Batch, batchLimit } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import { type Layer, type Table, withoutGeometry } from '../layer.ts';
import { inOneCrs } from '../placing/held-units.ts';
import { intersectLayers } from './intersect.ts';
import { measureFor } from './intersect-task.ts';
import { selectColumns } from './select.ts';
import { tallyFeatures } from './tally.ts';
import { applyVerb } from './verb.ts';

/** How a crosswalk from units to others is made. */
export interface CrosswalkOptions {
  /** Key field of the given units, key field of those they are carried to. */
  on: readonly [from: string, to: string];
  /** Points, buildings or finer units whose weight says how much of a unit lies where; by area when left out. */
  weights?: Layer;
  /** Field of the weights with their figures; each counts once when left out. */
  by?: string;
  /** Per cent under which a share is no part but an inaccuracy of borders: it is given to the others. */
  leastShare?: number;
}

/** Parts smaller than this share are told: borders that were drawn anew. */
const sliver = 0.001;

/** What a unit gives to another: size and weight of what they have in common. */
interface Part {
  size: number;
  weight: number;
  /** Share of the old unit; known when all parts are. */
  share: number;
}

/**
 * Makes a crosswalk: a table with a row for each pair of an old unit and a new one that have something in common, and the share of
 * the old one that lies there (`share`), and of the new one that comes from there (`of_to`). What lies in no new unit has a row with
 * a blank `to`. The shares of each old unit sum to one.
 *
 * Shares are of the area, or of the weights of points, buildings or finer units that lie in each part (areas and lines by the share
 * of them that does); a unit without any weight is shared by area, which is told. The new units and the pieces are held in memory.
 *
 * @throws IsomericError `field-unknown`, `crs-missing`, `areas-none`
 */
export function crosswalkOf(units: Layer, others: Layer, options: CrosswalkOptions): Table {
  const [from, to] = options.on;
  const fromField = asPlainField(units.schema[requireField(units.schema, from, units.name)]);
  const toField = asPlainField(others.schema[requireField(others.schema, to, others.name)]);
  const { weights, by } = options;
  if (weights !== undefined && by !== undefined) requireField(weights.schema, by, weights.name);
  const schema: Schema = [
    { ...keyField(fromField), name: 'from', title: `${units.name}: ${from}` },
    { ...keyField(toField), name: 'to', title: `${others.name}: ${to}` },
    { name: 'share', type: 'real', title: 'Share of the unit that goes there' },
    { name: 'of_to', type: 'real', title: 'Share of the other unit that comes from there' },
    { name: 'km2', type: 'real', unit: 'km²', title: 'Area in common' },
    ...(weights === undefined
      ? []
      : [
          {
            name: 'weight',
            type: 'real' as const,
            title: by === undefined ? `${weights.name} in common` : `${by} of ${weights.name} in common`,
          },
        ]),
  ];
  const { layer: own, notes } = inOneCrs(units, others);
  const pieces = intersectLayers(selectColumns(units, [from]), selectColumns(own, [to]), { pieces: 'given' });
  const weighed =
    weights === undefined
      ? pieces
      : tallyFeatures(pieces, weights, {
          as: 'things',
          compute: [
            {
              name: 'weight',
              expression: by === undefined ? 'sum(1)' : `sum("${by.replaceAll('"', '""')}")`,
            },
          ],
        });
  return applyVerb('Crosswalk', withoutGeometry(units), {
    schema,
    async *run(account, _source, signal) {
      const parts = new Parts();
      await parts.gather(weighed, signal);
      const sizes = await sizesOf(selectColumns(own, [to]), signal);
      if (weights !== undefined) account.notes.push(weightWords(weighed, weights, by));
      account.notes.push(...notes());
      parts.settle(weights !== undefined, (options.leastShare ?? 0) / 100);
      yield* rowsOf(parts, sizes, schema);
      // The account of the pieces knows what had no place.
      const { counts } = pieces.accounts[pieces.accounts.length - 1];
      closeCrosswalk(account, { parts, units, others, weights, options, leftOut: counts.leftOut ?? 0 });
    },
  });
}

/** A field of keys, whatever else it was. */
function keyField({ type, codes }: Field): Field {
  return {
    name: '',
    type: type === 'integer' ? 'integer' : 'text',
    role: 'code',
    ...(codes === undefined ? {} : { codes }),
  };
}

function weightWords(weighed: Layer, weights: Layer, by: string | undefined): string {
  const tally = weighed.accounts[weighed.accounts.length - 1];
  return `Weights: ${by === undefined ? weights.name : `${by} of ${weights.name}`}. ${tally.sentence}`;
}

/** The parts of all units, by key. */
class Parts {
  readonly of = new Map<string, Map<string | null, Part>>();
  /** Units that have no weight and are shared by area. */
  byArea: string[] = [];
  /** Shares that were given to the others. */
  dropped = 0;
  blank = 0;

  async gather(pieces: Layer, signal: AbortSignal | undefined): Promise<void> {
    const measure = await measureFor(pieces.crs);
    const w = fieldIndex(pieces.schema, 'weight');
    for await (const batch of pieces.batches({ signal }))
      for (let i = 0; i < batch.length; i++) {
        const from = batch.columns[0].text(i);
        if (from === null || from === '') {
          this.blank++;
          continue;
        }
        let parts = this.of.get(from);
        if (parts === undefined) {
          parts = new Map();
          this.of.set(from, parts);
        }
        const to = batch.columns[1].text(i);
        const part = parts.get(to) ?? { size: 0, weight: 0, share: 0 };
        part.size += measure(batch.geometry!, i);
        if (w >= 0) part.weight += batch.columns[w].number(i) || 0;
        parts.set(to, part);
      }
  }

  /** Weights become shares that sum to one; small ones are given to the others. */
  settle(weighted: boolean, least: number): void {
    for (const [from, parts] of this.of) {
      const all = [...parts.values()];
      const weight = all.reduce((sum, part) => sum + part.weight, 0);
      const byArea = !weighted || !(weight > 0);
      if (weighted && byArea) this.byArea.push(from);
      const total = byArea ? all.reduce((sum, part) => sum + part.size, 0) : weight;
      for (const part of all)
        part.share = total > 0 ? (byArea ? part.size : part.weight) / total : 1 / all.length;
      this.dropSmall(parts, least);
    }
  }

  private dropSmall(parts: Map<string | null, Part>, least: number): void {
    let left = 0;
    for (const [to, part] of parts)
      if (part.share === 0 || (part.share < least && parts.size > 1)) {
        if (part.share > 0) this.dropped++;
        parts.delete(to);
      } else left += part.share;
    for (const part of parts.values()) part.share /= left;
  }
}

/** Size of each unit that is carried to, by key. */
async function sizesOf(layer: Layer, signal: AbortSignal | undefined): Promise<Map<string, number>> {
  const measure = await measureFor(layer.crs);
  const sizes = new Map<string, number>();
  for await (const batch of layer.batches({ signal }))
    for (let i = 0; i < batch.length; i++) {
      const key = batch.columns[0].text(i);
      if (key === null || dimensionOf(batch.geometry!.kind[i]) !== 2) continue;
      sizes.set(key, (sizes.get(key) ?? 0) + measure(batch.geometry!, i));
    }
  return sizes;
}

function* rowsOf(parts: Parts, sizes: ReadonlyMap<string, number>, schema: Schema): Generator<Batch> {
  const builders = schema.map((field) => new ColumnBuilder(field.type));
  const key = (c: number, text: string | null) => {
    if (text === null) builders[c].null();
    else if (schema[c].type === 'integer') builders[c].number(Number(text));
    else builders[c].text(text);
  };
  let first = 0;
  const batch = () => {
    const made = new Batch({
      length: builders[0].length,
      first,
      geometry: null,
      columns: builders.map((builder) => builder.finish()),
    });
    first += made.length;
    return made;
  };
  for (const [from, rows] of parts.of)
    for (const [to, { size, weight, share }] of rows) {
      key(0, from);
      key(1, to);
      builders[2].number(share);
      const other = to === null ? undefined : sizes.get(to);
      if (other === undefined || !(other > 0)) builders[3].null();
      // Pieces that fill the other unit are measured a trifle larger than it.
      else builders[3].number(Math.min(1, size / other));
      builders[4].number(size / 1e6);
      if (schema.length > 5) builders[5].number(weight);
      if (builders[0].length === batchLimit) yield batch();
    }
  if (builders[0].length > 0) yield batch();
}

interface Closing {
  parts: Parts;
  units: Layer;
  others: Layer;
  weights: Layer | undefined;
  options: CrosswalkOptions;
  /** Units without usable geometry. */
  leftOut: number;
}

function closeCrosswalk(
  account: Account,
  { parts, units, others, weights, options, leftOut }: Closing,
): void {
  let whole = 0;
  let split = 0;
  let outside = 0;
  let slivers = 0;
  const sources = new Map<string, number>();
  const split5: string[] = [];
  for (const [from, rows] of parts.of) {
    const main = [...rows].filter(([, { share }]) => share >= sliver);
    slivers += rows.size - main.length;
    const inside = main.filter(([to]) => to !== null);
    if (inside.length === 0) outside++;
    else if (main.length === 1) whole++;
    else {
      split++;
      if (split5.length < 5) split5.push(from);
    }
    for (const [to] of inside) sources.set(to!, (sources.get(to!) ?? 0) + 1);
  }
  const merged = [...sources.values()].filter((count) => count > 1).length;
  account.counts = {
    units: parts.of.size,
    whole,
    split,
    outside,
    merged,
    slivers,
    byArea: parts.byArea.length,
  };
  if (parts.of.size === 0)
    throw new IsomericError(
      'crosswalk-empty',
      `${units.name} holds no unit with a key in ${options.on[0]}.`,
      { blame: 'usage' },
    );
  if (split5.length > 0)
    account.notes.push(`Split: ${split5.join(', ')}${split > 5 ? ` and ${grouped(split - 5)} more` : ''}.`);
  if (merged > 0)
    account.notes.push(
      `${counted(merged, 'unit', 'units')} of ${others.name} ${merged === 1 ? 'has' : 'have'} parts of several.`,
    );
  if (slivers > 0)
    account.notes.push(
      `${counted(slivers, 'part is', 'parts are')} under 0.1 % of ${slivers === 1 ? 'its' : 'their'} unit: borders drawn anew rather than moved; a least share would give them to the others.`,
    );
  if (parts.dropped > 0)
    account.notes.push(
      `${counted(parts.dropped, 'share', 'shares')} under ${options.leastShare} % ${parts.dropped === 1 ? 'was' : 'were'} given to the others, as asked.`,
    );
  if (weights !== undefined && parts.byArea.length > 0)
    account.findings.push({
      code: 'crosswalk-without-weight',
      severity: 'warning',
      layer: units.name,
      words: `${counted(parts.byArea.length, 'unit has', 'units have')} no weight of ${weights.name} (${parts.byArea.slice(0, 5).join(', ')}${parts.byArea.length > 5 ? ' …' : ''}) and ${parts.byArea.length === 1 ? 'is' : 'are'} shared by area.`,
    });
  if (parts.blank > 0)
    account.notes.push(`${counted(parts.blank, 'piece', 'pieces')} of units without a key left out.`);
  if (leftOut > 0)
    account.findings.push({
      code: 'crosswalk-without-place',
      severity: 'warning',
      layer: units.name,
      words: `${counted(leftOut, 'unit has', 'units have')} no usable geometry and ${leftOut === 1 ? 'is' : 'are'} not in the crosswalk.`,
    });
  const counts: Count[] = [
    [whole, 'go whole into one'],
    [split, 'are split'],
  ];
  if (outside > 0) counts.push([outside, `lie outside of ${others.name}`]);
  closeAccount(account, [parts.of.size, `${units.name} to ${others.name}`], ...counts);
}
