import fc from 'fast-check';
import iconv from 'iconv-lite';
import { describe, expect, it } from 'vitest';
import { pages } from '../../src/formats/bytes/code-pages.generated.ts';
import { decodeText, encodingExists, textPieces } from '../../src/formats/bytes/code-pages.ts';
import { encodingFromText } from '../../src/formats/bytes/encodings.ts';

const names = Object.keys(pages).map((each) => each.split(' ')[0]);

describe('code pages', () => {
  it('give every byte the sign that another library gives it', () => {
    expect(names.length).toBeGreaterThan(50);
    const bytes = Uint8Array.from({ length: 256 }, (_, k) => k);
    for (const name of names)
      expect(decodeText(bytes, name), name).toBe(iconv.decode(Buffer.from(bytes), name));
  });

  it.each(['shift_jis', 'euc-jp', 'gbk', 'gb18030', 'euc-kr', 'big5', 'utf-8', 'utf-16le', 'utf-16be'])(
    '%s is read as another library writes it',
    (name) => {
      const texts = {
        shift_jis: '日本の区',
        'euc-jp': '日本の区',
        big5: '臺灣鄉鎮',
        'euc-kr': '대한민국 동',
      };
      const text = texts[name as keyof typeof texts] ?? 'Bezirk Süd 中国区 – 12';
      const plain = name === 'gbk' ? text.replace('ü', 'u') : text;
      expect(decodeText(iconv.encode(plain, name), name)).toBe(plain);
    },
  );

  it('come out the same however the bytes are divided', () => {
    const text = 'Größe, Ἀθῆναι, 日本の区, 𝄞';
    for (const name of ['utf-8', 'utf-16le', 'gb18030', 'cp850', 'windows-1252']) {
      const bytes = iconv.encode(text, name);
      const whole = decodeText(bytes, name);
      fc.assert(
        fc.property(fc.array(fc.nat(bytes.length), { maxLength: 6 }), (cuts) => {
          const pieces = textPieces(name);
          const places = [0, ...cuts.sort((a, b) => a - b), bytes.length];
          let told = '';
          for (let k = 1; k < places.length; k++)
            told += pieces.write(bytes.subarray(places[k - 1], places[k]));
          expect(told + pieces.end()).toBe(whole);
        }),
        { numRuns: 50 },
      );
    }
  });

  it('are known by the names that files call them', () => {
    const known: readonly (readonly [string, string])[] = [
      ['1252', 'cp1252'],
      ['ANSI 1252', 'cp1252'],
      ['ISO 8859-1', 'iso-8859-1'],
      ['88591', 'iso-8859-1'],
      ['OEM 850', 'cp850'],
      ['UTF-8', 'utf-8'],
      ['65001', 'utf-8'],
      ['KOI8-R', 'koi8-r'],
      ['Big5', 'big5'],
      ['macintosh', 'macintosh'],
    ];
    for (const [said, name] of known) expect(encodingFromText(said), said).toBe(name);
    for (const name of ['latin-9000', '', 'utf-7', '12'])
      expect(encodingFromText(name) ?? encodingExists(name), name).toBeFalsy();
    expect(() => textPieces('latin-9000')).toThrow(RangeError);
  });
});
