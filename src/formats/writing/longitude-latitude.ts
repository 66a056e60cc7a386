import type { Account } from '../../core/account.ts';
import { crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';

/** The layer in longitude and latitude on WGS 84, for formats that know nothing else; told in the account. */
export function inWgs84(layer: Layer, format: string, account?: Account): Layer {
  if (layer.crs === null) {
    throw new IsomericError(
      'crs-missing',
      `The layer ${layer.name} has no CRS; ${format} must be in WGS 84.`,
      { place: { layer: layer.name }, advice: 'Say which CRS it has first (--from).' },
    );
  }
  if (sameCrs(layer.crs, wgs84())) return layer;
  const brought = reprojectLayer(layer, wgs84());
  account?.notes.push(`Brought from ${crsLabel(layer.crs)} to WGS 84, as ${format} asks.`);
  return {
    ...brought,
    async *batches(options) {
      yield* brought.batches(options);
      // Which datum shift was used, and what had no image, belongs to what is told of the writing.
      const own = brought.accounts[brought.accounts.length - 1];
      for (const note of own.notes) if (account?.notes.includes(note) === false) account.notes.push(note);
      account?.findings.push(...own.findings);
    },
  };
}
