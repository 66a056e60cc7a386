export { xmlText } from '../../core/xml-text.ts';

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
