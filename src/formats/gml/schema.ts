import { dictionary } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { besideOf, stem } from '../opening/beside.ts';
import { type Attributes, localName, readXml, type XmlHandler } from '../xml/read-xml.ts';

/** Types of XML Schema part 2 → ours. */
const types: Readonly<Record<string, FieldType>> = dictionary({
  string: 'text',
  token: 'text',
  anyURI: 'text',
  integer: 'integer',
  int: 'integer',
  long: 'integer',
  short: 'integer',
  byte: 'integer',
  nonNegativeInteger: 'integer',
  positiveInteger: 'integer',
  decimal: 'real',
  double: 'real',
  float: 'real',
  boolean: 'boolean',
  date: 'date',
  dateTime: 'timestamp',
  hexBinary: 'bytes',
});

/** Largest schema that is read. */
const largest = 4_000_000;

/** Collects the elements of complex types, and which feature element is of which type. */
class SchemaElements implements XmlHandler {
  readonly elements = new Map<string, string>();
  readonly complex = new Map<string, Field[]>();
  private readonly path: { name: string; attributes: Attributes }[] = [];
  private current: Field[] | null = null;
  private field: Field | null = null;

  open(name: string, attributes: Attributes): void {
    const depth = this.path.length;
    this.path.push({ name, attributes });
    if (depth === 1 && name === 'element' && attributes.name !== undefined)
      this.elements.set(attributes.name, localName(attributes.type ?? attributes.name));
    if (name === 'complexType' && depth <= 2) {
      this.current = [];
      this.complex.set(attributes.name ?? this.path[1].attributes.name ?? '', this.current);
    } else if (name === 'element' && depth > 1 && this.current !== null && attributes.name !== undefined) {
      const type = types[localName(attributes.type ?? '')];
      this.field = type === undefined ? null : { name: attributes.name, type };
      if (this.field !== null) this.current.push(this.field);
      else if (attributes.type === undefined) {
        this.field = { name: attributes.name, type: 'text' };
        this.current.push(this.field);
      }
    } else if (name === 'restriction' && this.field !== null && attributes.base !== undefined)
      this.field.type = types[localName(attributes.base)] ?? 'text';
  }

  close(name: string, text: string): void {
    this.path.pop();
    if (name === 'documentation' && this.field !== null && text.trim() !== '') this.field.title = text.trim();
    if (name === 'element') this.field = null;
    if (name === 'complexType' && this.path.length <= 2) this.current = null;
  }
}

/**
 * Types of fields by feature type, from the .xsd of the same name, or `schema.xsd`, that stands beside a GML file. Nothing is fetched:
 * a schema that is elsewhere is not read, and a damaged one says nothing.
 */
export async function declaredTypes(
  around: Surroundings | null,
  path: string,
): Promise<Map<string, Map<string, Field>>> {
  const found = new Map<string, Map<string, Field>>();
  const schema = await schemaBeside(around, path);
  if (schema === null || schema.size > largest) return found;
  const reader = new SchemaElements();
  try {
    for await (const _ of readXml(schema, reader, () => []));
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    return found;
  }
  for (const [element, type] of reader.elements) {
    const fields = reader.complex.get(type) ?? reader.complex.get(element);
    if (fields !== undefined) found.set(element, new Map(fields.map((field) => [field.name, field])));
  }
  return found;
}

async function schemaBeside(around: Surroundings | null, path: string): Promise<ByteSource | null> {
  if (around === null) return null;
  const beside = await besideOf(around);
  // The pages of a service share one schema.
  const found = beside.named(`${stem(path)}.xsd`) ?? beside.named('schema.xsd');
  return found === undefined ? null : around.open(found);
}
