/**
 * Text as XML character data or within an attribute: the one escape of all writers of XML, SVG and HTML. What no XML 1.0
 * document may hold (section 2.2: control characters, lone surrogates) becomes U+FFFD.
 */
export function xmlText(text: string): string {
  return text
    .replace(/[&<>"\r]/g, (c) =>
      c === '&' ? '&amp;' : c === '<' ? '&lt;' : c === '>' ? '&gt;' : c === '"' ? '&quot;' : '&#13;',
    )
    .replace(forbidden, '\ufffd');
}

const forbidden =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: these are what is looked for
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;
