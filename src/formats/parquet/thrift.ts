import { PageBytes } from './encodings.ts';

/** Deepest nesting of structures that is read; those of Parquet nest half as deep. */
const deepest = 24;

/** Types of the compact protocol (Apache Thrift, “Thrift compact protocol”, section “Struct encoding”). */
const Type = {
  True: 1,
  False: 2,
  Byte: 3,
  I16: 4,
  I32: 5,
  I64: 6,
  Double: 7,
  Binary: 8,
  List: 9,
  Set: 10,
  Struct: 12,
} as const;

export type ThriftValue = boolean | number | Uint8Array | ThriftValue[] | ThriftStruct;

/** Fields of a structure by number. Asking for one of another kind than it has gives nothing. */
export class ThriftStruct {
  readonly fields = new Map<number, ThriftValue>();

  number(field: number): number | undefined {
    const value = this.fields.get(field);
    return typeof value === 'number' ? value : undefined;
  }

  flag(field: number): boolean | undefined {
    const value = this.fields.get(field);
    return typeof value === 'boolean' ? value : undefined;
  }

  bytes(field: number): Uint8Array | undefined {
    const value = this.fields.get(field);
    return value instanceof Uint8Array ? value : undefined;
  }

  text(field: number): string | undefined {
    const value = this.bytes(field);
    return value === undefined ? undefined : decoder.decode(value);
  }

  struct(field: number): ThriftStruct | undefined {
    const value = this.fields.get(field);
    return value instanceof ThriftStruct ? value : undefined;
  }

  structs(field: number): ThriftStruct[] {
    const value = this.fields.get(field);
    return Array.isArray(value) ? value.filter((each) => each instanceof ThriftStruct) : [];
  }

  texts(field: number): string[] {
    const value = this.fields.get(field);
    return Array.isArray(value)
      ? value.flatMap((each) => (each instanceof Uint8Array ? [decoder.decode(each)] : []))
      : [];
  }
}

const decoder = new TextDecoder();

/**
 * Reads structures of the compact protocol. Lengths are held against the bytes that are left before anything is made.
 *
 * @throws Error when they do not fit
 */
export class ThriftReader extends PageBytes {
  /** Zigzag: 0, −1, 1, −2 … */
  private signed(): number {
    const value = this.unsigned();
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }

  /** How many things follow, each of a byte at least. */
  private length(count: number): number {
    if (count > this.end - this.at) throw new Error('a list or text is longer than what is left');
    return count;
  }

  struct(depth = 0): ThriftStruct {
    if (depth > deepest) throw new Error('structures are nested too deeply');
    const found = new ThriftStruct();
    let field = 0;
    for (;;) {
      const head = this.byte();
      const type = head & 15;
      if (type === 0) return found;
      field = head >> 4 === 0 ? this.signed() : field + (head >> 4);
      found.fields.set(field, this.value(type, depth));
    }
  }

  private value(type: number, depth: number): ThriftValue {
    switch (type) {
      case Type.True:
        return true;
      case Type.False:
        return false;
      case Type.Byte:
        return (this.byte() << 24) >> 24;
      case Type.I16:
      case Type.I32:
      case Type.I64:
        return this.signed();
      case Type.Double:
        return this.view.getFloat64(this.pass(8), true);
      case Type.Binary: {
        const from = this.pass(this.unsigned());
        return this.bytes.subarray(from, this.at);
      }
      case Type.List:
      case Type.Set: {
        const head = this.byte();
        const count = this.length(head >> 4 === 15 ? this.unsigned() : head >> 4);
        const kind = head & 15;
        const values: ThriftValue[] = [];
        for (let k = 0; k < count; k++)
          // In lists a truth value is a byte of its own.
          values.push(kind <= Type.False ? this.byte() === 1 : this.value(kind, depth + 1));
        return values;
      }
      case Type.Struct:
        return this.struct(depth + 1);
      default:
        throw new Error(`a value is of the kind ${type}, which there is not`);
    }
  }
}
