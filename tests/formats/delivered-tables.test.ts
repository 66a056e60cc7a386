import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Column, type Mark, type Table, type Value } from '../../src/core/index.ts';
import { numberFrom } from '../../src/core/table/number-text.ts';
import { dateFromBytes, parseDate } from '../../src/core/table/time.ts';
import { RowScanner } from '../../src/formats/delimited/scan.ts';
import { openSource, sourceFromBytes } from '../../src/formats/index.ts';

const bytesOf = (text: string) => new TextEncoder().encode(text);

async function open(text: string, more: { marks?: Mark[]; name?: string } = {}): Promise<Table> {
  const name = more.name ?? 'table.csv';
  const [{ table }] = await openSource(sourceFromBytes(bytesOf(text), name), {
    around: null,
    path: name,
    capabilities: {},
    geometry: 'none',
    marks: more.marks,
  });
  return table;
}

/** Values by column, and the reason beside each. */
async function columnsOf(
  table: Table,
): Promise<Record<string, { values: Value[]; reasons: (string | null)[] }>> {
  const columns = Object.fromEntries(
    table.schema.map((field) => [field.name, { values: [] as Value[], reasons: [] as (string | null)[] }]),
  );
  for await (const batch of table.batches())
    batch.columns.forEach((column, c) => {
      const field = table.schema[c];
      for (let i = 0; i < batch.length; i++) {
        columns[field.name].values.push(column.value(i));
        columns[field.name].reasons.push(field.marks?.[(column.marks?.[i] ?? 0) - 1]?.reason ?? null);
      }
    });
  return columns;
}

const codes = (table: Table) => table.findings.map((finding) => finding.code).sort();

describe('headers', () => {
  it('are found under titles; a second row gives titles, notes below are set aside', async () => {
    const table = await open(
      'Statistics Office of Teskaria\n"Table H1, 2024"\n\nAREA,H001,H002\nArea identifier,Households in all,"Households, no car"\n0101,204,12\n0102,98,7\n\nSource: census of 2024.\n1) Without institutions.\n',
    );
    expect(table.schema).toEqual([
      { name: 'AREA', type: 'text', role: 'code', title: 'Area identifier' },
      { name: 'H001', type: 'integer', title: 'Households in all' },
      { name: 'H002', type: 'integer', title: 'Households, no car' },
    ]);
    expect(table.count).toBe(2);
    expect(table.title).toBe('Statistics Office of Teskaria');
    expect(table.notes).toEqual([
      'Statistics Office of Teskaria',
      'Table H1, 2024',
      'Source: census of 2024.',
      '1) Without institutions.',
    ]);
    expect((await columnsOf(table)).AREA.values).toEqual(['0101', '0102']);
    expect(codes(table)).toEqual(['header-two-rows', 'notes-below', 'titles-above']);
  });

  it('of groups over names are put together; units in the second row become units', async () => {
    const groups = await open(
      'Ward,Households,,Persons,\n,all,no car,all,over 65\n0101,20,3,44,6\n0102,30,5,70,9\n',
    );
    expect(groups.schema.map((field) => field.name)).toEqual([
      'Ward',
      'Households all',
      'Households no car',
      'Persons all',
      'Persons over 65',
    ]);
    const units = await open('ward;area;share\n;km²;%\n0101;3.5;12.1\n0102;4.5;9.9\n');
    expect(units.schema.map((field) => field.unit)).toEqual([undefined, 'km²', '%']);
    const below = await open(
      'Ward of the census,Number of households,Share without a car\nAREA,H001,H002\n0101,20,3.5\n0102,30,4.5\n',
    );
    expect(below.schema.map((field) => [field.name, field.title])).toEqual([
      ['AREA', 'Ward of the census'],
      ['H001', 'Number of households'],
      ['H002', 'Share without a car'],
    ]);
  });

  it('of one row stay so, and first rows of text are data where nothing speaks against it', async () => {
    const names = await open('code,name\n0101,Upham\n0102,Lowham\n');
    expect(names.count).toBe(2);
    const years = await open('ward,2019,2024\n0101,5,6\n0102,7,8\n');
    expect(years.schema.map((field) => field.name)).toEqual(['ward', '2019', '2024']);
    const kinds = await open('kind,note\nroad,a long way to go\npath,a short way to go\n');
    expect(kinds.count).toBe(2);
  });

  it('that are missing are told', async () => {
    const table = await open('0101,5.5,Upham\n0102,6.5,Lowham\n0103,7.5,Midham\n');
    expect(table.schema.map((field) => field.name)).toEqual(['column_1', 'column_2', 'column_3']);
    expect(table.count).toBe(3);
    expect(codes(table)).toContain('header-missing');
  });

  it('a last row that has only a key is data, a line that reads as a note is none', async () => {
    expect((await open('code,n\n0101,5\n0102,\n')).count).toBe(2);
    expect((await open('code,n\n0101,5\n0102,6\n* = suppressed\n')).count).toBe(2);
    expect(
      (await open('code,n\n0101,5\n\n0102,6\nThe figures were rounded to the nearest five.,\n')).count,
    ).toBe(2);
  });
});

describe('marks in place of figures', () => {
  it('become reasons beside a blank, never zero; bounds keep their figure', async () => {
    const table = await open(
      'code,n,income\na,5,"41,000"\nb,.,"250,000+"\nc,*,"2,500-"\nd,(X),N/A\ne,0,-666666666\nf,<5,"17,500"\ng,,38000\n',
    );
    const { n, income } = await columnsOf(table);
    expect(table.schema.map((field) => field.type)).toEqual(['text', 'integer', 'integer']);
    expect(n.values).toEqual([5, null, null, null, 0, null, null]);
    expect(n.reasons).toEqual([null, 'missing', 'suppressed', 'not applicable', null, 'under a limit', null]);
    expect(income.values).toEqual([41_000, 250_000, 2500, null, null, 17_500, 38_000]);
    expect(income.reasons).toEqual([null, 'at least', 'at most', 'missing', 'not reliable', null, null]);
  });

  it('mean what the file says of them, and what the user says before that', async () => {
    const text =
      'code,n\na,5\nb,.\nc,:\nd,7\nNote: . = suppressed to protect confidentiality\n: = not available\n';
    expect((await columnsOf(await open(text))).n.reasons).toEqual([null, 'suppressed', 'missing', null]);
    const own = await open(text, {
      marks: [
        { text: '.', reason: 'counted elsewhere' },
        { text: '7', reason: 'missing' },
      ],
    });
    const { n } = await columnsOf(own);
    expect(n.reasons).toEqual([null, 'counted elsewhere', 'missing', 'missing']);
    expect(n.values).toEqual([5, null, null, null]);
  });

  it('are no marks among words, and numbers like −9999 are told, not taken away', async () => {
    const words = await open('code,grade\na,A\nb,-\nc,D\n');
    expect((await columnsOf(words)).grade.values).toEqual(['A', '-', 'D']);
    const doubtful = await open('code,depth\na,5\nb,-9999\nc,7\nd,-9999\n');
    expect((await columnsOf(doubtful)).depth.values).toEqual([5, -9999, 7, -9999]);
    expect(doubtful.findings).toMatchObject([
      { code: 'mark-suspected', words: expect.stringContaining('2 times') },
    ]);
    // With other negatives it is a figure among figures.
    expect(codes(await open('code,depth\na,5\nb,-9999\nc,-7\nd,1\n'))).toEqual([]);
  });

  it('stay with their values through taking, handing over and back', async () => {
    const table = await open('code,n\na,5\nb,.\nc,*\n');
    for await (const batch of table.batches()) {
      const taken = batch.take([2, 0, 1, -1].filter((i) => i >= 0));
      expect([...taken.columns[1].marks!]).toEqual([2, 0, 1]);
      const copy = new Column(structuredClone(taken.columns[1].buffers()));
      expect([...copy.marks!]).toEqual([2, 0, 1]);
    }
  });
});

describe('types', () => {
  it('a number is a number however it is written, in one way for the whole file', async () => {
    const comma = await open('code;a;b;c\nx;1.234,5;12,5;1.234\ny;-2,25;7;5.678\n');
    expect((await columnsOf(comma)).a.values).toEqual([1234.5, -2.25]);
    expect((await columnsOf(comma)).b.values).toEqual([12.5, 7]);
    // Dots divide thousands, since commas are decimal elsewhere in the file.
    expect((await columnsOf(comma)).c.values).toEqual([1234, 5678]);
    const point = await open('code,a,b\nx,"1,234.5",1 234\ny,-2.25,12 345 678\n');
    expect((await columnsOf(point)).a.values).toEqual([1234.5, -2.25]);
    expect((await columnsOf(point)).b.values).toEqual([1234, 12_345_678]);
    const signs = await open('code,share,cost\na,12.5%,$10\nb,7%,"$1,250"\n');
    expect((await columnsOf(signs)).share.values).toEqual([12.5, 7]);
    expect((await columnsOf(signs)).cost.values).toEqual([10, 1250]);
    expect(signs.schema.map((field) => field.unit)).toEqual([undefined, '%', '$']);
    const unsure = await open('code;n\na;1,234\nb;5,678\n');
    expect(codes(unsure)).toEqual(['number-style-guessed']);
  });

  it('codes keep their zeros; digits of one length under a name that says so are codes too', async () => {
    const table = await open('ward_code,old,n\n110101,0101,7\n110102,0102,12\n');
    expect(table.schema.map((field) => [field.type, field.role])).toEqual([
      ['text', 'code'],
      ['text', 'code'],
      ['integer', undefined],
    ]);
  });

  it('dates are read day first or month first when one value proves it, and stay text when none does', async () => {
    const table = await open(
      'code,a,b,c,d\n1a,31.12.2024,03/25/2024,01/02/2024,2024-02-29\n2a,01.02.2024,01/02/2024,03/04/2024,2023-12-31\n',
    );
    const columns = await columnsOf(table);
    expect(columns.a.values).toEqual(['2024-12-31', '2024-02-01']);
    expect(columns.b.values).toEqual(['2024-03-25', '2024-01-02']);
    expect(table.schema[3].type).toBe('text');
    expect(columns.d.values).toEqual(['2024-02-29', '2023-12-31']);
    expect(codes(table)).toEqual(['date-ambiguous']);
  });

  it('tells a column of numbers with a stray text', async () => {
    const table = await open(
      `code,n\n${Array.from({ length: 12 }, (_, k) => `a${k},${k}`).join('\n')}\nb,about 40\n`,
    );
    expect(table.findings).toMatchObject([
      { code: 'numbers-and-text', words: expect.stringContaining('about 40') },
    ]);
  });

  it('any number comes back to the last digit, in any way of writing', async () => {
    const ways = {
      plain: (n: number) => String(n),
      thousands: (n: number) => `"${n.toLocaleString('en-GB', { maximumFractionDigits: 20 })}"`,
      comma: (n: number) => n.toLocaleString('de-DE', { maximumFractionDigits: 20 }),
      apostrophes: (n: number) => n.toLocaleString('de-CH', { maximumFractionDigits: 20 }),
    };
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.double({ min: -1e9, max: 1e9, noNaN: true }).map((n) => Number(n.toFixed(6)) + 0),
          { minLength: 2, maxLength: 20 },
        ),
        fc.constantFrom(...(Object.keys(ways) as (keyof typeof ways)[])),
        async (numbers, way) => {
          // A number that leaves no doubt about the way of writing.
          const all = [...numbers, 1_234_567.25];
          const table = await open(`code;n\n${all.map((n, k) => `k${k};${ways[way](n)}`).join('\n')}\n`);
          expect((await columnsOf(table)).n.values).toEqual(all.map((n) => (n === 0 ? 0 : n)));
        },
      ),
      { numRuns: 150 },
    );
  });

  it('reads digits as the engine does (numberFrom), and dates as the calendar has them', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), fc.nat(25), (n, digits) => {
        for (const text of [String(n), n.toPrecision(Math.max(1, Math.min(21, digits)))]) {
          const bytes = bytesOf(text);
          expect(Object.is(numberFrom(bytes, 0, bytes.length), Number(text)) || Number(text) === 0).toBe(
            true,
          );
        }
      }),
      { numRuns: 2000 },
    );
    fc.assert(
      fc.property(
        fc.date({ min: new Date('0001-01-01'), max: new Date('9999-12-31'), noInvalidDate: true }),
        (date) => {
          const text = date.toISOString().slice(0, 10);
          const days = Math.floor(date.getTime() / 86_400_000);
          expect(parseDate(text)).toBe(days);
          expect(dateFromBytes(bytesOf(`x${text}y`), 1, 11)).toBe(days);
        },
      ),
    );
    for (const wrong of ['2023-02-29', '2024-13-01', '2024-00-10', '2024-04-31', '2024-1-10x'])
      expect(dateFromBytes(bytesOf(wrong), 0, wrong.length)).toBeNaN();
  });
});

describe('rows of delimited text', () => {
  it('are those that another program finds, however the bytes come in', () => {
    const field = fc.oneof(
      fc
        .string({ unit: fc.constantFrom('a', 'b', ' ', '7', 'é'), minLength: 1, maxLength: 5 })
        .map((text) => text),
      fc
        .string({ unit: fc.constantFrom('a', '"', ',', '\n', '\r\n', 'x'), minLength: 1, maxLength: 6 })
        .map((text) => `"${text.replaceAll('"', '""')}"`),
    );
    fc.assert(
      fc.property(
        fc.array(fc.array(field, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 8 }),
        fc.constantFrom('\n', '\r\n'),
        fc.boolean(),
        fc.integer({ min: 1, max: 40 }),
        (rows, end, last, step) => {
          const text = rows.map((row) => row.join(',')).join(end) + (last ? end : '');
          const found: string[][] = [];
          const scanner = new RowScanner(44);
          const decoder = new TextDecoder();
          const row = () => {
            const cells: string[] = [];
            for (let f = 0; f < scanner.fields; f++)
              cells.push(decoder.decode(scanner.bytes.subarray(scanner.starts[f], scanner.ends[f])));
            found.push(cells);
          };
          const bytes = bytesOf(text);
          for (let at = 0; at < bytes.length; at += step) scanner.push(bytes.subarray(at, at + step), row);
          expect(scanner.finish(row)).toBe(false);
          const other = parse(text, {
            relaxColumnCount: true,
            recordDelimiter: ['\n', '\r\n'],
          }) as unknown as string[][];
          expect(found).toEqual(other);
        },
      ),
      { numRuns: 400 },
    );
  });

  it('a quote that is never closed takes no memory without end', async () => {
    const scanner = new RowScanner(44);
    const chunk = new Uint8Array(1 << 23).fill(97);
    scanner.push(bytesOf('a,b\n1,"'), () => {});
    expect(() => {
      for (let k = 0; k < 20; k++) scanner.push(chunk, () => {});
    }).toThrowError(expect.objectContaining({ code: 'row-too-long', place: { line: 2 } }));
  });
});
