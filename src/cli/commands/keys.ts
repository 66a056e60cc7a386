import type { Command } from 'commander';
import {
  grouped,
  type JoinKeys,
  type KeyAdvice,
  type KeySearch,
  parseKeyPairs,
  searchKeys,
  type Table,
} from '../../core/index.ts';
import { openPath } from '../../node/index.ts';
import { openInput } from '../opening.ts';
import { type Output, printJson, sentenceText } from '../output.ts';
import {
  type AddCommand,
  numberOption,
  openOptions,
  outputOf,
  type TableReading,
  wholeAboveZero,
  withTableOptions,
} from './command.ts';

interface KeyOptions extends TableReading {
  layer?: string;
  table?: string;
  on?: string;
  list?: string[];
  most: string;
}

/** What a join is called by: paths as they were given. */
interface Paths {
  layer: string;
  table: string;
}

const quotedForShell = (text: string) =>
  /["$`\\]/.test(text) ? `'${text.replaceAll("'", "'\\''")}'` : /^[\w./-]+$/.test(text) ? text : `"${text}"`;
const quotedForYaml = (text: string) => (/["']/.test(text) ? `'${text.replaceAll("'", "''")}'` : text);

/** How well two sides fit, in a sentence. */
function proofWords(advice: KeyAdvice, { layer, table }: KeySearch): string {
  const { remedy, layerKeys, tableKeys } = advice;
  const one = remedy.oneToOne === remedy.met && remedy.met === remedy.metTable;
  const how = one
    ? 'one to one'
    : `with ${grouped(remedy.metTable)} of ${grouped(tableKeys)} of ${table.name}, ${grouped(remedy.oneToOne)} of them one to one`;
  return `${grouped(remedy.met)} of ${grouped(layerKeys)} keys of ${layer.name} meet, ${how}.`;
}

function chanceWords({ remedy, agreements, doubtful, layerKeys, tableKeys }: KeyAdvice): string {
  const [agreement] = agreements;
  if (agreement !== undefined)
    return `Names agree: ${agreement.own} = ${agreement.other} in ${Math.round(100 * agreement.share)} % of what meets.`;
  // Of keys that several meet, those of the table say more than the few of the layer.
  const several = remedy.metTable > remedy.met;
  const [reached, of] = several ? [remedy.tableByChance, tableKeys] : [remedy.byChance, layerKeys];
  const chance = `A table of the same shape that says nothing would reach ${grouped(Math.round(reached))} of ${grouped(of)}.`;
  return doubtful ? `${chance} This may be a false friend: look whether the units are the same.` : chance;
}

/** What the several rows of a key may become: the dominant part where they are shares of it, the last where hardly any has two. */
const manyOf = ({ shares, rowsMore, tableKeys }: KeyAdvice) =>
  shares !== undefined ? `greatest by ${shares}` : rowsMore < 0.05 * tableKeys ? 'last' : 'sum';

const manyWords = ({ rowsMore, twice }: KeyAdvice) =>
  `${grouped(rowsMore)} ${rowsMore === 1 ? 'row more' : 'rows more'} than keys${twice === undefined ? '' : `, as of ${twice}`}: sum, mean, first, last, list, rows … or widen the table`;

/** What a study says, line by line. */
function studyLines(advice: KeyAdvice, table: string): string[] {
  const lines = [`- join: ${table}`, `  on: ${quotedForYaml(advice.text)}`];
  if (advice.remedy.text !== '') lines.push(`  repair: ${quotedForYaml(advice.remedy.text)}`);
  if (advice.many) lines.push(`  many: ${manyOf(advice)} # ${manyWords(advice)}`);
  return lines;
}

function commandLine(advice: KeyAdvice, { layer, table }: Paths): string {
  const repair = advice.remedy.text === '' ? '' : ` --repair ${quotedForShell(advice.remedy.text)}`;
  return `isomeric join ${quotedForShell(layer)} ${quotedForShell(table)} --on ${quotedForShell(advice.text)}${repair}${advice.many ? ` --many ${quotedForShell(manyOf(advice))}` : ''} --out joined.gpkg`;
}

function printAdvice(output: Output, search: KeySearch, k: number, paths: Paths): void {
  const advice = search.advices[k];
  const { colours } = output;
  const { remedy } = advice;
  output.line();
  output.line(
    `${colours.bold(String(k + 1))}  ${colours.bold(colours.cyan(advice.text))}${remedy.text === '' ? '' : `  repaired: ${colours.yellow(remedy.text)}`}`,
  );
  const say = (text: string) => output.line(`   ${text}`);
  say(proofWords(advice, search));
  const words = chanceWords(advice);
  say(advice.doubtful ? colours.yellow(words) : words);
  if (remedy.examples.length > 0) say(`Compared as ${remedy.examples.join(', ')}.`);
  const { merged } = remedy;
  if (merged.layer + merged.table > 0)
    say(
      `${grouped(merged.layer + merged.table)} keys that were different are the same when compared so: several units of one side meet one of the other.`,
    );
  for (const reason of advice.reasons) say(reason.words);
  // What names no unit is not to be joined by.
  if (k > 0 || advice.reasons.some(({ reason }) => reason === 'ambiguous')) return;
  for (const line of studyLines(advice, search.table.name)) say(colours.dim(`  ${line}`));
  say(colours.dim(commandLine(advice, paths)));
}

function printSearch(output: Output, search: KeySearch, paths: Paths): void {
  const { layer, table, advices, lists } = search;
  const fields = (side: typeof layer) =>
    `${side.name} with ${grouped(side.rows)} rows (${side.columns.map(({ field }) => field).join(', ')})`;
  output.line(sentenceText(output, `Keys: ${fields(layer)}; ${fields(table)}.`));
  if (advices.length === 0 && lists.length === 0) {
    output.line();
    output.line(
      'No field of one meets a field of the other, repaired or not. A list of codes of both sides may stand between them: --list FILE.',
    );
  }
  for (let k = 0; k < advices.length; k++) printAdvice(output, search, k, paths);
  for (const list of lists) {
    output.line();
    output.line(
      `${output.colours.bold(output.colours.cyan(`${list.own} = ${list.from}, then ${list.to} = ${list.other}`))}  over ${list.list}`,
    );
    output.line(
      `   ${grouped(list.met)} of ${grouped(list.layerKeys)} keys of ${layer.name} meet (${list.examples.join(', ')})${list.several > 0 ? `; ${grouped(list.several)} have several codes in the list` : ''}.`,
    );
    for (const line of [
      `- join: ${list.list}`,
      `  on: ${list.own} = ${list.from}`,
      `  columns: [${list.to}]`,
      `- join: ${table.name}`,
      `  on: ${list.to} = ${list.other}`,
    ])
      output.line(output.colours.dim(`     ${line}`));
  }
}

/** The advices as data, for machines. */
function viewOf({ advices, lists, layer, table }: KeySearch) {
  return {
    layer: { name: layer.name, rows: layer.rows },
    table: { name: table.name, rows: table.rows },
    advices: advices.map(({ on, text, remedy, ...rest }) => ({
      on: text,
      keys: on as JoinKeys,
      repair: remedy.text,
      met: remedy.met,
      metTable: remedy.metTable,
      oneToOne: remedy.oneToOne,
      byChance: remedy.byChance,
      merged: remedy.merged,
      examples: remedy.examples,
      ...rest,
    })),
    lists,
  };
}

/** Searches and prints; also what `isomeric join --explain` does. */
export async function explainKeys(
  output: Output,
  layer: Table,
  table: Table,
  options: { on?: JoinKeys; lists?: readonly Table[]; most?: number; paths: Paths },
): Promise<void> {
  const search = await searchKeys(layer, table, options);
  if (output.json) printJson(viewOf(search));
  else printSearch(output, search, options.paths);
}

export const addKeys: AddCommand = (program) => {
  const command = program
    .command('keys')
    .description(
      'find by which fields a table is joined to a layer, and what their keys need; nothing is changed',
    )
    .argument('<layer>', 'the layer')
    .argument('<table>', 'the table')
    .option('--layer <name>', 'which of the layers of <layer>, when there are several')
    .option('--table <name>', 'which of the tables of <table>, when there are several')
    .option('--on <keys>', 'look only at these fields: LAYER_FIELD = TABLE_FIELD')
    .option(
      '--list <path...>',
      'lists of codes or crosswalks that may stand between both sides: files, or a folder with some, as what a study gathered',
    )
    .option('--most <number>', 'how many ways to show', '3')
    .action(async (layer: string, table: string, options: KeyOptions, own: Command) => {
      const output = outputOf(own);
      const reading = openOptions(options);
      const on = options.on === undefined ? undefined : parseKeyPairs(options.on);
      const most = numberOption('most', options.most, wholeAboveZero);
      const [given, other] = [
        await openInput(layer, { layer: options.layer, ...reading }),
        await openInput(table, { layer: options.table, ...reading }),
      ];
      const lists: Table[] = [];
      for (const path of options.list ?? [])
        for (const { table: list, describes } of await openPath(path, reading))
          if (describes !== true) lists.push(list);
      await explainKeys(output, given, other, { on, lists, most, paths: { layer, table } });
    });
  withTableOptions(command);
};
