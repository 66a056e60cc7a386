import { buildings, refugeHalls, roads, waterways } from '../features.ts';
import { degrees } from '../grid.ts';
import { seeded, seedOf } from '../random.ts';
import { districts, flats, type Point, type Ward } from '../units.ts';
import type { ExtractMember, ExtractObject, ExtractObjects } from './objects.ts';
import { plantTroubles } from './troubles.ts';

const editors = ['ferrywoman', 'karsk_surveyor', 'oldmill', 'tidewatch', 'two_bridges'];

/** Puts an extract together: equal places become one node, ids rise, every object has its editor and time. */
export class ExtractMaker {
  readonly objects: ExtractObjects = { nodes: [], ways: [], relations: [] };
  private readonly places = new Map<string, number>();
  private readonly random = seeded(seedOf('extract'));

  private making(): Pick<ExtractObject, 'version' | 'time' | 'changeset' | 'editorId' | 'editor'> {
    const who = Math.floor(this.random() * editors.length);
    const changeset = 4000 + Math.floor(this.random() * 900);
    return {
      version: 1 + Math.floor(this.random() ** 3 * 6),
      time: Date.UTC(2019, 0, 1) + Math.floor(this.random() * 173_000_000) * 1000,
      changeset,
      editorId: 70 + who,
      editor: editors[who],
    };
  }

  /** The node at a place of the grid; tags make it one of its own. */
  node(point: Point, tags?: Record<string, string>): number {
    const [lon, lat] = degrees(point);
    const key = `${lon} ${lat}`;
    const there = this.places.get(key);
    if (there !== undefined) {
      const node = this.objects.nodes[there - 500_001];
      if (tags !== undefined) node.tags = { ...node.tags, ...tags };
      return there;
    }
    const id = 500_001 + this.objects.nodes.length;
    this.objects.nodes.push({ id, lon, lat, tags, ...this.making() });
    this.places.set(key, id);
    return id;
  }

  way(points: readonly Point[], tags?: Record<string, string>): number {
    return this.wayOf(
      points.map((point) => this.node(point)),
      tags,
    );
  }

  wayOf(nodes: number[], tags?: Record<string, string>): number {
    const id = 80_001 + this.objects.ways.length;
    this.objects.ways.push({ id, nodes, tags, ...this.making() });
    return id;
  }

  relation(tags: Record<string, string>, members: ExtractMember[]): number {
    const id = 7001 + this.objects.relations.length;
    this.objects.relations.push({ id, tags, members, ...this.making() });
    return id;
  }
}

const outer = (id: number): ExtractMember => ({ kind: 'way', id, role: 'outer' });

function addRoads(maker: ExtractMaker): number[] {
  const { shapes, rows } = roads();
  const own = seeded(seedOf('road tags'));
  const surfaces = ['asphalt', 'asphalt', 'gravel', 'ground'];
  return shapes.map(([line], k) => {
    const [, kind, name] = rows[k] as [number, string, string | null];
    const tags: Record<string, string> =
      kind === 'main'
        ? { highway: 'primary', ref: String(name).replace('Route ', 'R'), lanes: '2', maxspeed: '80' }
        : kind === 'district'
          ? { highway: own() < 0.5 ? 'secondary' : 'tertiary', maxspeed: '50' }
          : { highway: ['unclassified', 'residential', 'track'][Math.floor(own() * 3)] };
    tags.surface = surfaces[Math.floor(own() * surfaces.length)];
    if (name !== null) tags.name = name;
    return maker.way(line, tags);
  });
}

function addWaterways(maker: ExtractMaker): void {
  const { shapes, rows } = waterways();
  shapes.forEach(([line], k) => {
    const name = String(rows[k][0]);
    const kind = /Canal/.test(name) ? 'canal' : k === 0 ? 'river' : 'stream';
    // In pieces, as they are drawn; a relation holds them together.
    const pieces: number[] = [];
    for (let at = 0; at + 1 < line.length; at += 16) {
      const piece = line.slice(at, at + 17);
      // Every other one was drawn the other way round.
      pieces.push(
        maker.way(pieces.length % 2 === 1 ? [...piece].reverse() : piece, { waterway: kind, name }),
      );
    }
    maker.relation(
      { type: 'waterway', waterway: kind, name },
      pieces.map((id) => ({ kind: 'way', id, role: 'main_stream' })),
    );
    // Footbridges across the Omber.
    if (k === 0)
      line
        .filter((_, n) => n % 5 === 2)
        .forEach(([x, y], n) => {
          maker.way(
            [
              [x - 6, y - 18],
              [x + 6, y + 18],
            ],
            {
              highway: 'footway',
              bridge: 'yes',
              width: `${(0.9 + (n % 4) * 0.3).toFixed(1)} m`,
              ref: `F${n + 1}`,
            },
          );
        });
  });
}

const uses: Record<string, string[]> = {
  house: ['house', 'house', 'yes', 'residential', 'detached'],
  barn: ['barn', 'farm_auxiliary'],
  works: ['industrial', 'warehouse', 'retail'],
};

/** Houses of the flats alone; yards make relations of two ways. */
function addBuildings(maker: ExtractMaker): void {
  const { shapes, rows } = buildings();
  const own = seeded(seedOf('building tags'));
  const near = (point: Point) =>
    flats.some((ward) => Math.hypot(ward.centre[0] - point[0], ward.centre[1] - point[1]) < 1800);
  shapes.forEach((rings, k) => {
    const [shell, yard] = rings;
    if (!near(shell[0]) || k % 3 === 0) return;
    const [, use, floors] = rows[k] as [number, string, number];
    const kinds = uses[use];
    const tags: Record<string, string> = { building: kinds[Math.floor(own() * kinds.length)] };
    if (own() < 0.5) tags['building:levels'] = String(floors);
    if (own() < 0.3) tags['addr:housenumber'] = String(1 + Math.floor(own() * 60));
    if (own() < 0.05) tags.height = `${(3 * floors + 1.5).toFixed(1)} m`;
    const ring = maker.way(shell, yard === undefined ? tags : undefined);
    if (yard !== undefined)
      maker.relation({ type: 'multipolygon', ...tags }, [
        outer(ring),
        { kind: 'way', id: maker.way(yard), role: 'inner' },
      ]);
  });
}

/** Borders of wards as ways that neighbours share, cut where three meet; wards and districts are relations of them. */
function addBoundaries(maker: ExtractMaker): void {
  const uses = new Map<string, Set<string>>();
  const keyOf = ([x, y]: Point) => `${x} ${y}`;
  const edgeKey = (a: Point, b: Point) => [keyOf(a), keyOf(b)].sort().join('/');
  for (const ward of flats)
    ward.ring.slice(0, -1).forEach((point, k) => {
      const edge = edgeKey(point, ward.ring[k + 1]);
      uses.set(edge, (uses.get(edge) ?? new Set()).add(ward.code));
    });
  const district = new Map(flats.map((ward) => [ward.code, ward.district]));
  const owners = (a: Point, b: Point) => [...uses.get(edgeKey(a, b))!].sort().join(' ');
  const ways = new Map<string, number>();
  const members = new Map<string, Set<number>>();
  const put = (unit: string, way: number) => members.set(unit, (members.get(unit) ?? new Set()).add(way));
  for (const ward of flats) {
    const n = ward.ring.length - 1;
    // Begin where the neighbour changes.
    const changes = (k: number) =>
      owners(ward.ring[k], ward.ring[k + 1]) !== owners(ward.ring[(k + n - 1) % n], ward.ring[k]);
    const first = Math.max(
      0,
      ward.ring.slice(0, n).findIndex((_, k) => changes(k)),
    );
    let piece: Point[] = [];
    for (let step = 0; step < n; step++) {
      const k = (first + step) % n;
      piece.push(ward.ring[k]);
      const last = step === n - 1 || changes((k + 1) % n);
      if (!last) continue;
      piece.push(ward.ring[(k + 1) % n]);
      const ends = [keyOf(piece[0]), keyOf(piece[piece.length - 1])].sort().join('/');
      const whose = owners(piece[0], piece[1]);
      const key = `${ends} ${whose}`;
      let way = ways.get(key);
      if (way === undefined) {
        way = maker.way(piece, { boundary: 'administrative', admin_level: whose.includes(' ') ? '8' : '6' });
        ways.set(key, way);
      }
      put(ward.code, way);
      const sides = new Set(whose.split(' ').map((code) => district.get(code)!));
      if (!whose.includes(' ') || sides.size > 1) put(ward.district, way);
      piece = [];
    }
  }
  const order = seeded(seedOf('members'));
  const shuffled = (ids: Iterable<number>) =>
    [...ids]
      .map((id) => [order(), id] as const)
      .sort((a, b) => a[0] - b[0])
      .map(([, id]) => outer(id));
  const relationOf = (code: string, name: string, level: string, more: ExtractMember[] = []) =>
    maker.relation({ type: 'boundary', boundary: 'administrative', admin_level: level, name, ref: code }, [
      ...shuffled(members.get(code)!),
      ...more,
    ]);
  for (const ward of flats) relationOf(ward.code, ward.name, '8');
  for (const { code, name } of districts.filter((each) => ['T204', 'T205'].includes(each.code)))
    relationOf(code, name, '6');
}

/** A wobbly ring around a place. */
export function ringAround([x, y]: Point, reach: number, seed: string, corners = 18): Point[] {
  const own = seeded(seedOf('ring', seed));
  const ring = Array.from({ length: corners }, (_, k): Point => {
    const angle = (2 * Math.PI * k) / corners;
    const r = reach * (0.8 + 0.4 * own());
    return [Math.round(x + r * Math.cos(angle)), Math.round(y + r * Math.sin(angle))];
  });
  return [...ring, ring[0]];
}

/** A relation whose outer ring is two ways, with a hole. */
function addWood(maker: ExtractMaker, ward: Ward, tags: Record<string, string>): void {
  const [x, y] = ward.centre;
  const ring = ringAround([x + 1300, y + 1200], 700, ward.code);
  const half = Math.floor(ring.length / 2);
  const pond = ringAround([x + 1300, y + 1200], 160, `${ward.code} pond`, 9);
  maker.relation({ type: 'multipolygon', ...tags }, [
    outer(maker.way(ring.slice(0, half + 1))),
    { kind: 'way', id: maker.way(pond, { natural: 'water', name: `${ward.name} Pond` }), role: 'inner' },
    outer(maker.way(ring.slice(half).reverse())),
  ]);
}

const kinds = ['village', 'village', 'hamlet', 'town'] as const;

function addPlaces(maker: ExtractMaker): void {
  const own = seeded(seedOf('places'));
  flats.forEach((ward, k) => {
    const [x, y] = ward.centre;
    const kind = kinds[Math.floor(own() * kinds.length)];
    const population = { town: 3000, village: 400, hamlet: 40 }[kind] * (0.6 + own());
    maker.node([x, y + 25], {
      place: kind,
      name: ward.name,
      population:
        kind === 'town' ? Math.round(population).toLocaleString('en') : String(Math.round(population)),
    });
    maker.node([x + 60, y - 40], {
      highway: 'bus_stop',
      name: `${ward.name} Square`,
      shelter: k % 3 === 0 ? 'yes' : 'no',
    });
    if (k % 2 === 0)
      maker.node([x - 80, y + 90], {
        shop: k % 4 === 0 ? 'convenience' : 'bakery',
        name: `${ward.name} Stores`,
      });
    if (k % 3 === 0)
      maker.way(ringAround([x + 300, y - 250], 70, `${ward.code} school`, 6), {
        amenity: 'school',
        name: `${ward.name} School`,
      });
    if (k % 4 === 1) addWood(maker, ward, k % 8 === 1 ? { landuse: 'forest' } : { natural: 'wood' });
    for (let n = 0; n < 3; n++)
      maker.way(ringAround([x - 900 + 700 * n, y - 1300], 300, `${ward.code} field ${n}`, 7), {
        landuse: ['farmland', 'meadow', 'orchard'][(k + n) % 3],
      });
    // What the shipped scheme does not know.
    maker.node([x + 140, y + 120], { flood_mark: 'yes', height: `${(0.2 + 1.8 * own()).toFixed(2)}` });
    if (k % 5 === 0) maker.node([x - 200, y - 60], { gauge_post: 'staff', ref: `G${k + 1}` });
  });
}

function addHalls(maker: ExtractMaker): void {
  const { shapes, rows } = refugeHalls();
  shapes.forEach(([[point]], k) => {
    const [name, places] = rows[k] as [string, number];
    const tags = { emergency: 'assembly_point', amenity: 'shelter', name, capacity: String(places) };
    // Some were drawn as buildings, some are a point.
    if (k % 2 === 0) maker.node(point, tags);
    else maker.way(ringAround(point, 14, name, 5), { building: 'public', ...tags });
  });
}

/** Dykes along the Little Omber, a railway with stations, fences. */
function addLines(maker: ExtractMaker): void {
  const [, little] = waterways().shapes;
  for (const side of [-60, 60])
    maker.way(
      little[0].map(([x, y]): Point => [x + side / 3, y + side]),
      { man_made: 'dyke', name: side < 0 ? 'South Dyke' : 'North Dyke' },
    );
  const stops = flats.filter((ward) => ward.row === 8).sort((a, b) => a.column - b.column);
  const rail = maker.way(
    stops.map((ward): Point => [ward.centre[0] - 150, ward.centre[1] - 420]),
    { railway: 'rail', gauge: '1067', name: 'Flats Railway' },
  );
  stops.forEach((ward, k) => {
    if (k % 2 === 0)
      maker.node([ward.centre[0] - 150, ward.centre[1] - 420], {
        railway: 'halt',
        name: `${ward.name} Halt`,
      });
  });
  maker.relation({ type: 'route', route: 'train', name: 'Flats Railway', ref: 'FR' }, [
    { kind: 'way', id: rail, role: '' },
  ]);
  for (const ward of flats.slice(0, 12)) {
    const [x, y] = ward.centre;
    maker.way(ringAround([x + 500, y + 420], 120, `${ward.code} paddock`, 8), { barrier: 'fence' });
  }
}

/** The map extract of the Ombrey Flats, as volunteers drew it; its troubles are planted at the end. */
export function ombreyExtract(): ExtractObjects {
  const maker = new ExtractMaker();
  const roadIds = addRoads(maker);
  addWaterways(maker);
  addBuildings(maker);
  addBoundaries(maker);
  addPlaces(maker);
  addHalls(maker);
  addLines(maker);
  plantTroubles(maker, roadIds);
  return maker.objects;
}
