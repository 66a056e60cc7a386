import { pages } from './code-pages.generated.ts';

/** Turns bytes into text, piece by piece. */
export interface TextPieces {
  write(bytes: Uint8Array): string;
  /** What was waiting for more bytes. */
  end(): string;
}

/** Encodings of several bytes a sign, by their names without other signs than letters and digits (WHATWG, Encoding). */
const wide: ReadonlyMap<string, string> = new Map([
  ...['utf8', 'unicode11utf8', '65001', 'cp65001'].map((name) => [name, 'utf-8'] as const),
  ...['utf16le', 'utf16', 'ucs2', '1200', 'cp1200'].map((name) => [name, 'utf-16le'] as const),
  ...['utf16be', '1201', 'cp1201'].map((name) => [name, 'utf-16be'] as const),
  ...['shiftjis', 'sjis', 'csshiftjis', 'mskanji', 'windows31j', 'ms31j', '932', 'cp932', 'ms932'].map(
    (name) => [name, 'shift_jis'] as const,
  ),
  ...['eucjp', '20932', 'cp20932'].map((name) => [name, 'euc-jp'] as const),
  ...['gbk', 'gb2312', 'gb231280', 'chinese', 'euccn', '936', 'cp936', 'ms936', 'windows936'].map(
    (name) => [name, 'gbk'] as const,
  ),
  ...['gb18030', '54936', 'cp54936'].map((name) => [name, 'gb18030'] as const),
  ...['euckr', 'korean', 'ksc5601', 'ksc56011987', 'ksc56011989', '949', 'cp949', 'uhc', 'windows949'].map(
    (name) => [name, 'euc-kr'] as const,
  ),
  ...['big5', 'big5hkscs', 'cnbig5', 'xxbig5', '950', 'cp950', 'ms950'].map(
    (name) => [name, 'big5'] as const,
  ),
]);

let signsByName: Map<string, string> | null = null;

/** Signs from byte 128 of a page; undefined when there is no page of that name. */
function pageNamed(key: string): string | undefined {
  if (signsByName === null) {
    signsByName = new Map();
    for (const [names, signs] of Object.entries(pages))
      for (const name of names.split(' ')) signsByName.set(name, signs);
  }
  return signsByName.get(key);
}

/** `ISO 8859-1`, `iso_8859-1:1987` → `iso88591` */
const keyOf = (name: string) =>
  name
    .toLowerCase()
    .replace(/:\d{4}$/, '')
    .replace(/[^a-z0-9]/g, '');

/** Is a name one of an encoding that is read? */
export function encodingExists(name: string): boolean {
  const key = keyOf(name);
  return wide.has(key) || pageNamed(key) !== undefined;
}

/** Signs of bytes that stand each for one. */
class OneByteASign implements TextPieces {
  private readonly codes: Uint16Array;
  private readonly utf16 = new TextDecoder('utf-16le', { ignoreBOM: true });

  constructor(signs: string) {
    this.codes = Uint16Array.from({ length: 256 }, (_, byte) =>
      byte < 128 ? byte : signs.charCodeAt(byte - 128),
    );
  }

  write(bytes: Uint8Array): string {
    const { codes } = this;
    // As UTF-16, in the order of bytes that its name says, whatever the machine's is.
    const wide = new DataView(new ArrayBuffer(2 * bytes.length));
    for (let k = 0; k < bytes.length; k++) wide.setUint16(2 * k, codes[bytes[k]], true);
    return this.utf16.decode(wide);
  }

  end(): string {
    return '';
  }
}

class SeveralBytesASign implements TextPieces {
  private readonly decoder: TextDecoder;

  constructor(label: string) {
    this.decoder = new TextDecoder(label);
  }

  write(bytes: Uint8Array): string {
    return this.decoder.decode(bytes, { stream: true });
  }

  end(): string {
    return this.decoder.decode();
  }
}

/** What turns bytes of an encoding that exists into text. A byte-order mark is left out. */
export function textPieces(name: string): TextPieces {
  const key = keyOf(name);
  const label = wide.get(key);
  if (label !== undefined) return new SeveralBytesASign(label);
  const signs = pageNamed(key);
  if (signs === undefined) throw new RangeError(`No encoding is called ${name}.`);
  return new OneByteASign(signs);
}

/** Bytes in an encoding that exists as text. */
export function decodeText(bytes: Uint8Array, name: string): string {
  const pieces = textPieces(name);
  return pieces.write(bytes) + pieces.end();
}
