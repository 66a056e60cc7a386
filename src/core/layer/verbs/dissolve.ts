import { type Account, counted, grouped } from '../../account.ts';
import type { Finding } from '../../findings.ts';
import { emptyBox, type GeometryArray, Kind, partKindOf } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import { uniteAreas } from '../../geometry/overlay/unite.ts';
import { usableBox } from '../../geometry/unusable.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { type GroupOptions, type GroupShapes, gatherGroups } from './group.ts';
import { tellUnusable } from './unusable-feature.ts';

/** What makes the units of a dissolved layer, and what is computed of each. */
export interface DissolveOptions extends GroupOptions {
  /** What rings enclose that cross or overlap themselves; `non-zero` where nothing is said. */
  rule?: FillRule;
}

/**
 * One feature for each group of features: areas are united without inner borders, points and paths are gathered into
 * one multi-geometry. Figures are summed up as `groupRows` does. Borders that two units share stay the same, vertex for
 * vertex, on both sides.
 */
export function dissolveLayer(layer: Layer, options: DissolveOptions): Layer {
  return gatherGroups(
    'Dissolve',
    layer,
    layer,
    options,
    { kinds: undefined },
    () => new Dissolving(layer.name, options.rule),
  );
}

/** Geometries of all features with the group of each. */
class Dissolving implements GroupShapes {
  private readonly layer: string;
  private readonly rule: FillRule | undefined;
  private readonly all = new GeometryMaker();
  private readonly groupOf: number[] = [];
  private readonly box = emptyBox();
  private readonly findings: Finding[] = [];

  constructor(layer: string, rule: FillRule | undefined) {
    this.layer = layer;
    this.rule = rule;
  }

  add(group: number, batch: Batch, i: number): void {
    const geometry = batch.geometry!;
    if (!usableBox(geometry, i, this.box)) {
      tellUnusable(batch, i, this.layer, this.findings, 'the feature was left out of its unit');
      return;
    }
    this.all.copy(geometry, i);
    this.groupOf.push(group);
  }

  finish(account: Account, groups: number): GeometryArray {
    account.findings.push(...this.findings);
    const all = this.all.features === 0 ? null : this.all.finish();
    const start = new Uint32Array(groups + 1);
    for (const group of this.groupOf) start[group + 1]++;
    for (let g = 0; g < groups; g++) start[g + 1] += start[g];
    const filled = start.slice();
    const features = new Uint32Array(this.groupOf.length);
    this.groupOf.forEach((group, i) => {
      features[filled[group]++] = i;
    });
    const made = new GeometryMaker();
    let apart = 0;
    for (let g = 0; g < groups; g++) {
      const parts = all === null ? 0 : this.unit(all, features.subarray(start[g], start[g + 1]), made);
      if (parts > 1) apart++;
    }
    if (apart > 0)
      account.notes.push(
        `${counted(apart, 'unit consists', 'units consist')} of several parts that do not touch.`,
      );
    if (all !== null && all.z !== null)
      account.notes.push(`Heights are left out: ${grouped(all.length)} features become ${grouped(groups)}.`);
    return made.finish();
  }

  /** Writes one unit: its areas united, or its points or paths gathered. Returns the number of parts. */
  private unit(all: GeometryArray, features: Uint32Array, made: GeometryMaker): number {
    const kinds = new Set<number>();
    for (const i of features)
      for (let p = all.partStart[i]; p < all.partStart[i + 1]; p++) kinds.add(all.kindOfPart(i, p));
    if (kinds.size === 0) {
      made.feature(Kind.None);
      return 0;
    }
    if (kinds.size === 1 && kinds.has(Kind.Polygon)) {
      const before = made.parts;
      // Nothing is left of areas without extent.
      if (uniteAreas(all, features, made, this.rule) === 0) made.feature(Kind.None);
      return made.parts - before;
    }
    return this.gather(all, features, made, kinds);
  }

  private gather(all: GeometryArray, features: Uint32Array, made: GeometryMaker, kinds: Set<number>): number {
    const mixed = kinds.size > 1;
    const [kind] = kinds;
    let parts = 0;
    for (const i of features) parts += all.partStart[i + 1] - all.partStart[i];
    made.feature(mixed ? Kind.Collection : parts === 1 ? kind : kind + 3);
    for (const i of features)
      for (let p = all.partStart[i]; p < all.partStart[i + 1]; p++) {
        made.part(mixed ? partKindOf(all.kindOfPart(i, p)) : undefined);
        for (let r = all.ringStart[p]; r < all.ringStart[p + 1]; r++) {
          made.ring();
          made.run(all.xy, all.vertexStart[r], all.vertexStart[r + 1] - all.vertexStart[r]);
        }
      }
    return 0;
  }
}
