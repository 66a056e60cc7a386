import { wgs84 } from '../../../core/crs/registry.ts';
import { IsomericError } from '../../../core/errors.ts';
import type { Finding } from '../../../core/findings.ts';
import { Kind, type KindName, kindNames } from '../../../core/geometry/geometry-array.ts';
import { type Layer, layerOf } from '../../../core/layer/layer.ts';
import type { Field } from '../../../core/table/schema.ts';
import { BatchMaker } from '../../making/batch-maker.ts';
import { guarded } from '../../opening/guard.ts';
import type { Feature, Router } from '../classes/feature-router.ts';
import { FeatureTarget } from '../classes/targets.ts';
import {
  type MapExtract,
  objectKinds,
  objectName,
  type PrimitiveBlock,
  type RelationBlock,
  type WayBlock,
} from '../reading/primitives.ts';
import { TagList } from '../tags/tag-list.ts';
import { assemble } from './assemble.ts';
import { NodeStore } from './node-store.ts';
import { writeLine } from './shaping.ts';

export interface ObjectName {
  kind: 0 | 1 | 2;
  id: number;
}

/** `way/123` → kind and number. */
export function parseObjectName(text: string): ObjectName {
  const found = /^\s*(node|way|relation)\s*[/ ]\s*(-?\d{1,15})\s*$/.exec(text);
  if (found === null)
    throw new IsomericError('object-name', `“${text}” names no object.`, {
      advice: 'Write kind and number: node/17, way/123, relation/4.',
      blame: 'usage',
    });
  return { kind: objectKinds.indexOf(found[1] as 'node') as 0 | 1 | 2, id: Number(found[2]) };
}

/** One object of a map extract, with its parts. */
export interface OneObject {
  /** The object itself (when it has a shape), then its parts: ways as lines, nodes as points. */
  layers: Layer[];
  tags: Record<string, string>;
  /** Members of a relation or nodes of a way, in their order. */
  members: number;
  /** Members that are not in the extract: `way/77`. */
  missing: string[];
  /** Relations that it is a member of. */
  memberOf: string[];
  findings: Finding[];
}

/** Everything of one object: itself, whole, and its parts one by one with their roles. */
export function oneObject(extract: MapExtract, name: ObjectName): Promise<OneObject> {
  return guarded(extract.name, () => objectOf(extract, name));
}

async function objectOf(extract: MapExtract, name: ObjectName): Promise<OneObject> {
  const text = objectName(name.kind, name.id);
  const found = await find(extract, name);
  if (found === null)
    throw new IsomericError('object-missing', `There is no ${text} in the extract.`, {
      place: { file: extract.name },
      advice: 'Objects with a tag are found with --where.',
      blame: 'usage',
    });
  const { block, i } = found;
  const tags = Object.fromEntries(
    new TagList()
      .of(block.texts, block.tags)
      .at(block.tagStart[i], block.tagStart[i + 1])
      .pairs(),
  );
  const router = new OnlyOne(name);
  const { troubles } = await assemble(extract, router);
  const layers: Layer[] = [];
  const whole = router.layer();
  if (whole !== null) layers.push(whole);
  const parts = new Parts();
  const missing = block.kind === 0 ? [] : await parts.fill(extract, block, i);
  layers.push(...parts.layers());
  const members =
    block.kind === 0
      ? 0
      : block.kind === 1
        ? block.refStart[i + 1] - block.refStart[i]
        : block.memberStart[i + 1] - block.memberStart[i];
  return {
    layers,
    tags,
    members,
    missing,
    memberOf: found.memberOf,
    findings: troubles.list().filter((finding) => finding.feature === text),
  };
}

async function find(
  extract: MapExtract,
  { kind, id }: ObjectName,
): Promise<{ block: PrimitiveBlock; i: number; memberOf: string[] } | null> {
  let found: { block: PrimitiveBlock; i: number } | null = null;
  const memberOf: string[] = [];
  for await (const block of extract.blocks({ nodes: kind === 0, ways: kind === 1, relations: true })) {
    if (block.kind === kind) {
      const i = block.ids.indexOf(id);
      if (i >= 0) found = { block, i };
    }
    if (block.kind !== 2) continue;
    for (let r = 0; r < block.length; r++)
      for (let m = block.memberStart[r]; m < block.memberStart[r + 1]; m++)
        if (block.memberKind[m] === kind && block.memberId[m] === id)
          memberOf.push(objectName(2, block.ids[r]));
  }
  return found === null ? null : { ...found, memberOf };
}

/** Wants one object alone. Tags are not asked: it may have none. */
class OnlyOne implements Router<true> {
  readonly shapes = [true, true, true];
  private readonly name: ObjectName;
  private readonly target = new FeatureTarget({
    columns: [{ name: 'name', tag: 'name', kind: 'text' }],
    sorted: false,
    editors: true,
    areasAsPoints: false,
  });

  constructor(name: ObjectName) {
    this.name = name;
  }

  route(): true {
    return true;
  }

  wants(): boolean {
    return true;
  }

  take(_: true, feature: Feature): void {
    if (feature.object === this.name.kind && feature.id === this.name.id) this.target.put(feature, null);
  }

  layer(): Layer | null {
    const batches = this.target.maker.take(true);
    if (batches.length === 0) return null;
    return layerOf({
      name: objectName(this.name.kind, this.name.id).replace('/', '_'),
      schema: this.target.schema,
      crs: wgs84(),
      batches,
      kinds: kindsOf(this.target.kinds),
    });
  }
}

const kindsOf = (bits: number) => kindNames.filter((_, k) => k > 0 && (bits & (1 << k)) !== 0) as KindName[];

const partFields: readonly Field[] = [
  { name: 'object', type: 'text', title: 'Kind of object' },
  { name: 'id', type: 'integer', title: 'Number of the object', role: 'code' },
  { name: 'place', type: 'integer', title: 'Place among the parts, from 1' },
  { name: 'role', type: 'text', title: 'Role' },
  { name: 'tags', type: 'json', title: 'Tags' },
];

/** The parts of an object as two layers. */
class Parts {
  private readonly points = new BatchMaker(partFields);
  private readonly lines = new BatchMaker(partFields);
  private lineKinds = 0;

  /** Fills the layers; returns the names of parts that are not in the extract. */
  async fill(extract: MapExtract, block: WayBlock | RelationBlock, i: number): Promise<string[]> {
    const wanted = membersOf(block, i);
    const [nodeIds, wayIds] = [0, 1].map(
      (kind) => new Set(wanted.filter((m) => m.kind === kind).map((m) => m.id)),
    );
    const store = new NodeStore(null);
    const nodeTags = new Map<number, string>();
    const ways = new Map<number, { refs: Float64Array; tags: string }>();
    const list = new TagList();
    const json = (of: PrimitiveBlock, k: number) =>
      JSON.stringify(
        Object.fromEntries(
          list
            .of(of.texts, of.tags)
            .at(of.tagStart[k], of.tagStart[k + 1])
            .pairs(),
        ),
      );
    for await (const each of extract.blocks({ nodes: true, ways: wayIds.size > 0, relations: false })) {
      if (each.kind === 0) store.add(each);
      for (let k = 0; k < each.length; k++) {
        const id = each.ids[k];
        if (each.kind === 0 && nodeIds.has(id)) nodeTags.set(id, json(each, k));
        else if (each.kind === 1 && wayIds.has(id))
          ways.set(id, {
            refs: each.refs.slice(each.refStart[k], each.refStart[k + 1]),
            tags: json(each, k),
          });
      }
    }
    const missing: string[] = [];
    wanted.forEach(({ kind, id, role }, place) => {
      if (kind === 2) return;
      const there =
        kind === 0
          ? this.point(store.lookUp(Float64Array.of(id)))
          : ways.has(id) && this.line(store.lookUp(ways.get(id)!.refs));
      if (!there) {
        missing.push(objectName(kind, id));
        return;
      }
      const maker = kind === 0 ? this.points : this.lines;
      const [object, number, at, part, tags] = maker.columns;
      object.text(objectKinds[kind]);
      number.number(id);
      at.number(place + 1);
      part.text(role);
      const told = kind === 0 ? nodeTags.get(id) : ways.get(id)?.tags;
      if (told !== undefined && told !== '{}') tags.text(told);
      maker.end();
    });
    return [...new Set(missing)];
  }

  private point(xy: Float64Array): boolean {
    if (Number.isNaN(xy[0])) return false;
    const { geometry } = this.points;
    geometry.feature(Kind.Point);
    geometry.part();
    geometry.ring();
    geometry.vertex(xy[0], xy[1]);
    return true;
  }

  private line(xy: Float64Array): boolean {
    const { geometry } = this.lines;
    if (writeLine(xy, 0, xy.length / 2, geometry).vertices === 0) return false;
    this.lineKinds |= 1 << geometry.kindOf(geometry.features - 1);
    return true;
  }

  layers(): Layer[] {
    const made = (name: string, maker: BatchMaker, kinds: KindName[]): Layer[] => {
      const batches = maker.take(true);
      return batches.length === 0
        ? []
        : [layerOf({ name, schema: partFields, crs: wgs84(), batches, kinds })];
    };
    return [
      ...made('parts_lines', this.lines, kindsOf(this.lineKinds)),
      ...made('parts_points', this.points, ['Point']),
    ];
  }
}

function membersOf(block: WayBlock | RelationBlock, i: number): { kind: number; id: number; role: string }[] {
  if (block.kind === 1)
    return Array.from(block.refs.subarray(block.refStart[i], block.refStart[i + 1]), (id) => ({
      kind: 0,
      id,
      role: '',
    }));
  const members: { kind: number; id: number; role: string }[] = [];
  for (let m = block.memberStart[i]; m < block.memberStart[i + 1]; m++)
    members.push({
      kind: block.memberKind[m],
      id: block.memberId[m],
      role: block.texts.text(block.memberRole[m]),
    });
  return members;
}
