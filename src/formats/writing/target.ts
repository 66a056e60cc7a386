import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { SqliteDatabase } from '../bytes/sqlite.ts';

/** One file that is being written, from its beginning to its end. */
export interface ByteSink {
  /** Takes the bytes over at once: they may be changed afterwards. */
  write(bytes: Uint8Array): void;
  /** Bytes written so far. */
  readonly length: number;
  /** Puts other bytes in place of earlier ones: a header whose counts are known at the end only. */
  patch(start: number, bytes: Uint8Array): void;
}

/** Bytes put aside while a file is prepared, and read again before its end. */
export interface Scratch {
  /** Puts bytes aside; returns where they begin. */
  append(bytes: Uint8Array): number;
  /** Bytes [start, end). A view that is valid until the next call. */
  read(start: number, end: number): Uint8Array;
  /** True where reading costs nothing, whatever the order. */
  readonly inMemory?: boolean;
  /** Gives the room back before the end. Nothing may be read afterwards. */
  remove?(): void;
}

/** Where a writer puts its files. They appear under their names together, once all of them are whole. */
export interface Target {
  /** Name of the file that was asked for, without its folder: `wards.shp`. */
  readonly name: string;
  /** Starts a file beside the others. */
  create(name: string): ByteSink;
  /** Says that a file of this name, left from an earlier time, would contradict the new ones and must go. */
  remove(name: string): void;
  /**
   * Room for bytes that are put aside while the file is written.
   * @param room bytes that may wait in memory before they are put aside
   */
  scratch(room?: number): Scratch;
  /** The file that stands under the name now; null when there is none. */
  existing(): Promise<ByteSource | null>;
  /** A database in a file, empty or begun as a copy of the one that stands there now. */
  database(name: string, copyExisting: boolean): SqliteDatabase;
}

/** A sink that hands full chunks on, so that many small writes cost little. */
export class BufferedSink implements ByteSink {
  length = 0;
  private readonly buffer: Uint8Array;
  private readonly pass: (chunk: Uint8Array) => void;
  private readonly rewrite: (start: number, bytes: Uint8Array) => void;
  private used = 0;

  constructor(
    pass: (chunk: Uint8Array) => void,
    rewrite: (start: number, bytes: Uint8Array) => void,
    room = 1 << 18,
  ) {
    this.pass = pass;
    this.rewrite = rewrite;
    this.buffer = new Uint8Array(room);
  }

  patch(start: number, bytes: Uint8Array): void {
    this.flush();
    this.rewrite(start, bytes);
  }

  write(bytes: Uint8Array): void {
    this.length += bytes.length;
    if (this.used + bytes.length > this.buffer.length) this.flush();
    if (bytes.length >= this.buffer.length) {
      this.pass(bytes);
      return;
    }
    this.buffer.set(bytes, this.used);
    this.used += bytes.length;
  }

  flush(): void {
    if (this.used > 0) this.pass(this.buffer.subarray(0, this.used));
    this.used = 0;
  }
}

/** Chunks kept in memory, readable by range. */
export class MemoryScratch implements Scratch {
  readonly inMemory = true;
  private bytes = new Uint8Array(1 << 16);
  private used = 0;

  append(bytes: Uint8Array): number {
    const start = this.used;
    if (start + bytes.length > this.bytes.length) {
      const larger = new Uint8Array(Math.max(2 * this.bytes.length, start + bytes.length));
      larger.set(this.bytes.subarray(0, start));
      this.bytes = larger;
    }
    this.bytes.set(bytes, start);
    this.used += bytes.length;
    return start;
  }

  read(start: number, end: number): Uint8Array {
    return this.bytes.subarray(start, end);
  }
}

function joined(chunks: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(chunks.reduce((sum, chunk) => sum + chunk.length, 0));
  let used = 0;
  for (const chunk of chunks) {
    whole.set(chunk, used);
    used += chunk.length;
  }
  return whole;
}

/** A target whose files are kept in memory. */
export interface MemoryTarget extends Target {
  /** What was written, by name. */
  files(): Map<string, Uint8Array>;
}

/** A target in memory, for browsers and tests; `files` hands over what was written. */
export function memoryTarget(
  name: string,
  more: {
    existing?: ByteSource;
    /** Makes a database and says how to get its bytes. */
    database?: (existing: ByteSource | null) => { database: SqliteDatabase; bytes(): Uint8Array };
  } = {},
): MemoryTarget {
  const sinks = new Map<
    string,
    { sink: BufferedSink; chunks: Uint8Array[]; patches: [number, Uint8Array][] }
  >();
  const databases = new Map<string, () => Uint8Array>();
  return {
    name,
    create(file) {
      const chunks: Uint8Array[] = [];
      const patches: [number, Uint8Array][] = [];
      const sink = new BufferedSink(
        (chunk) => chunks.push(chunk.slice()),
        (start, bytes) => patches.push([start, bytes.slice()]),
      );
      sinks.set(file, { sink, chunks, patches });
      return sink;
    },
    remove: (file) => {
      sinks.delete(file);
    },
    scratch: () => new MemoryScratch(),
    existing: async () => more.existing ?? null,
    database(file, copyExisting) {
      if (more.database === undefined) {
        throw new IsomericError(
          'sqlite-missing',
          'Writing a GeoPackage needs an SQLite engine, and none was given.',
          {
            blame: 'usage',
          },
        );
      }
      const made = more.database(copyExisting ? (more.existing ?? null) : null);
      databases.set(file, made.bytes);
      return made.database;
    },
    files() {
      const files = new Map<string, Uint8Array>();
      for (const [file, { sink, chunks, patches }] of sinks) {
        sink.flush();
        const whole = joined(chunks);
        for (const [start, bytes] of patches) whole.set(bytes, start);
        files.set(file, whole);
      }
      for (const [file, bytes] of databases) files.set(file, bytes());
      return files;
    },
  };
}
