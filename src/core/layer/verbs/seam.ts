import { type Crs, type GeographicCrs, geographicOf } from '../../crs/crs.ts';
import { type Transformer, type TransformerOptions, transformer } from '../../crs/transformer.ts';
import { Clipped, clipFeature } from '../../geometry/clipping.ts';
import { type Box, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryBuilder } from '../../geometry/geometry-builder.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
import { PreparedArea } from '../../geometry/prepared-area.ts';
import { fillHeights } from './heights.ts';

/** Degrees around the area of a source that its data may still reach. */
const margin = 15;

/** Latitudes that a projection ends at, where its images run off to infinity: the square of the web, and near the poles. */
function latitudesOf(target: Crs): [south: number, north: number] {
  if (target.kind === 'geographic') return [-90, 90];
  if (target.method === 'pseudo-mercator') return [-85.0511287798066, 85.0511287798066];
  if (target.method.startsWith('mercator')) return [-89, 89];
  const { parameters } = target;
  if (target.method.startsWith('lambert-conic-conformal')) {
    const north =
      (parameters.standardParallel1 ?? parameters.latitudeOfOrigin ?? 0) +
        (parameters.standardParallel2 ?? 0) >
      0;
    return north ? [-80, 90] : [-90, 80];
  }
  if (target.method.startsWith('polar-stereographic')) {
    const north = (parameters.standardParallel1 ?? parameters.latitudeOfOrigin ?? 90) > 0;
    return north ? [-80, 90] : [-90, 80];
  }
  return [-90, 90];
}

/**
 * Cuts features where a map of the target is torn (the meridian opposite its own) or ends, before they are transformed.
 * Edges of a geographic source are straight in longitude and latitude, as they stand: one from 179.5° to 180.5° goes over
 * the antimeridian, one from 179.5° to −179.5° around the globe. Edges of a projected source take the short way.
 */
export class SeamCutter {
  private readonly frame: GeographicCrs;
  private readonly toFrame: Transformer;
  private readonly onwards: Transformer;
  /** West edge of the map, degrees. */
  private readonly west: number;
  private readonly south: number;
  private readonly north: number;
  private readonly bands = new Map<number, PreparedArea>();

  private constructor(
    private readonly source: Crs,
    target: Crs,
    west: number,
    options: TransformerOptions,
  ) {
    this.frame = frameOf(target);
    this.toFrame = transformer(source, this.frame, options);
    this.onwards = transformer(this.frame, target);
    this.west = west;
    [this.south, this.north] = latitudesOf(target);
  }

  /** Null when nothing can reach a seam: the target has none within what it computes, or the source lies far from it. */
  static between(source: Crs, target: Crs, options: TransformerOptions): SeamCutter | null {
    const middle = target.kind === 'projected' ? (target.parameters.centralMeridian ?? 0) : 0;
    if (target.kind === 'projected') {
      const probe = Float64Array.of(middle - 179.9, 1, middle + 179.9, 1);
      if (transformer(frameOf(target), target).transform(probe) > 0) return null;
    }
    const seam = middle + 180 + geographicOf(target).primeMeridian;
    if (source.kind === 'projected' && source.area !== undefined) {
      const [w, , e] = source.area;
      const width = (e < w ? e + 360 - w : e - w) + 2 * margin;
      const beyond = (((seam - w + margin) % 360) + 360) % 360;
      if (beyond > width) return null;
    }
    return new SeamCutter(source, target, middle - 180, options);
  }

  /** Longitudes and latitudes (degrees) of the vertices of a batch, continuous along each path. */
  private degreesOf(array: GeometryArray): Float64Array {
    const xy = array.xy.slice(0, 2 * array.vertexCount);
    this.toFrame.transform(xy);
    const { vertexStart } = array;
    if (this.source.kind === 'geographic') {
      const perUnit = (this.source.unit * 180) / Math.PI;
      const turn = this.source.primeMeridian - this.frame.primeMeridian;
      for (let k = 0; k < xy.length; k += 2)
        xy[k] += 360 * Math.round((array.xy[k] * perUnit + turn - xy[k]) / 360);
      return xy;
    }
    const rings = array.ringStart[array.partStart[array.length]];
    for (let r = 0; r < rings; r++) {
      let before = NaN;
      for (let k = 2 * vertexStart[r]; k < 2 * vertexStart[r + 1]; k += 2) {
        if (Number.isNaN(xy[k])) continue;
        // The first into the map, the others next to the one before.
        xy[k] += Number.isNaN(before)
          ? -360 * Math.floor((xy[k] - this.west) / 360)
          : 360 * Math.round((before - xy[k]) / 360);
        before = xy[k];
      }
    }
    return xy;
  }

  /** True where features lie wholly within the map without touching its far edge: their boxes say so at once. */
  private quiet(box: Box): boolean {
    if (!(box[0] <= box[2])) return true;
    return box[0] >= this.west && box[2] <= this.west + 360 && box[1] >= this.south && box[3] <= this.north;
  }

  /**
   * The batch in the target where some of its features had to be cut; null when none had. `cut` counts those, `at` is told
   * of the first.
   */
  cut(array: GeometryArray, whole: Float64Array): { geometry: GeometryArray; cut: number[] } | null {
    const box: Box = [0, 0, 0, 0];
    // A geographic source on the same meridian shows by its own boxes, without work, that nothing is near.
    if (this.source.kind === 'geographic' && this.source.primeMeridian === this.frame.primeMeridian) {
      const unit = (this.source.unit * 180) / Math.PI;
      let all = true;
      for (let i = 0; i < array.length && all; i++) {
        array.boxOf(i, box);
        for (let k = 0; k < 4; k++) box[k] *= unit;
        all = this.quiet(box);
      }
      if (all) return null;
    }
    const degrees = array.withXY(this.degreesOf(array));
    const loud: number[] = [];
    for (let i = 0; i < array.length; i++) {
      degrees.boxOf(i, box);
      if (!this.quiet(box) || this.aroundPole(degrees, i) !== 0) loud.push(i);
    }
    if (loud.length === 0) return null;
    const builder = new GeometryBuilder(array.vertexCount);
    const images = array.withXY(whole);
    const cut: number[] = [];
    let next = 0;
    for (let i = 0; i < array.length; i++) {
      if (loud[next] !== i) {
        builder.copy(images, i);
        continue;
      }
      next++;
      if (!this.allThere(degrees, i) || degrees.kind[i] === Kind.Collection) {
        builder.copy(images, i);
        continue;
      }
      const result = this.cutOne(degrees, i, builder);
      // Wholly beyond where the map is usually ended: it has the image that the formula gives, or none.
      if (result === null) builder.copy(images, i);
      else if (result) cut.push(i);
    }
    return { geometry: builder.finish(), cut };
  }

  private allThere(degrees: GeometryArray, i: number): boolean {
    for (let k = 2 * degrees.firstVertex(i); k < 2 * degrees.endVertex(i); k += 2)
      if (!(Math.abs(degrees.xy[k]) < 1e4 && Math.abs(degrees.xy[k + 1]) <= 90 + 1e-9)) return false;
    return true;
  }

  /** How often the rings of an area go around the globe: then they hold a pole. */
  private aroundPole(degrees: GeometryArray, i: number): number {
    if (degrees.kind[i] !== Kind.Polygon && degrees.kind[i] !== Kind.MultiPolygon) return 0;
    let turns = 0;
    const first = degrees.ringStart[degrees.partStart[i]];
    const end = degrees.ringStart[degrees.partStart[i + 1]];
    for (let r = first; r < end; r++) {
      const from = 2 * degrees.vertexStart[r];
      const last = 2 * degrees.vertexStart[r + 1] - 2;
      if (last > from && Math.abs(degrees.xy[last] - degrees.xy[from]) > 180) turns++;
    }
    return turns;
  }

  /** Appends feature i, cut, in the target; true when it was cut or lost a part; null, and nothing, when all of it is out. */
  private cutOne(degrees: GeometryArray, i: number, builder: GeometryBuilder): boolean | null {
    const single = this.aroundPole(degrees, i) > 0 ? this.closedOverPole(degrees, i) : one(degrees, i);
    const box = single.boxOf(0);
    const pieces: GeometryArray[] = [];
    let changed = false;
    const first = Math.floor((box[0] - this.west) / 360);
    const last = Math.max(first, Math.ceil((box[2] - this.west) / 360) - 1);
    for (let band = first; band <= last; band++) {
      const made = new GeometryBuilder();
      if (first === last && box[1] >= this.south && box[3] <= this.north) made.copy(single, 0);
      else if (clipFeature(single, 0, box, this.band(band), made) !== Clipped.Whole) changed = true;
      let piece = made.finish();
      if (piece.length === 0) continue;
      if (single.z !== null || single.m !== null) piece = fillHeights(single, [0], piece);
      for (let k = 0; k < piece.xy.length; k += 2) piece.xy[k] -= 360 * band;
      this.onwards.transform(piece.xy);
      pieces.push(piece);
    }
    if (pieces.length === 0) return null;
    joinParts(pieces, degrees.kind[i], builder);
    return changed;
  }

  private band(number: number): PreparedArea {
    let area = this.bands.get(number);
    if (area === undefined) {
      const [w, e] = [this.west + 360 * number, this.west + 360 * (number + 1)];
      const ring = [
        [w, this.south],
        [e, this.south],
        [e, this.north],
        [w, this.north],
        [w, this.south],
      ];
      area = new PreparedArea(geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]));
      this.bands.set(number, area);
    }
    return area;
  }

  /** Rings around a pole do not close in degrees: they are led along the pole. */
  private closedOverPole(degrees: GeometryArray, i: number): GeometryArray {
    const builder = new GeometryBuilder();
    builder.feature(degrees.kind[i]);
    for (let p = degrees.partStart[i]; p < degrees.partStart[i + 1]; p++) {
      builder.part();
      for (let r = degrees.ringStart[p]; r < degrees.ringStart[p + 1]; r++) {
        builder.ring();
        const from = degrees.vertexStart[r];
        const end = degrees.vertexStart[r + 1];
        builder.run(degrees.xy, from, end - from);
        const [x0, y0] = [degrees.xy[2 * from], degrees.xy[2 * from + 1]];
        const x1 = degrees.xy[2 * end - 2];
        if (Math.abs(x1 - x0) <= 180) continue;
        let sum = 0;
        for (let v = from; v < end; v++) sum += degrees.xy[2 * v + 1];
        const pole = sum < 0 ? -90 : 90;
        builder.vertex(x1, pole);
        builder.vertex(x0, pole);
        builder.vertex(x0, y0);
      }
    }
    return builder.finish();
  }
}

const frameOf = (target: Crs): GeographicCrs => ({
  ...geographicOf(target),
  code: undefined,
  unit: Math.PI / 180,
  unitName: 'degree',
});

function one(array: GeometryArray, i: number): GeometryArray {
  const builder = new GeometryBuilder();
  builder.copy(array, i);
  return builder.finish();
}

/** The pieces of one feature as one feature: a multi-part one where there are several. */
function joinParts(pieces: readonly GeometryArray[], kind: number, builder: GeometryBuilder): void {
  const parts = pieces.reduce((sum, piece) => sum + piece.partStart[piece.length], 0);
  builder.feature(kind >= Kind.MultiPoint || parts === 1 ? kind : kind + 3);
  for (const piece of pieces) {
    for (let p = 0; p < piece.partStart[piece.length]; p++) {
      builder.part();
      for (let r = piece.ringStart[p]; r < piece.ringStart[p + 1]; r++) {
        builder.ring();
        for (let v = piece.vertexStart[r]; v < piece.vertexStart[r + 1]; v++) {
          builder.vertex(piece.xy[2 * v], piece.xy[2 * v + 1]);
          if (piece.z !== null) builder.height(piece.z[v]);
          if (piece.m !== null) builder.measure(piece.m[v]);
        }
      }
    }
  }
}
