import { IsomericError } from '../../core/errors.ts';
import { type Layer, rowsOf, type Table } from '../../core/layer/layer.ts';
import { groupRows } from '../../core/layer/verbs/group.ts';
import { suggest } from '../../core/nearest.ts';

/** A figure of each unit: `residents = sum(persons) of wards`. */
export interface SeriesFigure {
  name: string;
  expression: string;
  layer: string;
}

/**
 * Reads a figure as it is written.
 *
 * @throws IsomericError `series-figure`
 */
export function figureFrom(text: string): SeriesFigure {
  const equals = text.indexOf('=');
  const of = text.lastIndexOf(' of ');
  const name = text.slice(0, Math.max(0, equals)).trim();
  const expression = text.slice(equals + 1, Math.max(equals + 1, of)).trim();
  const layer = of < 0 ? '' : text.slice(of + 4).trim();
  if (equals < 1 || name === '' || expression === '' || layer === '')
    throw new IsomericError('series-figure', `“${text}” is no figure of a unit.`, {
      advice: 'Write “residents = sum(persons) of wards”: a name, what is summed up, a prepared layer.',
      blame: 'usage',
      wrong: text,
    });
  return { name, expression, layer };
}

/** The value of a figure over a prepared layer of one unit; null where it has none. */
export async function figureOf(
  figure: SeriesFigure,
  layers: ReadonlyMap<string, Layer | Table>,
): Promise<number | null> {
  const table = layers.get(figure.layer);
  if (table === undefined)
    throw new IsomericError('layer-unknown', `There is no prepared layer “${figure.layer}”.`, {
      wrong: figure.layer,
      advice: suggest(figure.layer, [...layers.keys()]),
      blame: 'usage',
    });
  const grouped = groupRows(table, {
    by: [],
    compute: [{ name: figure.name, expression: figure.expression }],
  });
  for await (const row of rowsOf(grouped)) {
    const value = row[figure.name];
    if (value === null || typeof value === 'number') return value;
    throw new IsomericError('series-figure', `${figure.name} is no number.`, {
      blame: 'usage',
      wrong: figure.expression,
    });
  }
  return null;
}
