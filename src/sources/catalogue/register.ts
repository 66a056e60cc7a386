import { dcatLister } from './dcat.ts';
import { filesLister } from './files.ts';
import type { Lister } from './lister.ts';
import { recordsLister } from './records.ts';
import {
  featuresLister,
  jsonStatLister,
  ordersLister,
  regionsLister,
  sdmxLister,
  wfsLister,
} from './services.ts';

/** All ways to learn what there is. A new one is one file and one line here. */
export const listers: readonly Lister[] = [
  recordsLister,
  dcatLister,
  featuresLister,
  wfsLister,
  sdmxLister,
  jsonStatLister,
  regionsLister,
  ordersLister,
  filesLister,
  { ...filesLister, kind: 'folder' },
];

/** How a kind of source or catalogue tells what it has; undefined where it does not. */
export function listerOf(kind: string): Lister | undefined {
  return listers.find((lister) => lister.kind === kind);
}
