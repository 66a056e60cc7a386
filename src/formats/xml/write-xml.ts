/** Text as XML character data; control characters, which XML 1.0 cannot hold, become U+FFFD. */
export function xmlText(text: string): string {
  return text
    .replace(/[&<>"\r]/g, (c) =>
      c === '&' ? '&amp;' : c === '<' ? '&lt;' : c === '>' ? '&gt;' : c === '"' ? '&quot;' : '&#13;',
    )
    .replace(forbidden, '\ufffd');
}

/** Characters that no XML 1.0 document may hold (section 2.2), lone surrogates among them. */
const forbidden =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: these are what is looked for
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

/** A field name as an XML name: what is not allowed becomes `_`; names stay apart from each other. */
export function xmlNames(names: readonly string[]): string[] {
  const taken = new Set<string>();
  return names.map((name) => {
    let plain = name.replace(/[^\p{L}\p{N}_.-]/gu, '_').replace(/^(?=[^\p{L}_])/u, '_');
    if (/^xml/i.test(plain) || plain === '') plain = `_${plain}`;
    let free = plain;
    for (let n = 2; taken.has(free); n++) free = `${plain}_${n}`;
    taken.add(free);
    return free;
  });
}

/** True for what may stand as an xsd:ID. */
export function isXmlName(text: string): boolean {
  return /^[\p{L}_][\p{L}\p{N}_.-]*$/u.test(text);
}
