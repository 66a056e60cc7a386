import { configure, type FileEntry, Reader, Uint8ArrayWriter, ZipReader } from '@zip.js/zip.js';
import iconv from 'iconv-lite';
import { IsomericError } from '../../core/errors.ts';
import { type ByteSource, type Surroundings, surroundingsOf } from '../byte-source.ts';

configure({ useWebWorkers: false });

/** Most that one entry may expand to, and most times its packed size (past a size where that says anything). */
const largestEntry = 16 * 2 ** 30;
const largestRatio = 1000;
const ratioFrom = 64 * 2 ** 20;
/** Entries up to this size are kept unpacked once read. */
const keepUpTo = 64 * 2 ** 20;

class SourceReader extends Reader<ByteSource> {
  private readonly source: ByteSource;
  constructor(source: ByteSource) {
    super(source);
    this.source = source;
    this.size = source.size;
  }
  override async init(): Promise<void> {
    await super.init?.();
    this.size = this.source.size;
  }
  override readUint8Array(index: number, length: number): Promise<Uint8Array<ArrayBuffer>> {
    return this.source.bytes(index, index + length) as Promise<Uint8Array<ArrayBuffer>>;
  }
}

function damaged(archive: string, words: string, path?: string): IsomericError {
  return new IsomericError('zip-damaged', words, {
    place: { file: path === undefined ? archive : `${archive}/${path}` },
    advice: 'The archive is damaged or was cut short: get it again.',
  });
}

/** An entry as a source: unpacked while it is read, never to disk. */
function entrySource(archive: ByteSource, entry: FileEntry, keepUpTo: number): ByteSource {
  const path = entry.filename;
  const size = entry.uncompressedSize;
  let kept: Uint8Array | null = null;
  const whole = async (): Promise<Uint8Array> => {
    if (kept !== null) return kept;
    try {
      const bytes = await entry.getData(new Uint8ArrayWriter(), { checkSignature: true });
      kept = bytes;
      return bytes;
    } catch (error) {
      throw damaged(
        archive.name,
        `The entry cannot be unpacked (${error instanceof Error ? error.message : String(error)}).`,
        path,
      );
    }
  };
  async function* stream(): AsyncGenerator<Uint8Array> {
    if (kept !== null || size <= keepUpTo) {
      yield await whole();
      return;
    }
    const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
    let failure: unknown;
    const work = entry.getData(writable, { checkSignature: true }).catch((error: unknown) => {
      failure = error;
    });
    const reader = readable.getReader();
    let total = 0;
    try {
      for (;;) {
        const next = await reader.read();
        if (next.done) break;
        total += next.value.length;
        if (total > size)
          throw damaged(archive.name, `The entry unpacks to more than the ${size} bytes it claims.`, path);
        yield next.value;
      }
      await work;
      if (failure !== undefined) throw failure;
    } catch (error) {
      throw error instanceof IsomericError
        ? error
        : damaged(
            archive.name,
            `The entry cannot be unpacked (${failure instanceof Error ? failure.message : String(error)}).`,
            path,
          );
    } finally {
      reader.cancel().catch(() => {});
    }
  }
  return {
    name: `${archive.name}/${path}`,
    size,
    async bytes(start, end) {
      if (size <= keepUpTo) return (await whole()).subarray(start, end);
      const parts: Uint8Array[] = [];
      let at = 0;
      for await (const chunk of stream()) {
        if (at + chunk.length > start)
          parts.push(chunk.subarray(Math.max(0, start - at), Math.max(0, Math.min(chunk.length, end - at))));
        at += chunk.length;
        if (at >= end) break;
      }
      const joined = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
      let used = 0;
      for (const part of parts) {
        joined.set(part, used);
        used += part.length;
      }
      return joined;
    },
    stream,
  };
}

/**
 * Names of entries that do not say that they are UTF-8: many are all the same; the others are in the code page that the
 * format names (APPNOTE 6.3.10, appendix D).
 */
function decodeText(value: Uint8Array, encoding: string): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(value);
  } catch {
    return iconv.decode(value as Buffer, encoding === 'utf-8' ? 'windows-1252' : 'cp437');
  }
}

/**
 * The files in a zip archive, addressed as if it were a folder. Hostile names and sizes are refused.
 *
 * @param options `keep: false` unpacks at every reading, and holds nothing
 */
export async function openZip(source: ByteSource, options: { keep?: boolean } = {}): Promise<Surroundings> {
  const reader = new ZipReader(new SourceReader(source), { decodeText });
  let entries: Awaited<ReturnType<typeof reader.getEntries>>;
  try {
    entries = await reader.getEntries();
  } catch (error) {
    if (error instanceof Error && /unsafe filename/i.test(error.message)) {
      throw new IsomericError('zip-path', 'The name of an entry would climb out of the archive.', {
        place: { file: source.name },
        advice: 'Such archives are not opened.',
      });
    }
    throw damaged(
      source.name,
      `Its list of entries cannot be read (${error instanceof Error ? error.message : String(error)}).`,
    );
  }
  const files = new Map<string, ByteSource>();
  let total = 0;
  for (const entry of entries) {
    if (entry.directory) continue;
    const path = entry.filename.replaceAll('\\', '/');
    if (path.startsWith('/') || /(^|\/)\.\.(\/|$)/.test(path) || /^[A-Za-z]:/.test(path)) {
      throw new IsomericError('zip-path', `The entry “${entry.filename}” would climb out of the archive.`, {
        place: { file: source.name },
        advice: 'Such archives are not opened.',
      });
    }
    if (path.startsWith('__MACOSX/')) continue;
    if (entry.encrypted) {
      throw new IsomericError('zip-encrypted', `The entry ${path} is encrypted.`, {
        place: { file: source.name },
        advice: 'Unpack it with its password first.',
      });
    }
    if (
      entry.uncompressedSize > largestEntry ||
      (entry.uncompressedSize > ratioFrom && entry.uncompressedSize > largestRatio * entry.compressedSize)
    ) {
      throw new IsomericError(
        'zip-bomb',
        `The entry ${path} claims to unpack from ${entry.compressedSize} to ${entry.uncompressedSize} bytes.`,
        { place: { file: source.name }, advice: 'Such archives are not opened.' },
      );
    }
    total += entry.uncompressedSize;
    if (total > largestEntry || (total > ratioFrom && total > largestRatio * source.size))
      throw new IsomericError(
        'zip-bomb',
        `Its entries claim to unpack from ${source.size} to more than ${total} bytes.`,
        { place: { file: source.name }, advice: 'Such archives are not opened.' },
      );
    files.set(path, entrySource(source, entry, options.keep === false ? 0 : keepUpTo));
  }
  return surroundingsOf(files);
}
