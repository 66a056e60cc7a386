import { alongVerb } from './along.ts';
import { antimeridianVerb } from './antimeridian.ts';
import { bordersVerb } from './borders.ts';
import { bufferVerb } from './buffer.ts';
import { bundleVerb } from './bundle.ts';
import { carryVerb } from './carry.ts';
import { cellsVerb } from './cells.ts';
import { classifyVerb } from './classify.ts';
import { clipVerb } from './clip.ts';
import { compareVerb } from './compare.ts';
import { computeVerb } from './compute.ts';
import { connectVerb } from './connect.ts';
import { crosswalkVerb } from './crosswalk.ts';
import { densifyVerb } from './densify.ts';
import type { Verb } from './description.ts';
import { dissolveVerb } from './dissolve.ts';
import { encloseVerb } from './enclose.ts';
import { eraseVerb } from './erase.ts';
import { flattenVerb } from './flatten.ts';
import { groupVerb } from './group.ts';
import { intersectVerb } from './intersect.ts';
import { joinVerb } from './join.ts';
import { lengthenVerb } from './lengthen.ts';
import { measureVerb } from './measure.ts';
import { mergeVerb } from './merge.ts';
import { meshVerb } from './mesh.ts';
import { motionVerb } from './motion.ts';
import { nearestVerb } from './nearest.ts';
import { partsVerb } from './parts.ts';
import { patchVerb } from './patch.ts';
import { pointsVerb } from './points.ts';
import { polygonsVerb } from './polygons.ts';
import { repairVerb } from './repair.ts';
import { reprojectVerb } from './reproject.ts';
import { roundVerb } from './round.ts';
import { selectVerb } from './select.ts';
import { simplifyVerb } from './simplify.ts';
import { smoothVerb } from './smooth.ts';
import { snapVerb } from './snap.ts';
import { splitVerb } from './split.ts';
import { summariseVerb } from './summarise.ts';
import { tallyVerb } from './tally.ts';
import { tidyVerb } from './tidy.ts';
import { trianglesVerb } from './triangles.ts';
import { unitsVerb } from './units.ts';
import { whereVerb } from './where.ts';
import { widenVerb } from './widen.ts';
import { withinVerb } from './within.ts';

/** All verbs, in the order in which they are told. A new one is its computation, its description and its line here. */
export const verbs: readonly Verb[] = [
  whereVerb,
  computeVerb,
  classifyVerb,
  joinVerb,
  clipVerb,
  eraseVerb,
  intersectVerb,
  patchVerb,
  flattenVerb,
  splitVerb,
  dissolveVerb,
  bundleVerb,
  partsVerb,
  mergeVerb,
  bufferVerb,
  simplifyVerb,
  smoothVerb,
  densifyVerb,
  snapVerb,
  tidyVerb,
  roundVerb,
  repairVerb,
  measureVerb,
  nearestVerb,
  motionVerb,
  alongVerb,
  compareVerb,
  selectVerb,
  unitsVerb,
  groupVerb,
  widenVerb,
  lengthenVerb,
  tallyVerb,
  withinVerb,
  summariseVerb,
  crosswalkVerb,
  carryVerb,
  pointsVerb,
  encloseVerb,
  bordersVerb,
  polygonsVerb,
  connectVerb,
  cellsVerb,
  trianglesVerb,
  meshVerb,
  antimeridianVerb,
  reprojectVerb,
];

/** The verb of a name; undefined when there is none. */
export function verbNamed(name: string): Verb | undefined {
  return verbs.find((verb) => verb.name === name);
}
