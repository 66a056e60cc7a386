import type { Field, Schema } from './schema.ts';

const numeric = (field: Field) => field.type === 'integer' || field.type === 'real';

/** Words in a title that say that the column holds a margin of error. */
const marginTitle =
  /\bmargins? of error\b[\s,:!;–—-]{0,9}(?:(?:for|of|to)\s{1,9})?|[\s,:!;(–—-]{0,9}\bmargins? of error\b\)?|±/i;
const estimateTitle = /^\s{0,9}estimate\b[\s,:!;–—-]{0,9}/i;

const bare = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();

/** Names of margins beside the names of their estimates: `H003E` and `H003M`, `households` and `households_margin`. */
function estimateNames(name: string): string[] {
  const found: string[] = [];
  const ended = /^(.*?)[_ ]?(moe|margin|margin_of_error)$/i.exec(name);
  if (ended !== null && ended[1] !== '') found.push(ended[1]);
  const begun = /^(?:moe|margin)[_ ](.+)$/i.exec(name);
  if (begun !== null) found.push(begun[1]);
  const lettered = /^(.*\d)M$/.exec(name);
  if (lettered !== null) found.push(`${lettered[1]}E`);
  return found;
}

/**
 * Finds the margins of error among the fields, by the ways in which providers name them and by their titles, and tells
 * each estimate which one is its own.
 */
export function pairMargins(schema: Schema): Field[] {
  const fields = schema.map((field) => ({ ...field }));
  const byName = new Map(fields.map((field, c) => [field.name.toLowerCase(), c]));
  const byCode = new Map(
    fields.flatMap((field, c) => (field.code === undefined ? [] : [[field.code.toLowerCase(), c] as const])),
  );
  const byTitle = new Map<string, number>();
  fields.forEach((field, c) => {
    if (field.title !== undefined && !marginTitle.test(field.title))
      byTitle.set(bare(field.title.replace(estimateTitle, '')), c);
  });
  fields.forEach((field, c) => {
    if (!numeric(field) || field.role === 'margin') return;
    const names = estimateNames(field.code ?? field.name);
    let of = [...names, ...estimateNames(field.name)]
      .map((name) => byName.get(name.toLowerCase()) ?? byCode.get(name.toLowerCase()))
      .find((each) => each !== undefined && each !== c);
    if (of === undefined && field.title !== undefined && marginTitle.test(field.title))
      of = byTitle.get(bare(field.title.replace(marginTitle, ' ')));
    if (of === undefined || !numeric(fields[of]) || fields[of].margin !== undefined) return;
    fields[of].margin = field.name;
    field.role = 'margin';
  });
  return fields;
}

/** Fields whose margins are called by their names of now; a margin that is not there any more is forgotten. */
export function withMarginNames(fields: readonly Field[], renamed: ReadonlyMap<string, string>): Field[] {
  return fields.map((field) => {
    if (field.margin === undefined) return field;
    const now = renamed.get(field.margin);
    const { margin: _, ...rest } = field;
    return now === undefined ? rest : { ...rest, margin: now };
  });
}
