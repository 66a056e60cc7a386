import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as otherWriter from '@e965/xlsx';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { rowsOf, type Table } from '../../src/core/index.ts';
import { type Contents, lookInside, sourceFromBytes } from '../../src/formats/index.ts';
import { saved } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-workbooks-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Runs the office program on files of the folder. */
function office(to: string, ...files: string[]): void {
  execFileSync(
    'soffice',
    [
      '--headless',
      `-env:UserInstallation=file://${folder}/profile`,
      '--convert-to',
      to,
      '--outdir',
      folder,
      ...files.map((file) => join(folder, file)),
    ],
    { stdio: 'ignore', timeout: 120_000 },
  );
}

const text = (value: string, more = '') =>
  `<table:table-cell office:value-type="string"${more}><text:p>${value}</text:p></table:table-cell>`;
const number = (value: number | string) =>
  `<table:table-cell office:value-type="float" office:value="${value}"><text:p>${value}</text:p></table:table-cell>`;
const date = (value: string) =>
  `<table:table-cell table:style-name="day" office:value-type="date" office:date-value="${value}"><text:p>${value}</text:p></table:table-cell>`;
const none = '<table:table-cell/>';
const covered = '<table:covered-table-cell/>';
const row = (...cells: string[]) => `<table:table-row>${cells.join('')}</table:table-row>`;

/** A flat OpenDocument spreadsheet: titles, a merged group header, merged cells, codes, marks, dates, notes, a second sheet of prose, a third that describes. */
const sheet = `<?xml version="1.0" encoding="UTF-8"?>
<office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:number="urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0" office:version="1.2" office:mimetype="application/vnd.oasis.opendocument.spreadsheet">
<office:automatic-styles><number:date-style style:name="iso"><number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/></number:date-style><style:style style:name="day" style:family="table-cell" style:data-style-name="iso"/></office:automatic-styles>
<office:body><office:spreadsheet>
<table:table table:name="Housing">
${row(text('Households in the wards of Teskaria', ' table:number-columns-spanned="6"'), ...Array<string>(5).fill(covered))}
${row(none, none, none, none, none, none)}
${row(text('District'), text('WARD'), text('H001'), text('H002'), text('OLD'), text('COUNTED'))}
${row(text('Ombrey', ' table:number-rows-spanned="2"'), text('020401'), number(1204), number(12.5), text('17'), date('2024-05-01'))}
${row(covered, text('020402'), number(98), text('*'), text('18'), date('1903-02-28'))}
${row(text('Lessow'), text('020501'), number(0), number(7), text('19'), none)}
${row(none, none, none, none, none, none)}
${row(text('Source: census of 2024, counted by hand.'), none, none, none, none, none)}
</table:table>
<table:table table:name="Read me">${row(text('The figures were counted by hand in every ward.'))}${row(text('* = suppressed to protect confidentiality'))}</table:table>
<table:table table:name="Columns">${row(text('Column'), text('Title'), text('Unit'))}${row(text('H001'), text('Households'), text('number'))}${row(text('H002'), text('Households without a car'), text('per cent'))}</table:table>
<table:table table:name="Empty">${row(none)}</table:table>
</office:spreadsheet></office:body></office:document>`;

const look = (bytes: Uint8Array, name: string): Promise<Contents> =>
  lookInside(sourceFromBytes(bytes, name), { around: null, path: name, capabilities: {}, geometry: 'none' });

async function rowsIn(table: Table): Promise<Record<string, unknown>[]> {
  const all: Record<string, unknown>[] = [];
  for await (const each of rowsOf(table)) all.push(each);
  return all;
}

describe('workbooks that an office program wrote', () => {
  beforeAll(() => {
    writeFileSync(join(folder, 'housing.fods'), sheet);
    office('xlsx', 'housing.fods');
    office('ods', 'housing.fods');
    office('xls', 'housing.fods');
  });

  it.each(['xlsx', 'ods', 'xls'])(
    '%s: header under titles, merged cells, dates, codes, marks, notes, descriptions',
    async (end) => {
      const contents = await look(readFileSync(join(folder, `housing.${end}`)), `housing.${end}`);
      const [{ table, format }] = contents.layers;
      expect(format).toBe('workbook');
      expect(table.name).toBe('Housing');
      expect(table.title).toBe('Households in the wards of Teskaria');
      expect(table.schema).toMatchObject([
        { name: 'District', type: 'text' },
        { name: 'WARD', type: 'text', role: 'code' },
        { name: 'H001', type: 'integer', title: 'Households', unit: 'number' },
        { name: 'H002', type: 'real', title: 'Households without a car', unit: 'per cent' },
        { name: 'OLD', type: 'text' },
        { name: 'COUNTED', type: 'date' },
      ]);
      expect(await rowsIn(table)).toEqual([
        { District: 'Ombrey', WARD: '020401', H001: 1204, H002: 12.5, OLD: '17', COUNTED: '2024-05-01' },
        { District: 'Ombrey', WARD: '020402', H001: 98, H002: null, OLD: '18', COUNTED: '1903-02-28' },
        { District: 'Lessow', WARD: '020501', H001: 0, H002: 7, OLD: '19', COUNTED: null },
      ]);
      // What the mark means stands on another sheet.
      expect(table.schema[3].marks).toEqual([{ text: '*', reason: 'suppressed' }]);
      expect(table.findings.map((finding) => finding.code).sort()).toEqual([
        'fields-described',
        'notes-below',
        'numbers-as-text',
        'sheet-empty',
        'sheet-prose',
        'titles-above',
      ]);
      expect(contents.layers.map((opened) => [opened.table.name, opened.describes === true])).toEqual([
        ['Housing', false],
        ['Columns', true],
      ]);
    },
  );

  it('in the date system of 1904 hold the same days', async () => {
    const parts = unzipSync(readFileSync(join(folder, 'housing.xlsx')));
    const book = strFromU8(parts['xl/workbook.xml']);
    const changed = /<workbookPr[^>]*>/.test(book)
      ? book.replace(
          /<workbookPr([^>]*?)(\/?)>/,
          (_, rest: string, end: string) =>
            `<workbookPr date1904="1"${rest.replace(/ date1904="[^"]*"/, '')}${end}>`,
        )
      : book.replace('<sheets>', '<workbookPr date1904="1"/><sheets>');
    parts['xl/workbook.xml'] = strToU8(changed);
    const contents = await look(zipSync(parts), 'old.xlsx');
    // The same serial numbers, counted from a day that is 1,462 days later (ECMA-376, part 1, 18.17.4.1).
    const days = (await rowsIn(contents.layers[0].table)).map((each) => each.COUNTED);
    expect(days.slice(0, 2)).toEqual(['2028-05-02', '1907-03-01']);
  });

  it('dBASE tables of theirs are read alone', async () => {
    writeFileSync(join(folder, 'wards.csv'), 'WARD,HOUSEHOLDS\n020401,1204\n020402,98\n');
    office('dbf', 'wards.csv');
    const contents = await look(readFileSync(join(folder, 'wards.dbf')), 'wards.dbf');
    const found = await rowsIn(contents.layers[0].table);
    expect(found.map((each) => Number(each.HOUSEHOLDS))).toEqual([1204, 98]);
  });

  it('that we write are read by them, with text as text', async () => {
    const contents = await look(readFileSync(join(folder, 'housing.xlsx')), 'housing.xlsx');
    const table = { ...contents.layers[0].table, name: 'Written' };
    const { files } = await saved('written.xlsx', [table]);
    writeFileSync(join(folder, 'written.xlsx'), files.get('written.xlsx')!);
    const back = await look(files.get('written.xlsx')!, 'written.xlsx');
    expect(await rowsIn(back.layers[0].table)).toEqual(await rowsIn(table));
    expect(back.layers.map((opened) => opened.table.name)).toEqual(['Written', 'columns']);
    expect(back.layers[0].table.schema[3]).toMatchObject({
      title: 'Households without a car',
      unit: 'per cent',
    });
    office('csv', 'written.xlsx');
    expect(readFileSync(join(folder, 'written.csv'), 'utf8').split('\n').slice(0, 3)).toEqual([
      'District,WARD,H001,H002,OLD,COUNTED',
      'Ombrey,020401,1204,12.5,17,2024-05-01',
      'Ombrey,020402,98,,18,1903-02-28',
    ]);
  });
});

describe('workbooks that are none, or too much', () => {
  it('are told', async () => {
    const parts = { '[Content_Types].xml': strToU8('<Types/>'), 'xl/workbook.xml': strToU8('<workbook/>') };
    await expect(look(zipSync(parts), 'broken.xlsx')).rejects.toMatchObject({
      code: expect.stringMatching(/workbook-damaged|no-layers/),
    });
    const compound = new Uint8Array(4096);
    compound.set([0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1]);
    await expect(look(compound, 'broken.xls')).rejects.toMatchObject({ code: 'workbook-damaged' });
  });

  it('a cell at the far end of a sheet makes no million rows', async () => {
    const rels = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
    const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
    const parts = {
      '[Content_Types].xml': strToU8(
        '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>',
      ),
      '_rels/.rels': strToU8(
        `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${rels}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
      ),
      'xl/_rels/workbook.xml.rels': strToU8(
        `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${rels}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
      ),
      'xl/workbook.xml': strToU8(
        `<workbook xmlns="${main}" xmlns:r="${rels}"><sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>`,
      ),
      'xl/worksheets/sheet1.xml': strToU8(
        `<worksheet xmlns="${main}"><dimension ref="A1:B1048576"/><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>code</t></is></c><c r="B1" t="inlineStr"><is><t>n</t></is></c></row><row r="2"><c r="A2" t="inlineStr"><is><t>007</t></is></c><c r="B2"><v>5</v></c></row><row r="1048576"><c r="A1048576" t="inlineStr"><is><t>008</t></is></c><c r="B1048576"><v>6</v></c></row></sheetData></worksheet>`,
      ),
    };
    const contents = await look(zipSync(parts), 'far.xlsx');
    expect(await rowsIn(contents.layers[0].table)).toEqual([
      { code: '007', n: 5 },
      { code: '008', n: 6 },
    ]);
  });
});

describe('workbooks of another writer', () => {
  const rows = [
    ['code', 'n', 'day', 'ok', 'words'],
    ['0101', 5, new Date(Date.UTC(2024, 1, 29)), true, 'Ärmel & <b>'],
    ['0102', 7.25, null, false, ' two\nlines '],
    ['0103', -1e-7, new Date(Date.UTC(1903, 1, 28)), null, ''],
  ];
  const written = (bookType: 'xlsx' | 'xlsb' | 'ods' | 'biff8', more: object = {}) => {
    const book = otherWriter.utils.book_new();
    otherWriter.utils.book_append_sheet(
      book,
      otherWriter.utils.aoa_to_sheet(rows, { UTC: true }),
      'Halls & more',
    );
    Object.assign(book, more);
    return new Uint8Array(
      otherWriter.write(book, { type: 'array', bookType, compression: true, bookSST: true }) as ArrayBuffer,
    );
  };

  it.each(['xlsx', 'xlsb', 'ods', 'biff8'] as const)(
    '%s: codes, numbers, days, truth, texts',
    async (kind) => {
      const { layers } = await look(written(kind), `x.${kind}`);
      const [{ table }] = layers;
      expect(table.name).toBe('Halls & more');
      const found = await rowsIn(table);
      expect(found.map((row) => [row.code, row.n, row.ok, row.words])).toEqual([
        ['0101', 5, true, 'Ärmel & <b>'],
        ['0102', 7.25, false, ' two\nlines '],
        ['0103', -1e-7, null, null],
      ]);
      if (kind !== 'ods') expect(found.map((row) => row.day)).toEqual(['2024-02-29', null, '1903-02-28']);
    },
  );

  it('hold texts of the signs that XML cannot, as they are escaped', async () => {
    const parts = unzipSync(written('xlsx'));
    const strings = strFromU8(parts['xl/sharedStrings.xml']);
    parts['xl/sharedStrings.xml'] = strToU8(strings.replace('0101', 'a_x000B_b_x005F_x0041_'));
    const found = await rowsIn((await look(zipSync(parts), 'x.xlsx')).layers[0].table);
    expect(found[0].code).toBe('a\u000bb_x0041_');
  });

  it('that define names for texts are read without, and that is told', async () => {
    const parts = unzipSync(written('xlsx'));
    const strings = strFromU8(parts['xl/sharedStrings.xml']);
    parts['xl/sharedStrings.xml'] = strToU8(
      strings
        .replace(/^(<\?xml[^>]*>\s*)/, '$1<!DOCTYPE sst [<!ENTITY own "text">]>')
        .replace('0101', '&own;'),
    );
    const [{ table }] = (await look(zipSync(parts), 'x.xlsx')).layers;
    expect((await rowsIn(table))[0].code).toBe('&own;');
    expect(table.findings.map(({ code }) => code)).toContain('entity-kept');
  });

  it.each([
    ['a sheet that is not there', 'xl/worksheets/sheet1.xml', undefined, 'workbook-damaged'],
    ['a shared text that there is not', 'xl/worksheets/sheet1.xml', /<v>\d+<\/v>/, 'workbook-damaged'],
    ['a cell beyond every sheet', 'xl/worksheets/sheet1.xml', /r="A2"/, 'workbook-damaged'],
    ['a tag that is not closed', 'xl/worksheets/sheet1.xml', /<\/sheetData>/, 'xml-damaged'],
    ['a sheet that nothing points to', 'xl/_rels/workbook.xml.rels', /Id="rId1"/, 'workbook-damaged'],
  ])('with %s are damaged', async (_, path, pattern, code) => {
    const parts = unzipSync(written('xlsx'));
    const text = strFromU8(parts[path]);
    if (pattern === undefined) delete parts[path];
    else {
      const changes: Record<string, string> = { v: '<v>99999</v>', r: 'r="ZZZZ2"', '/': '', I: 'Id="other"' };
      const first = /[vr/I]/.exec(pattern.source)![0];
      parts[path] = strToU8(text.replace(pattern, changes[first]));
    }
    await expect(look(zipSync(parts), 'x.xlsx')).rejects.toMatchObject({ code });
  });

  it('whose formulas were never computed have blanks, and that is told', async () => {
    const parts = unzipSync(written('xlsx'));
    const sheet = strFromU8(parts['xl/worksheets/sheet1.xml']);
    parts['xl/worksheets/sheet1.xml'] = strToU8(
      sheet
        .replace(/<c r="B2"[^>]*>.*?<\/c>/, '<c r="B2"><f>B3*2</f></c>')
        .replace(/<c r="B3"[^>]*>.*?<\/c>/, '<c r="B3"><f>1+1</f><v>2</v></c>'),
    );
    const [{ table }] = (await look(zipSync(parts), 'x.xlsx')).layers;
    expect((await rowsIn(table)).map(({ n }) => n)).toEqual([null, 2, -1e-7]);
    expect(table.findings.find(({ code }) => code === 'formula-uncomputed')?.words).toContain(
      '1 cell holds a formula',
    );
  });

  it('with a password say so', async () => {
    const parts = unzipSync(written('ods'));
    const manifest = strFromU8(parts['META-INF/manifest.xml']);
    parts['META-INF/manifest.xml'] = strToU8(
      manifest.replace(
        /<manifest:file-entry /,
        '<manifest:file-entry manifest:full-path="x"><manifest:encryption-data/></manifest:file-entry><manifest:file-entry ',
      ),
    );
    await expect(look(zipSync(parts), 'x.ods')).rejects.toMatchObject({ code: 'workbook-locked' });
  });

  it('that ask for very many cells in few words are refused', async () => {
    const parts = unzipSync(written('ods'));
    parts['content.xml'] = strToU8(
      '<o xmlns:t="t" xmlns:f="f"><t:table t:name="S"><t:table-row t:number-rows-repeated="1000000"><t:table-cell t:number-columns-repeated="60" f:value-type="float" f:value="1"/></t:table-row></t:table></o>',
    );
    const before = process.memoryUsage().rss;
    await expect(look(zipSync(parts), 'x.ods')).rejects.toMatchObject({ code: 'workbook-too-large' });
    expect(process.memoryUsage().rss - before).toBeLessThan(300e6);
  });

  it('and repeated rows and cells of an OpenDocument sheet, but not a million blank ones', async () => {
    const parts = unzipSync(written('ods'));
    const cell = (value: string, more = '') =>
      `<table:table-cell office:value-type="string"${more}><text:p>${value}</text:p></table:table-cell>`;
    parts['content.xml'] = strToU8(
      `<?xml version="1.0"?><o:document-content xmlns:o="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><o:body><o:spreadsheet><table:table table:name="S"><table:table-row>${cell('a')}${cell('b')}${cell('c')}</table:table-row><table:table-row table:number-rows-repeated="3">${cell('x<text:s text:c="2"/>y<office:annotation><text:p>aside</text:p></office:annotation>')}<table:table-cell table:number-columns-repeated="2" office:value-type="float" office:value="4.5"/></table:table-row><table:table-row table:number-rows-repeated="1048570"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table></o:spreadsheet></o:body></o:document-content>`,
    );
    expect(await rowsIn((await look(zipSync(parts), 'x.ods')).layers[0].table)).toEqual(
      Array.from({ length: 3 }, () => ({ a: 'x  y', b: 4.5, c: 4.5 })),
    );
  });
});
