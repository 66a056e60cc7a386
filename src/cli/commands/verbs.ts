import type { Command } from 'commander';
import { IsomericError } from '../../core/errors.ts';
import type { Table } from '../../core/layer/layer.ts';
import type { JoinKeys } from '../../core/table/keys/key-pairs.ts';
import type { Verb } from '../../verbs/description.ts';
import { finish } from '../finish.ts';
import { openChosen, openInput } from '../opening.ts';
import { asideOnly } from '../output.ts';
import { settleOutput, withReplace } from '../outputs.ts';
import { isStream, streamOut, streamTarget } from '../streams.ts';
import { addVerbOptions, verbValues } from '../verb-options.ts';
import { type AddCommand, openOptions, outputOf, type TableReading, withTableOptions } from './command.ts';

interface VerbOptions extends TableReading {
  out: string;
  replace?: boolean;
  area?: string;
  layer?: string;
  from?: string;
}

/** The keys of a join, looked at in place of it. */
async function explainJoin(
  command: Command,
  verb: Verb,
  path: string,
  rest: readonly unknown[],
  options: VerbOptions,
): Promise<void> {
  const { explainKeys } = await import('./keys.ts');
  const reading = openOptions(options);
  const given: Record<string, unknown> = {
    ...options,
    table: rest[0],
    tableLayer: (options as { table?: string }).table,
  };
  const { on, table } = (await verbValues(verb, given, reading)) as { on: JoinKeys; table: readonly Table[] };
  const layer = await openInput(path, { layer: options.layer, from: options.from, ...reading });
  for (const [k, each] of table.entries())
    await explainKeys(outputOf(command), layer, each, {
      on,
      paths: { layer: path, table: (rest[0] as readonly string[])[k] },
    });
}

const outMissing = () =>
  new IsomericError('out-missing', 'It must be said where to save.', {
    blame: 'usage',
    advice: 'Say --out FILE; the ending says the format.',
  });

/** The command of a verb, from its description: what it is given, its own options, where the result goes. */
export function commandOf(verb: Verb): AddCommand {
  const behind = Object.entries(verb.options)
    .filter(([, option]) => option.command === 'argument')
    .map(([name]) => name);
  const other = Object.values(verb.options).some(
    (option) => option.kind === 'table' || option.kind === 'tables',
  );
  return (program) => {
    const command = program
      .command(verb.name)
      .description(verb.words)
      .argument(`<${verb.given}>`, verb.takes === 'layer' ? 'the layer' : 'a layer or table');
    addVerbOptions(command, verb);
    const explains = verb.name === 'join';
    if (explains)
      command.option(
        '--explain',
        'only say how the keys meet and what would help, as “isomeric keys” does; nothing is saved',
      );
    const out = explains ? 'option' : 'requiredOption';
    command[out](
      '--out <path>',
      'where to save; the ending says the format (GeoJSON, KML and GPX are always WGS 84); “-” is standard output, as GeoJSON, “-.csv” as CSV',
    )
      .option(
        '--layer <name>',
        `which of the layers of <${verb.given}>, when there are several: one, some separated by commas, or “all”`,
      )
      .option('--from <crs>', 'the CRS that the layer has, when it does not say so or says a wrong one')
      .action(async (path: string, ...rest: unknown[]) => {
        const own = rest.at(-1) as Command;
        const options = own.opts<VerbOptions>();
        if (explains && own.opts<{ explain?: boolean }>().explain === true) {
          await explainJoin(own, verb, path, rest, options);
          return;
        }
        if (options.out === undefined) throw outMissing();
        // A mistake in where it is to go is told before anything is opened.
        const piped = isStream(options.out);
        if (piped) options.out = streamTarget(options.out);
        const inputs = [path, ...rest.flat(), options.area].filter((each) => typeof each === 'string');
        const settled = await settleOutput(options.out, inputs, { replace: options.replace });
        const given: Record<string, unknown> = { ...options };
        behind.forEach((name, k) => {
          // “--table NAME” chooses a layer of the file that stands at <table>.
          given[`${name}Layer`] = given[name];
          given[name] = rest[k];
        });
        const reading = openOptions(options);
        const values = await verbValues(verb, given, other ? reading : {});
        const { layer, from } = options;
        const opened = await openChosen(
          path,
          { layer, from, ...(other ? {} : reading) },
          verb.takes === 'layer',
        );
        if (piped && opened.length > 1)
          throw new IsomericError(
            'one-layer-only',
            `A stream holds one layer, and there are ${opened.length}.`,
            {
              blame: 'usage',
              advice: 'Choose one with --layer, or save to a file.',
            },
          );
        const results: Table[] = [];
        for (const table of opened) results.push(await verb.apply(table, values));
        const output = piped ? asideOnly(outputOf(own)) : outputOf(own);
        await finish(output, results, options.out, settled);
        if (piped) await streamOut(options.out);
      });
    withReplace(command);
    withTableOptions(command);
  };
}
