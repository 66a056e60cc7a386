import { createReadStream, createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { IsomericError } from '../core/errors.ts';

/** `-` is a standard stream; behind it may stand the ending of a format: `-.csv`. */
export function isStream(path: string): boolean {
  return path === '-' || /^-\.\w+$/.test(path);
}

let folder: string | null = null;

/** A folder that goes with the process. */
function scratch(): string {
  if (folder === null) {
    const made = mkdtempSync(join(tmpdir(), 'isomeric-stream-'));
    process.on('exit', () => rmSync(made, { recursive: true, force: true }));
    folder = made;
  }
  return folder;
}

let taken = false;

/**
 * What comes from standard input, as a file: formats are read from any place in them, and twice. Called `input` where nothing else
 * is said.
 */
export async function streamedIn(path: string): Promise<string> {
  if (taken || process.stdin.isTTY === true)
    throw new IsomericError(
      'stream-input',
      taken ? 'Standard input can be read once only.' : 'Nothing is piped into standard input.',
      { place: { file: '-' }, blame: 'usage', advice: 'Pipe one layer in, and name files for the others.' },
    );
  taken = true;
  const file = join(scratch(), `input${path.slice(1)}`);
  await pipeline(process.stdin, createWriteStream(file));
  return file;
}

/** A path as it is, or that of what comes from standard input. */
export async function localPath(path: string): Promise<string> {
  return isStream(path) ? streamedIn(path) : path;
}

/** Where something is saved that goes to standard output then: GeoJSON where no ending says otherwise. */
export function streamTarget(path: string): string {
  return join(scratch(), `output${path === '-' ? '.geojson' : path.slice(1)}`);
}

/** Hands a file on to standard output. */
export async function streamOut(file: string): Promise<void> {
  for await (const chunk of createReadStream(file))
    if (!process.stdout.write(chunk as Buffer))
      await new Promise<void>((resolve) => process.stdout.once('drain', resolve));
}
