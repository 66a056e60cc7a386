import { type FoundVariable, findVariables, grouped, type Variable } from '../../core/index.ts';
import { codeBookOf } from '../../formats/opening/describe.ts';
import { lookPath } from '../../node/index.ts';
import { printJson, textTable } from '../output.ts';
import {
  type AddCommand,
  numberOption,
  openOptions,
  outputOf,
  type TableReading,
  wholeAboveZero,
  withTableOptions,
} from './command.ts';

export const addVariables: AddCommand = (program) => {
  const command = program
    .command('variables')
    .description('the variables of tables, found by code or by words of their descriptions')
    .argument('<path>', 'a table, a workbook, a pack of tables, or a description alone')
    .argument('[words...]', 'a code, or words that the description must have; all variables without')
    .option('--limit <n>', 'at most so many', '30')
    .action(async (path: string, words: string[], options: TableReading & { limit: string }, own) => {
      const output = outputOf(own);
      const limit = numberOption('limit', options.limit, wholeAboveZero);
      const { layers } = await lookPath(path, openOptions(options));
      const book = await codeBookOf(layers);
      const search = words.join(' ');
      const found: FoundVariable[] =
        search === ''
          ? book.variables.map((variable) => ({ variable, score: 0 }))
          : findVariables(book, search);
      const shown = found.slice(0, limit);
      if (output.json) {
        printJson({ path, search, count: found.length, variables: shown.map(({ variable }) => variable) });
        return;
      }
      if (found.length === 0) {
        output.line(`No variable of ${grouped(book.variables.length)} is described by “${search}”.`);
        return;
      }
      const parts: (keyof Variable)[] = ['code', 'title', 'unit', 'universe', 'table'];
      const used = parts.filter((part) => shown.some(({ variable }) => variable[part] !== undefined));
      const [head, ...lines] = textTable(
        used,
        shown.map(({ variable }) => used.map((part) => String(variable[part] ?? ''))),
        used.map(() => false),
        56,
      );
      output.line(output.colours.bold(head));
      for (const line of lines) output.line(line);
      output.line(
        output.colours.dim(
          `${grouped(shown.length)} of ${grouped(found.length)} variables${search === '' ? '' : ` for “${search}”`}, of ${grouped(book.variables.length)}.`,
        ),
      );
    });
  withTableOptions(command);
};
