import { isSilent } from '../tags/conventions.ts';
import { TagList } from '../tags/tag-list.ts';
import type { HeldWays } from './held-ways.ts';
import type { WayMember } from './relation-shape.ts';

/** Does a relation say what it is, beside its type? */
export function speaksBesideType(tags: TagList): boolean {
  for (const [key] of tags.pairs()) if (key !== 'type' && !isSilent(key)) return true;
  return false;
}

/** Number of the outer way whose tags say what the area is; of several the first. Null when none does. */
export function lenderOf(members: readonly WayMember[], ways: HeldWays): number | null {
  const list = new TagList();
  for (const { held, role } of members) {
    if (held < 0 || role === 'inner') continue;
    if (ways.tagsOf(held, list).speaks) return held;
  }
  return null;
}

/** Outer ways that say nothing that their relation does not say: they are parts of it, and no features. */
export function usedUp(members: readonly WayMember[], ways: HeldWays, relation: TagList): number[] {
  const said = new Map(relation.pairs());
  const list = new TagList();
  const used: number[] = [];
  for (const { held, role } of members) {
    if (held < 0 || role === 'inner') continue;
    ways.tagsOf(held, list);
    if (!list.speaks || !list.makesArea) continue;
    if ([...list.pairs()].every(([key, value]) => said.get(key) === value)) used.push(held);
  }
  return used;
}
