import { ZipWriter } from '@zip.js/zip.js';

/** One file in a zip archive, as a stream of chunks. Its time is fixed, so that the same input makes the same bytes. */
export async function* zipped(name: string, chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  const iterator = chunks[Symbol.asyncIterator]();
  const input = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const next = await iterator.next();
      if (next.done) controller.close();
      else controller.enqueue(next.value);
    },
    async cancel() {
      await iterator.return?.();
    },
  });
  const writer = new ZipWriter(writable, { useWebWorkers: false });
  let failure: unknown;
  const work = writer
    .add(name, input, { lastModDate: new Date(2000, 0, 1), extendedTimestamp: false })
    .then(() => writer.close())
    .catch(async (error: unknown) => {
      failure = error;
      await writable.abort(error).catch(() => {});
    });
  const reader = readable.getReader();
  for (;;) {
    const next = await reader.read().catch(() => ({ done: true, value: undefined }));
    if (next.done) break;
    yield next.value as Uint8Array;
  }
  await work;
  if (failure !== undefined) throw failure;
}
