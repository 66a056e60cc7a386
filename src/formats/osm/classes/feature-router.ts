import type { Box } from '../../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../../core/geometry/geometry-maker.ts';
import type { Scratch } from '../../writing/target.ts';
import type { ObjectInfo, Texts } from '../reading/primitives.ts';
import type { TagList } from '../tags/tag-list.ts';

/** 0 point, 1 line, 2 area. */
export type ShapeNumber = 0 | 1 | 2;
export const shapeNames = ['point', 'line', 'area'] as const;

/** Where features go. */
export interface Router<P> {
  /** Kinds of geometry that are wanted at all. */
  readonly shapes: readonly boolean[];
  /** Places for an object of this geometry, or null when nobody wants it. Asked once for each object with tags. */
  route(tags: TagList, object: number, shape: ShapeNumber): P | null;
  /** Would somebody want such an object? Counts nothing. */
  wants(tags: TagList, object: number, shape: ShapeNumber): boolean;
  /** Takes feature `geometry`'s only one over. The builder is emptied by the taker. */
  take(place: P, feature: Feature): void;
}

/** One assembled feature; the same object is used again for the next. */
export interface Feature {
  object: number;
  id: number;
  shape: ShapeNumber;
  tags: TagList;
  info: ObjectInfo;
  /** Texts that the names of editors stand in. */
  infoTexts: Texts;
  /** Its number in `info`. */
  at: number;
  geometry: GeometryMaker;
}

/** What became of all objects of an extract. */
export interface AssemblyCounts {
  nodes: number;
  ways: number;
  relations: number;
  points: number;
  lines: number;
  areas: number;
  /** Nodes and ways that have no tags of their own. */
  withoutTags: number;
  /** Ways that only lend their tags to a relation. */
  inRelations: number;
  /** Relations without a shape of their own. */
  shapeless: number;
  /** Objects that nobody wanted. */
  unwanted: number;
  /** Objects that could not be assembled. */
  broken: number;
  /** Features whose box does not meet the wanted one. */
  outside: number;
}

export interface AssemblyOptions {
  /**
   * [west, south, east, north], west greater than east across the antimeridian: features whose box does not meet it are left
   * out, after they were assembled whole.
   */
  box?: Box;
  /** Room outside memory, when the machine has some. */
  scratch?: (() => Scratch) | null;
  /** With change set and editor of every object. */
  editors?: boolean;
  /** Bytes of node positions that stay in memory. */
  nodeMemory?: number;
}

export function blankCounts(): AssemblyCounts {
  return {
    nodes: 0,
    ways: 0,
    relations: 0,
    points: 0,
    lines: 0,
    areas: 0,
    withoutTags: 0,
    inRelations: 0,
    shapeless: 0,
    unwanted: 0,
    broken: 0,
    outside: 0,
  };
}
