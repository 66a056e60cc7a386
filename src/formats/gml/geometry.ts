import { dictionary } from '../../core/dictionary.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import type { Attributes } from '../xml/read-xml.ts';
import { arcAround, arcThrough } from './arcs.ts';
import { eastNorth, type Ordinates } from './srs.ts';

/** Elements that are geometries, with the kind that each makes. */
export const geometryElements: Readonly<Record<string, number>> = dictionary({
  Point: Kind.Point,
  LineString: Kind.LineString,
  LinearRing: Kind.LineString,
  Curve: Kind.LineString,
  CompositeCurve: Kind.LineString,
  OrientableCurve: Kind.LineString,
  Polygon: Kind.Polygon,
  Surface: Kind.Polygon,
  CompositeSurface: Kind.MultiPolygon,
  OrientableSurface: Kind.Polygon,
  PolyhedralSurface: Kind.MultiPolygon,
  MultiPoint: Kind.MultiPoint,
  MultiLineString: Kind.MultiLineString,
  MultiCurve: Kind.MultiLineString,
  MultiPolygon: Kind.MultiPolygon,
  MultiSurface: Kind.MultiPolygon,
  MultiGeometry: Kind.Collection,
  MultiSolid: Kind.MultiPolygon,
  Solid: Kind.MultiPolygon,
});

const multi = new Set([
  'MultiPoint',
  'MultiLineString',
  'MultiCurve',
  'MultiPolygon',
  'MultiSurface',
  'MultiGeometry',
  'CompositeSurface',
  'PolyhedralSurface',
  'MultiSolid',
  'Solid',
]);

/** Elements that carry positions. */
const positionElements = new Set(['pos', 'posList', 'coordinates', 'coord', 'X', 'Y', 'Z']);

export interface GeometryTroubles {
  arcs: number;
  unsupported: Map<string, number>;
  damaged: number;
}

/**
 * Builds one geometry from the elements inside it (GML 2, 3.1 and 3.2). The parts of an area are its patches, of a
 * curve its segments joined.
 */
export class GmlGeometry {
  private readonly builder: GeometryMaker;
  private readonly troubles: GeometryTroubles;
  private readonly path: { name: string; attributes: Attributes }[] = [];
  private kind = 0;
  private parts = 0;
  private memberKinds = 0;
  /** Positions of the path being read: x, y and z one after the other in `step`s. */
  private positions: number[] = [];
  private line: number[] = [];
  private inRing = 0;
  private dimension = 2;
  private coord: number[] = [];
  private radius = NaN;
  private angles: [number, number] = [NaN, NaN];
  private ordinates: Ordinates = eastNorth;
  srsName = '';

  constructor(builder: GeometryMaker, troubles: GeometryTroubles) {
    this.builder = builder;
    this.troubles = troubles;
  }

  get open(): boolean {
    return this.path.length > 0;
  }

  /** @param ordinates how positions stand, unless a srsName inside says otherwise */
  start(name: string, attributes: Attributes, ordinates: Ordinates): void {
    this.kind = geometryElements[name];
    this.parts = 0;
    this.memberKinds = 0;
    this.dimension = 2;
    this.ordinates = ordinates;
    this.srsName = '';
    this.builder.feature(this.kind);
    this.enter(name, attributes);
  }

  enter(name: string, attributes: Attributes): void {
    this.path.push({ name, attributes });
    const dimension = attributes.srsDimension ?? attributes.dimension;
    if (dimension !== undefined) this.dimension = Number(dimension) === 3 ? 3 : 2;
    if (attributes.srsName !== undefined) this.srsName ||= attributes.srsName;
    switch (name) {
      case 'Point':
        this.positions = [];
        return;
      case 'Polygon':
      case 'PolygonPatch':
      case 'Triangle':
      case 'Rectangle':
        this.part(Kind.Polygon);
        return;
      case 'LinearRing':
      case 'Ring':
        this.line = [];
        this.positions = [];
        this.inRing++;
        return;
      case 'LineString':
      case 'Curve':
      case 'CompositeCurve':
        if (this.inRing === 0 && !this.within('CompositeCurve', 'Curve', 'OrientableCurve')) this.line = [];
        this.positions = [];
        return;
    }
    if (name in curves) {
      this.positions = [];
      this.radius = NaN;
      this.angles = [NaN, NaN];
    } else if (unknownGeometry.has(name))
      this.troubles.unsupported.set(name, (this.troubles.unsupported.get(name) ?? 0) + 1);
  }

  /** True when one of the elements that are open around the innermost is of these. */
  private within(...names: string[]): boolean {
    for (let k = this.path.length - 2; k >= 0; k--) if (names.includes(this.path[k].name)) return true;
    return false;
  }

  private part(kind: number): void {
    this.parts++;
    this.memberKinds |= 1 << kind;
    this.builder.part(kind);
  }

  /** Returns true when the whole geometry has been read. */
  leave(name: string, text: string): boolean {
    const { attributes } = this.path.pop()!;
    if (positionElements.has(name)) this.position(name, text, attributes);
    else if (name === 'radius') this.radius = Number(text);
    else if (name === 'startAngle' || name === 'endAngle') {
      const degrees = !/rad/.test(attributes.uom ?? 'deg');
      this.angles[name === 'startAngle' ? 0 : 1] = Number(text) * (degrees ? Math.PI / 180 : 1);
    } else if (name in curves) this.segment(name);
    else
      switch (name) {
        case 'Point':
          if (this.inCurve()) break;
          if (this.positions.length >= 2) {
            this.part(Kind.Point);
            this.ring(this.positions);
          }
          break;
        case 'LineString':
          this.join(this.positions);
          if (this.inRing === 0 && !this.openCurve()) this.endLine();
          break;
        case 'Curve':
        case 'CompositeCurve':
        case 'OrientableCurve':
          if (this.inRing === 0 && !this.openCurve()) this.endLine();
          break;
        case 'LinearRing':
        case 'Ring':
          if (name === 'LinearRing') this.join(this.positions);
          this.inRing--;
          if (this.path.length === 0) this.endLine();
          else if (this.parts > 0 && this.line.length > 0) this.ring(this.line);
          this.line = [];
          this.positions = [];
          break;
      }
    if (this.path.length > 0) return false;
    this.end(name);
    return true;
  }

  private openCurve(): boolean {
    return this.path.some(
      ({ name }) => name === 'Curve' || name === 'CompositeCurve' || name === 'OrientableCurve',
    );
  }

  /** A Point inside a curve is one of its positions (pointProperty), not a geometry. */
  private inCurve(): boolean {
    return this.path.some(
      ({ name }) => name === 'LineString' || name === 'LinearRing' || name === 'Curve' || name in curves,
    );
  }

  private position(name: string, text: string, attributes: Attributes): void {
    if (name === 'X' || name === 'Y' || name === 'Z') {
      this.coord.push(Number(text));
      return;
    }
    if (name === 'coord') {
      this.add(this.coord);
      this.coord = [];
      return;
    }
    if (name === 'coordinates') {
      const decimal = attributes.decimal ?? '.';
      const between = attributes.cs ?? ',';
      const tuples =
        (attributes.ts ?? ' ') === ' ' ? text.trim().split(/\s+/) : text.split(attributes.ts ?? ' ');
      for (const tuple of tuples) {
        if (tuple.trim() === '') continue;
        this.add(
          tuple
            .split(between)
            .map((part) => Number(decimal === '.' ? part : part.trim().replace(decimal, '.'))),
        );
      }
      return;
    }
    const values = numbers(text);
    const own = attributes.srsDimension ?? attributes.dimension;
    let size = own === undefined ? this.dimension : Number(own);
    const count = attributes.count === undefined ? NaN : Number(attributes.count);
    if (name === 'pos') size = values.length;
    else if (own === undefined && count > 0 && values.length === 3 * count) size = 3;
    if (size < 2 || values.length % size !== 0) {
      this.troubles.damaged++;
      return;
    }
    for (let k = 0; k < values.length; k += size) this.add(values.slice(k, k + size));
  }

  /** Appends a position as x, y, z (NaN where there is none). */
  private add(values: readonly number[]): void {
    if (values.length < 2 || Number.isNaN(values[0]) || Number.isNaN(values[1])) {
      this.troubles.damaged++;
      return;
    }
    const { exchanged, east, north } = this.ordinates;
    const [a, b] = exchanged ? [values[1], values[0]] : values;
    this.positions.push(east * a, north * b, values.length > 2 ? values[2] : NaN);
  }

  /** Puts positions at the end of the line; the one where it joins stands once. */
  private join(positions: readonly number[]): void {
    const { line } = this;
    const n = line.length;
    const same = n > 0 && line[n - 3] === positions[0] && line[n - 2] === positions[1];
    for (let k = same ? 3 : 0; k < positions.length; k++) line.push(positions[k]);
    this.positions = [];
  }

  private segment(name: string): void {
    const shape = curves[name];
    const flat: number[] = [];
    const { positions } = this;
    if (shape === 'line') {
      this.join(positions);
      return;
    }
    this.troubles.arcs++;
    if (shape === 'centre') {
      const [from, to] = name === 'CircleByCenterPoint' ? [0, 2 * Math.PI] : this.angles;
      if (positions.length < 2 || Number.isNaN(this.radius + from + to)) {
        this.troubles.damaged++;
        return;
      }
      flat.push(...arcAround(positions[0], positions[1], this.radius, from, to));
    } else {
      const xy: number[] = [];
      for (let k = 0; k < positions.length; k += 3) xy.push(positions[k], positions[k + 1]);
      if (xy.length < 6) {
        this.troubles.damaged++;
        return;
      }
      for (let k = 0; k + 6 <= xy.length; k += 4) {
        const arc = arcThrough(xy.slice(k, k + 6), name === 'Circle');
        flat.push(...(k === 0 ? arc : arc.slice(2)));
      }
    }
    const out: number[] = [];
    for (let k = 0; k < flat.length; k += 2) out.push(flat[k], flat[k + 1], NaN);
    this.join(out);
  }

  private endLine(): void {
    if (this.line.length > 0) {
      this.part(Kind.LineString);
      this.ring(this.line);
    }
    this.line = [];
  }

  private ring(positions: readonly number[]): void {
    const { builder } = this;
    builder.ring();
    for (let k = 0; k < positions.length; k += 3) {
      builder.vertex(positions[k], positions[k + 1]);
      if (!Number.isNaN(positions[k + 2])) builder.height(positions[k + 2]);
    }
  }

  private end(name: string): void {
    let kind = this.kind;
    if (kind === Kind.Collection) {
      const one = [Kind.Point, Kind.LineString, Kind.Polygon].find((each) => this.memberKinds === 1 << each);
      if (one !== undefined && this.parts > 0 && name !== 'MultiGeometry') kind = one + 3;
    } else if (!multi.has(name) && this.parts > 1) kind += 3;
    else if (this.memberKinds !== 0 && (this.memberKinds & (this.memberKinds - 1)) !== 0)
      kind = Kind.Collection;
    this.builder.setKind(kind);
  }
}

/** Segments of curves: straight, through three points, or around a centre. */
const curves: Readonly<Record<string, 'line' | 'arc' | 'centre'>> = dictionary({
  LineStringSegment: 'line',
  GeodesicString: 'line',
  Geodesic: 'line',
  Arc: 'arc',
  ArcString: 'arc',
  Circle: 'arc',
  ArcByCenterPoint: 'centre',
  CircleByCenterPoint: 'centre',
});

/** Segments that are not read. */
const unknownGeometry = new Set([
  'BSpline',
  'Bezier',
  'CubicSpline',
  'Clothoid',
  'OffsetCurve',
  'ArcByBulge',
  'ArcStringByBulge',
  'Cone',
  'Cylinder',
  'Sphere',
  'Tin',
  'Grid',
  'RectifiedGrid',
]);

/** Numbers of a list, white space (or commas, met in the wild) between them. */
function numbers(text: string): number[] {
  const out: number[] = [];
  let at = 0;
  const n = text.length;
  while (at < n) {
    while (at < n && (text.charCodeAt(at) <= 32 || text[at] === ',')) at++;
    const from = at;
    while (at < n && text.charCodeAt(at) > 32 && text[at] !== ',') at++;
    if (at > from) out.push(Number(text.slice(from, at)));
  }
  return out;
}
