import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

let known: string | undefined;

/**
 * Which Isomeric this is: its version, and a digest of the command as it was built; in a checkout, that it runs from its sources.
 */
export function ownVersion(): string {
  if (known !== undefined) return known;
  let folder = dirname(fileURLToPath(import.meta.url));
  while (!existsSync(join(folder, 'package.json')) && dirname(folder) !== folder) folder = dirname(folder);
  const { version } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as { version: string };
  const built = join(folder, 'dist', 'cli', 'command.cjs');
  const fromSources = fileURLToPath(import.meta.url).endsWith('.ts');
  known =
    fromSources || !existsSync(built)
      ? `${version} from its sources`
      : `${version} ${createHash('sha256').update(readFileSync(built)).digest('hex').slice(0, 12)}`;
  return known;
}
