import { counted } from '../account.ts';
import { transformer } from '../crs/transformer.ts';
import { IsomericError } from '../errors.ts';
import { innerPoint } from '../geometry/inner-point.ts';
import { AreaIndex } from '../geometry/overlay/area-index.ts';
import { AreaSet } from '../geometry/overlay/area-set.ts';
import type { Layer } from '../layer/layer.ts';
import { HeldLayer } from '../layer/verbs/held.ts';
import { bareWords } from '../plain-text.ts';
import { fieldIndex, requireField } from '../table/schema.ts';

/** How units know what they lie in: by a field with the code of the unit above, by how codes begin, or by where they lie. */
export type ParentRule = { field: string } | 'codes' | 'place';

/** Which layers hold the levels, and how their units are told apart. */
export interface HierarchyPlan {
  /** From the coarsest to the finest; a single layer may hold several levels, if a field has the code of the unit above. */
  levels: readonly Layer[];
  /** Field with the codes, of each level. */
  keys: readonly string[];
  /** Field with the names, of each level. */
  names: readonly string[];
  /** How each level knows the one above; undefined: found out. */
  parents: readonly (ParentRule | undefined)[];
}

/** A unit of a level: one code, one or more features. */
export interface Unit {
  readonly level: number;
  readonly code: string;
  readonly name: string;
  /** Numbers of its features in the level's held layer. */
  readonly features: number[];
  /** The unit above, when known; −1: none. */
  parent: number;
}

/** Names are compared without letter case, accents and what stands between letters. */
export const foldName = (text: string): string => bareWords(text).join('');

/** The units of an administrative hierarchy, and how they lie in each other. */
export class Hierarchy {
  readonly units: Unit[] = [];
  /** How each level knows the one above, in words. */
  readonly words: string[] = [];
  readonly children = new Map<number, number[]>();
  /** Numbers of the units of each level. */
  readonly ofLevel: number[][] = [];

  private constructor(
    readonly plan: HierarchyPlan,
    readonly held: readonly HeldLayer[],
  ) {}

  /** Reads all levels. Only their codes, names and outlines stay in memory. */
  static async read(plan: HierarchyPlan, signal?: AbortSignal): Promise<Hierarchy> {
    const held: HeldLayer[] = [];
    for (const layer of plan.levels) held.push(await HeldLayer.of(layer.name, layer.batches({ signal }), []));
    const hierarchy = new Hierarchy(plan, held);
    plan.levels.forEach((layer, level) => {
      hierarchy.addLevel(layer, level);
    });
    if (plan.levels.length === 1) hierarchy.withinOneLayer();
    for (let level = 1; level < plan.levels.length; level++) hierarchy.relate(level);
    hierarchy.units.forEach(({ parent }, n) => {
      if (parent >= 0) hierarchy.children.set(parent, [...(hierarchy.children.get(parent) ?? []), n]);
    });
    return hierarchy;
  }

  /** The name of a unit with its code. */
  label(n: number): string {
    const { name, code } = this.units[n];
    return name === '' || name === code ? code : `${code} (${name})`;
  }

  /** All units above a unit, the next one first. */
  above(n: number): number[] {
    const found: number[] = [];
    for (let at = this.units[n].parent; at >= 0 && !found.includes(at); at = this.units[at].parent)
      found.push(at);
    return found;
  }

  private addLevel(layer: Layer, level: number): void {
    const { keys, names } = this.plan;
    const named = fieldIndex(layer.schema, names[level]);
    // Who only asks by name needs no field with codes.
    const key =
      fieldIndex(layer.schema, keys[level]) < 0 && named >= 0 && keys[level] === 'code'
        ? named
        : requireField(layer.schema, keys[level], layer.name);
    const held = this.held[level];
    const byCode = new Map<string, Unit>();
    const numbers: number[] = [];
    for (let k = 0; k < held.length; k++) {
      const code = held.text(k, key);
      if (code === null) continue;
      const known = byCode.get(code);
      if (known !== undefined) {
        known.features.push(k);
        continue;
      }
      const name = named < 0 ? '' : (held.text(k, named) ?? '');
      const unit: Unit = { level, code, name, features: [k], parent: -1 };
      byCode.set(code, unit);
      numbers.push(this.units.length);
      this.units.push(unit);
    }
    this.ofLevel.push(numbers);
  }

  private withinOneLayer(): void {
    const rule = this.plan.parents[0];
    if (rule === undefined || typeof rule === 'string') return;
    const field = requireField(this.plan.levels[0].schema, rule.field, this.plan.levels[0].name);
    const byCode = new Map(this.units.map(({ code }, n) => [code, n]));
    this.units.forEach((unit, n) => {
      const above = byCode.get(this.held[0].text(unit.features[0], field) ?? '');
      if (above !== undefined && above !== n) unit.parent = above;
    });
    this.words.push(`${this.plan.levels[0].name} know the unit above by the field ${rule.field}`);
  }

  private relate(level: number): void {
    const rule = this.plan.parents[level];
    const layer = this.plan.levels[level];
    const above = this.plan.levels[level - 1];
    const numbers = this.ofLevel[level];
    const byCode = new Map(this.ofLevel[level - 1].map((n) => [this.units[n].code, n]));
    const settle = (parents: readonly number[], how: string) => {
      numbers.forEach((n, k) => {
        this.units[n].parent = parents[k];
      });
      const lone = parents.filter((parent) => parent < 0).length;
      const rest = lone === 0 ? '' : `; ${counted(lone, 'of them lies', 'of them lie')} in none`;
      this.words.push(`${layer.name} know their ${above.name} by ${how}${rest}`);
    };
    const byField = (field: number) =>
      numbers.map((n) => byCode.get(this.held[level].text(this.units[n].features[0], field) ?? '') ?? -1);
    const byBeginning = () => numbers.map((n) => this.beginsWith(this.units[n].code, byCode));
    const [parents, how] = this.parentsBy(level, rule, byField, byBeginning);
    settle(parents, how);
  }

  /** The units above of a level, and how they were found. */
  private parentsBy(
    level: number,
    rule: ParentRule | undefined,
    byField: (field: number) => number[],
    byBeginning: () => number[],
  ): readonly [number[], string] {
    const layer = this.plan.levels[level];
    if (rule === 'place') return [this.byPlace(level), 'where they lie'];
    if (rule === 'codes') return [byBeginning(), 'how their codes begin'];
    if (rule !== undefined)
      return [byField(requireField(layer.schema, rule.field, layer.name)), `the field ${rule.field}`];
    const complete = (parents: readonly number[]) =>
      parents.length > 0 && parents.every((parent) => parent >= 0);
    for (let c = 0; c < layer.schema.length; c++) {
      const { name, type } = layer.schema[c];
      if (name === this.plan.keys[level] || (type !== 'text' && type !== 'integer')) continue;
      const parents = byField(c);
      if (complete(parents)) return [parents, `the field ${name}`];
    }
    const parents = byBeginning();
    return complete(parents) ? [parents, 'how their codes begin'] : [this.byPlace(level), 'where they lie'];
  }

  /** The unit above whose code a code begins with, the longest that does; −1: none. */
  private beginsWith(code: string, byCode: ReadonlyMap<string, number>): number {
    for (let length = code.length - 1; length > 0; length--) {
      const found = byCode.get(code.slice(0, length));
      if (found !== undefined) return found;
    }
    return -1;
  }

  /** For each unit of a level, the one above in which a point inside its largest part lies. */
  private byPlace(level: number): number[] {
    const [layer, above] = [this.plan.levels[level], this.plan.levels[level - 1]];
    const [held, outer] = [this.held[level], this.held[level - 1]];
    if (layer.crs === null || above.crs === null)
      throw new IsomericError(
        'crs-missing',
        `${(layer.crs === null ? layer : above).name} has no CRS, so where its units lie is not known.`,
        { blame: 'usage', advice: 'Say which CRS it has first.' },
      );
    const through = transformer(layer.crs, above.crs);
    const set = new AreaSet(outer.geometry);
    const indices = new Map<number, AreaIndex>();
    const unitOf = new Map<number, number>();
    for (const n of this.ofLevel[level - 1]) for (const k of this.units[n].features) unitOf.set(k, n);
    const point: [number, number] = [0, 0];
    const xy = new Float64Array(2);
    return this.ofLevel[level].map((n) => {
      for (const k of this.units[n].features) {
        if (!innerPoint(held.geometry, k, point)) continue;
        xy.set(point);
        if (through.transform(xy) > 0) continue;
        for (const j of set.near([xy[0], xy[1], xy[0], xy[1]])) {
          let index = indices.get(j);
          if (index === undefined) indices.set(j, (index = new AreaIndex(set.areas, [j], 'non-zero')));
          if (index.locate(xy[0], xy[1]) > 0) return unitOf.get(j) ?? -1;
        }
      }
      return -1;
    });
  }
}
