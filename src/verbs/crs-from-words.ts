import { purposeFromText } from '../core/crs/best-crs.ts';
import type { Crs } from '../core/crs/crs.ts';
import { crsFromText } from '../core/crs/from-text.ts';
import type { BestFor } from './description.ts';

/** `EPSG:32626`, a name, WKT, PROJJSON; or `best`, `best for densities`, `best for distances`. */
export function crsFromWords(text: string): Crs | BestFor {
  const best = purposeFromText(text);
  return best === null ? crsFromText(text) : { best };
}
