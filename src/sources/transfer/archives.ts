import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { examinePacked } from '../../formats/opening/packed.ts';
import type { Request, TransferContext } from './context.ts';
import { failure } from './failures.ts';

/**
 * Goes through a received archive before it counts as received: one that is damaged inside, or not to be opened, would
 * else lie there as the result for good.
 */
export async function wholeArchive(
  file: ByteSource,
  request: Pick<Request, 'what' | 'url'>,
  context: TransferContext,
): Promise<void> {
  try {
    await examinePacked(file);
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    const damaged = error.code.endsWith('-damaged');
    throw failure(
      damaged ? 'source-damaged' : 'source-archive',
      request,
      context,
      `the archive that came ${damaged ? 'is damaged inside' : 'is not taken'}: ${error.message}`,
      damaged ? 'Run again; if it stays so, ask its makers.' : error.advice,
    );
  }
}
