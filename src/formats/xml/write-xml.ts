export { xmlText } from '../../core/xml-text.ts';

/**
 * Signs of names (XML 1.0, section 2.3), as far as they are letters and digits: not all of these are signs of names. The
 * first edition of the standard knew still less of them than the fifth.
 */
const nameStart =
  'A-Z_a-z\\u00c0-\\u00d6\\u00d8-\\u00f6\\u00f8-\\u02ff\\u0370-\\u037d\\u037f-\\u1fff\\u3001-\\ud7ff\\uf900-\\ufdcf';
const others = new RegExp(`[^${nameStart}0-9.\\u00b7\\u0300-\\u036f-]`, 'gu');
const badStart = new RegExp(`^(?![${nameStart}])`, 'u');
const wholeName = new RegExp(`^[${nameStart}][${nameStart}0-9.\\u00b7\\u0300-\\u036f-]*$`, 'u');

/** A field name as an XML name: `m²` is `m2`, what is not allowed becomes `_`; names stay apart from each other. */
export function xmlNames(names: readonly string[]): string[] {
  const taken = new Set<string>();
  return names.map((name) => {
    let plain = name
      .replace(others, (sign) => sign.normalize('NFKC'))
      .replace(others, '_')
      .replace(badStart, '_');
    if (/^xml/i.test(plain) || plain === '') plain = `_${plain}`;
    let free = plain;
    for (let n = 2; taken.has(free); n++) free = `${plain}_${n}`;
    taken.add(free);
    return free;
  });
}

/** True for what may stand as an xsd:ID. */
export function isXmlName(text: string): boolean {
  return wholeName.test(text);
}

/** What is told of field names that became other names; undefined when none did. */
export function renamedNote(
  fields: readonly { name: string }[],
  names: readonly string[],
): string | undefined {
  const renamed = fields.flatMap(({ name }, c) =>
    name === names[c] ? [] : [`${name || 'a field without a name'} is called ${names[c]}`],
  );
  return renamed.length === 0
    ? undefined
    : `Field names that are no XML names were changed: ${renamed.join(', ')}.`;
}
