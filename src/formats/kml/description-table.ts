const entities: Record<string, string> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'", nbsp: ' ' };

/** Text of an HTML fragment: tags left out, the common entities read, white space closed up. */
export function htmlText(html: string): string {
  return html
    .replace(/<br\s*\/?>/gi, ' ')
    .replace(/<[^>]*>/g, '')
    .replace(/&(#x[0-9a-f]{1,6}|#\d{1,7}|[a-z]+);/gi, (whole, name: string) => {
      if (name[0] !== '#') return entities[name.toLowerCase()] ?? whole;
      const code = /^#x/i.test(name) ? Number.parseInt(name.slice(2), 16) : Number(name.slice(1));
      return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : whole;
    })
    .replace(/\s+/g, ' ')
    .trim();
}

/**
 * Fields that exist only as a table of two columns inside a description: `<tr><td>name</td><td>value</td></tr>`.
 * Rows of more or fewer cells are passed over; so is a row whose first cell is blank.
 */
export function tableRows(description: string): [name: string, value: string][] {
  if (!/<tr[\s>]/i.test(description)) return [];
  const rows: [string, string][] = [];
  // An innermost row is one without another row in it.
  for (const [, row] of description.matchAll(/<tr(?:\s[^>]*)?>((?:(?!<tr[\s>])[\s\S])*?)<\/tr\s*>/gi)) {
    const cells = [...row.matchAll(/<t[dh](?:\s[^>]*)?>((?:(?!<t[dh][\s>])[\s\S])*?)<\/t[dh]\s*>/gi)].map(
      (cell) => htmlText(cell[1]),
    );
    if (cells.length === 2 && cells[0] !== '' && cells[0].length <= 80)
      rows.push([cells[0].replace(/\s*:$/, ''), cells[1]]);
  }
  return rows;
}
