import { dictionary } from '../../core/dictionary.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import type { Expression } from '../../core/table/cql2/syntax.ts';
import { xmlText } from '../../formats/xml/write-xml.ts';
import type { WfsVersion } from './service.ts';

/** How the two versions of the filter language spell the same things. */
interface Spelling {
  prefix: string;
  namespace: string;
  reference: string;
  gml: string;
}

const spellings: Readonly<Record<WfsVersion, Spelling>> = {
  // OGC 09-026r2
  '2.0.0': {
    prefix: 'fes',
    namespace: 'http://www.opengis.net/fes/2.0',
    reference: 'ValueReference',
    gml: 'http://www.opengis.net/gml/3.2',
  },
  // OGC 04-095
  '1.1.0': {
    prefix: 'ogc',
    namespace: 'http://www.opengis.net/ogc',
    reference: 'PropertyName',
    gml: 'http://www.opengis.net/gml',
  },
};

const operators: Readonly<Record<string, string>> = dictionary({
  '=': 'PropertyIsEqualTo',
  '<>': 'PropertyIsNotEqualTo',
  '<': 'PropertyIsLessThan',
  '>': 'PropertyIsGreaterThan',
  '<=': 'PropertyIsLessThanOrEqualTo',
  '>=': 'PropertyIsGreaterThanOrEqualTo',
});

function element(e: Expression, s: Spelling): string {
  const tag = (name: string, inner: string, attributes = '') =>
    `<${s.prefix}:${name}${attributes}>${inner}</${s.prefix}:${name}>`;
  const within = (other: Expression) => element(other, s);
  switch (e.op) {
    case 'literal':
      return tag('Literal', xmlText(String(e.value)));
    case 'negate':
      return tag('Literal', xmlText(`-${(e.arg as { value: unknown }).value}`));
    case 'property':
      return tag(s.reference, xmlText(e.name));
    case 'and':
    case 'or': {
      // The languages know And and Or of any number of parts.
      return tag(e.op === 'and' ? 'And' : 'Or', e.args.map(within).join(''));
    }
    case 'not':
      return tag('Not', within(e.arg));
    case 'isNull':
      return tag('PropertyIsNull', within(e.arg));
    case 'like':
      return tag(
        'PropertyIsLike',
        `${within(e.arg)}${tag('Literal', xmlText(e.pattern))}`,
        ` wildCard="%" singleChar="_" escapeChar="\\" matchCase="true"`,
      );
    case 'between':
      return tag(
        'PropertyIsBetween',
        `${within(e.arg)}${tag('LowerBoundary', within(e.low))}${tag('UpperBoundary', within(e.high))}`,
      );
    case 'in': {
      const each = e.list.map((item) => tag('PropertyIsEqualTo', `${within(e.arg)}${within(item)}`));
      return each.length === 1 ? each[0] : tag('Or', each.join(''));
    }
    default:
      if ('left' in e && e.op in operators)
        return tag(operators[e.op], `${within(e.left)}${within(e.right)}`);
      throw new Error(`${e.op} is not sent to services`);
  }
}

/**
 * A filter in the filter encoding of the version: a condition, ids and a box or two (with the geometry property, in
 * the axis order of its srsName), all of which must hold. Null when there is nothing to filter.
 */
export function filterXml(
  version: WfsVersion,
  parts: {
    condition?: Expression | null;
    ids?: readonly string[];
    box?: { boxes: readonly Box[]; exchanged: boolean; srsName: string; property: string | undefined };
  },
): string | null {
  const s = spellings[version];
  const open = `<${s.prefix}:Filter xmlns:${s.prefix}="${s.namespace}" xmlns:gml="${s.gml}">`;
  const close = `</${s.prefix}:Filter>`;
  if (parts.ids !== undefined) {
    // Ids stand alone: neither version lets them be combined.
    const each = parts.ids.map((id) =>
      version === '2.0.0'
        ? `<fes:ResourceId rid="${xmlText(id)}"/>`
        : `<ogc:GmlObjectId gml:id="${xmlText(id)}"/>`,
    );
    return `${open}${each.join('')}${close}`;
  }
  const all: string[] = [];
  if (parts.box !== undefined) {
    const { boxes, exchanged, srsName, property } = parts.box;
    // Without a property, the box is held against whatever geometry a feature has (OGC 09-026r2, clause 7.8.3.2).
    const reference =
      property === undefined
        ? ''
        : `<${s.prefix}:${s.reference}>${xmlText(property)}</${s.prefix}:${s.reference}>`;
    const each = boxes.map(([west, south, east, north]) => {
      const [lower, upper] = exchanged
        ? [`${south} ${west}`, `${north} ${east}`]
        : [`${west} ${south}`, `${east} ${north}`];
      return (
        `<${s.prefix}:BBOX>${reference}` +
        `<gml:Envelope srsName="${xmlText(srsName)}"><gml:lowerCorner>${lower}</gml:lowerCorner>` +
        `<gml:upperCorner>${upper}</gml:upperCorner></gml:Envelope></${s.prefix}:BBOX>`
      );
    });
    all.push(each.length === 1 ? each[0] : `<${s.prefix}:Or>${each.join('')}</${s.prefix}:Or>`);
  }
  if (parts.condition !== undefined && parts.condition !== null) all.push(element(parts.condition, s));
  if (all.length === 0) return null;
  const inner = all.length === 1 ? all[0] : `<${s.prefix}:And>${all.join('')}</${s.prefix}:And>`;
  return `${open}${inner}${close}`;
}
