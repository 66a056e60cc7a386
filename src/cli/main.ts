#!/usr/bin/env node
import { exitCodes } from './exit-codes.ts';
import { startCommand } from './start.ts';

process.on('SIGINT', () => {
  process.stderr.write(
    '\nInterrupted. Nothing half-written was kept; a study goes on where it stopped when it is run again.\n',
  );
  process.exit(exitCodes.interrupted);
});
// A reader of the pipe that goes away (head) is no mistake.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(exitCodes.done);
});

process.exitCode = await startCommand(process.argv.slice(2));
