import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';

export const command = fileURLToPath(new URL('../dist/cli/main.js', import.meta.url));

/** Runs the built command in a folder, without colours. */
export function commandIn(folder: string) {
  return (...args: string[]) => {
    const done = spawnSync(process.execPath, [command, ...args], {
      encoding: 'utf8',
      env: { ...process.env, NO_COLOR: '1' },
      cwd: folder,
    });
    return { code: done.status, out: done.stdout, told: done.stderr };
  };
}
