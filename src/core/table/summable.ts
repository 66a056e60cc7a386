import type { Field } from './schema.ts';

/** Words of figures whose sum means nothing. */
const noSum =
  /%|\bper\b|\bshare\b|\brates?\b|\bmeans?\b|\baverage\b|\bmedian\b|\bdensity\b|\bindex\b|\bratio\b|\bpercent|\byear\b|\bvintage\b/i;

/** May the figures of a field be summed: no codes, shares, means or margins, by its role, unit, title and name? */
export const isSummable = (field: Field): boolean =>
  (field.type === 'integer' || field.type === 'real') &&
  field.role === undefined &&
  field.featureId === undefined &&
  !noSum.test(`${field.unit ?? ''} ${field.title ?? ''} ${field.name.replace(/_/g, ' ')}`);
