import { type Crs, crsLabel, sameCrs } from '../crs/crs.ts';
import { IsomericError } from '../errors.ts';
import type { GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import { geometriesFrom } from '../geometry/object-view.ts';
import { AreaIndex } from '../geometry/overlay/area-index.ts';
import type { Layer } from './layer.ts';

/** An area made ready for the coordinates of one CRS. */
export interface AreaInCrs {
  index: AreaIndex;
  /** How it came into that CRS, when there is something to tell. */
  note?: string;
}

/** An area that layers are cut to: all polygons that it was made of, in their CRS, and on demand in others. */
export class Area {
  /** What it was made of. */
  readonly name: string;
  /** Null: not known, and then only layers without a CRS fit it. */
  readonly crs: Crs | null;
  /** What it was made of, in its CRS: [east or longitude, north or latitude]. */
  readonly geometry: GeometryArray;
  private own: AreaIndex | null;
  private readonly make: ((crs: Crs) => Promise<GeometryArray>) | null;

  /**
   * @param own the same area made ready already
   * @param make makes it anew for another CRS, where it is not to be brought there vertex by vertex
   */
  constructor(
    name: string,
    crs: Crs | null,
    geometry: GeometryArray,
    own: AreaIndex | null = null,
    make: ((crs: Crs) => Promise<GeometryArray>) | null = null,
  ) {
    this.name = name;
    this.crs = crs;
    this.geometry = geometry;
    this.own = own;
    this.make = make;
  }

  /**
   * The area for a layer's coordinates, brought to their CRS vertex by vertex.
   *
   * @throws IsomericError `crs-missing` where one of the two has no CRS, `area-empty` where there is no polygon
   */
  async in(layer: Pick<Layer, 'name' | 'crs'>): Promise<AreaInCrs> {
    const { crs } = this;
    if (crs === null || layer.crs === null) {
      if (crs !== layer.crs)
        throw new IsomericError(
          'crs-missing',
          `${crs === null ? this.name : layer.name} has no CRS, so it cannot be told whether the area and the layer fit together.`,
          { advice: 'Say the CRS of the layer first (--from, or “crs:”).', blame: 'usage' },
        );
      return {
        index: this.ready(),
        note: 'Neither the layer nor the area says its CRS; they were taken to be in the same one.',
      };
    }
    if (sameCrs(crs, layer.crs)) return { index: this.ready() };
    if (this.make !== null)
      return {
        index: new AreaIndex(await this.make(layer.crs)),
        note: `The area was made in ${crsLabel(layer.crs)}.`,
      };
    // Loaded only here: a page that cuts in one CRS does not pay for projections.
    const { areaInCrs } = await import('./area-in-crs.ts');
    return {
      index: new AreaIndex(await areaInCrs(this, layer.crs)),
      note: `The area was brought from ${crsLabel(crs)} to ${crsLabel(layer.crs)}, vertex by vertex.`,
    };
  }

  private ready(): AreaIndex {
    this.own ??= new AreaIndex(this.geometry);
    return this.own;
  }
}

/** What is near to what a condition asked for that was true for nothing. */
function missed(layer: Layer): string {
  const findings = layer.accounts.flatMap((account) => account.findings);
  const found = findings.find(({ code }) => code === 'filter-nothing');
  return found === undefined ? 'Look at the condition.' : found.words.replace(/^“/, 'The condition “');
}

/**
 * The area of all polygons of a layer.
 *
 * @throws IsomericError `area-empty` where it has none
 */
export async function areaFrom(layer: Layer, signal?: AbortSignal): Promise<Area> {
  const maker = new GeometryMaker();
  let features = 0;
  for await (const batch of layer.batches({ signal })) {
    features += batch.length;
    for (let i = 0; i < batch.length; i++) maker.copy(batch.geometry!, i);
  }
  const geometry = features === 0 ? geometriesFrom([]) : maker.finish();
  if (!geometry.kind.some((kind) => kind === 3 || kind === 6 || kind === 7))
    throw new IsomericError(
      'area-empty',
      features === 0
        ? `No feature of ${layer.name} is left to make the area of.`
        : `${layer.name} holds no polygon to make the area of.`,
      {
        place: { layer: layer.name },
        advice: features === 0 ? missed(layer) : 'Name a layer with polygons.',
        blame: 'usage',
      },
    );
  return new Area(layer.name, layer.crs, geometry);
}
