import { counted, grouped } from '../../core/account.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind, type KindName, kindNames } from '../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { withIdField } from '../../core/layer/feature-ids.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { crsOrTold, layerEmpty } from '../making/layer-findings.ts';
import { baseName } from '../opening/names.ts';

/** A topology is read whole, because arcs may stand before or after what uses them: up to this many bytes. */
const largest = 400 * 2 ** 20;
/** Deepest nesting of collections that is read. */
const deepest = 32;

type Json = Record<string, unknown>;

interface Troubles {
  unclosed: number;
}

/** The parsed document, with its arcs as flat coordinates. */
class Topology {
  readonly objects: [string, Json][];
  readonly arcs: Float64Array[];
  readonly troubles: Troubles = { unclosed: 0 };
  private readonly scale: [number, number] | null = null;
  private readonly translate: [number, number] = [0, 0];
  private readonly file: string;

  constructor(document: Json, file: string) {
    this.file = file;
    const { objects, arcs, transform } = document;
    if (!isObject(objects) || !Array.isArray(arcs)) this.fail('It has no “objects” or no “arcs”');
    if (isObject(transform)) {
      this.scale = this.pair(transform.scale, 'transform.scale');
      this.translate = this.pair(transform.translate, 'transform.translate');
    }
    this.objects = Object.entries(objects as Json).filter((entry): entry is [string, Json] =>
      isObject(entry[1]),
    );
    this.arcs = (arcs as unknown[]).map((arc, n) => this.decode(arc, n));
  }

  fail(words: string): never {
    throw new IsomericError('topojson-damaged', `${words}.`, {
      place: { file: this.file },
      advice: 'The topology is damaged: get it again.',
    });
  }

  private pair(value: unknown, what: string): [number, number] {
    if (!Array.isArray(value) || typeof value[0] !== 'number' || typeof value[1] !== 'number')
      return this.fail(`${what} is no pair of numbers`);
    return [value[0], value[1]];
  }

  private decode(arc: unknown, n: number): Float64Array {
    if (!Array.isArray(arc)) return this.fail(`Arc ${n} is no array`);
    const flat = new Float64Array(2 * arc.length);
    let x = 0;
    let y = 0;
    for (let k = 0; k < arc.length; k++) {
      const [a, b] = this.pair(arc[k], `Position ${k} of arc ${n}`);
      // With a transform, every position but the first says how far it is from the one before.
      x = this.scale === null ? a : x + a;
      y = this.scale === null ? b : y + b;
      flat[2 * k] = this.scale === null ? x : x * this.scale[0] + this.translate[0];
      flat[2 * k + 1] = this.scale === null ? y : y * this.scale[1] + this.translate[1];
    }
    return flat;
  }

  /** Adds a geometry object as one feature. */
  add(geometry: Json, builder: GeometryMaker): void {
    builder.feature(this.kindOf(geometry));
    this.parts(geometry, builder, false, 0);
  }

  kindOf(geometry: Json): number {
    if (geometry.type === null || geometry.type === undefined) return Kind.None;
    const kind = kindNames.indexOf(geometry.type as KindName);
    return kind > 0 ? kind : this.fail(`A geometry has the unknown type ${JSON.stringify(geometry.type)}`);
  }

  private parts(geometry: Json, builder: GeometryMaker, member: boolean, depth: number): void {
    if (depth > deepest) this.fail('Collections are nested too deeply');
    const kind = this.kindOf(geometry);
    const part = (single: number) => builder.part(member ? single : undefined);
    const list = (value: unknown, what: string): unknown[] =>
      Array.isArray(value) ? value : this.fail(`A ${String(geometry.type)} has no ${what}`);
    const polygon = (rings: unknown) => {
      const all = list(rings, 'rings');
      if (all.length === 0) return;
      part(Kind.Polygon);
      for (const ring of all) this.path(list(ring, 'arcs'), builder, true);
    };
    const line = (arcs: unknown) => {
      part(Kind.LineString);
      this.path(list(arcs, 'arcs'), builder, false);
    };
    const point = (position: unknown) => {
      let [x, y] = this.pair(position, 'A position');
      if (this.scale !== null) {
        x = x * this.scale[0] + this.translate[0];
        y = y * this.scale[1] + this.translate[1];
      }
      part(Kind.Point);
      builder.ring();
      builder.vertex(x, y);
      const z = (position as number[])[2];
      if (typeof z === 'number') builder.height(z);
    };
    switch (kind) {
      case Kind.Point:
        if (list(geometry.coordinates, 'coordinates').length > 0) point(geometry.coordinates);
        return;
      case Kind.MultiPoint:
        for (const position of list(geometry.coordinates, 'coordinates')) point(position);
        return;
      case Kind.LineString:
        if (list(geometry.arcs, 'arcs').length > 0) line(geometry.arcs);
        return;
      case Kind.MultiLineString:
        for (const arcs of list(geometry.arcs, 'arcs')) line(arcs);
        return;
      case Kind.Polygon:
        polygon(geometry.arcs);
        return;
      case Kind.MultiPolygon:
        for (const rings of list(geometry.arcs, 'arcs')) polygon(rings);
        return;
      case Kind.Collection:
        for (const inner of list(geometry.geometries, 'geometries'))
          this.parts(
            isObject(inner) ? inner : this.fail('A member of a collection is no geometry'),
            builder,
            true,
            depth + 1,
          );
    }
  }

  /** Arcs one after the other; where two meet, their common point stands once. */
  private path(numbers: readonly unknown[], builder: GeometryMaker, ring: boolean): void {
    builder.ring();
    const from = builder.vertices;
    numbers.forEach((number, k) => {
      const backwards = typeof number === 'number' && number < 0;
      const arc = this.arcs[backwards ? ~(number as number) : (number as number)];
      if (arc === undefined) this.fail(`There is no arc ${JSON.stringify(number)}`);
      const n = arc.length / 2;
      for (let v = k === 0 ? 0 : 1; v < n; v++) {
        const at = 2 * (backwards ? n - 1 - v : v);
        builder.vertex(arc[at], arc[at + 1]);
      }
    });
    if (!ring || builder.vertices === from) return;
    const last = builder.vertices - 1;
    const x = builder.coordinate(2 * from);
    const y = builder.coordinate(2 * from + 1);
    if (x !== builder.coordinate(2 * last) || y !== builder.coordinate(2 * last + 1)) {
      builder.vertex(x, y);
      this.troubles.unclosed++;
    }
  }
}

function isObject(value: unknown): value is Json {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** The type that holds all values of one name. */
class ValueTypes {
  private bits = 0;

  see(value: unknown): void {
    if (value === null || value === undefined) return;
    if (typeof value === 'number') this.bits |= Number.isSafeInteger(value) ? 1 : 2;
    else if (typeof value === 'string') this.bits |= 4;
    else if (typeof value === 'boolean') this.bits |= 8;
    else this.bits |= 16;
  }

  get type(): FieldType {
    const { bits } = this;
    if (bits & 16) return 'json';
    if (bits === 0 || bits & 4) return 'text';
    if (bits === 8) return 'boolean';
    if (bits & 8) return 'text';
    return bits & 2 ? 'real' : 'integer';
  }
}

function put(column: ColumnBuilder, value: unknown): void {
  if (value === null || value === undefined) column.null();
  else if (column.type === 'json') column.text(JSON.stringify(value));
  else if (column.type === 'boolean') column.number(value === true ? 1 : 0);
  else if (typeof value === 'number' && column.type !== 'text') column.number(value);
  else column.text(typeof value === 'string' ? value : JSON.stringify(value));
}

/** Opens TopoJSON: one layer an object. The whole document is held. */
export async function openTopojson(source: ByteSource): Promise<Layer[]> {
  if (source.size > largest) {
    throw new IsomericError(
      'topojson-too-large',
      `A topology is read whole, and this one has ${grouped(source.size)} bytes; the most is ${grouped(largest)}.`,
      { place: { file: source.name }, advice: 'Get it in another format.' },
    );
  }
  let document: unknown;
  try {
    document = JSON.parse(
      new TextDecoder('utf-8', { fatal: true }).decode(await source.bytes(0, source.size)),
    );
  } catch (error) {
    throw new IsomericError(
      'json-syntax',
      `The JSON is damaged (${error instanceof Error ? error.message.slice(0, 100) : String(error)}).`,
      { place: { file: source.name }, advice: 'The file is damaged or was cut short: get it again.' },
    );
  }
  const topology = new Topology(isObject(document) ? document : {}, source.name);
  const { crs } = document as { crs?: { properties?: { name?: unknown } } };
  const named = crs?.properties?.name;
  const findings: Finding[] = [];
  const own =
    typeof named === 'string' ? crsOrTold(source.name, findings, () => crsFromText(named)) : wgs84();
  if (topology.objects.length === 0) {
    const name = baseName(source.name);
    const empty = { schema: [], kinds: [], count: 0, accounts: [], async *batches() {} };
    return [{ ...empty, name, crs: own, findings: [...findings, layerEmpty(source.name, name)] }];
  }
  return topology.objects.map(([name, object]) => {
    const layer = layerOf(topology, name, object, own, source.name);
    return findings.length === 0 ? layer : { ...layer, findings: [...findings, ...layer.findings] };
  });
}

function layerOf(topology: Topology, name: string, object: Json, crs: Layer['crs'], file: string): Layer {
  const features = (
    object.type === 'GeometryCollection' && Array.isArray(object.geometries) ? object.geometries : [object]
  ) as Json[];
  const types = new Map<string, ValueTypes>();
  let kinds = 0;
  let ids = 0;
  let textIds = 0;
  for (const feature of features) {
    if (!isObject(feature)) topology.fail(`A member of ${name} is no geometry`);
    kinds |= 1 << topology.kindOf(feature);
    if (typeof feature.id === 'string' || typeof feature.id === 'number') {
      ids++;
      if (!Number.isSafeInteger(feature.id)) textIds++;
    }
    if (!isObject(feature.properties)) continue;
    for (const [key, value] of Object.entries(feature.properties)) {
      let type = types.get(key);
      if (type === undefined) types.set(key, (type = new ValueTypes()));
      type.see(value);
    }
  }
  const schema: Field[] = [...types].map(([key, type]) => ({ name: key, type: type.type }));
  const idType = ids === 0 ? null : textIds > 0 ? 'text' : 'integer';
  const findings: Finding[] = [];
  const layer: Layer = {
    name,
    schema,
    crs,
    kinds: kindNames.filter((_, k) => k > 0 && (kinds & (1 << k)) !== 0),
    count: features.length,
    findings,
    accounts: [],
    async *batches() {
      const maker = new BatchMaker(schema, { ids: idType });
      topology.troubles.unclosed = 0;
      for (const feature of features) {
        topology.add(feature, maker.geometry);
        const properties = isObject(feature.properties) ? feature.properties : {};
        schema.forEach((field, c) => {
          put(maker.columns[c], Object.hasOwn(properties, field.name) ? properties[field.name] : null);
        });
        if (idType === 'text') put(maker.ids!, feature.id === undefined ? null : String(feature.id));
        else if (idType !== null) put(maker.ids!, feature.id);
        maker.end();
        yield* maker.take();
      }
      yield* maker.take(true);
      const { unclosed } = topology.troubles;
      if (unclosed > 0 && !findings.some((finding) => finding.code === 'ring-closed'))
        findings.push({
          code: 'ring-closed',
          severity: 'note',
          words: `${file}: ${counted(unclosed, 'ring did', 'rings did')} not end where it begins, and was closed.`,
        });
    },
  };
  return withIdField(layer, idType === null ? null : { type: idType });
}
