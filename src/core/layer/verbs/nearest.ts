import { closeAccount, counted, grouped } from '../../account.ts';
import { geographicOf } from '../../crs/crs.ts';
import { transformer } from '../../crs/transformer.ts';
import { boxesMeet, emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { NearTo } from '../../geometry/measure/distances.ts';
import { EdgeTree } from '../../geometry/measure/edge-tree.ts';
import type { BoxTree } from '../../geometry/noding/box-tree.ts';
import { type Ruler, rulerFor } from '../../geometry/ruler.ts';
import { usableBox } from '../../geometry/unusable.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import { asPlainField } from '../feature-ids.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { inCrsOf } from './snap.ts';
import { treeOf } from './split.ts';
import { tellUnusable } from './unusable-feature.ts';
import { applyVerb } from './verb.ts';

/** What `nearestLayer` adds. */
export interface NearestOptions {
  /** Fields of the other layer that come with the nearest feature. */
  columns?: readonly string[];
  /** Metres beyond which nothing is near: the fields stay blank. */
  within?: number;
  /** Distances along the ellipsoid, also where coordinates are metres of a plane. */
  along?: 'ellipsoid';
}

/**
 * Adds to each feature the distance in metres to the nearest feature of another layer, its id, and fields of it. Distances are those
 * between the nearest places of both, 0 where they meet: on the ellipsoid where coordinates are degrees or where that is asked for, else
 * on the plane. The
 * other layer is held in memory.
 */
export function nearestLayer(
  layer: Layer,
  other: Layer,
  { columns = [], within, along }: NearestOptions = {},
): Layer {
  const ground = along === 'ellipsoid' ? onEllipsoid(layer) : null;
  const own = inCrsOf(ground?.layer ?? layer, other);
  const taken = layer.schema.map(({ name }) => name);
  const free = (wanted: string) => {
    const name = freeName(wanted.replace(/[^\p{L}\p{N}_]+/gu, '_'), taken);
    taken.push(name);
    return name;
  };
  const chosen = columns.map((name) => requireField(other.schema, name, other.name));
  const fields: Field[] = [
    {
      name: free(`${other.name}_distance`),
      type: 'real',
      unit: 'm',
      title: `Distance to the nearest of ${other.name}`,
    },
    { name: free(`${other.name}_nearest`), type: 'text', title: `The nearest of ${other.name}` },
    ...chosen.map((c) => ({ ...asPlainField(other.schema[c]), name: free(other.schema[c].name) })),
  ];
  return applyVerb('Nearest', layer, {
    schema: [...layer.schema, ...fields],
    count: layer.count,
    extent: layer.extent,
    handOn: (reading) => reading,
    async *run(account, source) {
      const held = await HeldLayer.of(other.name, own.batches(), account.findings);
      const search = new NearestSearch(
        held,
        await rulerFor(ground?.layer ?? layer),
        within ?? Number.POSITIVE_INFINITY,
      );
      const box = emptyBox();
      let all = 0;
      let found = 0;
      let unusable = 0;
      for await (const batch of source) {
        const geometry = ground === null ? batch.geometry! : ground.bring(batch.geometry!);
        const builders = fields.map((field) => new ColumnBuilder(field.type));
        for (let i = 0; i < batch.length; i++) {
          all++;
          const there = !geometry.isEmpty(i);
          const usable = there && usableBox(geometry, i, box);
          if (there && !usable) {
            unusable++;
            tellUnusable(batch, i, layer.name, account.findings, 'nothing was looked for near it');
          }
          const k = usable ? search.find(geometry, i) : -1;
          if (k < 0) {
            for (const builder of builders) builder.null();
            continue;
          }
          found++;
          builders[0].number(search.distance);
          builders[1].text(String(held.id(k)));
          chosen.forEach((c, n) => {
            const { column, row } = held.column(k, c);
            builders[2 + n].copy(column, row);
          });
        }
        yield batch.with({ columns: [...batch.columns, ...builders.map((builder) => builder.finish())] });
      }
      account.counts = { in: all, others: held.length, found, unusable };
      account.notes.push(...own.accounts.slice(other.accounts.length).map((each) => each.sentence));
      closeAccount(
        account,
        [all, `${layer.name} by ${counted(held.length, `feature of ${other.name}`, other.name)}`],
        [found, 'have a nearest one'],
        ...(all > found
          ? ([
              [all - found, within === undefined ? 'without' : `without one within ${grouped(within)} m`],
            ] as const)
          : []),
      );
    },
  });
}

/** A layer in degrees of its own datum, and what brings its geometries there. */
function onEllipsoid(layer: Layer): { layer: Layer; bring(geometry: GeometryArray): GeometryArray } | null {
  if (layer.crs === null || layer.crs.kind === 'geographic') return null;
  const degrees = geographicOf(layer.crs);
  const way = transformer(layer.crs, degrees);
  return {
    layer: { ...layer, crs: degrees },
    bring(geometry) {
      const xy = geometry.xy.slice();
      way.transform(xy, 0, geometry.vertexCount);
      return geometry.withXY(xy);
    },
  };
}

/** Finds the nearest of many features. */
class NearestSearch {
  /** Metres to what was found last. */
  distance = Number.NaN;
  private readonly edges: EdgeTree;
  private readonly boxes: BoxTree;
  private readonly scale = new Float64Array(2);
  private readonly box = emptyBox();
  private readonly other = emptyBox();
  private readonly near: number[] = [];
  private readonly large = new Map<number, NearTo>();

  constructor(
    private readonly held: HeldLayer,
    private readonly ruler: Ruler,
    private readonly within: number,
  ) {
    this.edges = EdgeTree.ofAll(held.geometry);
    this.boxes = treeOf(held);
  }

  /** The number of the feature nearest to feature i of an array; −1 when none lies within reach. */
  find(array: GeometryArray, i: number): number {
    const { scale, ruler, edges, box } = this;
    // A bound: how far the nearest edge is from some of its vertices, in metres near it.
    let most = this.within * 1.02;
    const first = array.firstVertex(i);
    const end = array.endVertex(i);
    const step = Math.max(1, Math.floor((end - first) / 16));
    for (let v = first; v < end; v += step) {
      ruler.metresPerUnit(array.xy[2 * v], array.xy[2 * v + 1], scale);
      if (edges.nearest(array.xy[2 * v], array.xy[2 * v + 1], scale[0], scale[1], most))
        most = Math.min(most, edges.found.distance * 1.02 + 1e-6);
    }
    array.boxOf(i, box);
    ruler.metresPerUnit((box[0] + box[2]) / 2, Math.max(Math.abs(box[1]), Math.abs(box[3])), scale);
    const [reachX, reachY] = [(most * 1.02) / scale[0], (most * 1.02) / scale[1]];
    const { near } = this;
    near.length = 0;
    this.boxes.search(box[0] - reachX, box[1] - reachY, box[2] + reachX, box[3] + reachY, (k) => {
      near.push(k);
    });
    near.sort((a, b) => a - b);
    // What meets it is nearest, and found without a look at all the others.
    for (const k of near) {
      if (!boxesMeet(box, this.held.geometry.boxOf(k, this.other)) || !this.ready(k).meets(array, i))
        continue;
      this.distance = 0;
      return k;
    }
    let best = -1;
    let least = this.within;
    for (const k of near) {
      const distance = this.between(array, i, k, least);
      if (distance > least || (distance === least && best >= 0)) continue;
      best = k;
      least = distance;
    }
    this.distance = least;
    return best;
  }

  private between(array: GeometryArray, i: number, k: number, most: number): number {
    const { geometry } = this.held;
    const isPoint = (of: GeometryArray, n: number) => of.kind[n] === Kind.Point;
    if (isPoint(array, i) && isPoint(geometry, k)) {
      const [v, w] = [2 * array.firstVertex(i), 2 * geometry.firstVertex(k)];
      return this.ruler.distance(array.xy[v], array.xy[v + 1], geometry.xy[w], geometry.xy[w + 1]);
    }
    return this.ready(k).from(array, i, this.ruler, most, true)?.distance ?? Number.POSITIVE_INFINITY;
  }

  /** A feature made ready; those with many vertices stay so. */
  private ready(k: number): NearTo {
    const { geometry } = this.held;
    const known = this.large.get(k);
    if (known !== undefined) return known;
    const made = new NearTo(geometry, k);
    if (geometry.endVertex(k) - geometry.firstVertex(k) > 64) this.large.set(k, made);
    return made;
  }
}
