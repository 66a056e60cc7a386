import { counted, grouped } from '../../../core/account.ts';
import { Kind } from '../../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../../core/geometry/geometry-maker.ts';
import {
  type Chain,
  fillRings,
  type JoinedRing,
  joinRings,
  ringDepths,
} from '../../../core/geometry/ring-joining.ts';
import { objectName, type RelationBlock } from '../reading/primitives.ts';
import { rolesBesideArea, rolesBesideLine } from '../tags/conventions.ts';
import type { FoundTroubles } from './found.ts';
import type { HeldWays } from './held-ways.ts';

/** A way as a member of a relation. */
export interface WayMember {
  id: number;
  role: string;
  /** Its number among the held ways; −1 when it is not in the extract. */
  held: number;
  /** True when it is listed more than once. */
  twice: boolean;
}

/** Members of a relation that take part in its shape, each once. */
export function shapeMembers(
  block: RelationBlock,
  i: number,
  shape: 'area' | 'line',
  ways: HeldWays,
): WayMember[] {
  const beside = shape === 'area' ? rolesBesideArea : rolesBesideLine;
  const members: WayMember[] = [];
  const seen = new Map<number, WayMember>();
  for (let m = block.memberStart[i]; m < block.memberStart[i + 1]; m++) {
    if (block.memberKind[m] !== 1) continue;
    const role = block.texts.text(block.memberRole[m]);
    if (beside.has(role)) continue;
    const id = block.memberId[m];
    const listed = seen.get(id);
    if (shape === 'area' && listed !== undefined) {
      listed.twice = true;
      continue;
    }
    const member = { id, role, held: ways.number(id), twice: false };
    seen.set(id, member);
    members.push(member);
  }
  return members;
}

/** Ways as chains; one with missing nodes falls into stretches, whose ends then stay open. */
function chainsOf(
  members: readonly WayMember[],
  ways: HeldWays,
): { chains: Chain[]; of: number[]; missing: number } {
  const chains: Chain[] = [];
  const of: number[] = [];
  let missing = 0;
  members.forEach((member, m) => {
    if (member.held < 0) return;
    const { nodes, xy } = ways.way(member.held);
    let from = 0;
    for (let k = 0; k <= nodes.length; k++) {
      if (k < nodes.length && !Number.isNaN(xy[2 * k])) continue;
      if (k < nodes.length) missing++;
      if (k - from >= 2) {
        chains.push({ nodes: nodes.subarray(from, k), xy: xy.subarray(2 * from, 2 * k) });
        of.push(m);
      }
      from = k + 1;
    }
  });
  return { chains, of, missing };
}

const some = (names: readonly string[]) =>
  names.length <= 5
    ? names.join(', ')
    : `${names.slice(0, 5).join(', ')} and ${grouped(names.length - 5)} more`;

/** `3 of its 12 ways are not in the extract (way/1, way/2, way/3)` */
function absentWords(absent: readonly string[], all: number): string {
  const of = all === 1 ? 'Its only way' : `${grouped(absent.length)} of its ${grouped(all)} ways`;
  return `${of} ${absent.length === 1 ? 'is' : 'are'} not in the extract (${some(absent)})`;
}

/**
 * Writes the area of a multipolygon or boundary relation: rings from its ways in any order and direction, holes placed
 * by where they lie. Roles are held against it. Of a relation that is not complete, the rings that close are kept.
 *
 * @returns the number of polygons; 0 when nothing was written
 */
export function writeRelationArea(
  id: number,
  members: readonly WayMember[],
  ways: HeldWays,
  builder: GeometryMaker,
  troubles: FoundTroubles,
): number {
  const name = objectName(2, id);
  const absent = members.filter((member) => member.held < 0).map((member) => objectName(1, member.id));
  const twice = members.filter((member) => member.twice).length;
  if (twice > 0)
    troubles.add(
      'member-twice',
      'warning',
      name,
      `${counted(twice, 'way is', 'ways are')} listed more than once; once was taken.`,
    );
  const { chains, of, missing } = chainsOf(members, ways);
  const { rings, open } = joinRings(chains);
  const whole = absent.length === 0 && open.length === 0;
  const roleOf = (ring: JoinedRing) => ring.chains.map((chain) => members[of[chain]].role);
  // Without its shell, the yard of a house would become a house.
  const usable = whole ? rings : rings.filter((ring) => roleOf(ring).some((role) => role !== 'inner'));
  const mark = builder.mark();
  const { polygons, crossings } =
    usable.length === 0 ? { polygons: 0, crossings: 0 } : fillRings(usable, builder);
  if (polygons === 0) builder.back(mark);
  const kept =
    polygons > 0
      ? `${counted(usable.length, 'ring that closes was', 'rings that close were')} kept`
      : 'it was left out';
  if (absent.length > 0 || missing > 0) {
    const what =
      absent.length > 0
        ? absentWords(absent, members.length)
        : `${counted(missing, 'node of its ways is', 'nodes of its ways are')} not in the extract`;
    troubles.add('relation-incomplete', 'error', name, `${what}; ${kept}.`, openPlace(open));
  } else if (open.length > 0) {
    const end = open[0];
    troubles.add(
      'ring-open',
      'error',
      name,
      `Its border is open at ${counted(open.length, 'end', 'ends')}, the first at node/${end.node} of ${objectName(1, members[of[end.chain]].id)}; ${kept}.`,
      openPlace(open),
    );
  } else if (polygons === 0) {
    troubles.add('relation-empty', 'warning', name, 'Its ways enclose no area; it was left out.');
  }
  if (crossings > 0)
    troubles.add(
      'rings-cross',
      'error',
      name,
      `Its rings cross each other or themselves at ${counted(crossings, 'place', 'places')} where they have no node; what they cover an odd number of times was taken.`,
    );
  if (whole && crossings === 0) checkRoles(name, usable, members, of, troubles);
  return polygons;
}

function openPlace(open: readonly { x: number; y: number }[]): [number, number] | undefined {
  return open.length === 0 ? undefined : [open[0].x, open[0].y];
}

/** Holds what the ways are called against where their rings lie. */
function checkRoles(
  name: string,
  rings: readonly JoinedRing[],
  members: readonly WayMember[],
  of: readonly number[],
  troubles: FoundTroubles,
): void {
  const depths = ringDepths(rings);
  if (depths === null) return;
  const wrong: string[] = [];
  rings.forEach((ring, r) => {
    const lies = depths[r] % 2 === 0 ? 'outer' : 'inner';
    for (const chain of new Set(ring.chains)) {
      const { id, role } = members[of[chain]];
      if ((role === 'outer' || role === 'inner') && role !== lies)
        wrong.push(`${objectName(1, id)} as ${role}`);
    }
  });
  if (wrong.length > 0)
    troubles.add(
      'role-wrong',
      'warning',
      name,
      `Ways are listed in another role than they have: ${some(wrong)}. Where they lie was taken.`,
    );
}

/** Writes the line of a route or waterway relation: ways in their order, joined where the next goes on. */
export function writeRelationLine(
  id: number,
  members: readonly WayMember[],
  ways: HeldWays,
  builder: GeometryMaker,
  troubles: FoundTroubles,
): number {
  const absent = members.filter((member) => member.held < 0).map((member) => objectName(1, member.id));
  const { chains } = chainsOf(members, ways);
  if (absent.length > 0)
    troubles.add(
      'relation-incomplete',
      'warning',
      objectName(2, id),
      `${absentWords(absent, members.length)}; the others were kept.`,
    );
  if (chains.length === 0) return 0;
  const paths = pathsOf(chains);
  builder.feature(paths.length === 1 ? Kind.LineString : Kind.MultiLineString);
  for (const path of paths) {
    builder.part();
    builder.ring();
    for (let k = 0; k < path.length; k += 2) builder.vertex(path[k], path[k + 1]);
  }
  return paths.length;
}

/** Chains that go on in one another, as they are listed. */
function pathsOf(chains: readonly Chain[]): number[][] {
  const paths: number[][] = [];
  let path: number[] = [];
  let start = Number.NaN;
  let end = Number.NaN;
  let links = 0;
  const put = (chain: Chain, backwards: boolean, skip: boolean) => {
    const n = chain.nodes.length;
    for (let k = skip ? 1 : 0; k < n; k++) {
      const from = backwards ? n - 1 - k : k;
      path.push(chain.xy[2 * from], chain.xy[2 * from + 1]);
    }
    end = backwards ? chain.nodes[0] : chain.nodes[n - 1];
    links++;
  };
  for (const chain of chains) {
    const a = chain.nodes[0];
    const b = chain.nodes[chain.nodes.length - 1];
    if (links === 1 && end !== a && end !== b && (start === a || start === b)) {
      // The first one ran against the way in which the list goes on.
      const pairs: number[] = [];
      for (let k = path.length - 2; k >= 0; k -= 2) pairs.push(path[k], path[k + 1]);
      path = pairs;
      [start, end] = [end, start];
      paths[paths.length - 1] = path;
    }
    if (links > 0 && end === a) put(chain, false, true);
    else if (links > 0 && end === b) put(chain, true, true);
    else {
      path = [];
      paths.push(path);
      links = 0;
      start = a;
      put(chain, false, false);
    }
  }
  return paths;
}
