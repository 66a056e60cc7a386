/** Letters that are other ones with a stroke or in one: Unicode does not take them apart. */
const strokes: Readonly<Record<string, string>> = {
  ø: 'o',
  đ: 'd',
  ð: 'd',
  ł: 'l',
  ß: 'ss',
  æ: 'ae',
  œ: 'oe',
  þ: 'th',
  ı: 'i',
  ħ: 'h',
};
const stroke = new RegExp(`[${Object.keys(strokes).join('')}]`, 'g');

// biome-ignore lint/suspicious/noControlCharactersInRegex: all of ASCII is what is meant
const ascii = /^[\u0000-\u007f]*$/;

/** A text in lower case, without accents and strokes. */
export function bareText(text: string): string {
  if (ascii.test(text)) return text.toLowerCase();
  const lower = text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();
  return lower.replace(stroke, (letter) => strokes[letter]);
}

/** The words and numbers of a text, bare. */
export function bareWords(text: string): string[] {
  const bare = bareText(text);
  return bare.match(ascii.test(bare) ? /[a-z0-9]+/g : /[\p{L}\p{N}]+/gu) ?? [];
}
