import { SaxesParser } from 'saxes';

export interface Element {
  name: string;
  attributes: Record<string, string>;
  children: Element[];
  text: string;
}

const local = (name: string) => name.slice(name.indexOf(':') + 1);

/** A document as a tree, names without their prefixes. */
export function parseXml(text: string): Element {
  const root: Element = { name: '', attributes: {}, children: [], text: '' };
  const open = [root];
  const parser = new SaxesParser({ xmlns: false });
  parser.on('opentag', (tag) => {
    const attributes = Object.fromEntries(
      Object.entries(tag.attributes as Record<string, string>).map(([name, value]) => [local(name), value]),
    );
    const element: Element = { name: local(tag.name), attributes, children: [], text: '' };
    open[open.length - 1].children.push(element);
    open.push(element);
  });
  parser.on('text', (part) => {
    open[open.length - 1].text += part;
  });
  parser.on('closetag', () => {
    open.pop();
  });
  parser.write(text).close();
  return root.children[0] ?? root;
}
