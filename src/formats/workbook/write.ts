import { type Account, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { freeName } from '../../core/table/schema.ts';
import { xmlText } from '../../core/xml-text.ts';
import { wktText } from '../geometry/wkt.ts';
import { Filled } from '../writing/filled.ts';
import { type ZipPart, zipped } from '../zip/write.ts';

/** What a sheet can hold (ECMA-376, part 1, 18.3.1.73 and the limits of the programs that read it). */
const mostRows = 1_048_576;
const mostColumns = 16_384;
const longestText = 32_767;
/** Longest name of a sheet, and signs that it cannot have. */
const longestName = 31;
const forbidden = /[\\/?*[\]:]/g;

const dayLength = 86_400_000;

/**
 * Is it a day that a sheet holds as a number? Before 1 March 1900 the count is not the same everywhere, and after the year
 * 9999 there is none (ISO/IEC 29500-1, section 18.17.4.1).
 */
const isSheetDay = (days: number) => days >= -25_508 && days < 2_932_897;

/** Names of sheets: short enough, without forbidden signs, none twice. */
function sheetName(name: string, taken: string[]): string {
  const short = name.replace(forbidden, '_').slice(0, longestName) || 'table';
  let free = freeName(
    short,
    taken.map((each) => each.toLowerCase()),
  );
  if (taken.some((each) => each.toLowerCase() === short.toLowerCase()))
    free = freeName(short.slice(0, longestName - 4), taken);
  taken.push(free);
  return free;
}

/** Signs that XML cannot hold, and what would be read as one of them (ISO/IEC 29500-1, section 22.9.2.19). */
const escaped =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: these are what is looked for
  /[\u0000-\u0008\u000b\u000c\r\u000e-\u001f\ufffe\uffff]|_(?=x[0-9a-fA-F]{4}_)/g;
const cellText = (text: string) =>
  xmlText(text.replace(escaped, (c) => `_x${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`));

const textCell = (text: string) =>
  `<c t="inlineStr"><is><t${/^\s|\s$|\n/.test(text) ? ' xml:space="preserve"' : ''}>${cellText(text)}</t></is></c>`;

/** Numbers of the styles in `styles.xml`. */
const dayStyle = 1;
const momentStyle = 2;
const headStyle = 3;

/** A value as a cell; text stays text, whatever it looks like. A blank one only keeps the place of the next. */
function cell(column: Column, i: number, cut: { texts: number }): string {
  if (column.isNull(i)) return '<c/>';
  switch (column.type) {
    case 'integer':
    case 'real': {
      const number = column.numbers![i];
      return Number.isFinite(number) ? `<c><v>${number}</v></c>` : textCell(String(number));
    }
    case 'boolean':
      return `<c t="b"><v>${column.numbers![i] === 1 ? 1 : 0}</v></c>`;
    case 'date': {
      const days = column.numbers![i];
      return isSheetDay(days) ? `<c s="${dayStyle}"><v>${days + 25_569}</v></c>` : textCell(column.text(i)!);
    }
    case 'timestamp': {
      const days = column.numbers![i] / dayLength;
      return isSheetDay(days)
        ? `<c s="${momentStyle}"><v>${days + 25_569}</v></c>`
        : textCell(column.text(i)!);
    }
    default: {
      const text = column.text(i)!;
      if (text.length <= longestText) return textCell(text);
      cut.texts++;
      return textCell(text.slice(0, longestText));
    }
  }
}

const declaration = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const packaged = 'http://schemas.openxmlformats.org/package/2006';
const kinds = 'application/vnd.openxmlformats-officedocument.spreadsheetml';

const styles = `<styleSheet xmlns="${main}"><numFmts count="2"><numFmt numFmtId="164" formatCode="yyyy-mm-dd"/><numFmt numFmtId="165" formatCode="yyyy-mm-dd hh:mm:ss"/></numFmts><fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="4"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/><xf numFmtId="164" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/><xf numFmtId="165" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/><xf numFmtId="0" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1"/></cellXfs><cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>`;

const beforeRows = `${declaration}<worksheet xmlns="${main}"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><sheetData>`;
const afterRows = '</sheetData></worksheet>';

const headRow = (names: readonly string[]) =>
  `<row>${names.map((name) => textCell(name).replace('<c ', `<c s="${headStyle}" `)).join('')}</row>`;

const encoder = new TextEncoder();
/** Length of the texts that are handed on together. */
const chunkLength = 1 << 16;

async function* bytesOf(texts: AsyncIterable<string> | Iterable<string>): AsyncGenerator<Uint8Array> {
  let held = '';
  for await (const text of texts) {
    held += text;
    if (held.length < chunkLength) continue;
    yield encoder.encode(held);
    held = '';
  }
  if (held !== '') yield encoder.encode(held);
}

/** The parts that only name the sheets. */
function* frame(names: readonly string[]): Generator<ZipPart> {
  const part = (path: string, text: string): ZipPart => ({
    path,
    chunks: [encoder.encode(`${declaration}${text}`)],
  });
  const sheets = names.map((_, k) => `worksheets/sheet${k + 1}.xml`);
  yield part(
    '[Content_Types].xml',
    `<Types xmlns="${packaged}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="${kinds}.sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="${kinds}.styles+xml"/>${sheets.map((path) => `<Override PartName="/xl/${path}" ContentType="${kinds}.worksheet+xml"/>`).join('')}</Types>`,
  );
  yield part(
    '_rels/.rels',
    `<Relationships xmlns="${packaged}/relationships"><Relationship Id="r1" Type="${office}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
  );
  yield part(
    'xl/workbook.xml',
    `<workbook xmlns="${main}" xmlns:r="${office}"><sheets>${names.map((name, k) => `<sheet name="${cellText(name)}" sheetId="${k + 1}" r:id="r${k + 1}"/>`).join('')}</sheets></workbook>`,
  );
  yield part(
    'xl/_rels/workbook.xml.rels',
    `<Relationships xmlns="${packaged}/relationships">${sheets.map((path, k) => `<Relationship Id="r${k + 1}" Type="${office}/worksheet" Target="${path}"/>`).join('')}<Relationship Id="r${sheets.length + 1}" Type="${office}/styles" Target="styles.xml"/></Relationships>`,
  );
  yield part('xl/styles.xml', styles);
}

/** The rows of a sheet as text, while its table flows. */
async function* sheetRows(table: Table, head: readonly string[], account: Account): AsyncGenerator<string> {
  const geometry = isLayer(table);
  const cut = { texts: 0 };
  const filled = new Filled('WKT');
  let rows = 1;
  yield beforeRows + headRow(head);
  for await (const batch of table.batches()) {
    if (rows + batch.length > mostRows) throw tooLarge(table, 'more rows', grouped(mostRows - 1));
    rows += batch.length;
    for (let i = 0; i < batch.length; i++) {
      let row = '<row>';
      for (const column of batch.columns) row += cell(column, i, cut);
      const text = geometry && batch.geometry !== null ? wktText(batch.geometry, i, filled) : null;
      if (text !== null) {
        if (text.length > longestText) cut.texts++;
        // A cut geometry would be a wrong one.
        else row += textCell(text);
      }
      yield `${row}</row>`;
    }
  }
  yield afterRows;
  if (cut.texts > 0)
    account.notes.push(
      `${grouped(cut.texts)} texts are longer than the ${grouped(longestText)} signs that a cell holds: attributes were cut, geometry was left out.`,
    );
  filled.tell(account);
  if (geometry) account.notes.push(`The geometry stands in the column ${head[head.length - 1]}.`);
}

function* describedRows(rows: readonly (readonly string[])[]): Generator<string> {
  yield beforeRows + headRow(['variable', 'title', 'unit', 'description', 'universe', 'table']);
  for (const row of rows)
    yield `<row>${row.map((text) => (text === '' ? '<c/>' : textCell(text))).join('')}</row>`;
  yield afterRows;
}

/**
 * A workbook with a sheet a table, and, where fields say more than their names, a sheet “columns” that describes them
 * (ISO/IEC 29500-1, section 18). Geometry goes into a column of WKT. Rows are packed as they come; nothing is held.
 */
export async function* writeWorkbook(
  tables: readonly Table[],
  accounts: readonly Account[],
): AsyncGenerator<Uint8Array> {
  const names: string[] = [];
  const described: string[][] = [];
  const heads = tables.map((table) => {
    const head = table.schema.map((field) => field.name);
    if (isLayer(table)) head.push(freeName('wkt', head));
    if (head.length > mostColumns)
      throw tooLarge(table, `${grouped(head.length)} columns`, grouped(mostColumns));
    const name = sheetName(table.name, names);
    for (const field of table.schema)
      if (field.title !== undefined || field.unit !== undefined || field.description !== undefined)
        described.push([
          field.name,
          field.title ?? '',
          field.unit ?? '',
          field.description ?? '',
          field.universe ?? '',
          name,
        ]);
    return head;
  });
  if (described.length > 0) sheetName('columns', names);
  yield* zipped(
    (function* (): Generator<ZipPart> {
      yield* frame(names);
      for (const [k, table] of tables.entries())
        yield {
          path: `xl/worksheets/sheet${k + 1}.xml`,
          chunks: bytesOf(sheetRows(table, heads[k], accounts[k])),
        };
      if (described.length > 0)
        yield {
          path: `xl/worksheets/sheet${tables.length + 1}.xml`,
          chunks: bytesOf(describedRows(described)),
        };
    })(),
  );
}

function tooLarge(table: Table, what: string, limit: string): IsomericError {
  return new IsomericError('workbook-too-large', `${table.name} has ${what}, where a sheet holds ${limit}.`, {
    advice: 'Save it as .csv or .parquet.',
    blame: 'usage',
  });
}
