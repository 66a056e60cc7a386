import { IsomericError } from '../../core/errors.ts';
import type { Grid } from '../../core/grid/grid.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { wasEnded } from '../bytes/ending.ts';
import type { Contents, Opened } from './contents.ts';

/**
 * What a damaged file caused in a reader, as an error of ours. What the machine refuses (a full disk) is not the file's
 * fault and stays as it is; so does the reason for which somebody ended the reading.
 */
export function asDamage(error: unknown, file: string): unknown {
  if (wasEnded(error)) return error;
  if (error instanceof IsomericError) return error.at({ file });
  if (!(error instanceof Error) && typeof error !== 'string') return error;
  if (error instanceof Error && ('syscall' in error || error.name === 'AbortError')) return error;
  const reason = error instanceof Error ? `${error.name}: ${error.message}` : error;
  return new IsomericError('file-damaged', `It cannot be read (${reason.slice(0, 200)}).`, {
    place: { file },
    advice:
      'It is probably damaged: get it again. If other programs open it, please report it as a form that is not known here.',
    cause: error,
  });
}

/** Runs a part of a reader: whatever a damaged file causes in it becomes an error of ours with the file. */
export async function guarded<T>(file: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw asDamage(error, file);
  }
}

/** The same for what comes piece by piece. */
export async function* guardedEach<T>(file: string, pieces: () => AsyncIterable<T>): AsyncGenerator<T> {
  try {
    yield* pieces();
  } catch (error) {
    throw asDamage(error, file);
  }
}

/** The same table, whose batches are read under guard. */
export function guardedTable<T extends Layer | Table>(table: T, file: string): T {
  return { ...table, batches: (options) => guardedEach(file, () => table.batches(options)) };
}

function guardedGrid(grid: Grid, file: string): Grid {
  return { ...grid, read: (band, window) => guarded(file, () => grid.read(band, window)) };
}

/** The same contents, whose layers and grids are read under guard. `file`: what was opened. */
export function guardedContents(contents: Contents, file: string): Contents {
  const name = (within: string) => (within === '' ? file : file === '' ? within : `${file}/${within}`);
  return {
    ...contents,
    layers: contents.layers.map(
      (opened): Opened => ({ ...opened, table: guardedTable(opened.table, name(opened.within)) }),
    ),
    grids: contents.grids.map((each) => ({ ...each, grid: guardedGrid(each.grid, name(each.within)) })),
  };
}
