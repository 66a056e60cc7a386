import type { Table } from '../core/layer/layer.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import { endWhenTold } from '../formats/bytes/ending.ts';

/** How far something long has come. */
export interface Progress {
  /** What is read or written: the name of a file, of a layer. */
  of: string;
  unit: 'bytes' | 'rows';
  done: number;
  /** How many there are, when it is known. What is read twice may go beyond it. */
  all?: number;
}

/** What all that may take long can be given. */
export interface Watching {
  /** Ends it; the promise is rejected with the signal's reason, and nothing half-written stays. */
  signal?: AbortSignal;
  /** Told now and then how far it has come. */
  progress?(progress: Progress): void;
}

/** A source whose bytes are counted, and that the signal ends. */
export function watchedSource({ signal, progress }: Watching): (source: ByteSource) => ByteSource {
  return (source) => {
    let done = 0;
    const take = (bytes: Uint8Array): Uint8Array => {
      endWhenTold(signal);
      done += bytes.length;
      progress?.({ of: source.name, unit: 'bytes', done, all: source.size });
      return bytes;
    };
    return {
      name: source.name,
      path: source.path,
      size: source.size,
      async bytes(start, end) {
        endWhenTold(signal);
        return take(await source.bytes(start, end));
      },
      async *stream() {
        endWhenTold(signal);
        for await (const chunk of source.stream()) yield take(chunk);
      },
    };
  };
}

/** A table whose rows are counted while they flow, and that the signal ends, with all that it is made of. */
export function watchedTable<T extends Table>(table: T, { signal, progress }: Watching): T {
  return {
    ...table,
    async *batches(options) {
      endWhenTold(signal);
      let done = 0;
      for await (const batch of table.batches(signal === undefined ? options : { ...options, signal })) {
        endWhenTold(signal);
        done += batch.length;
        progress?.({ of: table.name, unit: 'rows', done, all: table.count });
        yield batch;
      }
      // Told at the last batch, it is not saved either.
      endWhenTold(signal);
    },
  };
}
