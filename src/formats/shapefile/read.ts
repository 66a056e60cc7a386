import { counted, grouped } from '../../core/account.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Box, KindName } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { ByteQueue, type ByteSource, type Surroundings, wholeSource } from '../bytes/byte-source.ts';
import { askedEncoding, encodingFromText } from '../bytes/encodings.ts';
import { crsMissing, crsOrTold } from '../making/layer-findings.ts';
import { besideOf } from '../opening/beside.ts';
import { baseName, ending } from '../opening/names.ts';
import { DbaseColumns, type DbaseHeader, dbaseSchema, readDbaseHeader } from './dbase.ts';
import { dbaseTroubles } from './dbase-troubles.ts';
import { ShapeReader, type ShapeTroubles, shapeClass } from './shapes.ts';

const kindsOf: Record<number, KindName[]> = {
  1: ['Point'],
  3: ['LineString', 'MultiLineString'],
  5: ['Polygon', 'MultiPolygon'],
  8: ['MultiPoint'],
  0: [],
};

/** Most vertices in one batch: half a megabyte of coordinates, which caches hold. */
const vertexLimit = 32_768;

interface ShapefileSet {
  shp: ByteSource;
  dbf: ByteSource | null;
  header: DbaseHeader | null;
  crs: Crs | null;
  findings: Finding[];
  box: Box;
  type: number;
  /** Length of the file, as its header says. */
  stated: number;
}

/** The other parts of the set: same folder, same base name, any letter case. */
export async function siblings(
  shp: ByteSource,
  around: Surroundings | null,
  path: string,
): Promise<Map<string, ByteSource>> {
  const parts = new Map<string, ByteSource>();
  if (around === null) return parts;
  for (const other of (await besideOf(around)).withStemOf(path)) {
    const end = ending(other);
    if (['dbf', 'prj', 'cpg', 'shx', 'dbt', 'fpt'].includes(end)) parts.set(end, await around.open(other));
  }
  parts.delete(ending(shp.name) === 'shp' ? 'shp' : '');
  return parts;
}

/** The encoding that a .cpg file names; undefined when it names none that is known. */
export async function saidEncoding(
  cpg: ByteSource | undefined,
  findings: Finding[],
): Promise<string | undefined> {
  if (cpg === undefined) return undefined;
  const said = new TextDecoder().decode(await wholeSource(cpg, 1000));
  const encoding = encodingFromText(said);
  if (encoding === undefined)
    findings.push({
      code: 'encoding-unknown',
      severity: 'note',
      words: `${cpg.name}: the encoding “${said.trim().slice(0, 40)}” is not known.`,
    });
  return encoding;
}

/** The memo file of a set: dBASE's own or the one of later programs. */
export function memoAmong(parts: ReadonlyMap<string, ByteSource>): ByteSource | null {
  return parts.get('fpt') ?? parts.get('dbt') ?? null;
}

async function openSet(
  shp: ByteSource,
  around: Surroundings | null,
  path: string,
  asked?: string,
): Promise<ShapefileSet> {
  const findings: Finding[] = [];
  if (shp.size < 100) {
    throw new IsomericError(
      'shapefile-damaged',
      `It has ${shp.size} bytes, less than a shapefile's header.`,
      { place: { file: shp.name, byte: 0 }, advice: 'The file was cut short: get it again.' },
    );
  }
  const head = await shp.bytes(0, 100);
  const view = new DataView(head.buffer, head.byteOffset, 100);
  const type = view.getInt32(32, true);
  if (shapeClass(type) < 0) {
    throw new IsomericError(
      'shape-type-unsupported',
      `Its shape type is ${type}${type === 31 ? ' (multipatch)' : ''}, which is not read.`,
      { place: { file: shp.name, byte: 32 } },
    );
  }
  const stated = 2 * view.getInt32(24, false);
  if (stated !== shp.size) {
    findings.push({
      code: 'length-wrong',
      severity: stated > shp.size ? 'error' : 'note',
      words: `${shp.name}: the header says ${grouped(stated)} bytes, the file has ${grouped(shp.size)}.`,
      repair: stated > shp.size ? 'the file was cut short: get it again' : undefined,
    });
  }
  const parts = await siblings(shp, around, path);
  const missing = ['shx', 'dbf', 'prj'].filter((end) => !parts.has(end));
  if (missing.includes('dbf'))
    findings.push({
      code: 'part-missing',
      severity: 'warning',
      words: `${shp.name}: there is no .dbf beside it, so the features have no attributes.`,
    });
  if (missing.includes('shx'))
    findings.push({
      code: 'part-missing',
      severity: 'note',
      words: `${shp.name}: there is no .shx beside it; it is read without.`,
    });
  let crs: Crs | null = null;
  const prj = parts.get('prj');
  if (prj === undefined)
    findings.push(crsMissing(`${shp.name}: there is no .prj beside it, so its CRS is not known.`));
  else {
    const text = new TextDecoder().decode(await wholeSource(prj, 100_000));
    crs = crsOrTold(prj.name, findings, () => crsFromText(text));
  }
  const dbf = parts.get('dbf') ?? null;
  let header: DbaseHeader | null = null;
  if (dbf !== null) {
    const encoding =
      asked === undefined ? await saidEncoding(parts.get('cpg'), findings) : askedEncoding(asked);
    header = await readDbaseHeader(dbf, encoding, memoAmong(parts));
    findings.push(...header.findings);
  }
  const box: Box = [
    view.getFloat64(36, true),
    view.getFloat64(44, true),
    view.getFloat64(52, true),
    view.getFloat64(60, true),
  ];
  return { shp, dbf, header, crs, findings, box, type, stated };
}

async function* readBatches(set: ShapefileSet, findings: Finding[]): AsyncGenerator<Batch> {
  const queue = new ByteQueue(set.shp.stream());
  const rows = set.dbf === null ? null : new ByteQueue(set.dbf.stream());
  const columns = set.header === null ? null : new DbaseColumns(set.header);
  const recordLength = set.header?.recordLength ?? 0;
  const rowCount = set.header?.records ?? 0;
  // A record of a few bytes more than its coordinates: room for what there is, up to a full batch.
  const builder = new GeometryMaker(Math.min(vertexLimit + 2000, Math.ceil(set.shp.size / 16)));
  const troubles: ShapeTroubles = { wrongDirection: 0, unclosed: 0 };
  const shapes = new ShapeReader(builder, troubles);
  const damaged = (
    words: string,
    byte: number,
    advice = 'The file is damaged or was cut short: get it again.',
  ) => new IsomericError('shapefile-damaged', words, { place: { file: set.shp.name, byte }, advice });
  let record = 0;
  let first = 0;
  let n = 0;
  let deleted = 0;
  let withoutRow = 0;
  let otherKinds = 0;
  let behind = 0;
  const finish = (): Batch => {
    const batch = new Batch({
      length: n,
      first,
      geometry: builder.finish(),
      columns: columns?.builders.map((each) => each.finish()) ?? [],
    });
    first += n;
    n = 0;
    return batch;
  };
  try {
    await queue.ensure(100);
    queue.pass(100);
    if (rows !== null) {
      await rows.ensure(set.header!.headerLength);
      rows.pass(set.header!.headerLength);
    }
    for (;;) {
      if (queue.ready < 8 && (await queue.ensure(8)) < 8) break;
      const head = queue.pass(8);
      const length = 2 * queue.view.getInt32(head + 4);
      const at = queue.taken;
      // What stands behind the length that the header states is read only where it goes on as records do.
      if (
        at - 8 >= set.stated &&
        (queue.view.getInt32(head) !== record + 1 || length < 4 || length > set.shp.size - at)
      ) {
        behind = set.shp.size - (at - 8);
        break;
      }
      if (length < 4 || length > set.shp.size - at)
        throw damaged(
          `Record ${record + 1} claims ${length} bytes, but ${set.shp.size - at} are left.`,
          at - 8,
        );
      if (queue.ready < length && (await queue.ensure(length)) < length)
        throw damaged(`The file ends inside record ${record + 1}.`, at);
      const content = queue.pass(length);
      record++;
      let row = -1;
      if (
        rows !== null &&
        record <= rowCount &&
        (rows.ready >= recordLength || (await rows.ensure(recordLength)) >= recordLength)
      ) {
        row = rows.pass(recordLength);
        if (rows.buffer[row] === 0x2a) {
          deleted++;
          continue;
        }
      }
      const kind = queue.view.getInt32(content, true);
      if (kind !== set.type && kind !== 0) otherKinds++;
      const before = builder.features;
      if (!shapes.read(queue.buffer, queue.view, content, length) || builder.features !== before + 1) {
        throw damaged(
          `The counts in record ${record} do not fit its length.`,
          at,
          'The file is damaged: get it again.',
        );
      }
      if (columns !== null) {
        if (row < 0) {
          withoutRow++;
          columns.blank();
        } else {
          if (set.header!.memo !== null) await set.header!.memo.load(rows!.buffer, row);
          columns.add(rows!.buffer, row);
        }
      }
      n++;
      if (n === batchLimit || builder.vertices > vertexLimit) yield finish();
    }
    if (n > 0) yield finish();
  } finally {
    await queue.close();
    await rows?.close();
  }
  const surplus = Math.max(0, rowCount - record);
  tell(set, findings, { troubles, columns, deleted, withoutRow, otherKinds, behind, surplus });
}

/** Adds what a whole reading found, once. */
function tell(
  set: ShapefileSet,
  findings: Finding[],
  seen: {
    troubles: ShapeTroubles;
    columns: DbaseColumns | null;
    deleted: number;
    withoutRow: number;
    /** Records of another kind than the header says, bytes behind the last record, rows without a shape. */
    otherKinds: number;
    behind: number;
    surplus: number;
  },
): void {
  const once = (finding: Finding) => {
    if (!findings.some((known) => known.code === finding.code)) findings.push(finding);
  };
  const { troubles, columns, deleted, withoutRow } = seen;
  const name = set.shp.name;
  if (troubles.wrongDirection > 0)
    once({
      code: 'ring-direction',
      severity: 'note',
      words: `${name}: ${counted(troubles.wrongDirection, 'polygon has', 'polygons have')} rings that run the wrong way; holes were told by where they lie.`,
    });
  if (troubles.unclosed > 0)
    once({
      code: 'ring-closed',
      severity: 'note',
      words: `${name}: ${counted(troubles.unclosed, 'ring did', 'rings did')} not end where it begins, and was closed.`,
    });
  if (columns !== null)
    for (const finding of dbaseTroubles(set.dbf!.name, columns, deleted, ', shapes and all')) once(finding);
  if (seen.otherKinds > 0)
    once({
      code: 'shape-kind-other',
      severity: 'warning',
      words: `${name}: ${counted(seen.otherKinds, 'record is', 'records are')} of another kind than the file says; ${seen.otherKinds === 1 ? 'it is' : 'they are'} read as what ${seen.otherKinds === 1 ? 'it is' : 'they are'}.`,
    });
  if (seen.behind > 0)
    once({
      code: 'bytes-behind',
      severity: 'note',
      words: `${name}: ${counted(seen.behind, 'byte', 'bytes')} behind the length that its header states are no records and were left out.`,
    });
  if (seen.surplus > 0)
    once({
      code: 'rows-surplus',
      severity: 'warning',
      words: `${set.dbf!.name}: ${counted(seen.surplus, 'row has', 'rows have')} no shape in ${name} and ${seen.surplus === 1 ? 'was' : 'were'} left out.`,
      repair: 'get the whole set again',
    });
  if (withoutRow > 0)
    once({
      code: 'rows-missing',
      severity: 'error',
      words: `${name}: ${counted(withoutRow, 'shape has', 'shapes have')} no row in the .dbf, and blank attributes.`,
      repair: 'get the .dbf again',
    });
}

/** Number of records, by hopping from header to header in the .shx when it is there, else from the .dbf. */
async function countOf(
  set: ShapefileSet,
  around: Surroundings | null,
  path: string,
): Promise<number | undefined> {
  const shx = (await siblings(set.shp, around, path)).get('shx');
  if (shx !== undefined && shx.size >= 100) {
    try {
      // In an archive, its checksum is held against it.
      await shx.bytes(0, 100);
      return Math.floor((shx.size - 100) / 8);
    } catch (error) {
      if (!(error instanceof IsomericError)) throw error;
      set.findings.push({
        code: 'part-damaged',
        severity: 'error',
        words: `${shx.name}: it is damaged; the shapes were read without it. ${error.message}`,
        repair: 'get the whole set again',
      });
    }
  }
  return set.header?.records;
}

/** Opens a shapefile set from its .shp and what stands beside it. */
export async function openShapefile(
  shp: ByteSource,
  around: Surroundings | null,
  path: string,
  encoding?: string,
): Promise<Layer[]> {
  const set = await openSet(shp, around, path, encoding);
  const schema = set.header === null ? [] : dbaseSchema(set.header);
  const kinds = kindsOf[shapeClass(set.type)];
  const findings = set.findings;
  const extent =
    set.box.every(Number.isFinite) && set.box[0] <= set.box[2] && set.box[1] <= set.box[3]
      ? set.box
      : undefined;
  return [
    {
      name: baseName(path),
      schema,
      crs: set.crs,
      kinds,
      extent,
      count: await countOf(set, around, path),
      findings,
      accounts: [],
      batches: () => readBatches(set, findings),
    },
  ];
}
