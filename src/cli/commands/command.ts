import type { Command } from 'commander';
import { IsomericError, marksFromText, mostHeaderRows } from '../../core/index.ts';
import type { OpenOptions } from '../../node/index.ts';
import { makeOutput, type Output } from '../output.ts';

/** Adds one command to the program. */
export type AddCommand = (program: Command) => void;

/** What a command prints with, from its own and the program's options. */
export function outputOf(command: Command): Output {
  const options = command.optsWithGlobals() as { json?: boolean; colour?: boolean };
  return makeOutput(options);
}

/** Options of all commands that read tables. */
export interface TableReading {
  encoding?: string;
  marks?: string;
  rowsAt?: string;
  headerRows?: string;
  geometry?: string;
}

export function openOptions(options: TableReading): OpenOptions {
  return {
    encoding: options.encoding,
    geometry: options.geometry,
    rowsAt: options.rowsAt,
    headerRows:
      options.headerRows === undefined
        ? undefined
        : numberOption(
            'header-rows',
            options.headerRows,
            (value) => Number.isInteger(value) && value >= 0 && value <= mostHeaderRows,
          ),
    marks: options.marks === undefined ? undefined : marksFromText(options.marks),
  };
}

/** Adds the options that say how tables are to be read. */
export function withTableOptions(command: Command): Command {
  return command
    .option('--encoding <name>', 'the encoding of texts: cp1252, cp850 …')
    .option('--marks <list>', 'what stands in place of figures: ". = suppressed, -9999 = missing"')
    .option('--rows-at <pointer>', 'JSON Pointer to the rows of a JSON document: /data/rows')
    .option('--header-rows <number>', 'how many rows the header of a table has: 0 for none, 1, 2 …');
}

/** A number of an option; an error when the text is none that is allowed. */
export function numberOption(name: string, text: string, allowed: (value: number) => boolean): number {
  const value = text.trim() === '' ? NaN : Number(text);
  if (Number.isFinite(value) && allowed(value)) return value;
  throw new IsomericError('option-number', `--${name} ${text} is no number that is allowed there.`, {
    blame: 'usage',
  });
}

export const wholeAboveZero = (value: number) => Number.isInteger(value) && value > 0;
