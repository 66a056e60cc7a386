import {
  computeFields,
  groupRows,
  IsomericError,
  lengthenRows,
  type Table,
  widenRows,
} from '../../core/index.ts';
import { openOne, saverFor } from '../../node/index.ts';
import { finish } from '../finish.ts';
import {
  type AddCommand,
  numberOption,
  openOptions,
  outputOf,
  type TableReading,
  withTableOptions,
} from './command.ts';

interface CommonOptions extends TableReading {
  out: string;
  layer?: string;
}

const outWords = 'where to save; the ending says the format';

const names = (list: string | undefined) =>
  (list ?? '')
    .split(',')
    .map((name) => name.trim())
    .filter((name) => name !== '');

/** `no_car_share = share(no_car, households)`, given once or several times. */
function computations(given: readonly string[]): { name: string; expression: string }[] {
  return given.map((text) => {
    const found = /^\s*(?:"([^"]+)"|([\p{L}_][\p{L}\p{N}_]*))\s*=\s*([\s\S]+)$/u.exec(text);
    if (found !== null) return { name: found[1] ?? found[2], expression: found[3] };
    throw new IsomericError('computation-syntax', `“${text}” does not say what is computed.`, {
      blame: 'usage',
      advice: 'Write NAME = EXPRESSION, for example "no_car_share = share(no_car, households)".',
    });
  });
}

async function open(path: string, options: CommonOptions): Promise<Table> {
  saverFor(options.out);
  return (await openOne(path, options.layer, openOptions(options))).table;
}

export const addCompute: AddCommand = (program) => {
  const command = program
    .command('compute')
    .description('add fields: shares, rates, densities, change; margins of error go along')
    .argument('<in>', 'a layer or table')
    .argument('<fields...>', 'NAME = EXPRESSION in CQL2: "no_car_share = share(no_car, households)"')
    .requiredOption('--out <path>', outWords)
    .option('--layer <name>', 'which layer, when there are several')
    .option('--confidence <percent>', 'level of the margins of error: 90, 95 or 99', '90')
    .option(
      '--unsure-above <percent>',
      'coefficient of variation above which a figure is too unsure to map',
      '40',
    )
    .action(
      async (
        path: string,
        fields: string[],
        options: CommonOptions & { confidence: string; unsureAbove: string },
        own,
      ) => {
        const table = await open(path, options);
        const confidence = Number(options.confidence);
        if (![90, 95, 99].includes(confidence))
          throw new IsomericError(
            'confidence-wrong',
            `--confidence ${options.confidence} is none of 90, 95, 99.`,
            {
              blame: 'usage',
            },
          );
        const result = computeFields(table, computations(fields), {
          confidence,
          unsureAbove: numberOption('unsure-above', options.unsureAbove, (value) => value > 0),
        });
        await finish(outputOf(own), result, options.out);
      },
    );
  withTableOptions(command);
};

export const addGroup: AddCommand = (program) => {
  const command = program
    .command('group')
    .description('one row for each group of rows: sums, means, counts')
    .argument('<in>', 'a layer or table')
    .argument(
      '<fields...>',
      'NAME = sum(…), mean(…), mean(…, weight), count(), least(…), greatest(…), median(…)',
    )
    .requiredOption('--out <path>', outWords)
    .option(
      '--by <names>',
      'fields whose values make the groups, separated by commas; all rows are one group without',
    )
    .option('--layer <name>', 'which layer, when there are several')
    .action(async (path: string, fields: string[], options: CommonOptions & { by?: string }, own) => {
      const table = await open(path, options);
      const result = groupRows(table, { by: names(options.by), compute: computations(fields) });
      await finish(outputOf(own), result, options.out);
    });
  withTableOptions(command);
};

export const addWiden: AddCommand = (program) => {
  const command = program
    .command('widen')
    .description('long to wide: values of a column become columns')
    .argument('<in>', 'a table')
    .requiredOption('--by <names>', 'columns whose values become columns, separated by commas')
    .requiredOption('--value <name>', 'the column with the figures')
    .requiredOption('--out <path>', outWords)
    .option('--rows <names>', 'columns that make a row; all others when left out')
    .option('--layer <name>', 'which table, when there are several')
    .action(
      async (path: string, options: CommonOptions & { by: string; value: string; rows?: string }, own) => {
        const table = await open(path, options);
        const rows = options.rows === undefined ? undefined : names(options.rows);
        await finish(
          outputOf(own),
          await widenRows(table, { by: names(options.by), value: options.value, rows }),
          options.out,
        );
      },
    );
  withTableOptions(command);
};

export const addLengthen: AddCommand = (program) => {
  const command = program
    .command('lengthen')
    .description('wide to long: columns become rows')
    .argument('<in>', 'a table')
    .requiredOption('--columns <names>', 'columns that become rows, separated by commas')
    .requiredOption('--out <path>', outWords)
    .option('--name <name>', 'what the column with their names is called', 'variable')
    .option('--value <name>', 'what the column with their values is called', 'value')
    .option('--layer <name>', 'which table, when there are several')
    .action(
      async (
        path: string,
        options: CommonOptions & { columns: string; name: string; value: string },
        own,
      ) => {
        const table = await open(path, options);
        const result = lengthenRows(table, {
          columns: names(options.columns),
          name: options.name,
          value: options.value,
        });
        await finish(outputOf(own), result, options.out);
      },
    );
  withTableOptions(command);
};
