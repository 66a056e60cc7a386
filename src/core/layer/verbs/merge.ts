import { type Account, closeAccount, counted, listed } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { dimensionOf, emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../geometry/geometry-maker.ts';
import { relate } from '../../geometry/overlay/relate.ts';
import { uniteAreas } from '../../geometry/overlay/unite.ts';
import { type Ruler, rulerFor } from '../../geometry/ruler.ts';
import { connectPaths } from '../../geometry/shape/connect.ts';
import { Snapper } from '../../geometry/shape/snap.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import { concatenate } from '../concatenate.ts';
import { asPlainField } from '../feature-ids.ts';
import { type Layer, layerOf } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { inCrsOf } from './snap.ts';
import { treeOf } from './split.ts';
import { applyVerb } from './verb.ts';

/** How sheets are put together. */
export interface MergeOptions {
  /**
   * Which features of different sheets are one: those with the same values of `by` (`key`); those that meet (`place`): areas along an
   * edge, lines end to end, points at one place; or those with both. None when left out.
   */
  join?: 'key' | 'place' | 'both';
  by?: readonly string[];
  /** Metres up to which later sheets are drawn to the ones before them first. */
  within?: number;
}

/**
 * Puts layers together, the sheets of a series: fields by name, in the CRS of the first. Features that were cut at the borders of
 * sheets, or that are in several, become one again when asked. All sheets are held in memory then.
 */
export function mergeLayers(layer: Layer, others: readonly Layer[], options: MergeOptions = {}): Layer {
  const { join, by = [], within } = options;
  if ((join === 'key' || join === 'both') !== by.length > 0)
    throw new IsomericError(
      'merge-key',
      by.length > 0
        ? 'Fields go with a key: say that features are joined by key, or by both.'
        : `To join by ${join}, say which fields are the key.`,
      { blame: 'usage' },
    );
  if (within !== undefined && join === undefined)
    throw new IsomericError('merge-within', 'A distance goes with sheets that are joined: say how.', {
      blame: 'usage',
    });
  const sheets = [layer, ...others.map((other) => inCrsOf(layer, other))];
  const plain = sheets.map((sheet) => ({ ...sheet, schema: sheet.schema.map(asPlainField) }));
  const joined = concatenate(layer.name, plain);
  const keys = by.map((name) => requireField(joined.schema, name, layer.name));
  const sheet: Field = {
    name: freeName(
      'sheet',
      joined.schema.map(({ name }) => name),
    ),
    type: 'text',
    title: 'Sheets that it comes from',
  };
  const schema = [...joined.schema, sheet];
  return applyVerb('Merge', layer, {
    schema,
    kinds: undefined,
    async *run(account, source) {
      const sheetOf: number[] = [];
      const counts: number[] = sheets.map(() => 0);
      const each = async function* (): AsyncGenerator<Batch> {
        const blank = sheets.map((one, s) => layerOf({ ...plain[s], name: one.name, batches: [] }));
        for (const [s, one] of plain.entries()) {
          // The first sheet as it is read already; the account of the others is theirs.
          const read = s === 0 ? { ...one, batches: () => source } : one;
          for await (const batch of concatenate(layer.name, [...blank, read]).batches()) {
            sheetOf.push(s);
            counts[s] += batch.length;
            yield batch;
          }
        }
      };
      const held = await HeldLayer.of(layer.name, each(), account.findings);
      const names = distinct(sheets.map(({ name }) => name));
      const ruler = within === undefined ? null : await rulerFor(layer);
      const work = new Merging(held, sheetOf, { join, keys, within, ruler });
      work.join();
      const column = new ColumnBuilder('text');
      for (const members of work.members)
        column.text([...new Set(members.map((k) => names[sheetOf[held.batchOf[k]]]))].join(', '));
      work.tell(account, names, counts, joined.schema);
      if (work.members.length > 0)
        yield* held.rows(
          schema,
          work.members.map(([first]) => first),
          work.geometry,
          [column.finish()],
        );
    },
  });
}

/** Names of sheets, told apart where two are the same. */
function distinct(names: readonly string[]): string[] {
  const taken: string[] = [];
  for (const name of names) taken.push(freeName(name, taken));
  return taken;
}

interface Joining {
  join: MergeOptions['join'];
  keys: readonly number[];
  within: number | undefined;
  ruler: Ruler | null;
}

class Merging {
  /** Features that became one, the first one first. */
  readonly members: number[][] = [];
  geometry!: GeometryArray;
  private shapes: GeometryArray;
  private readonly parent: Uint32Array;
  private moved = 0;

  constructor(
    private readonly held: HeldLayer,
    private readonly sheetOf: readonly number[],
    private readonly how: Joining,
  ) {
    this.shapes = held.geometry;
    this.parent = Uint32Array.from({ length: held.length }, (_, k) => k);
  }

  private sheet(k: number): number {
    return this.sheetOf[this.held.batchOf[k]];
  }

  join(): void {
    if (this.how.within !== undefined) this.drawTogether(this.how.within);
    if (this.how.join === 'key') this.byKey();
    else if (this.how.join !== undefined) this.byPlace();
    const own = new Map<number, number[]>();
    for (let k = 0; k < this.held.length; k++) {
      const root = this.root(k);
      const members = own.get(root);
      if (members === undefined) own.set(root, [k]);
      else members.push(k);
    }
    this.members.push(...own.values());
    const builder = new GeometryMaker(this.shapes.vertexCount);
    for (const members of this.members) this.write(members, builder);
    this.geometry = builder.finish();
  }

  /** Draws each sheet to those before it. */
  private drawTogether(metres: number): void {
    const { held } = this;
    const builder = new GeometryMaker(this.shapes.vertexCount);
    let reference: GeometryArray | null = null;
    let snapper: Snapper | null = null;
    let last = 0;
    for (let k = 0; k < held.length; k++) {
      if (this.sheet(k) !== last) {
        last = this.sheet(k);
        reference = takeGeometries(this.shapes, rangeOf(k));
        snapper = new Snapper(reference, this.how.ruler!, metres);
      }
      if (snapper === null) builder.copy(this.shapes, k);
      else this.moved += snapper.snap(this.shapes, k, builder).moved;
    }
    this.shapes = builder.finish();
  }

  private root(k: number): number {
    const { parent } = this;
    while (parent[k] !== k) {
      parent[k] = parent[parent[k]];
      k = parent[k];
    }
    return k;
  }

  private unite(k: number, l: number): void {
    const [a, b] = [this.root(k), this.root(l)];
    if (a !== b) this.parent[Math.max(a, b)] = Math.min(a, b);
  }

  private keyOf(k: number): string | null {
    const values = this.how.keys.map((c) => this.held.text(k, c));
    return values.includes(null) ? null : JSON.stringify([dimensionOf(this.shapes.kind[k]), ...values]);
  }

  private byKey(): void {
    const first = new Map<string, number>();
    for (let k = 0; k < this.held.length; k++) {
      const key = this.keyOf(k);
      if (key === null) continue;
      const known = first.get(key);
      if (known === undefined) first.set(key, k);
      else if (this.sheet(known) !== this.sheet(k)) this.unite(known, k);
    }
  }

  private byPlace(): void {
    const { held } = this;
    const tree = treeOf({ geometry: this.shapes });
    const box = emptyBox();
    for (let k = 0; k < held.length; k++) {
      this.shapes.boxOf(k, box);
      tree.search(box[0], box[1], box[2], box[3], (l) => {
        if (l <= k || this.sheet(k) === this.sheet(l)) return;
        if (dimensionOf(this.shapes.kind[k]) !== dimensionOf(this.shapes.kind[l])) return;
        if (this.how.join === 'both' && (this.keyOf(k) === null || this.keyOf(k) !== this.keyOf(l))) return;
        if (this.meet(k, l)) this.unite(k, l);
      });
    }
  }

  /** Areas that share an edge or overlap, lines that meet at their ends or run along each other, points at one place. */
  private meet(k: number, l: number): boolean {
    const matrix = relate(this.shapes, k, this.shapes, l);
    switch (dimensionOf(this.shapes.kind[k])) {
      case 2:
        return matrix[0] === '2' || matrix[4] === '1';
      case 1:
        return matrix[0] === '1' || matrix[4] === '0';
      default:
        return matrix[0] === '0';
    }
  }

  private write(members: readonly number[], builder: GeometryMaker): void {
    const { shapes } = this;
    const [first] = members;
    if (members.length === 1) {
      builder.copy(shapes, first);
      return;
    }
    const dimension = dimensionOf(shapes.kind[first]);
    if (dimension === 2) {
      if (uniteAreas(shapes, members, builder) === 0) builder.feature(Kind.None);
      return;
    }
    const own = takeGeometries(shapes, members);
    const single = new GeometryMaker();
    if (dimension === 1)
      connectPaths(
        own,
        () => 0,
        single,
        () => {},
      );
    else pointsOnce(own, single);
    const parts = single.finish();
    builder.feature(parts.length === 1 ? parts.kind[0] : parts.kind[0] + 3);
    for (let k = 0; k < parts.length; k++) {
      builder.part();
      builder.ring();
      for (let v = parts.firstVertex(k); v < parts.endVertex(k); v++) {
        builder.vertex(parts.xy[2 * v], parts.xy[2 * v + 1]);
        if (parts.z !== null) builder.height(parts.z[v]);
      }
    }
  }

  tell(
    account: Account,
    names: readonly string[],
    counts: readonly number[],
    schema: readonly Field[],
  ): void {
    const { held, members } = this;
    const several = members.filter((own) => own.length > 1);
    account.counts = {
      in: held.all,
      sheets: names.length,
      out: members.length,
      joined: several.length,
      moved: this.moved,
    };
    const differing = new Map<string, number>();
    for (const own of several)
      schema.forEach(({ name }, c) => {
        if (own.some((k) => held.text(k, c) !== held.text(own[0], c)))
          differing.set(name, (differing.get(name) ?? 0) + 1);
      });
    if (differing.size > 0)
      account.findings.push({
        code: 'merge-differs',
        severity: 'warning',
        layer: held.name,
        words: `Features that were joined differ between sheets in ${listed([...differing].slice(0, 8).map(([name, n]) => `${name} (${n})`))}; the first sheet's value was kept.`,
      });
    if (this.moved > 0)
      account.notes.push(`${counted(this.moved, 'vertex was', 'vertices were')} drawn to the sheets before.`);
    closeAccount(
      account,
      [
        held.all,
        `in ${counted(names.length, 'sheet', 'sheets')} (${names.map((name, s) => `${name} ${counts[s]}`).join(', ')})`,
      ],
      [members.length, 'out'],
      ...(this.how.join === undefined ? [] : ([[several.length, 'of them joined across sheets']] as const)),
      ...held.leftOut(),
    );
  }
}

const rangeOf = (end: number) => Array.from({ length: end }, (_, k) => k);

/** All points of some features, each place once. */
function pointsOnce(array: GeometryArray, builder: GeometryMaker): void {
  const seen = new Set<string>();
  for (let v = array.firstVertex(0); v < array.vertexCount; v++) {
    const key = `${array.xy[2 * v]} ${array.xy[2 * v + 1]}`;
    if (seen.has(key)) continue;
    seen.add(key);
    builder.feature(Kind.Point);
    builder.part();
    builder.ring();
    builder.vertex(array.xy[2 * v], array.xy[2 * v + 1]);
    if (array.z !== null) builder.height(array.z[v]);
  }
}
