import { wgs84 } from '../../core/crs/registry.ts';
import type { Finding } from '../../core/findings.ts';
import type { KindName } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Layer, ReadOptions } from '../../core/layer/layer.ts';
import { BatchStore, StoreRoom } from '../bytes/batch-store.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { OpenContext } from '../register.ts';
import { assemble } from './assembling/assemble.ts';
import { type Feature, type Router, type ShapeNumber, shapeNames } from './classes/feature-router.ts';
import { FeatureTarget } from './classes/targets.ts';
import { inflateAnywhere } from './reading/blobs.ts';
import { openExtract } from './reading/open-extract.ts';
import type { MapExtract } from './reading/primitives.ts';

const kindsOf: Record<(typeof shapeNames)[number], KindName[]> = {
  point: ['Point'],
  line: ['LineString', 'MultiLineString'],
  area: ['Polygon', 'MultiPolygon'],
};

/** Everything with tags of its own, of one geometry kind, into one target. */
class AllOfShape implements Router<true> {
  readonly shapes: readonly boolean[];
  private readonly shape: ShapeNumber;
  private readonly store: BatchStore;
  readonly target = new FeatureTarget({
    columns: [{ name: 'name', tag: 'name', kind: 'text' }],
    sorted: false,
    editors: false,
    areasAsPoints: false,
  });

  constructor(shape: ShapeNumber, store: BatchStore) {
    this.shape = shape;
    this.store = store;
    this.shapes = [0, 1, 2].map((s) => s === shape);
  }

  route(_: unknown, __: number, shape: ShapeNumber): true | null {
    return shape === this.shape ? true : null;
  }

  wants(_: unknown, __: number, shape: ShapeNumber): boolean {
    return shape === this.shape;
  }

  take(_: true, feature: Feature): void {
    this.target.put(feature, null);
    for (const batch of this.target.maker.take()) this.store.add(batch);
  }
}

async function* readShape(
  extract: MapExtract,
  shape: ShapeNumber,
  context: OpenContext,
  findings: Finding[],
  options: ReadOptions | undefined,
): AsyncGenerator<Batch> {
  const scratch = context.capabilities.scratch ?? null;
  const store = new BatchStore(new StoreRoom(scratch));
  const router = new AllOfShape(shape, store);
  const { troubles } = await assemble(extract, router, { scratch, box: options?.box });
  for (const batch of router.target.maker.take(true)) store.add(batch);
  for (const finding of troubles.list())
    if (!findings.some((each) => each.words === finding.words && each.feature === finding.feature))
      findings.push(finding);
  yield* store.read();
}

/**
 * Opens a map extract like any other file: all objects with tags as three layers, points, lines and areas. Each reading
 * of one goes through the extract; many layers at once are made by `takeApart`.
 */
export async function openOsm(source: ByteSource, context: OpenContext): Promise<Layer[]> {
  const extract = await openExtract(source, context.capabilities.inflate ?? inflateAnywhere);
  return shapeNames.map((shape, s): Layer => {
    const findings: Finding[] = [];
    return {
      name: `${shape}s`,
      schema: new AllOfShape(s as ShapeNumber, new BatchStore(new StoreRoom(null))).target.schema,
      crs: wgs84(),
      kinds: kindsOf[shape],
      findings,
      accounts: [],
      batches: (options) => readShape(extract, s as ShapeNumber, context, findings, options),
    };
  });
}
