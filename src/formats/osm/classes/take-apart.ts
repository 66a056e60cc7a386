import { type Account, counted, grouped, openAccount } from '../../../core/account.ts';
import { ClassRules } from '../../../core/class-scheme/rules.ts';
import type { ClassScheme, SchemeColumn } from '../../../core/class-scheme/scheme.ts';
import { wgs84 } from '../../../core/crs/registry.ts';
import { IsomericError } from '../../../core/errors.ts';
import type { Finding } from '../../../core/findings.ts';
import { type Box, type KindName, kindNames } from '../../../core/geometry/geometry-array.ts';
import type { Layer } from '../../../core/layer/layer.ts';
import { suggest } from '../../../core/nearest.ts';
import { BatchStore, StoreRoom } from '../../bytes/batch-store.ts';
import { guarded } from '../../opening/guard.ts';
import { assemble } from '../assembling/assemble.ts';
import { type MapExtract, objectKinds, type Texts } from '../reading/primitives.ts';
import type { TagList } from '../tags/tag-list.ts';
import {
  type AssemblyCounts,
  type AssemblyOptions,
  type Feature,
  type Router,
  type ShapeNumber,
  shapeNames,
} from './feature-router.ts';
import { FeatureTarget, type Sorting } from './targets.ts';
import { type UnclassifiedTag, UnclassifiedTags } from './unclassified.ts';

/** What of an extract is taken, and how. */
export interface TakeApartOptions extends AssemblyOptions {
  /** Classes of the scheme that are wanted; all when left out. */
  classes?: readonly string[];
  /** Columns for these tags in every layer, besides those of the scheme. */
  tags?: readonly SchemeColumn[];
  /** Areas of all classes become points inside them. */
  areasAsPoints?: boolean;
}

/** How many objects of a sub-class there are, by geometry. */
export interface ClassCount {
  class: string;
  subclass: string;
  shape: (typeof shapeNames)[number];
  count: number;
}

/** The layers that an extract was taken apart into, and its account. */
export interface TakenApart {
  /** One a class and geometry kind, those with features only. */
  layers: Layer[];
  counts: AssemblyCounts;
  classCounts: ClassCount[];
  /** Tags of objects that are of no class, the most frequent first; blank when only some classes were asked for. */
  unclassified: UnclassifiedTag[];
  /** Objects of no class. */
  unclassifiedObjects: number;
  /** Objects of more than one class. */
  several: number;
  account: Account;
  findings: Finding[];
}

/** One class, one geometry: a layer. */
interface ClassLayer {
  name: string;
  title: string;
  target: FeatureTarget;
  store: BatchStore;
}

/** A place for a feature: class, rule and layer, one for each class that it is of. */
interface Place {
  c: number;
  r: number;
  layer: ClassLayer;
  sorting: Sorting;
}

interface Decision {
  places: Place[] | null;
  /** It fits a class that holds no such geometry. */
  elsewhere: boolean;
}

/** The classes that are asked for, in the order of the scheme. */
export function chosenClasses(scheme: ClassScheme, names: readonly string[] | undefined): ClassScheme {
  if (names === undefined) return scheme;
  const known = scheme.classes.map((each) => each.name);
  const unknown = names.find((name) => !known.includes(name));
  if (unknown !== undefined)
    throw new IsomericError('class-unknown', `There is no class “${unknown}” in “${scheme.title}”.`, {
      wrong: unknown,
      advice: suggest(unknown, known),
      blame: 'usage',
    });
  return { ...scheme, classes: scheme.classes.filter((each) => names.includes(each.name)) };
}

/** A scheme of one rule, tried on the fly. */
export function schemeOfRule(
  where: string,
  name = 'found',
  shapes = shapeNames as readonly (typeof shapeNames)[number][],
): ClassScheme {
  const title = name.replace(/_/g, ' ').replace(/^\p{Ll}/u, (c) => c.toUpperCase());
  return {
    title: where,
    classes: [
      {
        name,
        title,
        shapes,
        areasAsPoints: false,
        columns: [{ name: 'name', tag: 'name', kind: 'text' }],
        importance: 50,
        style: {},
        rules: [{ name, title, where, importance: 50, style: {} }],
      },
    ],
  };
}

/** Texts of a block up to which a pair of them makes one exact number; with more, pairs are written out. */
const numbered = 2 ** 22;

class ClassRouter implements Router<Place[]> {
  readonly shapes: readonly boolean[];
  readonly layers: ClassLayer[] = [];
  readonly unclassified = new UnclassifiedTags();
  several = 0;
  private readonly rules: ClassRules;
  private readonly classes: ClassScheme['classes'];
  /** Layer of class c for shape s, or null when the class holds no such shape. */
  private readonly byShape: (ClassLayer | null)[][];
  private readonly counts: number[][][];
  private readonly keyNumber: Map<string, number>;
  private readonly sorting: Sorting[][];
  /** Are objects of no class counted by their tags? */
  readonly counting: boolean;

  constructor(scheme: ClassScheme, options: TakeApartOptions) {
    this.classes = scheme.classes;
    this.rules = new ClassRules(scheme);
    this.counting = options.classes === undefined;
    this.keyNumber = new Map(this.rules.keys.map((key, k) => [key, k]));
    const room = new StoreRoom(options.scratch ?? null);
    this.byShape = scheme.classes.map((each) => {
      const asPoints = each.areasAsPoints || options.areasAsPoints === true;
      const columns = [
        ...each.columns,
        ...(options.tags ?? []).filter((tag) => !each.columns.some((column) => column.name === tag.name)),
      ];
      const made = new Map<string, ClassLayer>();
      const layerFor = (shape: string) => {
        const existing = made.get(shape);
        if (existing !== undefined) return existing;
        const target = new FeatureTarget({
          columns,
          sorted: true,
          editors: options.editors === true,
          areasAsPoints: asPoints,
        });
        const layer = { name: each.name, title: each.title, target, store: new BatchStore(room) };
        made.set(shape, layer);
        this.layers.push(layer);
        return layer;
      };
      const layers = shapeNames.map((shape) => {
        if (shape === 'area' && asPoints) return layerFor('point');
        return each.shapes.includes(shape) ? layerFor(shape) : null;
      });
      if (made.size > 1) for (const [shape, layer] of made) layer.name = `${each.name}_${shape}s`;
      return layers;
    });
    this.shapes = [0, 1, 2].map((s) => this.byShape.some((layers) => layers[s] !== null) || this.counting);
    this.counts = scheme.classes.map((each) => each.rules.map(() => [0, 0, 0]));
    this.sorting = scheme.classes.map((each) =>
      each.rules.map(({ name, importance }) => ({ subclass: new TextEncoder().encode(name), importance })),
    );
  }

  /** What is known of the texts of the block at hand: which keys the rules read, and what was decided by what values. */
  private texts: Texts | null = null;
  private keyOf = new Int32Array(0);
  private decided = new Map<number | string, Decision>();

  private begin(texts: Texts): void {
    this.texts = texts;
    this.keyOf = new Int32Array(texts.count).fill(-2);
    this.decided = new Map();
  }

  private decision(tags: TagList, object: number, shape: ShapeNumber): Decision {
    if (tags.texts !== this.texts || this.keyOf.length < tags.texts.count) this.begin(tags.texts);
    // What rules decide depends on the tags that they read, on kind and shape alone.
    let known: number | string = 3 * shape + object;
    let read = 0;
    for (let k = tags.from; k < tags.to; k += 2) {
      const key = tags.tags[k];
      if (this.keyOf[key] === -2) this.keyOf[key] = this.keyNumber.get(tags.texts.text(key)) ?? -1;
      if (this.keyOf[key] < 0) continue;
      known =
        read++ === 0 && tags.texts.count <= numbered
          ? 9 * (key * numbered + tags.tags[k + 1]) + (known as number)
          : `${known} ${key} ${tags.tags[k + 1]}`;
    }
    let decision = this.decided.get(known);
    if (decision === undefined) {
      decision = this.decide(tags, object, shape);
      this.decided.set(known, decision);
    }
    return decision;
  }

  wants(tags: TagList, object: number, shape: ShapeNumber): boolean {
    return this.decision(tags, object, shape).places !== null;
  }

  route(tags: TagList, object: number, shape: ShapeNumber): Place[] | null {
    const { places, elsewhere } = this.decision(tags, object, shape);
    if (places !== null && places.length > 1) this.several++;
    // What fits a class by its tags, but has a geometry that the class does not hold, is no new rule's business.
    if (places === null && this.counting && !elsewhere) this.unclassified.add(tags, object);
    return places;
  }

  private decide(tags: TagList, object: number, shape: ShapeNumber): Decision {
    const { rules, keyNumber } = this;
    rules.values.fill(null);
    for (const [key, value] of tags.pairs()) {
      const number = keyNumber.get(key);
      if (number !== undefined) rules.values[number] = value;
    }
    rules.geometry = shapeNames[shape];
    rules.object = objectKinds[object];
    const places: Place[] = [];
    let elsewhere = false;
    for (let c = 0; c < this.byShape.length; c++) {
      const layer = this.byShape[c][shape];
      if (layer === null && !this.counting) continue;
      const r = rules.match(c);
      if (r >= 0 && layer === null) elsewhere = true;
      else if (r >= 0) places.push({ c, r, layer: layer!, sorting: this.sorting[c][r] });
    }
    return { places: places.length === 0 ? null : places, elsewhere };
  }

  take(places: Place[], feature: Feature): void {
    for (const { c, r, layer, sorting } of places) {
      if (!layer.target.put(feature, sorting)) continue;
      this.counts[c][r][feature.shape]++;
      if (layer.target.maker.full) for (const batch of layer.target.maker.take()) layer.store.add(batch);
    }
  }

  finish(): void {
    for (const { target, store } of this.layers)
      for (const batch of target.maker.take(true)) store.add(batch);
  }

  classCounts(): ClassCount[] {
    return this.classes.flatMap((each, c) =>
      each.rules.flatMap((rule, r) =>
        shapeNames.flatMap((shape, s) => {
          const count = this.counts[c][r][s];
          return count === 0 ? [] : [{ class: each.name, subclass: rule.name, shape, count }];
        }),
      ),
    );
  }
}

/**
 * Takes a map extract apart: one layer a class and geometry kind, in WGS 84. The extract is gone through twice; what
 * becomes of every object is counted.
 */
export function takeApart(
  extract: MapExtract,
  scheme: ClassScheme,
  options: TakeApartOptions = {},
): Promise<TakenApart> {
  return guarded(extract.name, () => takenApart(extract, scheme, options));
}

async function takenApart(
  extract: MapExtract,
  scheme: ClassScheme,
  options: TakeApartOptions,
): Promise<TakenApart> {
  const router = new ClassRouter(chosenClasses(scheme, options.classes), options);
  const { counts, troubles } = await assemble(extract, router, options);
  router.finish();
  const classCounts = router.classCounts();
  const findings = troubles.list();
  const account = accountOf(extract.name, counts, router, options.box);
  const layers = router.layers
    .filter(({ store }) => store.count > 0)
    .map(({ name, title, target, store }): Layer => {
      const kinds = kindNames.filter(
        (_, k): boolean => k > 0 && (target.kinds & (1 << k)) !== 0,
      ) as KindName[];
      const own: Finding[] =
        target.unread === 0
          ? []
          : [
              {
                code: 'tag-value-unread',
                severity: 'note',
                words: `${counted(target.unread, 'value of a tag is', 'values of tags are')} no number of the kind that its column holds; they stay among the other tags.`,
              },
            ];
      return {
        name,
        title,
        schema: target.schema,
        crs: wgs84(),
        kinds,
        count: store.count,
        findings: own,
        accounts: [],
        batches: () => store.read(),
      };
    });
  return {
    layers,
    counts,
    classCounts,
    unclassified: router.unclassified.list(),
    unclassifiedObjects: router.unclassified.objects,
    several: router.several,
    account,
    findings,
  };
}

function accountOf(name: string, counts: AssemblyCounts, router: ClassRouter, box: Box | undefined): Account {
  const account = openAccount('Take apart', name);
  account.counts = { ...counts, unclassified: router.unclassified.objects, several: router.several };
  const objects = counts.nodes + counts.ways + counts.relations;
  const rest: [number, string][] = [
    [counts.withoutTags, 'without tags of their own'],
    [counts.unwanted, router.counting ? 'of no class' : 'of no class that was asked for'],
    [
      counts.inRelations,
      counts.inRelations === 1 ? 'way that only bounds an area' : 'ways that only bound an area',
    ],
    [counts.shapeless, counts.shapeless === 1 ? 'relation without a shape' : 'relations without a shape'],
    [counts.broken, 'that could not be assembled'],
    ...(box === undefined ? [] : ([[counts.outside, 'outside the box']] as [number, string][])),
  ];
  account.sentence =
    `Take apart: ${grouped(objects)} objects in (${counted(counts.nodes, 'node', 'nodes')}, ${counted(counts.ways, 'way', 'ways')}, ${counted(counts.relations, 'relation', 'relations')}); ${counted(counts.points, 'point', 'points')}, ${counted(counts.lines, 'line', 'lines')} and ${counted(counts.areas, 'area', 'areas')} out; ${rest
      .filter(([count]) => count > 0)
      .map(([count, words]) => `${grouped(count)} ${words}`)
      .join(', ')}.`.replace(/; \.$/, '.');
  if (router.several > 0)
    account.notes.push(
      `${counted(router.several, 'object is of more than one class, and stands', 'objects are of more than one class, and stand')} in each of them.`,
    );
  account.closed = true;
  return account;
}
