import { bufferVerb } from './buffer.ts';
import { clipVerb } from './clip.ts';
import { computeVerb } from './compute.ts';
import type { Verb } from './description.ts';
import { dissolveVerb } from './dissolve.ts';
import { eraseVerb } from './erase.ts';
import { groupVerb } from './group.ts';
import { intersectVerb } from './intersect.ts';
import { joinVerb } from './join.ts';
import { lengthenVerb } from './lengthen.ts';
import { pointsVerb } from './points.ts';
import { repairVerb } from './repair.ts';
import { reprojectVerb } from './reproject.ts';
import { selectVerb } from './select.ts';
import { tallyVerb } from './tally.ts';
import { unitsVerb } from './units.ts';
import { whereVerb } from './where.ts';
import { widenVerb } from './widen.ts';

/** All verbs, in the order in which they are told. A new one is its computation, its description and its line here. */
export const verbs: readonly Verb[] = [
  whereVerb,
  computeVerb,
  joinVerb,
  clipVerb,
  eraseVerb,
  intersectVerb,
  dissolveVerb,
  bufferVerb,
  repairVerb,
  selectVerb,
  unitsVerb,
  groupVerb,
  widenVerb,
  lengthenVerb,
  tallyVerb,
  pointsVerb,
  reprojectVerb,
];

/** The verb of a name; undefined when there is none. */
export function verbNamed(name: string): Verb | undefined {
  return verbs.find((verb) => verb.name === name);
}
