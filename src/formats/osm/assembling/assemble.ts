import { Kind } from '../../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../../core/geometry/geometry-maker.ts';
import { Growing } from '../../../core/growing.ts';
import { SpillingScratch } from '../../bytes/spilling-scratch.ts';
import {
  type AssemblyCounts,
  type AssemblyOptions,
  blankCounts,
  type Feature,
  type Router,
  type ShapeNumber,
} from '../classes/feature-router.ts';
import {
  type MapExtract,
  type NodeBlock,
  type ObjectInfo,
  objectName,
  type RelationBlock,
  type Texts,
  type WayBlock,
} from '../reading/primitives.ts';
import { onlyAreas, shapedRelations } from '../tags/conventions.ts';
import { TagList } from '../tags/tag-list.ts';
import { FoundTroubles } from './found.ts';
import { HeldWays } from './held-ways.ts';
import { NodeStore } from './node-store.ts';
import { lenderOf, speaksBesideType, usedUp } from './outer-ways.ts';
import { shapeMembers, writeRelationArea, writeRelationLine } from './relation-shape.ts';
import { meetsBox, putOwnPlaces, writeArea, writeLine } from './shaping.ts';

/** A builder without anything in it. */
const nothing = { features: 0, parts: 0, rings: 0, vertices: 0 };

/** Bytes of ways that wait in memory for their relations. */
const heldMost = 64 * 2 ** 20;
/** References that are looked up together when positions are outside memory. */
const refsTogether = 4_000_000;

/** Where it is told who made an object, and when. */
type Making = Pick<NodeBlock, 'info' | 'texts'>;

/** Ways of a block that become something: their numbers, shapes, places, and where their nodes begin. */
interface WantedWays<P> {
  ways: number[];
  shapes: ShapeNumber[];
  places: (P | null)[];
  at: number[];
}

interface ShapedRelation {
  block: RelationBlock;
  i: number;
  shape: 'area' | 'line';
}

/** Goes through an extract twice, relations first, and hands every feature that is wanted to the router, whole. */
export async function assemble<P>(
  extract: MapExtract,
  router: Router<P>,
  options: AssemblyOptions = {},
): Promise<{ counts: AssemblyCounts; troubles: FoundTroubles }> {
  const assembly = new Assembly(router, options);
  await assembly.run(extract);
  return { counts: assembly.counts, troubles: assembly.troubles };
}

class Assembly<P> {
  readonly counts = blankCounts();
  readonly troubles = new FoundTroubles();
  private readonly router: Router<P>;
  private readonly options: AssemblyOptions;
  private readonly tags = new TagList();
  private readonly nodes: NodeStore;
  private held!: HeldWays;
  private readonly relations: ShapedRelation[] = [];
  private readonly geometry = new GeometryMaker();
  private readonly feature: Feature;
  /** Blocks of ways that wait until enough references have come. */
  private waiting: WayBlock[] = [];
  private waitingRefs = 0;
  private readonly editors: boolean;

  constructor(router: Router<P>, options: AssemblyOptions) {
    this.router = router;
    this.options = options;
    this.editors = options.editors === true;
    this.nodes = new NodeStore(options.scratch ?? null, options.nodeMemory);
    this.feature = {
      object: 0,
      id: 0,
      shape: 0,
      tags: this.tags,
      info: undefined as unknown as ObjectInfo,
      infoTexts: undefined as unknown as Texts,
      at: 0,
      geometry: this.geometry,
    };
  }

  async run(extract: MapExtract): Promise<void> {
    const [points, lines, areas] = this.router.shapes;
    const shapes = lines || areas;
    const wayIds = new Growing(new Float64Array(64));
    if (shapes)
      for await (const block of extract.blocks({ nodes: false, ways: false, relations: true }))
        if (block.kind === 2) this.planRelations(block, wayIds);
    const scratch = new SpillingScratch(this.options.scratch ?? null, heldMost);
    this.held = new HeldWays(wayIds.view(), scratch);
    // In extracts of another order, ways wait for the last node.
    const inOrder = !shapes || (await extract.nodesFirst());
    const late: WayBlock[] = [];
    for await (const block of extract.blocks({ nodes: points || shapes, ways: shapes, relations: false })) {
      if (block.kind === 0) this.takeNodes(block, points, shapes);
      else if (block.kind === 1 && inOrder) this.takeWays(block);
      else if (block.kind === 1) late.push(block);
    }
    for (const block of late) this.takeWays(block);
    this.finishWays();
    this.takeRelations();
    this.takeHeld();
  }

  private planRelations(block: RelationBlock, wayIds: Growing<Float64Array>): void {
    this.counts.relations += block.length;
    for (let i = 0; i < block.length; i++) {
      const tags = this.tags.of(block.texts, block.tags).at(block.tagStart[i], block.tagStart[i + 1]);
      const type = tags.get('type') ?? '';
      const shape = Object.hasOwn(shapedRelations, type) ? shapedRelations[type] : null;
      if (shape === null) {
        this.counts.shapeless++;
        continue;
      }
      if (!this.router.shapes[shape === 'area' ? 2 : 1]) {
        this.counts.unwanted++;
        continue;
      }
      this.relations.push({ block, i, shape });
      for (let m = block.memberStart[i]; m < block.memberStart[i + 1]; m++)
        if (block.memberKind[m] === 1) wayIds.push(block.memberId[m]);
    }
  }

  private takeNodes(block: NodeBlock, points: boolean, store: boolean): void {
    this.counts.nodes += block.length;
    if (store) this.nodes.add(block);
    if (!points) return;
    const { tagStart, lon, lat, unit } = block;
    if (tagStart[block.length] === 0) {
      this.counts.withoutTags += block.length;
      return;
    }
    this.tags.of(block.texts, block.tags);
    for (let i = 0; i < block.length; i++) {
      if (tagStart[i] === tagStart[i + 1] || !this.tags.at(tagStart[i], tagStart[i + 1]).speaks) {
        this.counts.withoutTags++;
        continue;
      }
      const place = this.router.route(this.tags, 0, 0);
      if (place === null) {
        this.counts.unwanted++;
        continue;
      }
      const x = lon[i] / unit;
      const y = lat[i] / unit;
      if (Number.isNaN(x) || Number.isNaN(y)) {
        this.counts.broken++;
        this.troubles.add(
          'node-without-place',
          'error',
          objectName(0, block.ids[i]),
          'It has no position; it was left out.',
        );
        continue;
      }
      this.geometry.feature(Kind.Point);
      this.geometry.part();
      this.geometry.ring();
      this.geometry.vertex(x, y);
      this.hand(place, 0, block.ids[i], 0, block, i);
    }
  }

  /** Hands the feature in the builder on, unless it lies outside the wanted box. */
  private hand(place: P, object: number, id: number, shape: ShapeNumber, made: Making, at: number): void {
    const { geometry, feature, counts } = this;
    if (this.options.box !== undefined && !meetsBox(geometry, this.options.box)) {
      counts.outside++;
      geometry.back(nothing);
      return;
    }
    if (shape === 0) counts.points++;
    else if (shape === 1) counts.lines++;
    else counts.areas++;
    feature.object = object;
    feature.id = id;
    feature.shape = shape;
    feature.info = made.info(this.editors);
    feature.infoTexts = made.texts;
    feature.at = at;
    this.router.take(place, feature);
    geometry.back(nothing);
  }

  private takeWays(block: WayBlock): void {
    this.counts.ways += block.length;
    this.waiting.push(block);
    this.waitingRefs += block.refs.length;
    if (!this.nodes.outside || this.waitingRefs >= refsTogether) this.finishWays();
  }

  /** Shapes the ways that wait; only nodes of wanted ways are looked up. */
  private finishWays(): void {
    const blocks = this.waiting;
    this.waiting = [];
    this.waitingRefs = 0;
    const refs = new Growing(new Float64Array(8192));
    const wanted = blocks.map((block) => this.wantedWays(block, refs));
    const xy = this.nodes.lookUp(refs.view());
    blocks.forEach((block, k) => {
      const { ways, shapes, places, at } = wanted[k];
      if (block.places !== null) putOwnPlaces(block, ways, at, xy);
      this.tags.of(block.texts, block.tags);
      for (let w = 0; w < ways.length; w++) {
        const i = ways[w];
        const n = block.refStart[i + 1] - block.refStart[i];
        const place = places[w];
        this.tags.at(block.tagStart[i], block.tagStart[i + 1]);
        if (place !== null) this.shapeWay(block.ids[i], place, shapes[w], xy, at[w], at[w] + n, block, i);
        else
          this.held.add(
            block.ids[i],
            block.refs.slice(block.refStart[i], block.refStart[i + 1]),
            xy.slice(2 * at[w], 2 * (at[w] + n)),
            this.tags,
            block.info(this.editors),
            i,
          );
      }
    });
  }

  /**
   * The ways of a block that become something, their nodes added to `refs`. Without a place: members of relations, which
   * are held.
   */
  private wantedWays(block: WayBlock, refs: Growing<Float64Array>): WantedWays<P> {
    const wanted: WantedWays<P> = { ways: [], shapes: [], places: [], at: [] };
    const { ids, refStart, tagStart } = block;
    const tags = this.tags.of(block.texts, block.tags);
    for (let i = 0; i < block.length; i++) {
      const from = refStart[i];
      const end = refStart[i + 1];
      let shape: ShapeNumber = 1;
      let place: P | null = null;
      if (!this.held.wants(ids[i])) {
        if (tagStart[i] === tagStart[i + 1] || !tags.at(tagStart[i], tagStart[i + 1]).speaks) {
          this.counts.withoutTags++;
          continue;
        }
        const closed = end - from > 3 && block.refs[from] === block.refs[end - 1];
        shape = closed && tags.makesArea ? 2 : 1;
        if (!closed) this.tellOpen(ids[i]);
        place = this.router.route(tags, 1, shape);
        if (place === null) {
          this.counts.unwanted++;
          continue;
        }
      }
      wanted.ways.push(i);
      wanted.shapes.push(shape);
      wanted.places.push(place);
      wanted.at.push(refs.length);
      refs.append(block.refs, from, end);
    }
    return wanted;
  }

  private routed(tags: TagList, closed: boolean): { shape: ShapeNumber; place: P } | null {
    const shape: ShapeNumber = closed && tags.makesArea ? 2 : 1;
    const place = this.router.route(tags, 1, shape);
    if (place === null) {
      this.counts.unwanted++;
      return null;
    }
    return { shape, place };
  }

  private shapeWay(
    id: number,
    place: P,
    shape: ShapeNumber,
    xy: Float64Array,
    from: number,
    end: number,
    made: Making,
    i: number,
  ): void {
    const write = shape === 2 ? writeArea : writeLine;
    const { vertices, missing } = write(xy, from, end, this.geometry);
    if (missing > 0) {
      const name = objectName(1, id);
      const what = `${missing} of its ${end - from} nodes ${missing === 1 ? 'is' : 'are'} not in the extract`;
      const then =
        vertices === 0
          ? 'it was left out'
          : 'the stretches between were kept, and nothing was drawn across the gap';
      this.troubles.add('way-incomplete', vertices === 0 ? 'error' : 'warning', name, `${what}; ${then}.`);
    } else if (vertices === 0)
      this.troubles.add(
        'way-empty',
        'warning',
        objectName(1, id),
        shape === 2
          ? 'Its nodes enclose no area; it was left out.'
          : 'It has fewer than two different nodes; it was left out.',
      );
    if (vertices === 0) {
      this.counts.broken++;
      return;
    }
    this.hand(place, 1, id, shape, made, i);
  }

  /** An open way that is called a building is hardly a line; whoever asks for areas would miss it without a word. */
  private tellOpen(id: number): void {
    for (const [key, value] of this.tags.pairs()) {
      if (!onlyAreas.has(key) || value === 'no' || !this.router.wants(this.tags, 1, 2)) continue;
      this.troubles.add(
        'area-open',
        'warning',
        objectName(1, id),
        `It is tagged ${key}=${value}, but its way is not closed: it is a line, no area.`,
      );
      return;
    }
  }

  private takeRelations(): void {
    for (const { block, i, shape } of this.relations) {
      const id = block.ids[i];
      const members = shapeMembers(block, i, shape, this.held);
      const own = this.tags.of(block.texts, block.tags).at(block.tagStart[i], block.tagStart[i + 1]);
      let tags = own;
      let lentBy = -1;
      if (shape === 'area' && !speaksBesideType(own)) {
        const lender = lenderOf(members, this.held);
        if (lender === null) {
          this.counts.broken++;
          this.troubles.add(
            'relation-without-tags',
            'warning',
            objectName(2, id),
            'Neither it nor its outer ways say what it is; it was left out.',
          );
          continue;
        }
        tags = this.held.tagsOf(lender, this.tags);
        lentBy = lender;
      }
      const number: ShapeNumber = shape === 'area' ? 2 : 1;
      const place = this.router.route(tags, 2, number);
      if (place === null) {
        this.counts.unwanted++;
        continue;
      }
      if (lentBy >= 0)
        this.troubles.add(
          'tags-on-outer-way',
          'note',
          objectName(2, id),
          `Its tags stand on its outer way ${objectName(1, this.held.id(lentBy))}, as was usual once; they were taken from there.`,
        );
      const write = shape === 'area' ? writeRelationArea : writeRelationLine;
      // The list of tags moves on while members are looked at.
      const { texts, tags: list, from, to } = tags;
      const parts = write(id, members, this.held, this.geometry, this.troubles);
      if (parts === 0) {
        this.counts.broken++;
        continue;
      }
      if (shape === 'area') {
        const relation = new TagList().of(texts, list).at(from, to);
        for (const held of usedUp(members, this.held, relation)) this.used.add(held);
      }
      this.tags.of(texts, list).at(from, to);
      this.hand(place, 2, id, number, block, i);
    }
  }

  /** Numbers of held ways that are parts of a relation and no features. */
  private readonly used = new Set<number>();

  /** Members of relations that are features of their own. */
  private takeHeld(): void {
    const { held } = this;
    const info = held.info();
    const made: Making = { info: () => info, texts: held.texts };
    for (let k = 0; k < held.length; k++) {
      if (this.used.has(k)) {
        this.counts.inRelations++;
        continue;
      }
      const tags = held.tagsOf(k, this.tags);
      if (!tags.speaks) {
        this.counts.withoutTags++;
        continue;
      }
      const { nodes, xy } = held.way(k);
      const n = nodes.length;
      const closed = n > 3 && nodes[0] === nodes[n - 1];
      if (!closed) this.tellOpen(held.id(k));
      const routed = this.routed(tags, closed);
      if (routed !== null) this.shapeWay(held.id(k), routed.place, routed.shape, xy, 0, n, made, k);
    }
  }
}
