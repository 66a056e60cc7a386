import { Batch, type BatchBuffers } from '../../core/layer/batch.ts';
import type { Scratch } from '../writing/target.ts';

/** Bytes of batches that stay in memory where the machine lends room outside it. */
const heldMost = 64 * 2 ** 20;

const arrayTypes = { Uint8Array, Uint32Array, Int32Array, Float64Array } as const;

/** Where an array lies in the scratch, and of what type it is. */
class Aside {
  readonly type: keyof typeof arrayTypes;
  readonly at: number;
  readonly size: number;

  constructor(type: keyof typeof arrayTypes, at: number, size: number) {
    this.type = type;
    this.at = at;
    this.size = size;
  }
}

/** What the stores of one reading share: how much stays in memory, and where the rest goes. */
export class StoreRoom {
  private readonly lend: (() => Scratch) | null;
  private readonly most: number;
  private scratch: Scratch | null = null;
  private held = 0;

  constructor(lend: (() => Scratch) | null, most = heldMost) {
    this.lend = lend;
    this.most = most;
  }

  /** The scratch, when so many more bytes should not stay in memory. */
  outside(bytes: number): Scratch | null {
    if (this.lend === null || this.held + bytes <= this.most) {
      this.held += bytes;
      return null;
    }
    this.scratch ??= this.lend();
    return this.scratch;
  }

  read(at: number, end: number): Uint8Array {
    return this.scratch!.read(at, end);
  }
}

/** Batches put aside while one reading makes several layers, and read again as often as asked. */
export class BatchStore {
  private readonly room: StoreRoom;
  private readonly batches: (Batch | { aside: unknown })[] = [];
  /** Rows in it. */
  count = 0;

  constructor(room: StoreRoom) {
    this.room = room;
  }

  add(batch: Batch): void {
    this.count += batch.length;
    const { buffers, transfer } = batch.toTransfer();
    const scratch = this.room.outside(transfer.reduce((sum, buffer) => sum + buffer.byteLength, 0));
    this.batches.push(scratch === null ? batch : { aside: putAside(buffers, scratch) });
  }

  private takeBack(value: unknown): unknown {
    if (value instanceof Aside)
      return new arrayTypes[value.type](this.room.read(value.at, value.at + value.size).slice().buffer);
    if (Array.isArray(value)) return value.map((each) => this.takeBack(each));
    if (value === null || typeof value !== 'object') return value;
    return Object.fromEntries(Object.entries(value).map(([key, each]) => [key, this.takeBack(each)]));
  }

  async *read(): AsyncGenerator<Batch> {
    for (const each of this.batches)
      yield each instanceof Batch ? each : Batch.fromTransfer(this.takeBack(each.aside) as BatchBuffers);
  }
}

/** The same structure with places where typed arrays were. */
function putAside(value: unknown, scratch: Scratch): unknown {
  if (ArrayBuffer.isView(value)) {
    const bytes = new Uint8Array(value.buffer, value.byteOffset, value.byteLength);
    const type = value.constructor.name as keyof typeof arrayTypes;
    return new Aside(type, scratch.append(bytes), bytes.length);
  }
  if (Array.isArray(value)) return value.map((each) => putAside(each, scratch));
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(Object.entries(value).map(([key, each]) => [key, putAside(each, scratch)]));
}
