/**
 * A mark that stands where a number should: what was written, and what it means. The value beside it is blank, or, for
 * open-ended figures (`250,000+`), the bound.
 */
export interface Mark {
  text: string;
  reason: string;
}

/** Why a figure is not there, by the usual words for it. */
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

const plainNumber = /^-?\d+(?:[.,]0+)?$/;
const dividedNumber = /^(-?\d{1,3}(?:,\d{3}){2,})(?:\.0+)?$|^(-?\d{1,3}(?:\.\d{3}){2,})(?:,0+)?$/;
const scientific = /^-?\d(?:\.\d+)?e\+?\d{1,2}$/i;

/**
 * The one spelling of a mark that is a number: `-666666666.0`, `-666,666,666` and `-6.66666666E8` are `-666666666`. Other
 * texts are themselves, without white space around them.
 */
export function markSpelling(text: string): string {
  const bare = text.trim().replace(/^\u2212/, '-');
  const c = bare.charCodeAt(bare.length - 1);
  if (bare.length > longestMark || c < 48 || c > 57) return bare;
  const whole = bare.replace(/[ '’\u00a0\u202f]/g, '');
  if (plainNumber.test(whole)) return whole.replace(/[.,]0+$/, '');
  const divided = dividedNumber.exec(whole);
  if (divided !== null) return (divided[1] ?? divided[2]).replace(/[.,]/g, '');
  if (scientific.test(whole) && Number.isSafeInteger(Number(whole))) return String(Number(whole));
  return bare;
}

/** Reason of a mark that everybody uses, however it is spelt; undefined for any other text. */
export function knownReason(text: string): string | undefined {
  if (text.length > longestMark) return undefined;
  const c = text.charCodeAt(0);
  // Those that are numbers are below zero.
  return known.get(
    (c === 45 || c === 0x2212 || c === 32 ? markSpelling(text) : text.trimEnd()).toLowerCase(),
  );
}

/** Marks of a user or a file by their one spelling. */
export function markReasons(marks: Iterable<Mark>): Map<string, string> {
  return new Map([...marks].map((mark) => [markSpelling(mark.text), mark.reason]));
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
  number(spelt: string, reason: string): number {
    const text = markSpelling(spelt);
    const found = this.numbers.get(text);
    if (found !== undefined) return found;
    if (this.list.length >= mostMarks) return 0;
    this.list.push({ text, reason });
    this.numbers.set(text, this.list.length);
    return this.list.length;
  }

  /** The mark of a text; undefined when it is none. */
  get(text: string): number {
    return this.numbers.get(text) ?? this.numbers.get(markSpelling(text)) ?? 0;
  }
}
