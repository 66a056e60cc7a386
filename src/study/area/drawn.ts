import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import { dimensionOf, type GeometryArray } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { sourceFromBytes } from '../../formats/bytes/byte-source.ts';
import { openGeojson } from '../../formats/geojson/read.ts';
import { looksLikeWkt, readWktText, sridOf } from '../../formats/geometry/wkt.ts';

/** Polygons that somebody drew. */
export interface Drawn {
  geometry: GeometryArray;
  /** Null where they do not say it. */
  crs: Crs | null;
  words: string;
}

const noArea = (what: string) =>
  new IsomericError('area-empty', `${what} holds no polygon.`, {
    advice: 'An area is drawn as a polygon.',
    blame: 'usage',
  });

/** Polygons that stand in a text (WKT or GeoJSON); null where it is neither: then it names a file. */
export async function drawnText(text: string): Promise<Drawn | null> {
  if (text.trimStart().startsWith('{')) {
    const bytes = new TextEncoder().encode(text);
    const layers = await openGeojson(sourceFromBytes(bytes, 'the drawn polygon'));
    const arrays: GeometryArray[] = [];
    for (const layer of layers) arrays.push(await areasOf(layer));
    const filled = arrays.filter((array) => array.length > 0);
    if (filled.length === 0) throw noArea('The GeoJSON');
    const maker = new GeometryMaker();
    for (const array of filled) for (let i = 0; i < array.length; i++) maker.copy(array, i);
    return { geometry: maker.finish(), crs: layers[0].crs, words: 'the drawn polygon' };
  }
  if (!looksLikeWkt(text)) return null;
  const maker = new GeometryMaker();
  readWktText(text, maker, 'the drawn polygon');
  const geometry = maker.finish();
  if (!geometry.kind.some((kind) => dimensionOf(kind) >= 2)) throw noArea('The WKT');
  const srid = sridOf(text);
  return { geometry, crs: srid === null ? null : crsFromText(`EPSG:${srid}`), words: 'the drawn polygon' };
}

/** The areas among the features of a layer. */
async function areasOf(layer: Layer): Promise<GeometryArray> {
  const maker = new GeometryMaker();
  for await (const batch of layer.batches())
    for (let i = 0; i < batch.length; i++)
      if (dimensionOf(batch.geometry!.kind[i]) >= 2) maker.copy(batch.geometry!, i);
  return maker.finish();
}

/** The areas that somebody drew into a file. */
export async function drawnLayer(layer: Layer, path: string): Promise<Drawn> {
  const geometry = await areasOf(layer);
  if (geometry.length === 0) throw noArea(path);
  return { geometry, crs: layer.crs, words: `the polygon in ${path}` };
}
