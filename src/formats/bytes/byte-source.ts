import { IsomericError } from '../../core/errors.ts';

/** Bytes that can be read in order or by range, any number of times: a file, a Blob, an entry of an archive. */
export interface ByteSource {
  /** Path or name, as shown in messages. */
  readonly name: string;
  readonly size: number;
  /** Path on disk, when it is a file that another library may open by itself. */
  readonly path?: string;
  /** Bytes [start, end), fewer at the end of the source. */
  bytes(start: number, end: number): Promise<Uint8Array>;
  /** All bytes from the beginning, in chunks. A chunk stays as it is after the next one has been asked for. */
  stream(): AsyncIterable<Uint8Array>;
}

/** The files that stand beside a file: a folder, or an archive. */
export interface Surroundings {
  /** Paths of all files, relative, with `/`. */
  list(): Promise<readonly string[]>;
  /** Opens one of the files. */
  open(path: string): Promise<ByteSource>;
}

/** Bytes in memory as a source. */
export function sourceFromBytes(bytes: Uint8Array, name = 'bytes'): ByteSource {
  return {
    name,
    size: bytes.length,
    bytes: async (start, end) => bytes.subarray(start, end),
    async *stream() {
      yield bytes;
    },
  };
}

/** For dropped files and fetched answers in a browser. */
export function sourceFromBlob(blob: Blob, name = 'file'): ByteSource {
  const step = 1 << 20;
  const bytes = async (start: number, end: number) =>
    new Uint8Array(await blob.slice(start, end).arrayBuffer());
  return {
    name,
    size: blob.size,
    bytes,
    async *stream() {
      for (let at = 0; at < blob.size; at += step) yield await bytes(at, Math.min(blob.size, at + step));
    },
  };
}

/** A source's files in memory, by path; for archives, tests and dropped files. */
export function surroundingsOf(sources: ReadonlyMap<string, ByteSource>): Surroundings {
  return {
    list: async () => [...sources.keys()],
    async open(path) {
      const source = sources.get(path);
      if (source === undefined)
        throw new IsomericError('file-missing', `There is no ${path}.`, { place: { file: path } });
      return source;
    },
  };
}

/** Reads a small source whole; refuses one over `limit` bytes, whatever its header says. */
export async function wholeSource(source: ByteSource, limit: number): Promise<Uint8Array> {
  if (source.size > limit) {
    throw new IsomericError(
      'file-too-large',
      `It has ${source.size} bytes, where at most ${limit} are sensible.`,
      { place: { file: source.name } },
    );
  }
  return source.bytes(0, source.size);
}

/** Hands out exact numbers of bytes from a stream, in order. */
export class ByteQueue {
  private readonly chunks: AsyncIterator<Uint8Array>;
  /** Bytes at hand, and where the next one to take lies among them; for readers that make no view of each record. */
  buffer: Uint8Array = new Uint8Array(0);
  view: DataView = new DataView(this.buffer.buffer);
  at = 0;
  /** Bytes handed out so far. */
  taken = 0;

  constructor(stream: AsyncIterable<Uint8Array>) {
    this.chunks = stream[Symbol.asyncIterator]();
  }

  /** Bytes that can be taken without waiting. */
  get ready(): number {
    return this.buffer.length - this.at;
  }

  /** Waits until `count` bytes are there, or the stream has ended; returns how many are there. */
  async ensure(count: number): Promise<number> {
    if (this.ready >= count) return this.ready;
    const parts = [this.buffer.subarray(this.at)];
    let total = parts[0].length;
    while (total < count) {
      const next = await this.chunks.next();
      if (next.done) break;
      parts.push(next.value);
      total += next.value.length;
    }
    if (parts.length === 2 && parts[0].length === 0) this.buffer = parts[1];
    else {
      this.buffer = new Uint8Array(total);
      let used = 0;
      for (const part of parts) {
        this.buffer.set(part, used);
        used += part.length;
      }
    }
    this.view = new DataView(this.buffer.buffer, this.buffer.byteOffset, this.buffer.byteLength);
    this.at = 0;
    return total;
  }

  /** Passes `count` bytes, which must be ready; returns where in `buffer` they begin. */
  pass(count: number): number {
    const from = this.at;
    this.at += count;
    this.taken += count;
    return from;
  }

  /** The next `count` bytes, which must be ready. The view is valid until the next `ensure`. */
  take(count: number): Uint8Array {
    const from = this.pass(count);
    return this.buffer.subarray(from, from + count);
  }

  /** Lets go of the source. */
  async close(): Promise<void> {
    await this.chunks.return?.();
  }
}
