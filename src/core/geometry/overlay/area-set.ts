import { type Box, emptyBox, type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { BoxTree } from '../noding/box-tree.ts';
import { locateInRing } from '../predicates.ts';
import { type ClipFeatureOptions, Clipped, cutAreas, cutPaths, cutPoints } from './clipping.ts';
import { addAreas, type FillRule } from './fill-rule.ts';
import { uniteAreas } from './unite.ts';

/** Many areas, each made valid once, to be laid over one feature after the other. */
export class AreaSet {
  /** The areas, one a feature; of kind None where nothing has an extent. */
  readonly areas: GeometryArray;
  private readonly tree: BoxTree;
  /** Numbers of the areas that are in the tree. */
  private readonly numbers: number[] = [];

  constructor(array: GeometryArray, rule: FillRule = 'non-zero', normalised = false) {
    this.areas = normalised ? array : AreaSet.normalise(array, rule);
    const boxes = new Float64Array(4 * this.areas.length);
    const box = emptyBox();
    let n = 0;
    for (let j = 0; j < this.areas.length; j++) {
      if (this.areas.kind[j] === Kind.None) continue;
      boxes.set(this.areas.boxOf(j, box), 4 * n++);
      this.numbers.push(j);
    }
    this.tree = new BoxTree(boxes, n);
  }

  /** The set of what another one has as its `areas`. */
  static ofNormalised(areas: GeometryArray): AreaSet {
    return new AreaSet(areas, 'non-zero', true);
  }

  private static normalise(array: GeometryArray, rule: FillRule): GeometryArray {
    const made = new GeometryMaker(array.vertexCount);
    for (let j = 0; j < array.length; j++)
      if (!isAreal(array, j) || uniteAreas(array, [j], made, rule) === 0) made.feature(Kind.None);
    return made.finish();
  }

  /** Numbers of the areas whose boxes meet the given one, in order. */
  near(box: Box): number[] {
    const found: number[] = [];
    this.tree.search(box[0], box[1], box[2], box[3], (item) => {
      found.push(this.numbers[item]);
    });
    return found.sort((a, b) => a - b);
  }

  /**
   * Cuts feature i, of one kind and usable, to what it has in common with some of the areas (with `outside`: to what lies
   * outside of all of them) and appends what is left. Points and lines on a border lie inside.
   */
  cut(
    array: GeometryArray,
    i: number,
    areas: readonly number[],
    builder: GeometryMaker,
    options: ClipFeatureOptions = {},
  ): number {
    const { outside = false } = options;
    switch (array.kind[i]) {
      case Kind.Point:
      case Kind.MultiPoint:
        return cutPoints(array, i, (x, y) => areas.some((j) => this.holds(j, x, y)) !== outside, builder);
      case Kind.LineString:
      case Kind.MultiLineString:
        return cutPaths(array, i, (bench, lines) => this.arrange(bench, areas, lines), builder, outside);
      case Kind.Polygon:
      case Kind.MultiPolygon:
        return cutAreas(array, i, (bench, lines) => this.arrange(bench, areas, lines), builder, options);
      default:
        return Clipped.Outside;
    }
  }

  private arrange(
    bench: Parameters<Parameters<typeof cutAreas>[2]>[0],
    areas: readonly number[],
    lines: boolean,
  ) {
    // Each is valid and counts once where it covers: what several cover has a greater winding number.
    for (const j of areas) addAreas(bench.chains, this.areas, j, 0, 1, 'non-zero');
    return bench.solve(lines);
  }

  /** Does area j hold a point, its border included? */
  private holds(j: number, x: number, y: number): boolean {
    const { xy, partStart, ringStart, vertexStart } = this.areas;
    for (let p = partStart[j]; p < partStart[j + 1]; p++) {
      let inside = false;
      for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
        const where = locateInRing(x, y, xy, vertexStart[r], vertexStart[r + 1]);
        if (where === 0) return true;
        if (r === ringStart[p]) inside = where > 0;
        else if (where > 0) inside = false;
      }
      if (inside) return true;
    }
    return false;
  }
}

function isAreal(array: GeometryArray, j: number): boolean {
  for (let p = array.partStart[j]; p < array.partStart[j + 1]; p++)
    if (array.kindOfPart(j, p) === Kind.Polygon) return true;
  return false;
}
