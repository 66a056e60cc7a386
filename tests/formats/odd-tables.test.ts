import { copyFileSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import type { Table } from '../../src/core/index.ts';
import { isFootnote } from '../../src/core/table/header-rows.ts';
import { knownReason, markSpelling } from '../../src/core/table/marks.ts';
import { findDelimiter } from '../../src/formats/delimited/scan.ts';
import { lookInside, sourceFromBytes } from '../../src/formats/index.ts';
import { commandIn } from '../support/command.ts';
import { everything, savedAndOpened } from '../support/saved.ts';
import { studiesOfTests } from '../support/study-folder.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-odd-tables-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const isomeric = commandIn(folder);
const newStudy = studiesOfTests();

async function open(text: string, more: { name?: string; headerRows?: number } = {}): Promise<Table> {
  const name = more.name ?? 'table.csv';
  const { layers } = await lookInside(sourceFromBytes(new TextEncoder().encode(text), name), {
    around: null,
    path: name,
    capabilities: {},
    geometry: 'none',
    headerRows: more.headerRows,
  });
  return layers[0].table;
}

const rows = async (text: string, headerRows?: number) =>
  (await everything(await open(text, { headerRows }))).rows;
const codes = (table: Table) => table.findings.map(({ code, severity }) => `${severity} ${code}`);

describe('a first row of data is no header', () => {
  it('where its keys look like those below, whatever stands beside them', async () => {
    expect(await rows('fips,pop\n01001,fewer than 5\n04015,120\n72023,340\n')).toEqual([
      ['01001', null],
      ['04015', 120],
      ['72023', 340],
    ]);
    expect(await rows('area,pop\nT101,withheld\nT102,7\nT103,8\n')).toHaveLength(3);
    expect(await rows('name,a,b\nUpham,<5,n/a\nLowham,7,8\nMidham,9,10\n')).toHaveLength(3);
  });

  it('where one text over figures is all that speaks for it: that is told, and the user decides', async () => {
    const text = 'name,pop\nUpham,see remark\nLowham,7\nMidham,8\n';
    const table = await open(text);
    expect(table.count).toBe(3);
    expect(codes(table)).toContain('warning header-doubtful');
    expect(await rows(text, 2)).toEqual([
      ['Lowham', 7],
      ['Midham', 8],
    ]);
  });

  it('and a second header is one all the same, with a warning that says how to undo it', async () => {
    const text = 'AREA,H001,H002\nArea,Households,No car\n0101,204,12\n0102,98,7\n';
    const table = await open(text);
    expect(table.count).toBe(2);
    expect(table.findings.find(({ code }) => code === 'header-two-rows')).toMatchObject({
      severity: 'warning',
      repair: expect.stringContaining('--header-rows 1'),
    });
    expect((await open(text, { headerRows: 1 })).count).toBe(3);
    const none = await open(text, { headerRows: 0 });
    expect([none.count, none.schema[0].name]).toEqual([4, 'column_1']);
    const three = await open('Persons,,Area\n2024,,km²\nall,women,land\n5,3,7.5\n6,2,8.5\n', {
      headerRows: 3,
    });
    expect(three.schema.map(({ name }) => name)).toEqual([
      'Persons 2024 all',
      'Persons 2024 women',
      'Area km² land',
    ]);
    expect(three.count).toBe(2);
  });

  it('by the command and in a study alike', async () => {
    writeFileSync(join(folder, 'doubtful.csv'), 'name,pop\nUpham,see remark\nLowham,7\nMidham,8\n');
    expect((await isomeric('rows', 'doubtful.csv')).out).toContain('see remark');
    expect((await isomeric('rows', 'doubtful.csv', '--header-rows', '2')).out).not.toContain('see remark');
    expect(await isomeric('look', 'doubtful.csv', '--header-rows', '99')).toMatchObject({ code: 2 });
    const own = newStudy('gather: { halls: { file: doubtful.csv, header rows: 2 } }\n');
    copyFileSync(join(folder, 'doubtful.csv'), join(own.folder, 'doubtful.csv'));
    await own.gather();
    expect(await own.rows('halls')).toHaveLength(2);
    own.write('gather: { halls: { file: doubtful.csv, header rows: two } }\n');
    await expect(own.gather()).rejects.toMatchObject({ message: expect.stringContaining('header rows') });
  });
});

describe('a row with all its cells is data', () => {
  it('whatever its only cell begins with', async () => {
    expect(await rows('name,persons\nAbbey,5\nBarton,7\nCardiff,\nDover,\nEly,\n')).toEqual([
      ['Abbey', 5],
      ['Barton', 7],
      ['Cardiff', null],
      ['Dover', null],
      ['Ely', null],
    ]);
    for (const name of [
      'Xanten',
      'Caen',
      'Source-Vieille',
      'Note Hill',
      '12 Apostles',
      'Symbolberg',
      'Key West',
    ])
      expect(await rows(`name,persons\nAbbey,5\nBarton,7\n${name},\n`)).toHaveLength(3);
  });

  it('in workbooks and in rows of JSON too', async () => {
    const json = await open('[["name","n"],["Abbey",5],["Barton",7],["Caen",null],["Xanten",null]]', {
      name: 'x.json',
    });
    expect(json.count).toBe(4);
    const [{ table }] = await savedAndOpened('x.xlsx', [await open('name,n\nCaen,\n')]);
    expect((await everything(table)).rows).toEqual([['Caen', null]]);
  });

  it('but a line that plainly is a note stays one, with delimiters or without', () => {
    for (const note of [
      'Source: census of 2024',
      '* = suppressed',
      '(1) Without institutions',
      'x means withheld',
    ])
      expect(isFootnote(note, 8, true)).toBe(true);
    for (const name of ['Cardiff', 'Xanten', 'Notes', 'the Hague', '* Ost'])
      expect(isFootnote(name, 8, true)).toBe(name === '* Ost');
    expect(isFootnote('Source census 2024', 8, false)).toBe(true);
  });

  it('and one of nothing but delimiters is none, unless quotes say that it is', async () => {
    const table = await open('a,b,c\n1,2,3\n,,\n4,5,6\n,,\n');
    expect((await everything(table)).rows).toEqual([
      [1, 2, 3],
      [4, 5, 6],
    ]);
    expect(table.count).toBe(2);
    expect(codes(table)).toContain('note rows-blank');
    expect(await rows('a,b\n1,2\n"",\n3,4\n')).toEqual([
      [1, 2],
      [null, null],
      [3, 4],
    ]);
  });
});

describe('delimiters', () => {
  const of = (text: string) => String.fromCharCode(findDelimiter(new TextEncoder().encode(text), true) ?? 63);

  it('in quotes do not count, whichever of them divides', async () => {
    const text = `id,text\n${Array.from({ length: 12 }, (_, k) => `${k},"a;b;c;d"`).join('\n')}\n`;
    expect(of(text)).toBe(',');
    expect((await open(text)).schema.map(({ name }) => name)).toEqual(['id', 'text']);
    expect(of('a\tb\n"x, y, z"\t1\n"p, q, r"\t2\n')).toBe('\t');
    expect(
      of('name\twkt\nA\tPOINT (1 2)\nB\tLINESTRING (1 2, 3 4)\nC\tPOLYGON ((1 2, 3 4, 5 6, 1 2))\n'),
    ).toBe('\t');
    expect(of('x;y\n1,5;2,5\n3,5;4,5\n5,5;6,5\n')).toBe(';');
    expect(of('a "quoted" word,b\n5" pipe,6\n7" pipe,8\n')).toBe(',');
  });

  it('are found for any cells that another sign of them stands in, when these are quoted', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', ',', ';', '\t', '|', '"', ' ', '\n', '1') });
    fc.assert(
      fc.property(
        fc.constantFrom(',', ';', '\t', '|'),
        fc
          .integer({ min: 2, max: 5 })
          .chain((width) =>
            fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 3, maxLength: 12 }),
          ),
        (delimiter, table) => {
          const text = table
            .map((row) => row.map((each) => `"${each.replaceAll('"', '""')}"`).join(delimiter))
            .join('\n');
          expect(of(`${text}\n`)).toBe(delimiter);
        },
      ),
    );
  });
});

describe('marks that are numbers', () => {
  it('are known by their value, however they are spelt', async () => {
    for (const text of [
      '-666666666',
      '-666666666.0',
      '-666666666.000',
      '-666,666,666',
      '-666.666.666',
      ' -666666666 ',
      '-6.66666666E8',
      '−666666666',
      "-666'666'666",
    ])
      expect(knownReason(text), text).toBe('not reliable');
    for (const text of ['-666666666.5', '-66666666', '666666666', '-6,666', '-666666666x'])
      expect(knownReason(text), text).toBeUndefined();
    const table = await open('id,v\n1,-666666666.0\n2,"-666,666,666"\n3, -666666666 \n4,5\n');
    expect(table.schema[1]).toMatchObject({
      type: 'integer',
      marks: [{ text: '-666666666', reason: 'not reliable' }],
    });
    expect((await everything(table)).rows.map(([, value]) => value)).toEqual([null, null, null, 5]);
  });

  it('and no other number is taken for one', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (value) => {
        const alike = /^-(\d)\1{8}$/.test(String(value));
        if (!alike) expect(knownReason(String(value))).toBeUndefined();
        // Only white space and the way of writing go.
        expect(Number(markSpelling(String(value)))).toBe(value + 0);
      }),
    );
  });
});

describe('what came in place of data', () => {
  it.each([
    [
      'login.csv',
      '<!DOCTYPE html><html><head><title>Log in</title></head><body>a,b</body></html>',
      'web-page',
      'Log in',
    ],
    ['page.geojson', '\ufeff <html lang="en"><h1>Not found</h1></html>', 'web-page', 'Not found'],
    ['numbers.csv', '[1,2,3]', 'rows-missing', 'JSON'],
    ['numbers.json', '[1,2,3]', 'rows-missing', 'JSON'],
    ['answer.json', '{"errors":[{"code":401,"message":"no key"}]}', 'answer-error', '401 no key'],
    ['answer.csv', '{"error":{"message":"too many requests"}}', 'answer-error', 'too many requests'],
    [
      'answer.gml',
      '<?xml version="1.0"?><ows:ExceptionReport xmlns:ows="http://www.opengis.net/ows/1.1"><ows:Exception><ows:ExceptionText>no such type</ows:ExceptionText></ows:Exception></ows:ExceptionReport>',
      'answer-error',
      'no such type',
    ],
  ])('%s is told', async (name, text, code, words) => {
    await expect(open(text, { name })).rejects.toMatchObject({
      code,
      message: expect.stringContaining(words),
    });
  });

  it('but rows beside an empty list of errors are rows', async () => {
    expect((await open('{"errors":[],"data":[{"a":1},{"a":2}]}', { name: 'x.json' })).count).toBe(2);
  });

  it('ends the command with 3, and a page beside data does not', async () => {
    writeFileSync(join(folder, 'login.csv'), '<!DOCTYPE html><title>Log in</title>a,b');
    expect(await isomeric('look', 'login.csv')).toMatchObject({
      code: 3,
      told: expect.stringContaining('web page'),
    });
    expect(await isomeric('look', 'enc.csv', '--encoding', '99999')).toMatchObject({ code: 3 });
    writeFileSync(join(folder, 'enc.csv'), 'a,b\n1,2\n');
    expect(await isomeric('look', 'enc.csv', '--encoding', '99999')).toMatchObject({
      code: 2,
      told: expect.stringContaining('no encoding'),
    });
  });
});
