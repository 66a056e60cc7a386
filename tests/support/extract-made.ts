import type { ExtractMember, ExtractObjects } from '../../demo/country/extract/objects.ts';
import { osmPbf, type PbfOptions } from '../../demo/country/extract/write-pbf.ts';
import { osmXml } from '../../demo/country/extract/write-xml.ts';
import { geometryObject, type Layer } from '../../src/core/index.ts';
import {
  type MapExtract,
  openExtract,
  sourceFromBytes,
  type TakeApartOptions,
  takeApart,
  thematicScheme,
} from '../../src/formats/index.ts';

export type Position = [number, number];

/** Makes extracts by hand: places by coordinates, ways by places. */
export class Drawing {
  readonly objects: ExtractObjects = { nodes: [], ways: [], relations: [] };
  private readonly places = new Map<string, number>();

  node([lon, lat]: Position, tags?: Record<string, string>): number {
    const key = `${lon} ${lat}`;
    const there = this.places.get(key);
    if (there !== undefined && tags === undefined) return there;
    const id = this.objects.nodes.length + 1;
    this.objects.nodes.push({ id, lon, lat, tags });
    this.places.set(key, id);
    return id;
  }

  way(places: readonly Position[], tags?: Record<string, string>): number {
    return this.wayOf(
      places.map((place) => this.node(place)),
      tags,
    );
  }

  wayOf(nodes: number[], tags?: Record<string, string>): number {
    const id = this.objects.ways.length + 101;
    this.objects.ways.push({ id, nodes, tags });
    return id;
  }

  /** A relation of ways: `outer` when no role is given. */
  relation(tags: Record<string, string>, ways: readonly (number | [id: number, role: string])[]): number {
    const id = this.objects.relations.length + 1001;
    const members = ways.map((way): ExtractMember => {
      const [member, role] = typeof way === 'number' ? [way, 'outer'] : way;
      return { kind: 'way', id: member, role };
    });
    this.objects.relations.push({ id, tags, members });
    return id;
  }
}

export const xmlExtract = (objects: ExtractObjects): Promise<MapExtract> =>
  openExtract(sourceFromBytes(new TextEncoder().encode(osmXml(objects)), 'made.osm'));

export const pbfExtract = (objects: ExtractObjects, options?: PbfOptions): Promise<MapExtract> =>
  openExtract(sourceFromBytes(osmPbf(objects, options), 'made.osm.pbf'));

/** Features of layers as plain objects, by layer name. */
export async function featuresOf(
  layers: readonly Layer[],
): Promise<Record<string, Record<string, unknown>[]>> {
  const all: Record<string, Record<string, unknown>[]> = {};
  for (const layer of layers) {
    const rows: Record<string, unknown>[] = [];
    for await (const batch of layer.batches())
      for (let i = 0; i < batch.length; i++)
        rows.push({
          feature: batch.id(i),
          geometry: geometryObject(batch.geometry!, i),
          ...Object.fromEntries(layer.schema.map((field, c) => [field.name, batch.columns[c].value(i)])),
        });
    all[layer.name] = rows;
  }
  return all;
}

/** An extract taken apart by the shipped scheme, with its features as plain objects. */
export async function taken(extract: MapExtract, options: TakeApartOptions = {}) {
  const result = await takeApart(extract, thematicScheme(), options);
  return { ...result, features: await featuresOf(result.layers) };
}
