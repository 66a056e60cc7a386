import { IsomericError } from '../../core/errors.ts';
import { type ByteSource, sourceFromBytes } from '../bytes/byte-source.ts';
import { type Attributes, attribute, readXml, type XmlHandler } from './read-xml.ts';

/** Most elements of a document that is read as a tree: descriptions, not data. */
const mostElements = 500_000;

/** An element with what is in it. Names come without their prefix. */
export class XmlElement {
  readonly name: string;
  readonly attributes: Attributes;
  readonly children: XmlElement[] = [];
  /** The character data that stands directly in it. */
  text = '';

  constructor(name: string, attributes: Attributes) {
    this.name = name;
    this.attributes = attributes;
  }

  attribute(name: string): string | undefined {
    return attribute(this.attributes, name);
  }

  /** Children along a path of names: all of them. */
  all(...path: string[]): XmlElement[] {
    let found: XmlElement[] = [this];
    for (const name of path)
      found = found.flatMap((element) => element.children.filter((child) => child.name === name));
    return found;
  }

  /** The first child along a path of names. */
  first(...path: string[]): XmlElement | undefined {
    return this.all(...path)[0];
  }

  /** Every element of that name below this one, however deep. */
  *below(name: string): Generator<XmlElement> {
    for (const child of this.children) {
      if (child.name === name) yield child;
      yield* child.below(name);
    }
  }
}

/** Reads a small document as a tree. */
export async function xmlTree(source: ByteSource | Uint8Array, name = 'answer'): Promise<XmlElement> {
  const from = source instanceof Uint8Array ? sourceFromBytes(source, name) : source;
  const root = new XmlElement('', {});
  const open: XmlElement[] = [root];
  let count = 0;
  const handler: XmlHandler = {
    open(element, attributes) {
      if (++count > mostElements)
        throw new IsomericError('xml-too-large', `It has more than ${mostElements} elements.`, {
          place: { file: from.name },
        });
      const made = new XmlElement(element, { ...attributes });
      open[open.length - 1].children.push(made);
      open.push(made);
    },
    close(_, text) {
      open.pop()!.text = text.trim();
    },
  };
  for await (const _ of readXml(from, handler, () => []));
  return root.children[0] ?? root;
}
