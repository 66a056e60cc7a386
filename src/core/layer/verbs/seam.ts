import { type Crs, degreesFrame, type GeographicCrs, geographicOf } from '../../crs/crs.ts';
import { lobes } from '../../crs/projections/goode.ts';
import { type Transformer, type TransformerOptions, transformer } from '../../crs/transformer.ts';
import { type Box, boxesMeet, dimensionOf, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, clipFeature } from '../../geometry/overlay/clipping.ts';
import { uniteAreas } from '../../geometry/overlay/unite.ts';
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
  /** Degrees in one unit of a geographic target. */
  private readonly perUnit: number | null;
  private readonly south: number;
  private readonly north: number;
  /** False where the two sides of the opposite meridian lie beside each other: maps around a point. */
  private readonly torn: boolean;
  /** True where the edge of the map is no straight line. */
  private readonly bent: boolean;
  /** What the map shows in one piece: degrees from its west edge and of latitude. */
  private readonly pieces: readonly Box[];
  private readonly bands = new Map<string, AreaIndex>();

  private constructor(
    private readonly source: Crs,
    target: Crs,
    west: number,
    options: TransformerOptions,
  ) {
    this.frame = degreesFrame(target, 'own');
    this.toFrame = transformer(source, this.frame, options);
    this.onwards = transformer(this.frame, target);
    this.west = west;
    this.perUnit = target.kind === 'geographic' ? (target.unit * 180) / Math.PI : null;
    [this.south, this.north] = latitudesOf(target);
    this.torn = target.kind === 'geographic' || isTorn(this.onwards, west);
    this.bent = target.kind === 'projected' && isBent(this.onwards, west);
    const parts = target.kind === 'projected' ? lobes.get(target.method) : undefined;
    this.pieces = parts?.map(([w, s, e, n]): Box => [w + 180, s, e + 180, n]) ?? [
      [0, this.south, 360, this.north],
    ];
  }

  /** Null when nothing can reach a seam: the target has none within what it computes, or the source lies far from it. */
  static between(source: Crs, target: Crs, options: TransformerOptions): SeamCutter | null {
    const middle = target.kind === 'projected' ? (target.parameters.centralMeridian ?? 0) : 0;
    if (target.kind === 'projected') {
      const probe = Float64Array.of(middle - 179.9, 1, middle + 179.9, 1);
      if (transformer(degreesFrame(target, 'own'), target).transform(probe) > 0) return null;
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
  private degreesOf(array: GeometryArray, whole: Float64Array): Float64Array {
    const all = 2 * array.vertexCount;
    let xy: Float64Array;
    if (this.perUnit === null) {
      xy = array.xy.slice(0, all);
      this.toFrame.transform(xy);
    } else {
      // The target is degrees already, but for its unit.
      xy = whole.slice(0, all);
      for (let k = 0; k < all; k++) xy[k] *= this.perUnit;
    }
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
    if (!(box[1] >= this.south && box[3] <= this.north)) return false;
    if (!this.torn) return true;
    if (this.pieces.length === 1) return box[0] >= this.west && box[2] <= this.west + 360;
    return this.pieces.some(
      ([w, s, e, n]) => box[0] > this.west + w && box[2] <= this.west + e && box[1] >= s && box[3] <= n,
    );
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
    const degrees = array.withXY(this.degreesOf(array, whole));
    const loud: number[] = [];
    for (let i = 0; i < array.length; i++) {
      degrees.boxOf(i, box);
      if (!this.quiet(box) || this.aroundPole(degrees, i) !== 0) loud.push(i);
    }
    if (loud.length === 0) return null;
    const builder = new GeometryMaker(array.vertexCount);
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
  private cutOne(degrees: GeometryArray, i: number, builder: GeometryMaker): boolean | null {
    const single = this.aroundPole(degrees, i) > 0 ? this.closedOverPole(degrees, i) : one(degrees, i);
    const box = single.boxOf(0);
    const pieces: GeometryArray[] = [];
    let changed = false;
    const first = this.torn ? Math.floor((box[0] - this.west) / 360) : 0;
    const last = this.torn ? Math.max(first, Math.ceil((box[2] - this.west) / 360) - 1) : 0;
    for (let band = first; band <= last; band++) {
      for (const piece of this.pieces) {
        const part = this.pieceOf(single, box, band, piece);
        if (part === null) continue;
        if (part !== single) changed = true;
        const xy = part === single ? part.xy.slice() : part.xy;
        const west = this.west + piece[0];
        for (let k = 0; k < xy.length; k += 2) {
          if (this.torn) xy[k] -= 360 * band;
          // The west edge of a lobe is the east edge of its neighbour: a hair within.
          if (this.pieces.length > 1 && xy[k] <= west) xy[k] = west + 1e-9;
        }
        this.onwards.transform(xy);
        pieces.push(part.withXY(xy));
      }
    }
    if (pieces.length === 0) return null;
    if (pieces.length === 1 || this.pieces.length > 1 || dimensionOf(degrees.kind[i]) !== 2)
      joinParts(pieces, degrees.kind[i], builder);
    else uniteParts(pieces, degrees.kind[i], builder);
    return changed;
  }

  /** What of a feature lies in one piece of the map in one of its repetitions; the feature itself where it lies within. */
  private pieceOf(single: GeometryArray, box: Box, band: number, [w, s, e, n]: Box): GeometryArray | null {
    const west = this.torn ? this.west + w + 360 * band : -1e5;
    const east = this.torn ? this.west + e + 360 * band : 1e5;
    if (box[2] < west || box[0] > east || box[3] < s || box[1] > n) return null;
    if (box[0] >= west && box[2] <= east && box[1] >= s && box[3] <= n) return single;
    const made = new GeometryMaker();
    const result = clipFeature(single, 0, box, this.rectangle([west, s, east, n]), made);
    const part = made.finish();
    if (part.length === 0) return null;
    if (result === Clipped.Whole) return single;
    return single.z === null && single.m === null ? part : fillHeights(single, [0], part);
  }

  private rectangle(box: Box): AreaIndex {
    const key = box.join(' ');
    let area = this.bands.get(key);
    if (area === undefined) {
      const [w, s, e, n] = box;
      // What is cut gets the map's own edge: where that is bent, it takes more than its corners.
      const steps = this.bent ? Math.max(1, Math.ceil(n - s)) : 1;
      const ring: [number, number][] = [];
      for (let k = 0; k <= steps; k++) ring.push([e, s + ((n - s) * k) / steps]);
      for (let k = steps; k >= 0; k--) ring.push([w, s + ((n - s) * k) / steps]);
      ring.push(ring[0]);
      area = new AreaIndex(geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]));
      this.bands.set(key, area);
    }
    return area;
  }

  /** Rings around a pole do not close in degrees: they are led along the pole. */
  private closedOverPole(degrees: GeometryArray, i: number): GeometryArray {
    const builder = new GeometryMaker();
    builder.feature(degrees.kind[i]);
    for (let p = degrees.partStart[i]; p < degrees.partStart[i + 1]; p++) {
      builder.part();
      for (let r = degrees.ringStart[p]; r < degrees.ringStart[p + 1]; r++) {
        builder.ring();
        const from = degrees.vertexStart[r];
        const end = degrees.vertexStart[r + 1];
        const { xy } = degrees;
        const turn = xy[2 * end - 2] - xy[2 * from];
        if (Math.abs(turn) <= 180) {
          builder.run(xy, from, end - from);
          continue;
        }
        let sum = 0;
        for (let v = from; v < end; v++) sum += xy[2 * v + 1];
        const pole = sum < 0 ? -90 : 90;
        // Begun where it passes the edge of the map, it is led to the pole and back along that edge, on both of its sides.
        const around = Math.sign(turn) * 360;
        const edge = this.west + 360 * Math.ceil((Math.min(xy[2 * from], xy[2 * end - 2]) - this.west) / 360);
        let passes = from;
        while (passes < end - 2 && xy[2 * passes] < edge === xy[2 * passes + 2] < edge) passes++;
        const [ax, ay, bx, by] = xy.subarray(2 * passes, 2 * passes + 4);
        const y0 = ax === bx ? ay : ay + ((edge - ax) / (bx - ax)) * (by - ay);
        builder.vertex(edge, y0);
        for (let v = passes + 1; v < end; v++) builder.vertex(xy[2 * v], xy[2 * v + 1]);
        for (let v = from + 1; v <= passes; v++) builder.vertex(xy[2 * v] + around, xy[2 * v + 1]);
        builder.vertex(edge + around, y0);
        builder.vertex(edge + around, pole);
        builder.vertex(edge, pole);
        builder.vertex(edge, y0);
      }
    }
    return builder.finish();
  }
}

/** Do the two sides of the west edge of a map lie apart on it? */
function isTorn(onwards: Transformer, west: number): boolean {
  return [-65, -20, 25, 60].some((latitude) => {
    const sides = Float64Array.of(west + 1e-7, latitude, west + 360 - 1e-7, latitude);
    if (onwards.transform(sides) > 0) return false;
    const apart = Math.hypot(sides[2] - sides[0], sides[3] - sides[1]);
    return apart > 1e-4 * Math.hypot(sides[0], sides[1], sides[2], sides[3]);
  });
}

/** Is the west edge of a map more than a straight line from south to north? */
function isBent(onwards: Transformer, west: number): boolean {
  const edge = Float64Array.of(west + 1e-7, 5, west + 1e-7, 35, west + 1e-7, 65);
  if (onwards.transform(edge) > 0) return true;
  const [ax, ay, bx, by, cx, cy] = edge;
  return Math.abs((cx - ax) * (by - ay) - (cy - ay) * (bx - ax)) > 1e-6 * Math.hypot(cx - ax, cy - ay) ** 2;
}

function one(array: GeometryArray, i: number): GeometryArray {
  const builder = new GeometryMaker();
  builder.copy(array, i);
  return builder.finish();
}

/** The pieces of an area as one: what comes from one side may lie on what was on the other side already. */
function uniteParts(pieces: readonly GeometryArray[], kind: number, builder: GeometryMaker): void {
  const joined = new GeometryMaker();
  joinParts(pieces, kind, joined);
  const parts = joined.finish();
  const united = new GeometryMaker();
  if (!overlapEachOther(pieces) || uniteAreas(parts, [0], united) === 0) {
    builder.copy(parts, 0);
    return;
  }
  const made = united.finish();
  builder.copy(parts.z === null && parts.m === null ? made : fillHeights(parts, [0], made), 0);
}

/** May pieces of different bands have places in common? */
function overlapEachOther(pieces: readonly GeometryArray[]): boolean {
  const boxes = pieces.map((piece) => piece.boxOf(0));
  return boxes.some((box, k) => boxes.some((other, l) => l > k && boxesMeet(box, other)));
}

/** The pieces of one feature as one feature: a multi-part one where there are several. */
function joinParts(pieces: readonly GeometryArray[], kind: number, builder: GeometryMaker): void {
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
