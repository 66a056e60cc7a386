import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import { parseDate, parseTimestamp } from '../../core/table/time.ts';
import { TypeGuess } from './type-guess.ts';

const encoder = new TextEncoder();
const scratch = new Uint8Array(256);

interface TextField {
  name: string;
  guess: TypeGuess;
  declared: FieldType | null;
  /** Values that are not of the declared type; then the field is text. */
  misfits: number;
  more: Partial<Field>;
}

/** Fields whose values come as text, found while features go by; types are declared, or worked out over all values. */
export class TextFields {
  readonly list: TextField[] = [];
  private readonly byName = new Map<string, number>();

  /** Number of the field of this name; a new one when it has not been met. */
  find(name: string): number {
    let found = this.byName.get(name);
    if (found === undefined) {
      found = this.list.length;
      this.list.push({ name, guess: new TypeGuess(), declared: null, misfits: 0, more: {} });
      this.byName.set(name, found);
    }
    return found;
  }

  has(name: string): boolean {
    return this.byName.has(name);
  }

  declare(name: string, type: FieldType, more: Partial<Field> = {}): void {
    const field = this.list[this.find(name)];
    field.declared = type;
    field.more = more;
  }

  see(number: number, text: string): void {
    const field = this.list[number];
    if (text === '') return;
    // White space around a value is its own, but makes no text of a number (XML Schema, part 2, section 4.3.6).
    const bare = text.trim();
    if (field.declared !== null) {
      if (!fits(field.declared, bare)) field.misfits++;
    } else if (text.length > 80) field.guess.see(encoder.encode('text'), 0, 4);
    else {
      const { written } = encoder.encodeInto(bare, scratch);
      field.guess.see(scratch, 0, written);
    }
  }

  fields(): Field[] {
    return this.list.map(({ name, guess, declared, misfits, more }) => ({
      name,
      type: declared === null ? guess.type : misfits > 0 ? 'text' : declared,
      ...more,
    }));
  }
}

const number = /^[-+]?(\d+(?:\.\d*)?|\.\d+)([eE][-+]?\d+)?$/;

function fits(type: FieldType, text: string): boolean {
  switch (type) {
    case 'integer':
      return /^[-+]?\d+$/.test(text) && Number.isSafeInteger(Number(text));
    case 'real':
      return number.test(text);
    case 'boolean':
      return /^(true|false|0|1)$/i.test(text);
    case 'date':
      return !Number.isNaN(parseDate(text.replace(/Z$/, '')));
    case 'timestamp':
      return !Number.isNaN(parseTimestamp(text));
    case 'bytes':
      return text.length % 2 === 0 && /^[0-9a-f]*$/i.test(text);
    case 'json':
      try {
        JSON.parse(text);
        return true;
      } catch {
        return false;
      }
    default:
      return true;
  }
}

/** Adds a text to a column of the type that was found for it; what does not fit becomes a blank. */
export function putText(column: ColumnBuilder, text: string | undefined): void {
  if (text === undefined || (text === '' && column.type !== 'text' && column.type !== 'bytes')) {
    column.null();
    return;
  }
  if (column.type === 'text') {
    column.text(text);
    return;
  }
  putTyped(column, text.trim());
}

function putTyped(column: ColumnBuilder, text: string): void {
  if (!fits(column.type, text)) {
    column.null();
    return;
  }
  switch (column.type) {
    case 'integer':
    case 'real':
      column.number(Number(text));
      return;
    case 'boolean':
      column.number(/^(true|1)$/i.test(text) ? 1 : 0);
      return;
    case 'date':
      column.number(parseDate(text.replace(/Z$/, '')));
      return;
    case 'timestamp':
      column.number(parseTimestamp(text));
      return;
    case 'bytes': {
      const bytes = new Uint8Array(text.length / 2);
      for (let k = 0; k < bytes.length; k++) bytes[k] = Number.parseInt(text.slice(2 * k, 2 * k + 2), 16);
      column.raw(bytes, 0, bytes.length);
      return;
    }
    default:
      column.text(text);
  }
}
