import {
  chmodSync,
  closeSync,
  copyFileSync,
  existsSync,
  mkdtempSync,
  openSync,
  readSync,
  renameSync,
  rmSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import type { SqliteDatabase } from '../formats/bytes/sqlite.ts';
import { BufferedSink, type ByteSink, type Scratch, type Target } from '../formats/writing/target.ts';
import { fileSource } from './bytes.ts';
import { createDatabase, openDatabase } from './sqlite.ts';

function writeAll(file: number, bytes: Uint8Array, position: number | null = null): void {
  for (let done = 0; done < bytes.length; )
    done += writeSync(file, bytes, done, bytes.length - done, position === null ? null : position + done);
}

/** Bytes put aside in a file of the system's temporary folder, from a size on that memory should not hold. */
export class FileScratch implements Scratch {
  private readonly folder = mkdtempSync(join(tmpdir(), 'isomeric-'));
  private readonly file = openSync(join(this.folder, 'scratch'), 'w+');
  private readonly ahead: Uint8Array;
  private gone = false;
  private used = 0;
  private flushed = 0;
  private view = new Uint8Array(0);
  private viewFrom = 0;

  constructor(room = 1 << 20) {
    this.ahead = new Uint8Array(room);
  }

  append(bytes: Uint8Array): number {
    const start = this.flushed + this.used;
    if (this.used + bytes.length > this.ahead.length) this.flush();
    if (bytes.length > this.ahead.length) {
      writeAll(this.file, bytes);
      this.flushed += bytes.length;
    } else {
      this.ahead.set(bytes, this.used);
      this.used += bytes.length;
    }
    return start;
  }

  private flush(): void {
    writeAll(this.file, this.ahead.subarray(0, this.used));
    this.flushed += this.used;
    this.used = 0;
  }

  read(start: number, end: number): Uint8Array {
    if (this.used > 0) this.flush();
    // What is read next often lies close by: a little more is fetched than was asked for.
    if (start < this.viewFrom || end > this.viewFrom + this.view.length) {
      const buffer = new Uint8Array(Math.max(end - start, Math.min(32_768, this.flushed - start)));
      let got = 0;
      while (got < buffer.length) {
        const more = readSync(this.file, buffer, got, buffer.length - got, start + got);
        if (more === 0) break;
        got += more;
      }
      this.view = buffer;
      this.viewFrom = start;
    }
    return this.view.subarray(start - this.viewFrom, end - this.viewFrom);
  }

  remove(): void {
    if (this.gone) return;
    this.gone = true;
    this.view = new Uint8Array(0);
    closeSync(this.file);
    rmSync(this.folder, { recursive: true, force: true });
  }
}

/** Files written beside their places and renamed together at the end. */
export class NodeTarget implements Target {
  readonly name: string;
  private readonly path: string;
  private readonly folder: string;
  /** Temporary files that the program removes should it be stopped. */
  private readonly unfinished: Set<string>;
  private readonly files = new Map<
    string,
    { temporary: string; file: number | null; sink: BufferedSink | null }
  >();
  private readonly gone = new Set<string>();
  private readonly scratches: FileScratch[] = [];

  constructor(path: string, unfinished: Set<string>) {
    this.path = path;
    this.name = basename(path);
    this.folder = dirname(path);
    this.unfinished = unfinished;
  }

  private temporary(name: string): string {
    const temporary = join(this.folder, `${name}.part-${process.pid}`);
    this.unfinished.add(temporary);
    return temporary;
  }

  create(name: string): ByteSink {
    const temporary = this.temporary(name);
    const file = openSync(temporary, 'w');
    const sink = new BufferedSink(
      (chunk) => writeAll(file, chunk),
      (start, bytes) => {
        writeAll(file, bytes, start);
      },
    );
    this.files.set(name, { temporary, file, sink });
    return sink;
  }

  remove(name: string): void {
    this.gone.add(name);
  }

  /** Room in a temporary file. */
  scratch(room?: number): Scratch {
    const scratch = new FileScratch(room);
    this.scratches.push(scratch);
    return scratch;
  }

  async existing(): Promise<ByteSource | null> {
    return existsSync(this.path) ? fileSource(this.path) : null;
  }

  database(name: string, copyExisting: boolean): SqliteDatabase {
    const temporary = this.temporary(name);
    this.files.set(name, { temporary, file: null, sink: null });
    const there = copyExisting && existsSync(this.path);
    if (there) copyFileSync(this.path, temporary);
    return there ? openDatabase(temporary) : createDatabase(temporary);
  }

  private clean(): void {
    for (const scratch of this.scratches.splice(0)) scratch.remove();
  }

  /** Puts all files in their places, and says where they are. */
  async commit(): Promise<string[]> {
    this.clean();
    for (const each of this.files.values()) {
      each.sink?.flush();
      if (each.file !== null) closeSync(each.file);
      each.file = null;
    }
    for (const [name, { temporary, sink }] of this.files) {
      // The database engine makes files that nobody else may read.
      if (sink === null) chmodSync(temporary, 0o666 & ~process.umask());
      renameSync(temporary, join(this.folder, name));
      this.unfinished.delete(temporary);
    }
    for (const name of this.gone) rmSync(join(this.folder, name), { force: true });
    return [...this.files.keys()].map((name) => join(this.folder, name));
  }

  /** Leaves nothing behind. */
  abandon(): void {
    this.clean();
    for (const { temporary, file } of this.files.values()) {
      if (file !== null) closeSync(file);
      for (const path of [temporary, `${temporary}-journal`, `${temporary}.lock`])
        rmSync(path, { force: true, recursive: true });
      this.unfinished.delete(temporary);
    }
    this.files.clear();
  }
}
