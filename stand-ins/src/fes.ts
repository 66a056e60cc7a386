import { and, blank, type Condition, compared, matching, not, or } from './conditions.ts';
import type { Element } from './xml.ts';

export interface Filter {
  ids: Set<string> | null;
  condition: Condition | null;
  /** West, south, east, north. */
  box: number[] | null;
}

const operators: Record<string, string> = {
  PropertyIsEqualTo: '=',
  PropertyIsNotEqualTo: '<>',
  PropertyIsLessThan: '<',
  PropertyIsGreaterThan: '>',
  PropertyIsLessThanOrEqualTo: '<=',
  PropertyIsGreaterThanOrEqualTo: '>=',
};

const local = (name: string) => name.trim().replace(/^.*:/, '');
const isReference = (element: Element) =>
  element.name === 'ValueReference' || element.name === 'PropertyName';

/** A literal as the property it is compared with has it: codes are text, the vintage is a number. */
function literal(element: Element, name: string): string | number {
  return name === 'vintage' ? Number(element.text) : element.text;
}

/** A filter in FES 2.0 (OGC 09-026r2) or Filter Encoding 1.1 (OGC 04-095). */
export function filterIn(root: Element): Filter {
  const filter: Filter = { ids: null, condition: null, box: null };
  const condition = (element: Element): Condition | null => {
    const inner = () => element.children.map(condition).filter((each) => each !== null);
    switch (element.name) {
      case 'And':
        return and(inner());
      case 'Or':
        return or(inner());
      case 'Not':
        return not(inner()[0]);
      case 'BBOX': {
        const corners = element.children
          .find((each) => each.name === 'Envelope')!
          .children.map((each) => each.text.trim().split(/\s+/).map(Number));
        const [[south, west], [north, east]] = corners;
        filter.box = [west, south, east, north];
        return null;
      }
      case 'PropertyIsNull':
        return blank(local(element.children[0].text));
      case 'PropertyIsLike':
        return matching(local(element.children[0].text), element.children[1].text);
      case 'PropertyIsBetween': {
        const name = local(element.children[0].text);
        const [low, high] = element.children.slice(1).map((each) => literal(each.children[0], name));
        return and([compared(name, '>=', low), compared(name, '<=', high)]);
      }
      default: {
        const reference = element.children.find(isReference);
        const value = element.children.find((each) => each.name === 'Literal');
        if (!(element.name in operators) || reference === undefined || value === undefined)
          throw new Error(`The filter ${element.name} is not known here.`);
        const name = local(reference.text);
        return compared(name, operators[element.name], literal(value, name));
      }
    }
  };
  for (const child of root.children) {
    if (child.name === 'ResourceId' || child.name === 'GmlObjectId') {
      filter.ids ??= new Set();
      filter.ids.add(child.attributes.rid ?? child.attributes.id);
    } else filter.condition = condition(child);
  }
  return filter;
}
