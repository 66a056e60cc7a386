import { listed } from '../../account.ts';
import { crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { requireField } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';

/** Number of a field whose figures are to be split by shares: it must hold numbers. */
export function splitColumn(layer: Layer, name: string): number {
  const c = requireField(layer.schema, name, layer.name);
  const { type } = layer.schema[c];
  if (type === 'integer' || type === 'real') return c;
  throw new IsomericError('split-type', `${name} holds no numbers, so it cannot be split.`, {
    place: { layer: layer.name },
    blame: 'usage',
    advice: 'Name fields with figures that are sums: counts, not rates.',
  });
}

/** That figures were split, and as if they were how: never done in silence. */
export function splitWords({ schema, crs }: Layer, split: readonly number[], by: string): string {
  const where =
    crs === null ? '' : ` (${crs.kind === 'geographic' ? 'on the ellipsoid' : `in ${crsLabel(crs)}`})`;
  return `${listed(split.map((c) => schema[c].name))} ${split.length === 1 ? 'was' : 'were'} split by the share of ${by}${where}: as if spread evenly over each feature.`;
}
