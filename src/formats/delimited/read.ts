import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type Mark, markReasons } from '../../core/table/marks.ts';
import { ValueReader } from '../../core/table/value-reader.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { decodeText, textPieces } from '../bytes/code-pages.ts';
import { askedEncoding, isUtf8 } from '../bytes/encodings.ts';
import { describedBy, type TableDescription } from '../csvw/metadata.ts';
import { baseName } from '../opening/names.ts';
import { asObservations, isSdmxCsv, sdmxCodeColumns } from '../sdmx/csv.ts';
import { applyDescription } from './described.ts';
import { delimiters, findDelimiter, firstRows, RowScanner } from './scan.ts';
import { namedTable } from './sniff.ts';
import { isBlankRow, quoteOpen, RowSurvey, type TablePlan } from './survey.ts';

/** Bytes looked at to find the delimiter, the encoding and the header. */
const headLength = 65_536;
/** Rows looked at to find the header. */
const headerRows = 100;

export interface DelimitedReading {
  encoding?: string;
  delimiter?: ',' | ';' | '\t' | '|';
  /** Marks in place of figures, besides those that everybody uses. */
  marks?: readonly Mark[];
  /** Rows of the header, when that is known. */
  headerRows?: number;
  /** What stands beside the file, for its metadata. */
  around?: Surroundings | null;
  path?: string;
}

/** The text as UTF-8 bytes, without a byte-order mark. */
async function* textStream(source: ByteSource, encoding: string): AsyncGenerator<Uint8Array> {
  const decoder = encoding === 'utf-8' ? null : textPieces(encoding);
  const encoder = new TextEncoder();
  let first = true;
  for await (let chunk of source.stream()) {
    if (decoder !== null) chunk = encoder.encode(decoder.write(chunk));
    if (first && chunk[0] === 0xef && chunk[1] === 0xbb && chunk[2] === 0xbf) chunk = chunk.subarray(3);
    first = false;
    yield chunk;
  }
  const rest = decoder?.end();
  if (rest) yield encoder.encode(rest);
}

/** Delimited text as it lies there: how it is divided and encoded. */
interface Layout {
  encoding: string;
  delimiter: number;
  first: string[][];
}

interface Plan extends TablePlan {
  encoding: string;
  delimiter: number;
}

/** Encoding, delimiter and first rows of a text. */
async function layoutOf(source: ByteSource, asked: DelimitedReading): Promise<Layout> {
  const head = await source.bytes(0, headLength);
  const complete = source.size <= headLength;
  let encoding = 'utf-8';
  if (asked.encoding !== undefined) encoding = askedEncoding(asked.encoding);
  else if (head[0] === 0xff && head[1] === 0xfe) encoding = 'utf-16le';
  else if (head[0] === 0xfe && head[1] === 0xff) encoding = 'utf-16be';
  else if (!isUtf8(head)) encoding = 'windows-1252';
  let text = encoding === 'utf-8' ? head : new TextEncoder().encode(decodeText(head, encoding));
  if (text[0] === 0xef && text[1] === 0xbb && text[2] === 0xbf) text = text.subarray(3);
  const delimiter =
    asked.delimiter !== undefined
      ? delimiters[asked.delimiter]
      : (findDelimiter(text, complete) ?? (namedTable(source.name) ? delimiters[','] : undefined));
  if (delimiter === undefined) {
    throw new IsomericError(
      'delimiter-unknown',
      'No delimiter divides its rows into the same number of fields.',
      { place: { file: source.name }, advice: 'Is it a table? Comma, semicolon, tab and | are tried.' },
    );
  }
  return { encoding, delimiter, first: firstRows(text, complete, delimiter, headerRows).rows };
}

/**
 * Opens delimited text as a table: delimiter and encoding found, the header found under titles and over a second row,
 * notes below set aside, types worked out over every value. Read twice.
 */
export async function openDelimited(source: ByteSource, given: DelimitedReading = {}): Promise<Table[]> {
  const findings: Finding[] = [];
  const described = await describedBy(given.around ?? null, given.path ?? '');
  const asked = described === null ? given : asDescribed(given, described);
  const layout = await layoutOf(source, asked);
  const names = layout.first[0] ?? [];
  const sdmx = isSdmxCsv(names);
  const text = sdmx ? sdmxCodeColumns(names) : described?.columns.map((column) => column.text);
  const plan = await survey(source, layout, findings, asked, text);
  const schema =
    described === null ? plan.fields : applyDescription(plan.fields, described, source.name, findings);
  const table: Table = {
    name: baseName(source.name),
    schema,
    count: plan.rows,
    title: described?.title ?? plan.header.above[0],
    notes: [...plan.header.above, ...plan.notes],
    findings,
    accounts: [],
    batches: () => readRows(source, plan),
  };
  return [sdmx ? await asObservations(table) : table];
}

/** The way of reading that metadata asks for; what the user asked goes first. */
function asDescribed(given: DelimitedReading, described: TableDescription): DelimitedReading {
  const delimiter = Object.keys(delimiters).find((each) => each === described.delimiter);
  return {
    ...given,
    encoding: given.encoding ?? described.encoding,
    delimiter: given.delimiter ?? (delimiter as DelimitedReading['delimiter']),
    marks: [...described.marks, ...(given.marks ?? [])],
  };
}

async function survey(
  source: ByteSource,
  layout: Layout,
  findings: Finding[],
  asked: DelimitedReading,
  asText?: readonly boolean[],
): Promise<Plan> {
  const { encoding, delimiter } = layout;
  const scanner = new RowScanner(delimiter);
  const rows = new RowSurvey({
    name: source.name,
    marks: markReasons(asked.marks ?? []),
    semicolons: delimiter === delimiters[';'],
    first: layout.first,
    headerRows: asked.headerRows,
    text: asText,
  });
  let skip = rows.skipped;
  const row = () => {
    if (skip > 0) skip--;
    else if (isBlankRow(scanner)) rows.blank++;
    else rows.see(scanner.bytes, scanner.starts, scanner.ends, scanner.fields, scanner.line);
  };
  const checker = encoding === 'utf-8' ? new TextDecoder('utf-8', { fatal: true }) : null;
  for await (const chunk of textStream(source, encoding)) {
    try {
      if (checker !== null && !isAscii(chunk)) checker.decode(chunk, { stream: true });
    } catch {
      const head = await source.bytes(0, headLength);
      const text = new TextEncoder().encode(decodeText(head, 'windows-1252'));
      const { rows: first } = firstRows(text, source.size <= headLength, delimiter, headerRows);
      return survey(source, { ...layout, encoding: 'windows-1252', first }, findings, asked, asText);
    }
    scanner.push(chunk, row);
  }
  if (scanner.finish(row)) throw quoteOpen(source.name, scanner.line);
  if (encoding !== 'utf-8' && asked.encoding === undefined)
    findings.push({
      code: 'encoding-guessed',
      severity: 'note',
      words: `${source.name} is not UTF-8; it was read as ${encoding}.`,
    });
  return { encoding, delimiter, ...rows.close(findings) };
}

/** True when no byte is above 127; then there is nothing to check, unless a character was cut before. */
function isAscii(bytes: Uint8Array): boolean {
  let all = 0;
  for (let k = 0; k < bytes.length; k++) all |= bytes[k];
  return all < 128;
}

async function* readRows(source: ByteSource, plan: Plan): AsyncGenerator<Batch> {
  const { fields } = plan;
  const scanner = new RowScanner(plan.delimiter);
  const builders = fields.map((field) => new ColumnBuilder(field.type));
  const readers = plan.readings.map((reading) => new ValueReader(reading));
  let skip = plan.header.dataRow;
  let left = plan.rows;
  let first = 0;
  let n = 0;
  const full: Batch[] = [];
  const finish = () => {
    full.push(
      new Batch({ length: n, first, geometry: null, columns: builders.map((builder) => builder.finish()) }),
    );
    first += n;
    n = 0;
  };
  const row = () => {
    if (skip > 0) {
      skip--;
      return;
    }
    if (left === 0 || isBlankRow(scanner)) return;
    left--;
    const { bytes, starts, ends } = scanner;
    const there = Math.min(scanner.fields, fields.length);
    for (let f = 0; f < there; f++) readers[f].put(builders[f], bytes, starts[f], ends[f]);
    for (let f = there; f < fields.length; f++) builders[f].null();
    if (++n === batchLimit) finish();
  };
  for await (const chunk of textStream(source, plan.encoding)) {
    scanner.push(chunk, row);
    while (full.length > 0) yield full.shift()!;
    if (left === 0) break;
  }
  if (left > 0) scanner.finish(row);
  if (n > 0) finish();
  yield* full;
}
