import { grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { spellingDistance } from '../../nearest.ts';

/** Names of one side that are held against all of the other that are like them; more take too long. */
export const mostNames = 20_000;

/** A key that found nothing, and the one of the other side that is spelt nearest. */
export interface NearName {
  own: string;
  other: string;
  /** Letters that differ. */
  distance: number;
}

const between = '\u001f';

/** What stands before the first part's end, and the rest: the rest must be equal, as the unit above a name. */
function parted(key: string): { name: string; guard: string } {
  const at = key.indexOf(between);
  return at < 0 ? { name: key, guard: '' } : { name: key.slice(0, at), guard: key.slice(at) };
}

/** Spelt as in other languages: ae for ä, oe for ö, ue for ü; letters that sound alike. */
const sounded = (name: string) =>
  name
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/([aou])e/g, '$1')
    .replace(/ph/g, 'f')
    .replace(/[^\p{L}\p{N}]+/gu, '');

/** Letters in which names may differ: fewer where nothing but the name speaks for them. */
const slips = (length: number, guarded: boolean) => Math.max(1, Math.floor(length / (guarded ? 3 : 6)));

interface Named {
  key: string;
  sound: string;
}

/** Names of one side by what is equal besides them, and by their first and their last letter: near names share one of both. */
function blocksOf(keys: readonly string[]): Map<string, Named[]> {
  const blocks = new Map<string, Named[]>();
  for (const key of keys) {
    const { name, guard } = parted(key);
    const sound = sounded(name);
    if (sound.length < 3) continue;
    for (const block of blockNames(sound, guard)) {
      const known = blocks.get(block);
      if (known === undefined) blocks.set(block, [{ key, sound }]);
      else known.push({ key, sound });
    }
  }
  return blocks;
}

const blockNames = (sound: string, guard: string): string[] =>
  guard === '' ? [`^${sound[0]}`, `$${sound[sound.length - 1]}`] : [guard];

/** The nearest of some names; null where none is near enough or two are as near. */
function nearestOf(
  sound: string,
  guard: string,
  blocks: ReadonlyMap<string, readonly Named[]>,
): NearName | null {
  let best = null as NearName | null;
  let second = Number.POSITIVE_INFINITY;
  const most = slips(sound.length, guard !== '');
  for (const block of blockNames(sound, guard))
    for (const other of blocks.get(block) ?? []) {
      if (Math.abs(other.sound.length - sound.length) > most || other.key === best?.other) continue;
      const distance = spellingDistance(sound, other.sound);
      if (distance > most) continue;
      if (best === null || distance < best.distance) {
        second = best?.distance ?? second;
        best = { own: '', other: other.key, distance };
      } else second = Math.min(second, distance);
    }
  return best === null || second <= best.distance ? null : best;
}

/**
 * Pairs keys of two sides that found nothing, by how their names are spelt: each is the nearest of the other, and no second one is as
 * near. Of keys of several parts the first is the name; all others must be equal, which allows for more slips: and for half of the
 * letters where a name is the only one left on both sides beside the same others.
 */
export function nearNames(lonely: readonly string[], over: readonly string[]): NearName[] {
  if (Math.max(lonely.length, over.length) > mostNames)
    throw new IsomericError(
      'near-names-many',
      `${grouped(lonely.length)} names and ${grouped(over.length)} found nothing: near names are looked for among ${grouped(mostNames)} at most.`,
      { blame: 'usage', advice: 'Filter both sides first, or take away what is around the names.' },
    );
  const [own, other] = [blocksOf(lonely), blocksOf(over)];
  const found: NearName[] = [];
  for (const key of lonely) {
    const { name, guard } = parted(key);
    const sound = sounded(name);
    if (sound.length < 3) continue;
    const near = nearestOf(sound, guard, other);
    if (near === null) continue;
    const back = parted(near.other);
    if (nearestOf(sounded(back.name), back.guard, own)?.other === key) found.push({ ...near, own: key });
  }
  return [...found, ...lastOnes(lonely, over, found)];
}

/** Names that are the only ones left on both sides beside the same others, and share half of their letters. */
function lastOnes(
  lonely: readonly string[],
  over: readonly string[],
  found: readonly NearName[],
): NearName[] {
  const taken = new Set(found.flatMap(({ own, other }) => [`<${own}`, `>${other}`]));
  const left = (keys: readonly string[], side: string) => {
    const byGuard = new Map<string, string[]>();
    for (const key of keys) {
      const { guard } = parted(key);
      if (guard === '' || taken.has(side + key)) continue;
      const known = byGuard.get(guard);
      if (known === undefined) byGuard.set(guard, [key]);
      else known.push(key);
    }
    return byGuard;
  };
  const others = left(over, '>');
  return [...left(lonely, '<')].flatMap(([guard, [own, ...more]]) => {
    const [other, ...rest] = others.get(guard) ?? [];
    if (other === undefined || more.length + rest.length > 0) return [];
    const [a, b] = [sounded(parted(own).name), sounded(parted(other).name)];
    const distance = spellingDistance(a, b);
    return distance <= Math.max(a.length, b.length) / 2 ? [{ own, other, distance }] : [];
  });
}
