/** What became of the lines of a stream of sentences. */
export interface SentenceCounts {
  /** Lines that are, or were meant as, sentences. */
  all: number;
  /** With a checksum that is not that of their signs. */
  checksum: number;
  /** Cut short: without an end, with another sentence's beginning in them, or with noise. */
  cut: number;
  /** Whole, but with values that cannot be. */
  value: number;
  /** Whole and taken, though they carry no checksum. */
  unchecked: number;
}

/** Longest line that may be a sentence: 82 signs by the standard (NMEA 0183, section 5.3), more with a tag block before it. */
const longestLine = 1024;

/** Sentences of a position receiver by their formatter (NMEA 0183, section 6.3), which are recognised at the beginning of a file. */
export const formatters: ReadonlySet<string> = new Set([
  'GGA',
  'RMC',
  'GLL',
  'GNS',
  'GSA',
  'GSV',
  'GST',
  'GBS',
  'VTG',
  'ZDA',
  'WPL',
  'RTE',
  'RMB',
  'BOD',
  'HDT',
  'TXT',
]);

/** XOR of the signs between `$` and `*` (NMEA 0183, section 5.2.2.4). */
export function checksumOf(text: string, from = 0, to = text.length): number {
  let sum = 0;
  for (let k = from; k < to; k++) sum ^= text.charCodeAt(k);
  return sum;
}

/**
 * Finds sentences in what a receiver sends, whole lines or parts of them; each whole one is handed over as its formatter
 * (`GGA`) and fields. Broken ones are counted and passed over.
 */
export class SentenceReader {
  readonly counts: SentenceCounts = { all: 0, checksum: 0, cut: 0, value: 0, unchecked: 0 };
  private rest = '';
  /** True while a line that is longer than any sentence goes by. */
  private passing = false;
  /** True once a sentence carried a checksum. */
  private checked = false;
  private readonly decoder = new TextDecoder('latin1');
  private readonly take: (formatter: string, fields: readonly string[]) => boolean;

  /** @param take is told of each whole sentence; false: its values cannot be */
  constructor(take: (formatter: string, fields: readonly string[]) => boolean) {
    this.take = take;
  }

  /** Takes the next bytes of the stream, however they are cut. */
  push(bytes: Uint8Array): void {
    const text = this.rest + this.decoder.decode(bytes, { stream: true });
    let from = 0;
    for (;;) {
      const end = text.indexOf('\n', from);
      if (end < 0) break;
      if (this.passing) this.passing = false;
      else this.line(text.slice(from, end));
      from = end + 1;
    }
    this.rest = text.slice(from);
    if (this.rest.length > longestLine) {
      if (!this.passing && /[$!]/.test(this.rest)) this.broken();
      this.passing = true;
      this.rest = '';
    }
  }

  /** Ends the stream: what has no end is cut, unless its checksum says that it is whole. */
  end(): void {
    const { rest } = this;
    this.rest = '';
    if (!this.passing && rest.trim() !== '') this.line(rest, true);
  }

  private broken(): void {
    this.counts.all++;
    this.counts.cut++;
  }

  private line(whole: string, last = false): void {
    const { counts } = this;
    const line = whole.trimEnd();
    // A tag block (NMEA 0183, section 7.2) stands before the sentence that it is of.
    const block = line.startsWith('\\') ? line.indexOf('\\', 1) + 1 : 0;
    const start = line.indexOf('$', block);
    if (start < 0) {
      // Sentences of ships (`!AIVDM`) are whole and tell of others; anything else is noise, or the end of a cut one.
      if (line.charCodeAt(block) === 33 || line === '') return;
      if (line.includes('*') || line.includes(',')) this.broken();
      return;
    }
    counts.all++;
    const star = line.indexOf('*', start);
    const other = line.indexOf('$', start + 1);
    if (other >= 0) {
      // The first was cut by the second.
      counts.cut++;
      this.line(line.slice(other), last);
      return;
    }
    if (star < 0) {
      // Where others carry a checksum, one without has lost its end.
      if (last || this.checked || !plainSigns(line, start)) {
        counts.cut++;
        return;
      }
      counts.unchecked++;
      this.hand(line.slice(start + 1));
      return;
    }
    const told = line.slice(star + 1, star + 3);
    if (!/^[0-9A-Fa-f]{2}$/.test(told)) counts.cut++;
    else if (checksumOf(line, start + 1, star) !== Number.parseInt(told, 16)) counts.checksum++;
    else {
      this.checked = true;
      this.hand(line.slice(start + 1, star));
    }
  }

  private hand(body: string): void {
    const fields = body.split(',');
    // Two signs say who talks; proprietary ones (`P…`) are of their makers.
    const [address] = fields;
    if (address.startsWith('P') || address.length !== 5) return;
    if (!this.take(address.slice(2), fields)) this.counts.value++;
  }
}

/** Printable ASCII from a place on. */
function plainSigns(line: string, from: number): boolean {
  for (let k = from; k < line.length; k++) {
    const c = line.charCodeAt(k);
    if (c < 32 || c > 126) return false;
  }
  return true;
}

/** Do the first bytes look like sentences of a receiver? Two of the first lines must be whole, or the only one. */
export function looksLikeSentences(head: Uint8Array): boolean {
  const text = new TextDecoder('latin1').decode(head.subarray(0, 4096));
  const lines = text.split('\n').slice(0, 24);
  let whole = 0;
  for (const line of lines) {
    const start = line.startsWith('\\') ? line.indexOf('\\', 1) + 1 : 0;
    if (line[start] !== '$') continue;
    if (/^\$[A-Z]{5},/.test(line.slice(start, start + 7)) && formatters.has(line.slice(start + 3, start + 6)))
      whole++;
  }
  return whole >= 2 || (whole === 1 && lines.filter((line) => line.trim() !== '').length === 1);
}
