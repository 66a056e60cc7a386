import { mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Script } from 'node:vm';
import { exitCodes } from './exit-codes.ts';

/** The command as one file, made by the build. */
const bundle = fileURLToPath(new URL('./command.cjs', import.meta.url));

type Run = (args: readonly string[]) => Promise<number>;

/**
 * A cache is of no use to another version of Node, to another machine, or to another build. V8 itself tells builds apart by
 * their length only: the checksum that the file begins with does it.
 */
const cacheName = (text: string) =>
  `command-${process.version}-${process.arch}-${process.platform}-${text.slice(2, 18)}.cache`;

/** Beside the command where that can be written, or in the user's own folder of caches. */
const places = () => [
  dirname(bundle),
  join(process.env.XDG_CACHE_HOME || join(homedir(), '.cache'), 'isomeric'),
];

/** What V8 made of the functions that earlier starts needed, and which commands those were. */
interface Cache {
  known: string[];
  data: Buffer | undefined;
}

/** Its first line names the commands; what follows is V8's. */
function readCache(name: string): Cache {
  for (const place of places())
    try {
      const bytes = readFileSync(join(place, name));
      const end = bytes.indexOf(10);
      return { known: bytes.toString('latin1', 0, end).split(' '), data: bytes.subarray(end + 1) };
    } catch {
      // None there: the other place, or none at all.
    }
  return { known: [], data: undefined };
}

/** Puts the cache where it can be found next time; where nothing can be written, the next start is as slow as this one. */
function writeCache(name: string, { known, data }: Cache): void {
  for (const place of places()) {
    const temporary = join(place, `${name}.${process.pid}`);
    try {
      mkdirSync(place, { recursive: true });
      writeFileSync(temporary, Buffer.concat([Buffer.from(`${known.join(' ')}\n`, 'latin1'), data!]));
      renameSync(temporary, join(place, name));
      return;
    } catch {
      rmSync(temporary, { force: true });
    }
  }
}

/**
 * Runs one command line. Most of a start is compiling: the command is one file, and V8's code cache of the functions that
 * each command needs is kept after its first start.
 */
export async function startCommand(args: readonly string[]): Promise<number> {
  let text: string;
  try {
    text = readFileSync(bundle, 'latin1');
  } catch {
    return (await import('./program.ts')).runCommand(args);
  }
  const name = cacheName(text);
  const cache = readCache(name);
  const script = new Script(
    `(function (exports, require, module, __filename, __dirname, __import) {${text}\n})`,
    { filename: bundle, cachedData: cache.data },
  );
  const module = { exports: {} as { runCommand: Run } };
  // What stays outside of the file is imported from here: a script that comes out of a cache cannot.
  const outside = (name: string) => import(name);
  script.runInThisContext()(
    ...[module.exports, createRequire(bundle), module, bundle, dirname(bundle), outside],
  );
  const code = await module.exports.runCommand(args);
  if (code === exitCodes.usage) return code;
  const known = script.cachedDataRejected ? [] : cache.known;
  const command = args.find((arg) => /^[a-z][a-z-]*$/.test(arg)) ?? '-';
  if (!known.includes(command) || script.cachedDataRejected)
    writeCache(name, { known: [...known, command], data: script.createCachedData() });
  return code;
}
