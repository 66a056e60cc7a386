import { dictionary } from '../../core/dictionary.ts';

const entities = dictionary({ amp: '&', lt: '<', gt: '>', quot: '"', apos: "'", nbsp: ' ' });

/** `&amp;`, `&#228;`, `&#xe4;` as what they stand for; others stay as they are. */
export function withoutEntities(text: string): string {
  return text.replace(/&(#x[0-9a-f]{1,6}|#\d{1,7}|[a-z]{1,10});/gi, (whole, name: string) => {
    if (name[0] !== '#') return entities[name.toLowerCase()] ?? whole;
    const code = /^#x/i.test(name) ? Number.parseInt(name.slice(2), 16) : Number(name.slice(1));
    return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : whole;
  });
}

/** One tag of a text with markup: its name in small letters, `/name` where it closes, and where it begins and ends. */
export interface Tag {
  name: string;
  from: number;
  end: number;
}

const isNamePart = (code: number) =>
  (code >= 97 && code <= 122) || (code >= 65 && code <= 90) || (code >= 48 && code <= 57) || code === 45;

/** The next tag from `at` on; null when no other one is closed. */
function nextTag(html: string, at: number): Tag | null {
  const from = html.indexOf('<', at);
  const end = from < 0 ? -1 : html.indexOf('>', from);
  // What is not closed is text.
  if (end < 0) return null;
  let k = from + 1;
  if (html[k] === '/') k++;
  while (isNamePart(html.charCodeAt(k))) k++;
  return { name: html.slice(from + 1, k).toLowerCase(), from, end: end + 1 };
}

/** All tags of an HTML fragment, one after the other. Each sign is looked at once: nothing is searched for again. */
export function* tagsIn(html: string): Generator<Tag> {
  for (let tag = nextTag(html, 0); tag !== null; tag = nextTag(html, tag.end)) yield tag;
}

/** Elements whose contents are no text, and no tags either. */
const silent = new Set(['script', 'style']);

/**
 * Text of an HTML fragment: tags left out, the common entities read.
 *
 * @param gap what a tag of this name leaves: a blank for `br`, a line end for the ends of paragraphs
 */
export function markupText(html: string, gap: (name: string) => string): string {
  let text = '';
  let at = 0;
  let small: string | null = null;
  for (let tag = nextTag(html, 0); tag !== null; tag = nextTag(html, at)) {
    text += html.slice(at, tag.from) + gap(tag.name);
    at = tag.end;
    if (!silent.has(tag.name)) continue;
    small ??= html.toLowerCase();
    const close = small.indexOf(`</${tag.name}`, at);
    // Without its end, it reaches to the end of all.
    if (close < 0) return withoutEntities(text);
    at = close;
  }
  return withoutEntities(text + html.slice(at));
}

/** The text without `<!-- … -->`; one that is not closed reaches to the end. */
export function withoutComments(text: string): string {
  let out = '';
  let at = 0;
  for (let from = text.indexOf('<!--'); from >= 0; from = text.indexOf('<!--', at)) {
    out += text.slice(at, from);
    const end = text.indexOf('-->', from + 4);
    if (end < 0) return out;
    at = end + 3;
  }
  return out + text.slice(at);
}

/** End of a document type declaration that begins at `at`, its internal subset included; −1 when it does not end. */
function declarationEnd(text: string, at: number): number {
  const close = text.indexOf('>', at);
  const bracket = text.indexOf('[', at);
  if (bracket < 0 || close < 0 || close < bracket) return close < 0 ? -1 : close + 1;
  const subset = text.indexOf(']', bracket);
  const end = subset < 0 ? -1 : text.indexOf('>', subset);
  return end < 0 ? -1 : end + 1;
}

/**
 * The first tag of an XML document, behind declaration, comments and document type: local name, and the text of the tag
 * (to where it ends in the text at hand). Null when the text does not begin as XML does.
 */
export function rootTag(text: string): { name: string; tag: string; closed: boolean } | null {
  let at = 0;
  for (;;) {
    while (at < text.length && text.charCodeAt(at) <= 32) at++;
    let end: number;
    if (text.startsWith('<?', at)) {
      end = text.indexOf('?>', at);
      end = end < 0 ? -1 : end + 2;
    } else if (text.startsWith('<!--', at)) {
      end = text.indexOf('-->', at + 4);
      end = end < 0 ? -1 : end + 3;
    } else if (text.startsWith('<!DOCTYPE', at)) end = declarationEnd(text, at);
    else break;
    if (end < 0) return null;
    at = end;
  }
  const name = /^<(?:[A-Za-z_][\w.-]{0,200}:)?([A-Za-z_][\w.-]{0,200})(?=[\s/>]|$)/.exec(
    text.slice(at, at + 500),
  );
  if (name === null) return null;
  let end = at + 1;
  for (let quote = ''; end < text.length; end++) {
    const c = text[end];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if (c === '>') break;
  }
  return { name: name[1], tag: text.slice(at, end), closed: text[end - 1] === '/' && text[end] === '>' };
}
