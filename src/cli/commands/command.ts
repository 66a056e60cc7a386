import type { Command } from 'commander';
import { makeOutput, type Output } from '../output.ts';

/** Adds one command to the program. */
export type AddCommand = (program: Command) => void;

/** Exit codes: 0 done, 1 findings at or above the asked severity, 2 wrong usage, 3 input or source failed, 130 interrupted. */
export const exitCodes = { done: 0, findings: 1, usage: 2, input: 3, interrupted: 130 } as const;

/** What a command prints with, from its own and the program's options. */
export function outputOf(command: Command): Output {
  const options = command.optsWithGlobals() as { json?: boolean; colour?: boolean };
  return makeOutput(options);
}
