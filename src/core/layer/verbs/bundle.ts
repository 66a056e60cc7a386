import type { Account } from '../../account.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { type GroupOptions, type GroupShapes, gatherGroups } from './group.ts';
import { copyPart } from './parts.ts';

/**
 * One feature of several parts for each group of features: nothing is united or cut, every part stays as it is. Groups of
 * different kinds become collections. Figures are summed up as `groupRows` does.
 */
export function bundleLayer(layer: Layer, options: GroupOptions): Layer {
  return gatherGroups('Bundle', layer, layer, options, { kinds: undefined }, () => new Bundling());
}

class Bundling implements GroupShapes {
  private readonly parts = new GeometryMaker();
  private readonly groupOf: number[] = [];

  add(group: number, batch: Batch, i: number): void {
    const geometry = batch.geometry!;
    for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
      copyPart(geometry, i, p, this.parts);
      this.groupOf.push(group);
    }
  }

  finish(_account: Account, groups: number): GeometryArray {
    const made = new GeometryMaker();
    const all = this.groupOf.length === 0 ? null : this.parts.finish();
    const own: number[][] = Array.from({ length: groups }, () => []);
    this.groupOf.forEach((group, k) => {
      own[group].push(k);
    });
    for (const parts of own) {
      const kinds = new Set(parts.map((k) => all!.kind[k]));
      const [kind] = kinds;
      made.feature(
        parts.length === 0
          ? Kind.None
          : kinds.size > 1
            ? Kind.Collection
            : parts.length === 1
              ? kind
              : kind + 3,
      );
      for (const k of parts) {
        made.part(kinds.size > 1 ? all!.kind[k] : undefined);
        const p = all!.partStart[k];
        for (let r = all!.ringStart[p]; r < all!.ringStart[p + 1]; r++) {
          made.ring();
          for (let v = all!.vertexStart[r]; v < all!.vertexStart[r + 1]; v++) {
            made.vertex(all!.xy[2 * v], all!.xy[2 * v + 1]);
            if (all!.z !== null) made.height(all!.z[v]);
            if (all!.m !== null) made.measure(all!.m[v]);
          }
        }
      }
    }
    return made.finish();
  }
}
