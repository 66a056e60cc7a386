import { type Account, type Count, closeAccount, counted, listed } from '../../account.ts';
import { type Crs, sameCrs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { type Box, emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { AreaSet } from '../../geometry/overlay/area-set.ts';
import { Clipped } from '../../geometry/overlay/clipping.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import { usableBox } from '../../geometry/unusable.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import { Batch, smallBatches } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { type TaskGiven, type TaskResult, withThreads } from '../threads.ts';
import { Fate, type IntersectSetup, intersectTask, measureFor } from './intersect-task.ts';
import { reprojectLayer } from './reproject.ts';
import { splitColumn, splitWords } from './splitting.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** Which pieces two layers are cut into stay: those of both, of the given one too where the other has nothing, or all. */
export type Pieces = 'both' | 'given' | 'all';

/** How `intersectLayers` works. */
export interface IntersectOptions {
  /** `both` when left out. */
  pieces?: Pieces;
  /** Fields of the given layer whose figures are split by the share of each piece. */
  split?: readonly string[];
  /** What rings enclose that cross or overlap themselves; `non-zero` where nothing is said. */
  rule?: FillRule;
}

/** Where a row of the result comes from: feature of a batch, or none. */
type Source = { batch: Batch; i: number } | null;

interface Piece {
  given: Source;
  other: Source;
  /** The part of the given feature that it is, and of the other. */
  share: number | null;
  otherShare: number | null;
}

/**
 * Cuts each feature of a layer by the areas of another: one feature for each pair that has more in common than a border,
 * with the fields of both, the features it came from, and its share of each by area (length for lines, on the ellipsoid
 * where coordinates are degrees). Borders of neighbouring pieces stay the same, vertex for vertex.
 *
 * The other layer is held in memory; with `pieces: 'all'` the geometry of the given one too.
 */
export function intersectLayers(layer: Layer, other: Layer, options: IntersectOptions = {}): Layer {
  const { crs } = layer;
  if (crs === null ? other.crs !== null : other.crs === null)
    throw new IsomericError(
      'crs-missing',
      `${crs === null ? layer.name : other.name} has no CRS, so what lies where cannot be said.`,
      { blame: 'usage', advice: 'Say which CRS it has first.' },
    );
  const own = crs === null || sameCrs(crs, other.crs!) ? other : reprojectLayer(other, crs);
  const names: string[] = [];
  const named = (wanted: string) => {
    const name = freeName(wanted, names);
    names.push(name);
    return name;
  };
  const split = (options.split ?? []).map((name) => splitColumn(layer, name));
  const renamed: string[] = [];
  const plain = (name: string) => name.replace(/[^\p{L}\p{N}_]+/gu, '_');
  const schema: Field[] = [
    ...layer.schema.map((field, c) => ({
      ...asPlainField(field),
      name: named(field.name),
      ...(split.includes(c) ? { type: 'real' as const } : {}),
    })),
    ...other.schema.map((field) => {
      const name = named(field.name);
      if (name !== field.name) renamed.push(`${field.name} is called ${name}`);
      return { ...asPlainField(field), name };
    }),
    { name: named(`${plain(layer.name)}_feature`), type: 'text' as const, title: `Feature of ${layer.name}` },
    { name: named(`${plain(other.name)}_feature`), type: 'text' as const, title: `Feature of ${other.name}` },
    {
      name: named(`${plain(layer.name)}_share`),
      type: 'real' as const,
      title: `Share of the feature of ${layer.name}`,
    },
    {
      name: named(`${plain(other.name)}_share`),
      type: 'real' as const,
      title: `Share of the feature of ${other.name}`,
    },
  ];
  return applyVerb('Intersect', layer, {
    schema,
    kinds: undefined,
    async *run(account, source, signal) {
      const work = new Intersection(layer, other, options, schema, split, account);
      await work.hold(own.batches({ signal }));
      yield* withThreads(
        intersectTask,
        work.setup(crs),
        smallBatches(source, 1024),
        (batch) => work.ask(batch),
        (batch, result) => work.accept(batch, result),
      );
      const rest = work.rest();
      if (rest !== null) yield rest;
      account.notes.push(...own.accounts.slice(other.accounts.length).map((each) => each.sentence));
      if (renamed.length > 0)
        account.notes.push(`Of ${other.name}, ${listed(renamed)}, since ${layer.name} has them too.`);
      if (split.length > 0) account.notes.push(splitWords(layer, split, 'each piece'));
      work.close();
    },
  });
}

class Intersection {
  private readonly layer: Layer;
  private readonly other: Layer;
  private readonly pieces: Pieces;
  private readonly rule: FillRule | undefined;
  private readonly schema: readonly Field[];
  private readonly split: readonly number[];
  private readonly account: Account;
  private readonly others: { batch: Batch; i: number }[] = [];
  /** Numbers of the features of each batch that were asked for. */
  private readonly asked = new WeakMap<Batch, number[]>();
  private areas!: AreaSet;
  private measure: (array: GeometryArray, i: number) => number = () => 0;
  private readonly givenAreas: GeometryMaker | null;
  private given = 0;
  private inside = 0;
  private cutUp = 0;
  private outside = 0;
  private leftOut = 0;
  private made = 0;

  constructor(
    layer: Layer,
    other: Layer,
    { pieces = 'both', rule }: IntersectOptions,
    schema: readonly Field[],
    split: readonly number[],
    account: Account,
  ) {
    this.layer = layer;
    this.other = other;
    this.pieces = pieces;
    this.rule = rule;
    this.schema = schema;
    this.split = split;
    this.account = account;
    this.givenAreas = pieces === 'all' ? new GeometryMaker() : null;
  }

  /** Takes the other layer in. */
  async hold(batches: AsyncIterable<Batch>): Promise<void> {
    const all = new GeometryMaker();
    const box = emptyBox();
    for await (const batch of batches)
      for (let i = 0; i < batch.length; i++) {
        if (!this.isUsable(batch, i, box, this.other.name)) continue;
        all.copy(batch.geometry!, i);
        this.others.push({ batch, i });
      }
    this.areas = new AreaSet(all.finish(), this.rule);
    this.measure = await measureFor(this.layer.crs);
    if (this.others.length > 0 && this.areas.areas.kind.every((kind) => kind === Kind.None))
      throw new IsomericError('areas-none', `${this.other.name} holds no areas to intersect with.`, {
        place: { layer: this.other.name },
        blame: 'usage',
        advice: 'Name a layer with polygons; lines and points can be the given layer.',
      });
  }

  private isUsable(batch: Batch, i: number, box: Box, layer: string): boolean {
    if (usableBox(batch.geometry!, i, box)) return true;
    this.leftOut++;
    tellUnusable(batch, i, layer, this.account.findings);
    return false;
  }

  /** What threads need to cut batches. */
  setup(crs: Crs | null): IntersectSetup {
    return { areas: this.areas.areas.buffers(), crs, bothOnly: this.pieces === 'both', rule: this.rule };
  }

  /** The features of a batch that can be cut. */
  ask(batch: Batch): TaskGiven | null {
    const geometry = batch.geometry!;
    const box = emptyBox();
    const indices: number[] = [];
    for (let i = 0; i < batch.length; i++) {
      this.given++;
      if (!this.isUsable(batch, i, box, this.layer.name)) continue;
      if (geometry.kind[i] === Kind.None || geometry.kind[i] === Kind.Collection || !(box[0] <= box[2])) {
        this.leftOut++;
        continue;
      }
      this.givenAreas?.copy(geometry, i);
      indices.push(i);
    }
    if (indices.length === 0) return null;
    this.asked.set(batch, indices);
    return { geometry: takeGeometries(geometry, indices), numbers: null };
  }

  /** The pieces of a batch. */
  accept(batch: Batch, result: TaskResult | null): Batch[] {
    if (result === null) return [];
    const [fates, given, others, shares, otherShares] = result.arrays;
    for (const fate of fates) {
      if (fate === Fate.Outside) this.outside++;
      else if (fate === Fate.Inside) this.inside++;
      else this.cutUp++;
    }
    if (result.geometry === null) return [];
    const indices = this.asked.get(batch)!;
    const rows = Array.from(given, (k, n): Piece => {
      const j = others[n];
      return {
        given: { batch, i: indices[k] },
        other: j < 0 ? null : this.others[j],
        share: shares[n],
        otherShare: Number.isNaN(otherShares[n]) ? null : otherShares[n],
      };
    });
    return [this.batchOf(result.geometry, rows)];
  }

  /** With all pieces: what of the other layer lies outside of the given one. */
  rest(): Batch | null {
    if (this.givenAreas === null) return null;
    const given = new AreaSet(this.givenAreas.finish(), this.rule);
    const { areas } = this.areas;
    const builder = new GeometryMaker();
    const rows: Piece[] = [];
    const box = emptyBox();
    this.others.forEach((other, j) => {
      if (areas.kind[j] === Kind.None) return;
      const piece = new GeometryMaker(32);
      if (given.cut(areas, j, given.near(areas.boxOf(j, box)), piece, { outside: true }) === Clipped.Outside)
        return;
      const left = piece.finish();
      builder.copy(left, 0);
      rows.push({
        given: null,
        other,
        share: null,
        otherShare: this.measure(left, 0) / this.measure(areas, j),
      });
    });
    return rows.length === 0 ? null : this.batchOf(builder.finish(), rows);
  }

  private batchOf(geometry: GeometryArray, rows: readonly Piece[]): Batch {
    const first = this.made;
    this.made += rows.length;
    const given = this.layer.schema.length;
    const own = given + this.other.schema.length;
    const columns = this.schema.map((field, c) => {
      const column = new ColumnBuilder(field.type);
      for (const row of rows) {
        if (c < given) this.put(column, row.given, c, this.split.includes(c) ? row.share : null);
        else if (c < own) this.put(column, row.other, c - given, null);
        else if (c < own + 2) {
          const from = c === own ? row.given : row.other;
          if (from === null) column.null();
          else column.text(String(from.batch.id(from.i)));
        } else {
          const share = c === own + 2 ? row.share : row.otherShare;
          if (share === null) column.null();
          else column.number(share);
        }
      }
      return column.finish();
    });
    return new Batch({ length: rows.length, first, geometry, columns });
  }

  private put(column: ColumnBuilder, from: Source, c: number, share: number | null): void {
    if (from === null) column.null();
    else if (share === null || from.batch.columns[c].isNull(from.i))
      column.copy(from.batch.columns[c], from.i);
    else column.number(from.batch.columns[c].number(from.i) * share);
  }

  close(): void {
    const { given, inside, cutUp, outside, leftOut, made, account } = this;
    account.counts = {
      in: given,
      others: this.others.length,
      inside,
      cut: cutUp,
      outside,
      leftOut,
      pieces: made,
    };
    const counts: Count[] = [
      [inside, 'inside one of them'],
      [cutUp, 'cut'],
      [outside, 'outside'],
    ];
    if (leftOut > 0) counts.push([leftOut, 'without usable geometry left out']);
    closeAccount(
      account,
      [
        given,
        `${this.layer.name} by ${counted(this.others.length, `feature of ${this.other.name}`, this.other.name)}`,
      ],
      ...counts,
    );
    account.sentence = `${account.sentence.slice(0, -1)}: ${counted(made, 'piece', 'pieces')}.`;
  }
}
