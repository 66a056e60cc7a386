import { dictionary } from '../dictionary.ts';
import type { FieldType } from '../table/schema.ts';

/** Geometries that a class may hold; each makes a layer of its own. */
export const shapeNames = ['point', 'line', 'area'] as const;
/** Geometries that a class may have. */
export type ShapeName = (typeof shapeNames)[number];

/** How the text of a tag becomes a value. */
export const columnKinds = [
  'text',
  'integer',
  'number',
  'metres',
  'kilometres per hour',
  'yes or no',
] as const;
/** What the values of a column are; units of lengths are brought to metres. */
export type ColumnKind = (typeof columnKinds)[number];

/** A column of a class, and the tag that fills it. */
export interface SchemeColumn {
  /** Name of the field. */
  name: string;
  /** Key of the tag. */
  tag: string;
  kind: ColumnKind;
  title?: string;
}

/** How a class is drawn when nobody says otherwise; lengths in hundredths of an inch on paper. */
export interface DrawingStyle {
  stroke?: string;
  fill?: string;
  width?: number;
  /** Diameter of points. */
  size?: number;
}

/** A condition on tags, and the sub-class of what meets it. */
export interface SchemeRule {
  /** Name of the sub-class. */
  name: string;
  title: string;
  /** CQL2 over tags, `geometry` (point, line, area) and `object` (node, way, relation). */
  where: string;
  importance: number;
  style: DrawingStyle;
}

/** A class of map features: its rules, its columns, the geometries that it has. */
export interface SchemeClass {
  name: string;
  title: string;
  shapes: readonly ShapeName[];
  /** Areas of it become points inside them. */
  areasAsPoints: boolean;
  columns: readonly SchemeColumn[];
  /** In their order: of the rules of a class, the first that fits counts. */
  rules: readonly SchemeRule[];
  importance: number;
  style: DrawingStyle;
}

/** Classes of map features. An object can be of several classes, and of one sub-class in each. */
export interface ClassScheme {
  title: string;
  classes: readonly SchemeClass[];
}

/** Type of the field that a column becomes. */
export const fieldTypeOf: Record<ColumnKind, FieldType> = {
  text: 'text',
  integer: 'integer',
  number: 'real',
  metres: 'real',
  'kilometres per hour': 'real',
  'yes or no': 'boolean',
};

/** Unit of the field that a column becomes. */
export const unitOf: Partial<Record<ColumnKind, string>> = {
  metres: 'm',
  'kilometres per hour': 'km/h',
};

const metresIn: Readonly<Record<string, number>> = dictionary({
  '': 1,
  m: 1,
  km: 1000,
  cm: 0.01,
  mm: 0.001,
  ft: 0.3048,
  mi: 1609.344,
});
const kilometresPerHour: Readonly<Record<string, number>> = dictionary({
  '': 1,
  'km/h': 1,
  kmh: 1,
  kph: 1,
  mph: 1.609344,
  knots: 1.852,
});

/**
 * The value that a tag spells; undefined when it spells none of that kind. Of a list (`3;4`) none is chosen.
 * Feet and inches are read as usual: 6'3".
 */
export function tagValue(text: string, kind: ColumnKind): number | string | boolean | undefined {
  const trimmed = text.trim();
  switch (kind) {
    case 'text':
      return text;
    case 'integer':
      return /^[-+]?\d{1,15}$/.test(trimmed) ? Number(trimmed) : grouped(trimmed);
    case 'number':
      return /^[-+]?\d+(\.\d+)?$/.test(trimmed) ? Number(trimmed) : undefined;
    case 'yes or no':
      return trimmed === 'yes' || trimmed === 'true' || trimmed === '1'
        ? true
        : trimmed === 'no' || trimmed === 'false' || trimmed === '0'
          ? false
          : undefined;
    case 'metres': {
      const feet = /^(\d+)'\s*(?:(\d+(?:\.\d+)?)")?$/.exec(trimmed);
      if (feet !== null) return Number(feet[1]) * 0.3048 + Number(feet[2] ?? 0) * 0.0254;
      return measured(trimmed, metresIn);
    }
    default:
      return measured(trimmed, kilometresPerHour);
  }
}

/** 12 345 or 12,345: people write populations so. */
function grouped(text: string): number | undefined {
  return /^\d{1,3}([ ,]\d{3})+$/.test(text) ? Number(text.replace(/[ ,]/g, '')) : undefined;
}

function measured(text: string, units: Record<string, number>): number | undefined {
  const found = /^([-+]?\d+(?:\.\d+)?)\s*([a-z/]*)$/.exec(text);
  if (found === null || !Object.hasOwn(units, found[2])) return undefined;
  return Number(found[1]) * units[found[2]];
}
