import { withMarginNames } from '../../table/margin-fields.ts';
import { type Field, fieldIndex, freeName, requireField, type Schema } from '../../table/schema.ts';
import { asPlainField } from '../feature-ids.ts';
import { fieldOfMany, type ManyRule } from './many-rows.ts';
import type { ClashRule } from './words.ts';

/** Columns as they are asked for: names, or [name, new name]. */
export type ColumnChoice = readonly (string | readonly [string, string])[];

/** The columns of a table that a join brings over, and what they are called afterwards. */
export interface Brought {
  /** Places of the columns in the table. */
  chosen: number[];
  /** The layer's fields that stay, by their places. */
  kept: number[];
  added: Field[];
  notes: string[];
}

interface Sides {
  layer: { name: string; schema: Schema };
  table: { name: string; schema: Schema };
}

/** Columns of a table that come along when nobody says which: all but its keys. */
function all({ table }: Sides, keys: readonly number[]): string[] {
  return table.schema
    .filter((field, c) => !keys.includes(c) && field.featureId !== 'numbering')
    .map(({ name }) => name);
}

/**
 * Plans the columns of a join. Names that clash are settled by a rule, which is told.
 *
 * @throws IsomericError `field-unknown`
 */
export function columnsBrought(
  sides: Sides,
  keys: readonly number[],
  options: { columns?: ColumnChoice; clash?: ClashRule; many: ManyRule | null },
): Brought {
  const { layer, table } = sides;
  const { clash = 'number', many } = options;
  const result: Brought = { chosen: [], kept: layer.schema.map((_, c) => c), added: [], notes: [] };
  for (const column of options.columns ?? all(sides, keys)) {
    const [name, wanted] = typeof column === 'string' ? [column, column] : column;
    const c = requireField(table.schema, name, table.name);
    const taken = [...result.kept.map((k) => layer.schema[k]), ...result.added].map((field) => field.name);
    let free = wanted;
    if (taken.includes(wanted)) {
      const own = fieldIndex(layer.schema, wanted);
      if (clash === 'keep' && own >= 0) {
        result.notes.push(
          `The column ${wanted} of ${table.name} was not brought: ${layer.name} has one already.`,
        );
        continue;
      }
      if (clash === 'replace' && own >= 0) {
        result.kept = result.kept.filter((k) => k !== own);
        result.notes.push(`The column ${wanted} of ${table.name} takes the place of that of ${layer.name}.`);
      } else {
        free = freeName(clash === 'table' ? `${table.name}_${wanted}` : wanted, taken);
        result.notes.push(
          `The column ${wanted} of ${table.name} is called ${free} here, since ${layer.name} has a ${wanted} already.`,
        );
      }
    }
    result.chosen.push(c);
    result.added.push(named(table.schema[c], name, free));
  }
  const renamed = new Map(result.chosen.map((c, k) => [table.schema[c].name, result.added[k].name]));
  result.added = withMarginNames(result.added, renamed).map((field) =>
    many === null ? field : fieldOfMany(field, many),
  );
  return result;
}

function named(field: Field, name: string, free: string): Field {
  return {
    ...asPlainField(field),
    name: free,
    title: field.title ?? (free === name ? undefined : name),
    ...(free === name ? {} : { code: field.code ?? name }),
  };
}
