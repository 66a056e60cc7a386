import { boxRing, plainBoxes } from '../../crs/area-extent.ts';
import type { GeometryObject, Position } from '../../geometry/object-view.ts';

/** What a reader of geometry literals needs of the tokens of an expression. */
export interface LiteralTokens {
  isSign(...signs: string[]): boolean;
  isWord(...words: string[]): boolean;
  /** Takes a sign, or raises an error that points at what stands there. */
  sign(wanted: string): void;
  /** Takes a number with its sign. */
  number(): number;
  /** Takes the next token, whatever it is. */
  skip(): void;
  /** Does a work one level deeper; too many levels are an error. */
  deeper<T>(work: () => T): T;
  fail(words: string): never;
}

/** Words that begin a geometry literal (CQL2, annex B: spatialInstance). */
export const geometryWords = new Set([
  'point',
  'linestring',
  'polygon',
  'multipoint',
  'multilinestring',
  'multipolygon',
  'geometrycollection',
  'bbox',
]);

/** Reads a geometry literal whose first word has been taken: WKT, or BBOX(west, south, east, north). */
export function readGeometryLiteral(word: string, tokens: LiteralTokens): GeometryObject {
  if (tokens.isWord('z', 'm', 'zm')) tokens.skip();
  const list = <T>(one: () => T): T[] => {
    if (tokens.isWord('empty'))
      tokens.fail('An empty geometry meets nothing: a geometry with coordinates is expected');
    tokens.sign('(');
    const items = [one()];
    while (tokens.isSign(',')) {
      tokens.skip();
      items.push(one());
    }
    tokens.sign(')');
    return items;
  };
  const position = (): Position => {
    const values = [tokens.number()];
    while (!tokens.isSign(',', ')')) values.push(tokens.number());
    if (values.length < 2 || values.length > 4) tokens.fail('A position has two, three or four numbers');
    return values.slice(0, 2);
  };
  const path = () => list(position);
  const ring = (): Position[] => {
    const positions = path();
    const [first, last] = [positions[0], positions[positions.length - 1]];
    if (positions.length < 4 || first[0] !== last[0] || first[1] !== last[1])
      tokens.fail('A ring has four positions at least, and ends where it begins');
    return positions;
  };
  const line = (): Position[] => {
    const positions = path();
    if (positions.length < 2) tokens.fail('A line has two positions at least');
    return positions;
  };
  switch (word) {
    case 'point': {
      const [only, more] = path();
      if (more !== undefined) tokens.fail('A point has one position');
      return { type: 'Point', coordinates: only };
    }
    case 'linestring':
      return { type: 'LineString', coordinates: line() };
    case 'polygon':
      return { type: 'Polygon', coordinates: list(ring) };
    case 'multipoint':
      return { type: 'MultiPoint', coordinates: list(() => (tokens.isSign('(') ? path()[0] : position())) };
    case 'multilinestring':
      return { type: 'MultiLineString', coordinates: list(line) };
    case 'multipolygon':
      return { type: 'MultiPolygon', coordinates: list(() => list(ring)) };
    case 'bbox': {
      const sides = list(() => tokens.number());
      if (sides.length !== 4 && sides.length !== 6)
        tokens.fail('BBOX has four numbers: west, south, east, north (or six, with heights)');
      const [west, south] = sides;
      const [east, north] = sides.slice(sides.length / 2);
      if (south > north) tokens.fail('The second number of BBOX is its south, and no greater than its north');
      return {
        type: 'MultiPolygon',
        coordinates: plainBoxes([west, south, east, north]).map((each) => [boxRing(each)]),
      };
    }
    default: {
      const geometries = list((): GeometryObject => {
        const inner = [...geometryWords].find((each) => each !== 'bbox' && tokens.isWord(each));
        if (inner === undefined) return tokens.fail('A geometry is expected');
        tokens.skip();
        return tokens.deeper(() => readGeometryLiteral(inner, tokens));
      });
      return { type: 'GeometryCollection', geometries };
    }
  }
}
