import { readFile } from 'node:fs/promises';
import { type ClassScheme, IsomericError } from '../core/index.ts';

/** The scheme in a file; the one that comes with Isomeric when none is named. */
export async function schemeArgument(path: string | undefined): Promise<ClassScheme> {
  const { loadScheme, thematicScheme } = await import('../formats/class-scheme/load.ts');
  if (path === undefined) return thematicScheme();
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch (error) {
    throw new IsomericError('file-missing', 'The class scheme cannot be read.', {
      place: { file: path },
      advice: 'Make one with “isomeric scheme --out FILE”.',
      blame: 'usage',
      cause: error,
    });
  }
  return loadScheme(text, path);
}
