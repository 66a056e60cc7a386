import { counted } from '../../core/account.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { crsByEpsg } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { type Box, kindNames } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { freeName } from '../../core/table/schema.ts';
import { ByteQueue, type ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { crsMissing, crsOrTold } from '../making/layer-findings.ts';
import { baseName } from '../opening/names.ts';
import { type FeatureTroubles, readFeature } from './feature.ts';
import { type FlatgeobufHeader, readHeader } from './header.ts';
import { indexLength, searchIndex } from './packed-index.ts';

/** Longest header that is believed. */
const longestHeader = 64 * 2 ** 20;
/** Features nearer than this to each other are fetched in one piece: a request costs more than so many bytes. */
const gap = 4096;
/** Most bytes fetched in one piece when reading by box. */
const piece = 4 * 2 ** 20;

function damaged(file: string, words: string, byte: number): IsomericError {
  return new IsomericError('flatgeobuf-damaged', words, {
    place: { file, byte },
    advice: 'The file is damaged or was cut short: get it again.',
  });
}

function crsOf(header: FlatgeobufHeader, findings: Finding[], file: string): Crs | null {
  const { crs } = header;
  if (crs === null || (crs.code === 0 && crs.wkt === '')) {
    findings.push(crsMissing(`${file} does not say its CRS.`));
    return null;
  }
  return crsOrTold(file, findings, () => {
    const known = crs.code > 0 && /^(EPSG)?$/i.test(crs.org) ? crsByEpsg(crs.code) : null;
    return known ?? crsFromText(crs.wkt || `${crs.org}:${crs.code}`);
  });
}

/** Opens FlatGeobuf 3. With an index, a reading by box fetches the nodes and features that it needs and no more. */
export async function openFlatgeobuf(source: ByteSource): Promise<Layer[]> {
  const start = await source.bytes(0, 12);
  if (start.length < 12)
    throw damaged(source.name, `It has only ${source.size} bytes, less than a header.`, 0);
  if (start[3] !== 3) {
    throw new IsomericError('flatgeobuf-version', `It is of version ${start[3]}; version 3 is read.`, {
      place: { file: source.name, byte: 3 },
    });
  }
  const headerLength = new DataView(start.buffer, start.byteOffset).getUint32(8, true);
  if (headerLength < 8 || headerLength > longestHeader || 12 + headerLength > source.size)
    throw damaged(source.name, `Its header claims ${headerLength} bytes.`, 8);
  const header = readHeader(await source.bytes(12, 12 + headerLength), source.name);
  const indexStart = 12 + headerLength;
  const index = indexLength(header.count, header.nodeSize);
  if (indexStart + index > source.size)
    throw damaged(
      source.name,
      `Its index of ${header.count} features does not fit into the file.`,
      indexStart,
    );
  const findings: Finding[] = [];
  const names: string[] = [];
  const schema = header.fields.map((field) => {
    const name = freeName(field.name, names);
    names.push(name);
    return { ...field, name };
  });
  const crs = crsOf(header, findings, source.name);
  const featuresStart = indexStart + index;
  const read = (box?: Box) =>
    box !== undefined && index > 0
      ? readByBox(source, header, indexStart, featuresStart, box, schema, findings)
      : readAll(source, header, featuresStart, schema, findings);
  return [
    {
      name: header.name || baseName(source.name),
      schema,
      crs,
      kinds:
        header.geometryType >= 1 && header.geometryType <= 7
          ? [kindNames[header.geometryType] as (typeof kindNames)[number]]
          : undefined,
      count: header.count > 0 ? header.count : undefined,
      extent: header.extent,
      readsByBox: index > 0,
      findings,
      accounts: [],
      batches: (options) => read(options?.box),
    },
  ];
}

function tell(findings: Finding[], troubles: FeatureTroubles, file: string): void {
  const once = (finding: Finding) => {
    if (!findings.some((known) => known.code === finding.code)) findings.push(finding);
  };
  if (troubles.values > 0)
    once({
      code: 'value-unreadable',
      severity: 'warning',
      words: `${file}: ${counted(troubles.values, 'value does', 'values do')} not fit the column and became blank.`,
    });
  if (troubles.geometries > 0)
    once({
      code: 'geometry-unsupported',
      severity: 'error',
      words: `${file}: ${counted(troubles.geometries, 'feature has', 'features have')} a kind of geometry that is not read.`,
    });
}

async function* readAll(
  source: ByteSource,
  header: FlatgeobufHeader,
  start: number,
  schema: Layer['schema'],
  findings: Finding[],
): AsyncGenerator<Batch> {
  const maker = new BatchMaker(schema);
  const queue = new ByteQueue(source.stream());
  const troubles: FeatureTroubles = { values: 0, geometries: 0 };
  let number = 0;
  try {
    // The header and the index are passed in pieces, however long they are.
    for (let left = start; left > 0; ) {
      const step = Math.min(left, 1 << 20);
      if ((await queue.ensure(step)) < step)
        throw damaged(source.name, 'The file ends inside its index.', queue.taken);
      queue.take(step);
      left -= step;
    }
    for (;;) {
      const ready = queue.ready < 4 ? await queue.ensure(4) : queue.ready;
      if (ready === 0) break;
      if (ready < 4) throw damaged(source.name, 'The file ends inside the length of a feature.', queue.taken);
      const at = queue.pass(4);
      const length = queue.view.getUint32(at, true);
      if (length < 4 || length > source.size - queue.taken)
        throw damaged(source.name, `Feature ${number + 1} claims ${length} bytes.`, queue.taken - 4);
      if (queue.ready < length && (await queue.ensure(length)) < length)
        throw damaged(source.name, `The file ends inside feature ${number + 1}.`, queue.taken);
      number++;
      readFeature(
        queue.take(length),
        `Feature ${number} of ${source.name}`,
        header.geometryType,
        header.columns,
        maker.geometry,
        maker.columns,
        troubles,
      );
      maker.end();
      yield* maker.take();
    }
    yield* maker.take(true);
  } finally {
    await queue.close();
  }
  if (header.count > 0 && number < header.count)
    throw damaged(
      source.name,
      `The header promises ${header.count} features, but only ${number} are there.`,
      source.size,
    );
  tell(findings, troubles, source.name);
}

async function* readByBox(
  source: ByteSource,
  header: FlatgeobufHeader,
  indexStart: number,
  start: number,
  box: Box,
  schema: Layer['schema'],
  findings: Finding[],
): AsyncGenerator<Batch> {
  const hits = await searchIndex(source, indexStart, header.count, header.nodeSize, box);
  const troubles: FeatureTroubles = { values: 0, geometries: 0 };
  const maker = new BatchMaker(schema, { ids: 'integer' });
  const size = source.size - start;
  for (let k = 0; k < hits.length; ) {
    // A run of features that lie together.
    let last = k;
    const endOf = (hit: { end: number }) => (hit.end < 0 ? size : hit.end);
    while (
      last + 1 < hits.length &&
      hits[last + 1].offset >= hits[last].offset &&
      hits[last + 1].offset - endOf(hits[last]) <= gap &&
      endOf(hits[last + 1]) - hits[k].offset <= piece
    )
      last++;
    const from = hits[k].offset;
    const end = endOf(hits[last]);
    if (!(from >= 0 && from < end && end <= size))
      throw damaged(source.name, 'The index points outside the file.', indexStart);
    const bytes = await source.bytes(start + from, start + end);
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    for (; k <= last; k++) {
      const at = hits[k].offset - from;
      const length = at + 4 <= bytes.length ? view.getUint32(at, true) : -1;
      if (length < 4 || at + 4 + length > bytes.length)
        throw damaged(
          source.name,
          `Feature ${hits[k].number + 1} claims ${length} bytes.`,
          start + from + at,
        );
      readFeature(
        bytes.subarray(at + 4, at + 4 + length),
        `Feature ${hits[k].number + 1} of ${source.name}`,
        header.geometryType,
        header.columns,
        maker.geometry,
        maker.columns,
        troubles,
      );
      maker.ids!.number(hits[k].number + 1);
      maker.end();
    }
    yield* maker.take();
  }
  yield* maker.take(true);
  tell(findings, troubles, source.name);
}
