import { numberFromText } from '../../core/table/number-text.ts';
import type { FieldType } from '../../core/table/schema.ts';
import { type Footer, Physical, type SchemaNode } from './footer.ts';
import type { Page, Values } from './pages.ts';

/** Field type of a top-level column. */
export function typeOfNode(node: SchemaNode, footer: Footer): FieldType {
  if (node.children.length > 0 || node.repetition === 'repeated') return 'json';
  const { kind } = node.meaning;
  switch (kind) {
    case 'timestamp':
    case 'date':
      return kind;
    case 'decimal':
    case 'half':
      return 'real';
    case 'json':
      return 'json';
    case 'text':
    case 'uuid':
      return 'text';
  }
  switch (node.type) {
    case Physical.Boolean:
      return 'boolean';
    case Physical.Int32:
      return 'integer';
    case Physical.Int64:
      // Whole numbers beyond ±2⁵³ stay text, to the last digit; where they may occur, the statistics say.
      return mayBeLong(node, footer) ? 'text' : 'integer';
    case Physical.Int96:
      return 'timestamp';
    case Physical.Float:
    case Physical.Double:
      return 'real';
    default:
      return 'bytes';
  }
}

/** Do the statistics of a column of 64-bit integers say that doubles do not hold all of them? */
function mayBeLong(node: SchemaNode, footer: Footer): boolean {
  const unsigned = node.meaning.kind === 'unsigned';
  return footer.groups.some(({ chunks }) => {
    const { least, greatest } = chunks.get(node.path)!.statistics;
    return [least, greatest].some((bytes) => {
      if (bytes === undefined || bytes.length !== 8) return false;
      const view = new DataView(bytes.buffer, bytes.byteOffset, 8);
      const value = unsigned ? view.getBigUint64(0, true) : view.getBigInt64(0, true);
      return !Number.isSafeInteger(Number(value));
    });
  });
}

/** What is done with the values of a column: one of these for every value that is there. */
export interface ValueSink {
  number(value: number): void;
  text(value: string): void;
  bytes(bytes: Uint8Array, start: number, end: number): void;
  /** A value that the type of the field does not hold. */
  unfit(): void;
}

/** Gives the value of a page with this number to a sink, as what it means. */
export type GiveValue = (values: Values, k: number, sink: ValueSink) => void;

const daysToEpoch = 2_440_588;

/** Julian day and nanoseconds of the day (the older way of time stamps) → milliseconds. */
function int96(bytes: Uint8Array, at: number): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset + at, 12);
  const days = view.getInt32(8, true) - daysToEpoch;
  return days * 86_400_000 + Math.floor(Number(view.getBigInt64(0, true)) / 1e6);
}

function bigFromBytes(bytes: Uint8Array, start: number, end: number): bigint {
  let value = 0n;
  for (let k = start; k < end; k++) value = (value << 8n) | BigInt(bytes[k]);
  return end > start ? BigInt.asIntN(8 * (end - start), value) : 0n;
}

/** A whole number as thousandths, millionths …: correctly rounded, as all its digits are read at once. */
function decimal(unscaled: bigint, scale: number): number {
  if (scale <= 0) return Number(unscaled);
  const digits = String(unscaled < 0n ? -unscaled : unscaled).padStart(scale + 1, '0');
  const at = digits.length - scale;
  return numberFromText(`${unscaled < 0n ? '-' : ''}${digits.slice(0, at)}.${digits.slice(at)}`);
}

/** A floating-point number of 16 bits (IEEE 754, binary16). */
function half(bytes: Uint8Array, at: number): number {
  const bits = bytes[at] | (bytes[at + 1] << 8);
  const exponent = (bits >> 10) & 31;
  const fraction = bits & 1023;
  const sign = bits & 0x8000 ? -1 : 1;
  if (exponent === 31) return fraction === 0 ? sign * Infinity : NaN;
  return sign * (exponent === 0 ? fraction * 2 ** -24 : (1 + fraction / 1024) * 2 ** (exponent - 15));
}

function uuid(bytes: Uint8Array, start: number): string {
  const hex = Array.from(bytes.subarray(start, start + 16), (byte) =>
    byte.toString(16).padStart(2, '0'),
  ).join('');
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join('-');
}

/** Needs a column its 64-bit integers to the last digit? */
export function needsExact(leaf: SchemaNode, type: FieldType): boolean {
  if (leaf.type !== Physical.Int64) return false;
  const { meaning } = leaf;
  const fine = meaning.kind === 'timestamp' && meaning.perMillisecond > 1000;
  return type === 'text' || type === 'json' || meaning.kind === 'decimal' || fine;
}

/** How values of a leaf are given, for a field of this type. */
export function giver(leaf: SchemaNode, type: FieldType): GiveValue {
  const { meaning } = leaf;
  if (leaf.type === Physical.Int96)
    return (values, k, sink) => {
      if (values.kind === 'bytes') sink.number(int96(values.bytes, values.starts[k]));
      else sink.unfit();
    };
  switch (meaning.kind) {
    case 'decimal':
      return (values, k, sink) => {
        const whole =
          values.kind === 'longs'
            ? values.longs[k]
            : values.kind === 'numbers'
              ? BigInt(Math.trunc(values.numbers[k]))
              : bigFromBytes(values.bytes, values.starts[k], values.ends[k]);
        sink.number(decimal(whole, meaning.scale));
      };
    case 'half':
      return (values, k, sink) => {
        if (values.kind === 'bytes' && values.ends[k] - values.starts[k] === 2)
          sink.number(half(values.bytes, values.starts[k]));
        else sink.unfit();
      };
    case 'uuid':
      return (values, k, sink) => {
        if (values.kind === 'bytes' && values.ends[k] - values.starts[k] === 16)
          sink.text(uuid(values.bytes, values.starts[k]));
        else sink.unfit();
      };
    case 'timestamp':
      return (values, k, sink) => {
        if (values.kind === 'numbers') sink.number(Math.floor(values.numbers[k] / meaning.perMillisecond));
        else if (values.kind === 'longs') {
          // Nanoseconds are more than doubles hold.
          const per = BigInt(meaning.perMillisecond);
          const rest = ((values.longs[k] % per) + per) % per;
          sink.number(Number((values.longs[k] - rest) / per));
        } else sink.unfit();
      };
    case 'unsigned':
      return (values, k, sink) => {
        if (values.kind === 'longs') sink.text(String(BigInt.asUintN(64, values.longs[k])));
        else if (values.kind === 'numbers') {
          const value = values.numbers[k];
          const plain = value >= 0 ? value : value + (leaf.type === Physical.Int32 ? 2 ** 32 : 2 ** 64);
          if (Number.isSafeInteger(plain)) sink.number(plain);
          else sink.unfit();
        } else sink.unfit();
      };
  }
  const whole = type === 'integer';
  return (values, k, sink) => {
    if (values.kind === 'bytes') sink.bytes(values.bytes, values.starts[k], values.ends[k]);
    else if (values.kind === 'longs') sink.text(String(values.longs[k]));
    else if (whole && !Number.isSafeInteger(values.numbers[k])) sink.unfit();
    else sink.number(values.numbers[k]);
  };
}

/** Number of the value of a page's entry among its values, by how many have come before. */
export const valueNumber = (page: Page, before: number) =>
  page.indices === null ? before : page.indices[before];
