import type { GeometryObject } from '../../geometry/object-view.ts';

/** What is done to both sides of LIKE: letter case or accents are taken away. */
export type Fold = 'casei' | 'accenti';

/** A parsed CQL2 expression (OGC 21-065r2, clause 6 and annex B). `at` is the character it begins at, from 0. */
export type Expression =
  | { op: 'literal'; value: string | number | boolean | null; kind?: 'date' | 'timestamp'; at: number }
  | { op: 'property'; name: string; at: number }
  | { op: 'and' | 'or'; args: Expression[]; at: number }
  | { op: 'not'; arg: Expression; at: number }
  | { op: '=' | '<>' | '<' | '>' | '<=' | '>='; left: Expression; right: Expression; at: number }
  | { op: '+' | '-' | '*' | '/' | '%' | 'div' | '^'; left: Expression; right: Expression; at: number }
  | { op: 'negate'; arg: Expression; at: number }
  | { op: 'like'; arg: Expression; pattern: string; folds: readonly Fold[]; at: number }
  | { op: 'geometry'; value: GeometryObject; at: number }
  | { op: 'between'; arg: Expression; low: Expression; high: Expression; at: number }
  | { op: 'in'; arg: Expression; list: Expression[]; at: number }
  | { op: 'isNull'; arg: Expression; at: number }
  | { op: 'casei' | 'accenti'; arg: Expression; at: number }
  | { op: 'call'; name: string; args: Expression[]; at: number };
