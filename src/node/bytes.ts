import { type FileHandle, open } from 'node:fs/promises';
import { IsomericError } from '../core/errors.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';

/** Bytes read from a file at a time when it is read in order. */
const chunkLength = 1 << 20;

function failure(path: string, error: unknown): IsomericError {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'ENOENT')
    return new IsomericError('file-missing', 'There is no such file.', {
      place: { file: path },
      advice: 'Check the path.',
    });
  if (code === 'EACCES')
    return new IsomericError('file-forbidden', 'The file may not be read.', {
      place: { file: path },
      advice: 'Check its permissions.',
    });
  return new IsomericError('file-unreadable', `The file cannot be read (${code ?? String(error)}).`, {
    place: { file: path },
  });
}

/** A file on disk as a source. It is opened for each reading, so nothing stays open in between. */
export async function fileSource(path: string, name = path): Promise<ByteSource> {
  const withFile = async <T>(work: (file: FileHandle) => Promise<T>): Promise<T> => {
    let file: FileHandle;
    try {
      file = await open(path, 'r');
    } catch (error) {
      throw failure(path, error);
    }
    try {
      return await work(file);
    } catch (error) {
      throw error instanceof IsomericError ? error : failure(path, error);
    } finally {
      await file.close();
    }
  };
  const size = await withFile(async (file) => (await file.stat()).size);
  return {
    name,
    path,
    size,
    bytes: (start, end) =>
      withFile(async (file) => {
        const wanted = Math.max(0, Math.min(end, size) - start);
        const buffer = new Uint8Array(wanted);
        let got = 0;
        while (got < wanted) {
          const { bytesRead } = await file.read(buffer, got, wanted - got, start + got);
          if (bytesRead === 0) break;
          got += bytesRead;
        }
        return got === wanted ? buffer : buffer.subarray(0, got);
      }),
    async *stream() {
      let file: FileHandle;
      try {
        file = await open(path, 'r');
      } catch (error) {
        throw failure(path, error);
      }
      try {
        let at = 0;
        for (;;) {
          const buffer = new Uint8Array(chunkLength);
          const { bytesRead } = await file.read(buffer, 0, chunkLength, at);
          if (bytesRead === 0) return;
          at += bytesRead;
          yield bytesRead === chunkLength ? buffer : buffer.subarray(0, bytesRead);
        }
      } finally {
        await file.close();
      }
    },
  };
}
