import { fileURLToPath } from 'node:url';

/** The built command, for what needs a process of its own. */
export const command = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));

export interface Ran {
  code: number;
  out: string;
  told: string;
}

/** One at a time: a command has the working folder, the streams and the exit code of its process. */
let before: Promise<unknown> = Promise.resolve();

async function ran(
  folder: string,
  args: readonly string[],
  environment: Record<string, string>,
): Promise<Ran> {
  // Looked at when the modules of the command are loaded.
  process.env.NO_COLOR = '1';
  delete process.env.FORCE_COLOR;
  const { runCommand } = await import('../../src/cli/program.ts');
  const here = process.cwd();
  const kept = { out: process.stdout.write, told: process.stderr.write, code: process.exitCode };
  // A command may set some for its services (the made-up keys of the demo).
  const earlier = { ...process.env };
  let out = '';
  let told = '';
  const take = (add: (text: string) => void) =>
    ((chunk: string | Uint8Array, ...more: unknown[]) => {
      add(typeof chunk === 'string' ? chunk : new TextDecoder().decode(chunk));
      for (const each of more) if (typeof each === 'function') each();
      return true;
    }) as typeof process.stdout.write;
  try {
    process.chdir(folder);
    Object.assign(process.env, environment);
    process.stdout.write = take((text) => {
      out += text;
    });
    process.stderr.write = take((text) => {
      told += text;
    });
    const code = await runCommand(args);
    return { code, out, told };
  } finally {
    process.stdout.write = kept.out;
    process.stderr.write = kept.told;
    process.exitCode = kept.code;
    process.chdir(here);
    for (const name of Object.keys(process.env)) if (!(name in earlier)) delete process.env[name];
    Object.assign(process.env, earlier);
  }
}

/** Runs the command in a folder, in this process, without colours. */
export function commandIn(folder: string, environment: Record<string, string> = {}) {
  return (...args: string[]): Promise<Ran> => {
    const next = before.then(() => ran(folder, args, environment));
    before = next.catch(() => {});
    return next;
  };
}
