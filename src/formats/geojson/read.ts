import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { type KindName, kindNames } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import { withIdField } from '../../core/layer/feature-ids.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { tellMixedKinds } from '../making/layer-findings.ts';
import { baseName } from '../opening/names.ts';
import { utf16Of } from './encoding.ts';
import { Feed } from './feed.ts';
import { kindNamed, readGeometry, seeGeometry } from './geometry.ts';
import type { JsonBytes } from './json-bytes.ts';
import { PropertyNames, readProperty } from './properties.ts';

const encoder = new TextEncoder();
const names = Object.fromEntries(
  ['type', 'features', 'geometry', 'properties', 'id', 'crs', 'name', 'Feature', 'FeatureCollection'].map(
    (name) => [name, encoder.encode(name)],
  ),
);

/** What the head of the document says, with the cursor at the first feature (or at the single one). */
interface Head {
  form: 'collection' | 'feature' | 'geometry';
  crs?: Crs;
  name?: string;
  /** False: the array of features is empty. */
  some: boolean;
}

/** Reads the document up to its first feature. Members that follow the features are seen by `tail`. */
async function readHead(feed: Feed): Promise<Head> {
  const { json } = feed;
  await feed.step(() => {
    if (
      json.before === 0 &&
      json.pos === 0 &&
      json.buf[0] === 0xef &&
      json.buf[1] === 0xbb &&
      json.buf[2] === 0xbf
    )
      json.pos = 3;
    // A sequence of RFC 8142 puts a record separator before every document.
    while (json.buf[json.pos] === recordSeparator) json.pos++;
    json.next();
  });
  // The head is small: read it again from its start whenever bytes run out.
  return feed.step(() => headOf(json));
}

const recordSeparator = 0x1e;

/** What the document at the cursor is; the cursor ends at its first feature, or where it was. */
function headOf(json: JsonBytes): Head {
  const head: Head = { form: 'collection', some: false };
  {
    const start = json.pos;
    let type = '';
    if (!json.openObject()) json.fail('The document is an empty object', start);
    do {
      json.memberName();
      if (json.stringIs(names.features)) {
        json.expect(91);
        head.some = json.next() !== 93;
        if (!head.some) json.pos++;
        head.form = 'collection';
        return head;
      }
      if (json.stringIs(names.type)) {
        json.string();
        type = json.text();
        if (type === 'Feature' || kindNamed(json) > 0) {
          head.form = type === 'Feature' ? 'feature' : 'geometry';
          head.some = true;
          json.pos = start;
          return head;
        }
      } else if (json.stringIs(names.crs)) head.crs = readCrs(json);
      else if (json.stringIs(names.name) && json.next() === 34) {
        json.string();
        head.name = json.text();
      } else json.skip();
    } while (json.moreMembers());
    if (type === '') {
      // A feature or geometry whose type comes last has been passed by: there is nothing GeoJSON about the rest.
      json.fail('The document is no GeoJSON: it has no “type”', start);
    }
    if (type !== 'FeatureCollection') json.fail(`The document is no GeoJSON: its type is “${type}”`, start);
    return json.fail('The FeatureCollection has no “features”', start);
  }
}

/** After a document that is one feature or geometry: true when another one follows, as in a sequence or line by line. */
function nextDocument(json: JsonBytes): boolean {
  return json.nextOrEnd() >= 0;
}

/** Passes or reads the document at the cursor, which must be one feature or geometry. */
function document(json: JsonBytes, on: Parameters<typeof feature>[2]): void {
  const start = json.pos;
  const { form } = headOf(json);
  if (form === 'collection') json.fail('A FeatureCollection stands inside a sequence of features', start);
  feature(json, form, on);
}

/** The `crs` member of old files (GeoJSON 2008): null, a name, or something else, which is refused. */
function readCrs(json: JsonBytes): Crs | undefined {
  json.next();
  const start = json.pos;
  json.skip();
  const text = new TextDecoder().decode(json.buf.subarray(start, json.pos));
  let value: { properties?: { name?: unknown } } | null;
  try {
    value = JSON.parse(text) as typeof value;
  } catch {
    return json.fail('The “crs” member is no JSON', start);
  }
  if (value === null) return undefined;
  const name = typeof value === 'object' ? value.properties?.name : undefined;
  if (typeof name !== 'string') {
    throw new IsomericError('geojson-crs', `The “crs” member names no CRS: ${text.slice(0, 80)}.`, {
      place: { file: json.name, byte: json.before + start },
    });
  }
  return crsFromText(name);
}

/** Reads one feature's members; geometry, properties and id are handed over where they stand. */
function feature(
  json: JsonBytes,
  form: Head['form'],
  on: { geometry(): void; properties(): void; id(): void },
): void {
  if (form === 'geometry') {
    on.geometry();
    return;
  }
  const start = json.pos;
  if (json.next() !== 123) json.fail('A feature must be an object');
  let typed = false;
  if (json.openObject()) {
    do {
      json.memberName();
      if (json.stringIs(names.geometry)) on.geometry();
      else if (json.stringIs(names.properties)) on.properties();
      else if (json.stringIs(names.id)) on.id();
      else if (json.stringIs(names.type)) {
        json.string();
        typed = json.stringIs(names.Feature);
      } else json.skip();
    } while (json.moreMembers());
  }
  if (!typed) json.fail('An element of “features” is no Feature', start);
}

/** Passes or reads the next feature; true when another one follows. */
function next(json: JsonBytes, head: Head, on: Parameters<typeof feature>[2]): boolean {
  if (head.form === 'collection') {
    feature(json, head.form, on);
    return json.moreElements();
  }
  document(json, on);
  return nextDocument(json);
}

function eachProperty(json: JsonBytes, use: () => void): void {
  if (json.next() === 110) {
    json.word('null');
    return;
  }
  if (!json.openObject()) return;
  do {
    json.memberName();
    use();
  } while (json.moreMembers());
}

interface Survey {
  head: Head;
  names: PropertyNames;
  count: number;
  kinds: number;
  idType: 'integer' | 'text' | null;
}

/** First reading: fields and their types over all features, kinds, count. Coordinates are passed over. */
async function survey(source: ByteSource): Promise<Survey> {
  const feed = new Feed(source);
  const { json } = feed;
  try {
    const head = await readHead(feed);
    const properties = new PropertyNames();
    let count = 0;
    let kinds = 0;
    let ids = 0;
    let textIds = 0;
    const on = {
      geometry: () => {
        kinds |= 1 << seeGeometry(json);
      },
      properties: () => {
        properties.startOver();
        eachProperty(json, () => properties.see(json, properties.find(json)));
      },
      id: () => {
        ids++;
        const c = json.next();
        if (c === 34) {
          textIds++;
          json.string();
        } else if (c === 110) json.skip();
        else if (!Number.isSafeInteger(json.number())) textIds++;
      },
    };
    const one = () => next(json, head, on);
    let more = head.some;
    while (more) {
      const idsBefore = ids;
      const textBefore = textIds;
      const undo = () => {
        ids = idsBefore;
        textIds = textBefore;
      };
      more = feed.try(one, undo) ?? (await feed.step(one, undo));
      count++;
    }
    if (head.form === 'collection') await feed.step(() => tail(json, head));
    await feed.step(() => {
      if (json.nextOrEnd() >= 0) json.fail('Something follows the end of the document');
    });
    return {
      head,
      names: properties,
      count,
      kinds,
      idType: ids === 0 ? null : textIds > 0 ? 'text' : 'integer',
    };
  } finally {
    await feed.close();
  }
}

/** Members after the features. */
function tail(json: JsonBytes, head: Head): void {
  while (json.moreMembers()) {
    json.memberName();
    if (json.stringIs(names.crs)) head.crs = readCrs(json);
    else if (json.stringIs(names.name) && json.next() === 34) {
      json.string();
      head.name = json.text();
    } else json.skip();
  }
}

/** Second reading: geometry and columns, batch by batch. */
async function* readBatches(
  source: ByteSource,
  { names: properties, idType }: Survey,
): AsyncGenerator<Batch> {
  const fields = properties.fields();
  const feed = new Feed(source);
  const { json } = feed;
  const builder = new GeometryMaker();
  const columns = fields.map((field) => new ColumnBuilder(field.type));
  const ids = idType === null ? null : new ColumnBuilder(idType);
  let first = 0;
  let n = 0;
  const on = {
    geometry: () => readGeometry(json, builder),
    properties: () => {
      properties.startOver();
      eachProperty(json, () => {
        const column = columns[properties.find(json)];
        // A name that comes twice in one feature: the last value counts, as everywhere in JSON.
        if (column.length > n) column.back(n);
        readProperty(json, column);
      });
    },
    id: () => {
      if (ids === null) json.skip();
      else readProperty(json, ids);
    },
  };
  const undo = () => {
    builder.back({ ...mark });
    for (const column of columns) column.back(n);
    ids?.back(n);
  };
  let mark = builder.mark();
  const finish = (): Batch => {
    const batch = new Batch({
      length: n,
      first,
      geometry: builder.finish(),
      columns: columns.map((column) => column.finish()),
      ids: ids?.finish() ?? null,
    });
    first += n;
    n = 0;
    return batch;
  };
  try {
    const head = await readHead(feed);
    const one = () => next(json, head, on);
    let more = head.some;
    while (more) {
      mark = builder.mark();
      const done = feed.try(one, undo);
      more = done === undefined ? await feed.step(one, undo) : done;
      if (builder.features === n) builder.feature(0);
      n++;
      for (const column of columns) if (column.length < n) column.null();
      if (ids !== null && ids.length < n) ids.null();
      if (n === batchLimit || builder.vertices > 1_000_000) yield finish();
    }
    if (n > 0) yield finish();
  } finally {
    await feed.close();
  }
}

/** The source as UTF-8: JSON in UTF-16, with or without a byte-order mark, is turned while it is read. */
async function asUtf8(source: ByteSource): Promise<ByteSource> {
  const encoding = utf16Of(await source.bytes(0, 4));
  if (encoding === null) return source;
  return {
    ...source,
    async *stream() {
      const decoder = new TextDecoder(encoding);
      for await (const chunk of source.stream())
        yield encoder.encode(decoder.decode(chunk, { stream: true }));
      yield encoder.encode(decoder.decode());
    },
  };
}

/** Opens GeoJSON, one document or a sequence of features (a line each, or RFC 8142): one layer, its fields typed over all features. Read twice: once for the schema, once for the rows. */
export async function openGeojson(original: ByteSource): Promise<Layer[]> {
  const source = await asUtf8(original);
  const found = await survey(source);
  const kinds: KindName[] = kindNames.filter((_, k) => k > 0 && (found.kinds & (1 << k)) !== 0);
  const findings: Finding[] = [];
  tellMixedKinds(kinds, findings);
  const crs = found.head.crs ?? wgs84();
  const layer: Layer = {
    name: found.head.name ?? baseName(source.name),
    schema: found.names.fields(),
    crs,
    kinds,
    count: found.count,
    findings,
    accounts: [],
    batches: () => readBatches(source, found),
  };
  return [withIdField(layer, found.idType === null ? null : { type: found.idType })];
}
