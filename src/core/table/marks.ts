/**
 * A mark that stands where a number should: what was written, and what it means. The value beside it is blank, or, for
 * open-ended figures (`250,000+`), the bound.
 */
export interface Mark {
  text: string;
  reason: string;
}

export const reasons = {
  missing: 'missing',
  suppressed: 'suppressed',
  notApplicable: 'not applicable',
  tooFew: 'too few cases',
  unreliable: 'not reliable',
  failed: 'calculation failed',
  atLeast: 'at least',
  atMost: 'at most',
  under: 'under a limit',
  exact: 'no sampling error',
} as const;

/** Reasons whose value is there all the same: the bound of an open-ended figure. */
export const boundReasons: ReadonlySet<string> = new Set([reasons.atLeast, reasons.atMost]);

/**
 * Marks that statistical offices put in place of figures. They count only in columns that hold numbers besides, so a
 * lone letter is no mark among names.
 */
const known: ReadonlyMap<string, string> = new Map([
  ...[
    '.',
    '..',
    '...',
    '-',
    '--',
    '–',
    '—',
    '―',
    ':',
    'n/a',
    'na',
    '(na)',
    'n.a.',
    'n.d.',
    'nd',
    'null',
    'none',
    'nan',
    '#n/a',
    'missing',
    'unknown',
    'not available',
    'no data',
    'n.v.',
    '?',
  ].map((text) => [text, reasons.missing] as const),
  ...[
    '*',
    '**',
    '***',
    'c',
    '(c)',
    'd',
    '(d)',
    's',
    '(s)',
    'x',
    'suppressed',
    'confidential',
    'withheld',
    ':c',
    '†',
    '‡',
    '•',
    '…',
  ].map((text) => [text, reasons.suppressed] as const),
  ...['(x)', 'not applicable', 'z', ':z', '-888888888'].map((text) => [text, reasons.notApplicable] as const),
  ...['n', '(n)', '-999999999'].map((text) => [text, reasons.tooFew] as const),
  ...['/', 'u', ':u', '(b)', '-666666666', '-222222222', '-333333333'].map(
    (text) => [text, reasons.unreliable] as const,
  ),
  ...['#div/0!', '#value!', '#ref!', '#num!', '#name?', '#null!'].map(
    (text) => [text, reasons.failed] as const,
  ),
  ['-555555555', reasons.exact],
]);

/** Longest text that is looked up as a mark. */
export const longestMark = 24;

/** Numbers that stand for a reason wherever they occur (nine like digits below zero). */
export const markedNumbers: ReadonlyMap<number, string> = new Map(
  [...known].filter(([text]) => /^-\d{9}$/.test(text)).map(([text, reason]) => [Number(text), reason]),
);

/** Numbers that are often marks and sometimes figures: told, never assumed. */
export const doubtfulNumbers: readonly number[] = [-9, -99, -999, -9999, -99999, -999999, -9999999];

/** Reason of a mark that everybody uses; undefined for any other text. */
export function knownReason(text: string): string | undefined {
  return text.length > longestMark ? undefined : known.get(text.toLowerCase());
}

/** The reason in a sentence of a provider: `. = suppressed to protect confidentiality` → suppressed. */
export function reasonFromWords(words: string): string {
  const text = words.toLowerCase();
  if (/suppress|confiden|withheld|disclos|secre|protect/.test(text)) return reasons.suppressed;
  if (/not applicable|does not apply|inapplicable/.test(text)) return reasons.notApplicable;
  if (/too few|small (sample|number)|insufficient/.test(text)) return reasons.tooFew;
  if (/unreliab|not reliable|low reliab|uncertain|cannot be computed/.test(text)) return reasons.unreliable;
  if (/missing|not available|unavailable|no data|not collected|unknown/.test(text)) return reasons.missing;
  return words.trim().slice(0, 60);
}

/** Of a longer line, the beginning is looked at. */
const longestNote = 500;

/**
 * What a file's own notes say of a mark: `. = suppressed`, `"x": not available`, `(1) …` is none. Null when the line
 * explains no mark.
 */
export function markFromNote(line: string): Mark | null {
  const found =
    /^(?:notes?\s?[:.]\s?)?["'“‘(]?([^\s\w"'“”‘’]{1,3}|[A-Za-z]{1,2}|-\d{1,10}|n\/a|n\.a\.)["'”’)]?\s?(?:=|:|–|—|-\s|means|stands for)\s?(\S.*)$/i.exec(
      line.slice(0, longestNote).replace(/\s+/g, ' ').trim(),
    );
  if (found === null) return null;
  return { text: found[1], reason: reasonFromWords(found[2]) };
}

/** `{ ".": suppressed }`, or `. = suppressed, -9999 = missing` → marks. A text alone means “missing”. */
export function marksFromText(text: string): Mark[] {
  return text
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')
    .map((part) => {
      const at = part.indexOf('=', 1);
      return at < 0
        ? { text: part, reason: reasons.missing }
        : { text: part.slice(0, at).trim(), reason: part.slice(at + 1).trim() };
    });
}

/** Most different marks of one column; a column with more holds text. */
export const mostMarks = 200;

/** The marks of one column while its values go by: each text once, numbered from 1. */
export class MarkList {
  readonly list: Mark[] = [];
  private readonly numbers = new Map<string, number>();

  /** Number of the mark, from 1; 0 when there are too many. */
  number(text: string, reason: string): number {
    const found = this.numbers.get(text);
    if (found !== undefined) return found;
    if (this.list.length >= mostMarks) return 0;
    this.list.push({ text, reason });
    this.numbers.set(text, this.list.length);
    return this.list.length;
  }

  get(text: string): number {
    return this.numbers.get(text) ?? 0;
  }
}
