import { type Account, counted } from '../../core/account.ts';
import { type Crs, crsLabel, sameCrs } from '../../core/crs/crs.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { GeometryArray } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { SeamCutter } from '../../core/layer/verbs/seam.ts';

/** Degrees beyond 180 that are the last digits of something at the antimeridian. */
const hair = 1e-6;

/** Does a longitude lie beyond ±180°? */
function reachesBeyond(array: GeometryArray): boolean {
  const [x0, , x1] = array.box();
  return x0 < -180 - hair || x1 > 180 + hair;
}

/** Longitudes beyond ±180° are cut at the antimeridian, and brought within (RFC 7946, section 3.1.9). */
function withinAntimeridian(layer: Layer, crs: Crs, account?: Account): Layer {
  return {
    ...layer,
    async *batches(options) {
      const seam = SeamCutter.between(crs, crs, {});
      let cut = 0;
      for await (const batch of layer.batches(options)) {
        const made =
          batch.geometry === null || !reachesBeyond(batch.geometry)
            ? null
            : (seam?.cut(batch.geometry, batch.geometry.xy) ?? null);
        if (made === null) {
          yield batch;
          continue;
        }
        cut += made.cut.length;
        yield batch.with({ geometry: made.geometry });
      }
      if (cut === 0) return;
      const note = `${counted(cut, 'feature reaches', 'features reach')} over the antimeridian and ${cut === 1 ? 'was' : 'were'} cut there.`;
      if (account?.notes.includes(note) === false) account.notes.push(note);
    },
  };
}

/** The layer in longitude and latitude on WGS 84, for formats that know nothing else; told in the account. */
export function inWgs84(layer: Layer, format: string, account?: Account): Layer {
  const ready = broughtToWgs84(layer, format, account);
  // TopoJSON says nothing of longitudes beyond: what has been cut would share no borders any more.
  return ready === layer && format !== 'TopoJSON' ? withinAntimeridian(layer, wgs84(), account) : ready;
}

function broughtToWgs84(layer: Layer, format: string, account?: Account): Layer {
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
