import type { Table } from '../../core/layer/layer.ts';

/** What is mapped of a table: a figure as it stands, or one that is computed first. */
export interface Figure {
  /** Field of the map. */
  name: string;
  title: string;
  unit?: string;
  /** How it is computed; undefined when it stands in the table. */
  expression?: string;
  /** Why this one. */
  reason: string;
}

interface Numbers {
  name: string;
  title: string;
  sum: number;
  whole: boolean;
  mostlyWhole: boolean;
  least: number;
  greatest: number;
  values: Float64Array;
}

/** Rows that are looked at. */
const mostRows = 20_000;

/** Words of names of numbers that tell a unit's name, place or size, and nothing of what is in it. */
const noFigure = new Set(
  'year vintage code id fid gid objectid rank shape length perimeter lat lon lng latitude longitude latlng x y z easting northing area'.split(
    ' ',
  ),
);

/** `Shape_Area`, `ward_id`: is it the first or the last word that says so? */
function isFigure(name: string): boolean {
  const parts = name
    .toLowerCase()
    .split(/[^\p{L}]+/u)
    .filter((part) => part !== '');
  return parts.length > 0 && !noFigure.has(parts[0]) && !noFigure.has(parts[parts.length - 1]);
}

async function numbersOf(table: Table, without: ReadonlySet<string>): Promise<Numbers[]> {
  const fields = table.schema.flatMap((field, c) =>
    (field.type === 'integer' || field.type === 'real') &&
    !without.has(field.name) &&
    field.role !== 'margin' &&
    field.featureId === undefined &&
    isFigure(field.name)
      ? [{ field, c, values: [] as number[] }]
      : [],
  );
  let rows = 0;
  for await (const batch of table.batches()) {
    for (const { c, values } of fields)
      for (let i = 0; i < batch.length; i++) values.push(batch.columns[c].number(i));
    rows += batch.length;
    if (rows >= mostRows) break;
  }
  return fields.flatMap(({ field, values }) => {
    const known = values.filter((value) => !Number.isNaN(value));
    if (known.length === 0) return [];
    return [
      {
        name: field.name,
        title: field.title ?? words(field.name),
        sum: known.reduce((sum, value) => sum + value, 0),
        whole: known.every(Number.isInteger),
        mostlyWhole: known.filter(Number.isInteger).length > 0.9 * known.length,
        least: known.reduce((least, value) => Math.min(least, value), Infinity),
        greatest: known.reduce((greatest, value) => Math.max(greatest, value), -Infinity),
        values: Float64Array.from(values),
      },
    ];
  });
}

/** `no_car` → `No car` */
export const words = (name: string): string =>
  name
    .replace(/[_-]+/g, ' ')
    .trim()
    .replace(/^\p{Ll}/u, (c) => c.toUpperCase());

/** True where no value of one is greater than the other's in its row. */
function isPartOf(part: Numbers, whole: Numbers): boolean {
  let smaller = 0;
  for (let i = 0; i < part.values.length; i++) {
    if (part.values[i] > whole.values[i]) return false;
    if (part.values[i] < whole.values[i]) smaller++;
  }
  return smaller > 0;
}

/**
 * The figure of a table that makes a map which can be believed: a share of two counts, a figure that is no count, or a
 * count for each square kilometre.
 */
export async function figureOf(table: Table, without: ReadonlySet<string>): Promise<Figure | null> {
  const all = await numbersOf(table, without);
  if (all.length === 0) return null;
  const counts = all.filter((each) => each.whole && each.least >= 0 && each.greatest > 20);
  const [whole] = [...counts].sort((a, b) => b.sum - a.sum);
  if (whole !== undefined) {
    const part = counts.find((each) => each !== whole && isPartOf(each, whole));
    if (part !== undefined)
      return {
        name: fieldName(`${part.name}_share`),
        title: part.title,
        unit: `per cent of ${whole.title.toLowerCase()}`,
        expression: `share(${reference(part.name)}, ${reference(whole.name)})`,
        reason: `${part.name} is nowhere greater than ${whole.name}: a share of it compares areas of any size`,
      };
  }
  // A few broken figures among counts (0.44 km²) make no rate of them.
  const rate = all.find((each) => !counts.includes(each) && !each.mostlyWhole);
  if (rate !== undefined)
    return {
      name: rate.name,
      title: rate.title,
      reason: 'it is no count, so areas of any size can be compared',
    };
  const [count] = counts.length > 0 ? counts : all;
  return {
    name: fieldName(`${count.name}_per_km2`),
    title: `${count.title} per square kilometre`,
    expression: `density(${reference(count.name)})`,
    reason: `${count.name} is a count: large areas would look worse because they are large`,
  };
}

/** A name in an expression; with other signs in double quotes. */
const reference = (name: string) => (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) ? name : `"${name}"`);

const fieldName = (name: string) => name.replace(/[^\p{L}\p{N}_]+/gu, '_');
