import iconv from 'iconv-lite';
import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type Field, freeName } from '../../core/table/schema.ts';
import { parseDate, parseTimestamp } from '../../core/table/time.ts';
import type { ByteSource } from '../byte-source.ts';
import { askedEncoding } from '../encodings.ts';
import { baseName } from '../names.ts';
import { delimiters, findDelimiter, RowScanner } from './scan.ts';
import { namedTable } from './sniff.ts';
import { numberFrom, TypeGuess } from './types.ts';

/** Bytes looked at to find the delimiter and the encoding. */
const headLength = 65_536;

type Encoding = string;

function isUtf8(bytes: Uint8Array): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: true });
    return true;
  } catch {
    return false;
  }
}

/** The text as UTF-8 bytes, without a byte-order mark. */
async function* textStream(source: ByteSource, encoding: Encoding): AsyncGenerator<Uint8Array> {
  const decoder = encoding === 'utf-8' ? null : iconv.getDecoder(encoding);
  const encoder = new TextEncoder();
  let first = true;
  for await (let chunk of source.stream()) {
    if (decoder !== null) chunk = encoder.encode(decoder.write(chunk as Buffer));
    if (first && chunk[0] === 0xef && chunk[1] === 0xbb && chunk[2] === 0xbf) chunk = chunk.subarray(3);
    first = false;
    yield chunk;
  }
  const rest = decoder?.end();
  if (rest) yield encoder.encode(rest);
}

interface Plan {
  encoding: Encoding;
  delimiter: number;
  fields: Field[];
  rows: number;
}

/** Opens delimited text as a table: delimiter and encoding found, types worked out over every value. Read twice. */
export async function openDelimited(source: ByteSource, asked?: string): Promise<Table[]> {
  const head = await source.bytes(0, headLength);
  const complete = source.size <= headLength;
  const findings: Finding[] = [];
  let encoding: Encoding = 'utf-8';
  if (asked !== undefined) encoding = askedEncoding(asked);
  else if (head[0] === 0xff && head[1] === 0xfe) encoding = 'utf-16le';
  else if (head[0] === 0xfe && head[1] === 0xff) encoding = 'utf-16be';
  else if (!isUtf8(head)) encoding = 'windows-1252';
  const text = encoding === 'utf-8' ? head : new TextEncoder().encode(iconv.decode(head as Buffer, encoding));
  const delimiter = findDelimiter(text, complete) ?? (namedTable(source.name) ? delimiters[','] : undefined);
  if (delimiter === undefined) {
    throw new IsomericError(
      'delimiter-unknown',
      'No delimiter divides its rows into the same number of fields.',
      { place: { file: source.name }, advice: 'Is it a table? Comma, semicolon, tab and | are tried.' },
    );
  }
  const plan = await survey(source, encoding, delimiter, findings, asked);
  return [
    {
      name: baseName(source.name),
      schema: plan.fields,
      count: plan.rows,
      findings,
      accounts: [],
      batches: () => readRows(source, plan),
    },
  ];
}

async function survey(
  source: ByteSource,
  encoding: Encoding,
  delimiter: number,
  findings: Finding[],
  asked?: string,
): Promise<Plan> {
  const scanner = new RowScanner(delimiter);
  const decoder = new TextDecoder();
  const names: string[] = [];
  const guesses: TypeGuess[] = [];
  let rows = -1;
  let ragged = 0;
  let raggedLine = 0;
  let latin = false;
  const row = () => {
    rows++;
    if (rows === 0) {
      for (let f = 0; f < scanner.fields; f++) {
        const name =
          decoder.decode(scanner.bytes.subarray(scanner.start(f), scanner.ends[f])).trim() ||
          `column_${f + 1}`;
        const free = freeName(name, names);
        if (free !== name)
          findings.push({
            code: 'column-twice',
            severity: 'note',
            words: `${source.name}: the column name ${name} occurs again; the later one is called ${free}.`,
          });
        names.push(free);
        guesses.push(new TypeGuess());
      }
      return;
    }
    if (scanner.fields !== names.length) {
      ragged++;
      if (raggedLine === 0) raggedLine = scanner.line;
    }
    const count = Math.min(scanner.fields, names.length);
    for (let f = 0; f < count; f++) {
      const start = scanner.start(f);
      if (scanner.ends[f] > start) guesses[f].see(scanner.bytes, start, scanner.ends[f]);
    }
  };
  const checker = encoding === 'utf-8' ? new TextDecoder('utf-8', { fatal: true }) : null;
  for await (const chunk of textStream(source, encoding)) {
    try {
      checker?.decode(chunk, { stream: true });
    } catch {
      latin = true;
      break;
    }
    scanner.push(chunk, row);
  }
  if (latin) return survey(source, 'windows-1252', delimiter, findings);
  if (scanner.finish(row)) {
    throw new IsomericError('quote-open', 'A quote is opened and never closed.', {
      place: { file: source.name, line: scanner.line },
      advice: 'The file is damaged or was cut short.',
    });
  }
  if (encoding !== 'utf-8' && asked === undefined)
    findings.push({
      code: 'encoding-guessed',
      severity: 'note',
      words: `${source.name} is not UTF-8; it was read as ${encoding}.`,
    });
  if (ragged > 0) {
    findings.push({
      code: 'rows-ragged',
      severity: 'warning',
      words: `${source.name}: ${grouped(ragged)} rows have more or fewer fields than the ${names.length} of the header, the first on line ${raggedLine}; missing ones are blank, surplus ones are left out.`,
    });
  }
  return {
    encoding,
    delimiter,
    rows: Math.max(0, rows),
    fields: names.map((name, f) => ({ name, type: guesses[f].type })),
  };
}

async function* readRows(source: ByteSource, plan: Plan): AsyncGenerator<Batch> {
  const { fields } = plan;
  const scanner = new RowScanner(plan.delimiter);
  let builders = fields.map((field) => new ColumnBuilder(field.type));
  let header = true;
  let first = 0;
  let n = 0;
  const full: Batch[] = [];
  const finish = () => {
    full.push(
      new Batch({ length: n, first, geometry: null, columns: builders.map((builder) => builder.finish()) }),
    );
    builders = fields.map((field) => new ColumnBuilder(field.type));
    first += n;
    n = 0;
  };
  const text = (start: number, end: number) => String.fromCharCode(...scanner.bytes.subarray(start, end));
  const row = () => {
    if (header) {
      header = false;
      return;
    }
    for (let f = 0; f < fields.length; f++) {
      const builder = builders[f];
      const start = scanner.start(f);
      const end = scanner.ends[f];
      if (f >= scanner.fields || start === end) {
        builder.null();
        continue;
      }
      switch (fields[f].type) {
        case 'integer':
        case 'real':
          builder.number(numberFrom(scanner.bytes, start, end));
          break;
        case 'boolean':
          builder.number((scanner.bytes[start] | 32) === 116 ? 1 : 0);
          break;
        case 'date':
          builder.number(parseDate(text(start, end)));
          break;
        case 'timestamp':
          builder.number(parseTimestamp(text(start, end)));
          break;
        default:
          builder.raw(scanner.bytes, start, end);
      }
    }
    if (++n === batchLimit) finish();
  };
  for await (const chunk of textStream(source, plan.encoding)) {
    scanner.push(chunk, row);
    while (full.length > 0) yield full.shift()!;
  }
  scanner.finish(row);
  if (n > 0) finish();
  yield* full;
}
