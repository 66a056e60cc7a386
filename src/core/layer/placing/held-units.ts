import { crsLabel, sameCrs } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import type { GeometryArray } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
import { AreaSet } from '../../geometry/overlay/area-set.ts';
import { PointLocator } from '../../geometry/overlay/point-locator.ts';
import type { Batch } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { reprojectLayer } from '../verbs/reproject.ts';

/** Another layer in the CRS of this one; one of both without a CRS lies nowhere. */
export function inOneCrs(layer: Layer, other: Layer): { layer: Layer; notes(): string[] } {
  if (layer.crs === null || other.crs === null)
    throw new IsomericError(
      'crs-missing',
      `${layer.crs === null ? layer.name : other.name} has no CRS, so what lies where cannot be said.`,
      { blame: 'usage', advice: 'Say which CRS it has first.' },
    );
  if (sameCrs(layer.crs, other.crs)) return { layer: other, notes: () => [] };
  const moved = reprojectLayer(other, layer.crs);
  return {
    layer: moved,
    notes: () => [
      `${other.name} was brought from ${crsLabel(other.crs!)} to ${crsLabel(layer.crs!)}.`,
      ...moved.accounts.slice(other.accounts.length).map((each) => each.sentence),
    ],
  };
}

/**
 * The units of a layer in memory, ready to be asked what lies in them: their areas made valid once, points found by a tree and
 * slabs. A point belongs to the first unit that it lies inside of; on borders alone, to the first on whose border it lies. All verbs
 * ask here, so that it is the same unit everywhere.
 */
export class HeldUnits {
  readonly areas: AreaSet;
  private made: PointLocator | null = null;

  private constructor(
    readonly batches: readonly Batch[],
    /** Batch and place in it of each unit. */
    readonly places: readonly { batch: Batch; i: number }[],
    /** The geometries of the units as they came. */
    readonly geometry: GeometryArray,
  ) {
    this.areas = new AreaSet(geometry);
  }

  static async of(source: AsyncIterable<Batch>): Promise<HeldUnits> {
    const batches: Batch[] = [];
    const places: { batch: Batch; i: number }[] = [];
    const maker = new GeometryMaker();
    for await (const batch of source) {
      for (let i = 0; i < batch.length; i++) {
        places.push({ batch, i });
        maker.copy(batch.geometry!, i);
      }
      batches.push(batch);
    }
    return new HeldUnits(batches, places, maker.features === 0 ? geometriesFrom([]) : maker.finish());
  }

  get length(): number {
    return this.places.length;
  }

  /** What to call a unit. */
  id(unit: number): string | number {
    const { batch, i } = this.places[unit];
    return batch.id(i);
  }

  /** Finds the units of points. */
  get locator(): PointLocator {
    this.made ??= new PointLocator(this.areas.areas);
    return this.made;
  }

  /** Box of all units; null when none has an extent. */
  get box(): [number, number, number, number] | null {
    const [x0, y0, x1, y1] = this.areas.areas.box();
    return x0 <= x1 ? [x0, y0, x1, y1] : null;
  }
}
