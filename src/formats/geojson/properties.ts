import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import type { JsonBytes } from './json-bytes.ts';

const encoder = new TextEncoder();

/** Kinds of value seen under one name, as bits. */
const Seen = { Integer: 1, Real: 2, Text: 4, Boolean: 8, Nested: 16, Long: 32 } as const;

/** The type that holds all values seen. Unlike ones become text, or JSON when objects or arrays are among them. */
function typeOf(seen: number): FieldType {
  if (seen & Seen.Nested) return 'json';
  if (seen === 0 || seen & (Seen.Text | Seen.Long)) return 'text';
  if (seen === Seen.Boolean) return 'boolean';
  if (seen & Seen.Boolean) return 'text';
  return seen & Seen.Real ? 'real' : 'integer';
}

interface Property {
  name: string;
  bytes: Uint8Array;
  seen: number;
}

/** The names in the properties of all features, in the order in which they first occur. */
export class PropertyNames {
  readonly list: Property[] = [];
  private readonly byName = new Map<string, number>();
  private guess = 0;

  /** Number of the property that the cursor's last string names; features mostly repeat one order. */
  find(json: JsonBytes): number {
    const { list } = this;
    if (this.guess < list.length && json.stringIs(list[this.guess].bytes)) return this.guess++;
    const name = json.text();
    let found = this.byName.get(name);
    if (found === undefined) {
      found = list.length;
      list.push({ name, bytes: encoder.encode(name), seen: 0 });
      this.byName.set(name, found);
    }
    this.guess = found + 1;
    return found;
  }

  startOver(): void {
    this.guess = 0;
  }

  /** Looks at a value without keeping it. */
  see(json: JsonBytes, property: number): void {
    const c = json.next();
    let seen = 0;
    if (c === 34) {
      seen = Seen.Text;
      json.string();
    } else if (c === 123 || c === 91) {
      seen = Seen.Nested;
      json.skip();
    } else if (c === 116 || c === 102) {
      seen = Seen.Boolean;
      json.skip();
    } else if (c === 110) json.skip();
    else {
      const value = json.number();
      if (!json.whole) seen = Seen.Real;
      // A whole number that a double cannot hold is kept as text, to the last digit.
      else seen = Number.isSafeInteger(value) ? Seen.Integer : Seen.Long;
    }
    this.list[property].seen |= seen;
  }

  fields(): Field[] {
    return this.list.map(({ name, seen }) => ({ name, type: typeOf(seen) }));
  }
}

/** Reads one property value into its column. */
export function readProperty(json: JsonBytes, column: ColumnBuilder): void {
  const c = json.next();
  if (c === 110) {
    json.word('null');
    column.null();
    return;
  }
  const start = json.pos;
  switch (column.type) {
    case 'integer':
    case 'real':
      column.number(json.number());
      return;
    case 'boolean':
      json.skip();
      column.number(c === 116 ? 1 : 0);
      return;
    case 'json':
      json.skip();
      column.raw(json.buf, start, json.pos);
      return;
    default:
      if (c !== 34) {
        json.skip();
        column.raw(json.buf, start, json.pos);
        return;
      }
      json.string();
      if (json.escaped) column.text(json.text());
      else column.raw(json.buf, json.stringStart, json.stringEnd);
  }
}
