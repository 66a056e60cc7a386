import { markupText, tagsIn } from '../xml/markup.ts';

/** Text of an HTML fragment: tags left out, the common entities read, white space closed up. */
export function htmlText(html: string): string {
  return markupText(html, (name) => (name === 'br' ? ' ' : ''))
    .replace(/\s+/g, ' ')
    .trim();
}

/** The name of a row without its colon: `Ward :` */
function withoutColon(name: string): string {
  return name.endsWith(':') ? name.slice(0, -1).trimEnd() : name;
}

/**
 * Fields that exist only as a table of two columns inside a description: `<tr><td>name</td><td>value</td></tr>`.
 * Rows of more or fewer cells are passed over; so is a row whose first cell is blank. Of rows and cells within others,
 * the innermost count.
 */
export function tableRows(description: string): [name: string, value: string][] {
  const rows: [string, string][] = [];
  /** Cells of the row that is open; null outside of rows. */
  let cells: string[] | null = null;
  let cellFrom = -1;
  for (const { name, from, end } of tagsIn(description)) {
    if (name === 'tr') {
      cells = [];
      cellFrom = -1;
    } else if (name === '/tr') {
      if (cells?.length === 2) {
        const [label, value] = cells.map(htmlText);
        if (label !== '' && label.length <= 80) rows.push([withoutColon(label), value]);
      }
      cells = null;
      cellFrom = -1;
    } else if (name === 'td' || name === 'th') cellFrom = end;
    else if ((name === '/td' || name === '/th') && cellFrom >= 0) {
      cells?.push(description.slice(cellFrom, from));
      cellFrom = -1;
    }
  }
  return rows;
}
