import { counted, grouped } from '../../core/index.ts';
import { openExtractFile, writeText } from '../../node/index.ts';
import { printJson, textTable } from '../output.ts';
import { schemeArgument } from '../schemes.ts';
import { type AddCommand, numberOption, outputOf, wholeAboveZero } from './command.ts';

export const addTags: AddCommand = (program) => {
  program
    .command('tags')
    .description('keys and values of a map extract, with counts by kind of object')
    .argument('<extract>', 'OSM XML or PBF, also packed with gzip or bzip2')
    .option('--key <keys>', 'the values of these keys, separated by commas')
    .option('--most <number>', 'so many rows at most', '30')
    .action(async (path: string, options: { key?: string; most: string }, command) => {
      const output = outputOf(command);
      const most = numberOption('most', options.most, wholeAboveZero);
      const only = options.key?.split(',').map((key) => key.trim());
      const { tagStatistics } = await import('../../formats/osm/tags/tag-statistics.ts');
      const statistics = await tagStatistics(await openExtractFile(path), {
        only,
        frequent: only === undefined ? 4 : most,
      });
      if (output.json) {
        printJson(statistics);
        return;
      }
      const { objects, tagged, keys } = statistics;
      output.line(
        `Tags: ${grouped(objects.node)} nodes, ${grouped(tagged.node)} of them with tags; ${grouped(objects.way)} ways, ${grouped(tagged.way)} with tags; ${grouped(objects.relation)} relations, ${grouped(tagged.relation)} with tags.`,
      );
      const right = [false, true, true, true, true];
      if (only !== undefined) {
        for (const key of keys) {
          output.line(`\n${key.key}, ${grouped(key.values)} ${key.values === 1 ? 'value' : 'values'}`);
          const rows = key.frequent.map(({ value, count, kinds }) => [
            value,
            ...[count, kinds.node, kinds.way, kinds.relation].map(grouped),
          ]);
          for (const line of textTable(['value', 'objects', 'nodes', 'ways', 'relations'], rows, right, 48))
            output.line(`  ${line}`);
          if (key.values > key.frequent.length)
            output.line(
              output.colours.dim(`  … and ${grouped(key.values - key.frequent.length)} more values.`),
            );
        }
        for (const key of only.filter((name) => !keys.some((each) => each.key === name)))
          output.line(`\n${key}: no object has it.`);
        return;
      }
      const rows = keys
        .slice(0, most)
        .map(({ key, count, kinds, values, frequent }) => [
          key,
          ...[count, kinds.node, kinds.way, kinds.relation, values].map(grouped),
          valuesWords(frequent, values),
        ]);
      const head = ['key', 'objects', 'nodes', 'ways', 'relations', 'values', 'most frequent'];
      for (const line of textTable(head, rows, [...right, true, false], 60)) output.line(`  ${line}`);
      if (keys.length > most)
        output.line(
          output.colours.dim(
            `  … and ${grouped(keys.length - most)} more keys (--most ${keys.length} shows all).`,
          ),
        );
    });
};

/** `residential 40, track 12 …`; nothing where values hardly ever come twice. */
function valuesWords(frequent: readonly { value: string; count: number }[], values: number): string {
  if (values > 20 && frequent[0].count < 3) return '(nearly all different)';
  const words = frequent.map(({ value, count }) => `${value} ${grouped(count)}`).join(', ');
  return values > frequent.length ? `${words} …` : words;
}

export const addScheme: AddCommand = (program) => {
  program
    .command('scheme')
    .description('the classes of a class scheme; --out saves the one that comes with Isomeric, to change it')
    .argument('[file]', 'a class scheme; the one that comes with Isomeric when left out')
    .option('--class <name>', 'the rules of one class')
    .option('--out <path>', 'save a copy of the shipped scheme')
    .action(async (path: string | undefined, options: { class?: string; out?: string }, command) => {
      const output = outputOf(command);
      const scheme = await schemeArgument(path);
      if (options.out !== undefined) {
        const { thematicText } = await import('../../formats/class-scheme/load.ts');
        await writeText(options.out, thematicText);
        if (output.json) printJson({ out: options.out });
        else
          output.line(
            `Scheme: “${scheme.title}” saved as ${options.out}; use it with --scheme ${options.out}.`,
          );
        return;
      }
      const classes = scheme.classes.filter(
        (each) => options.class === undefined || each.name === options.class,
      );
      if (output.json) {
        printJson({ ...scheme, classes });
        return;
      }
      const rules = classes.reduce((sum, each) => sum + each.rules.length, 0);
      output.line(
        `Scheme: “${scheme.title}”, ${counted(classes.length, 'class', 'classes')} with ${counted(rules, 'rule', 'rules')}.`,
      );
      if (options.class !== undefined)
        for (const { rules: own, columns } of classes) {
          const rows = own.map((rule) => [rule.name, rule.title, String(rule.importance), rule.where]);
          for (const line of textTable(
            ['sub-class', 'title', 'importance', 'where'],
            rows,
            [false, false, true, false],
            90,
          ))
            output.line(`  ${line}`);
          output.line(
            `  Columns: ${columns.map(({ name, tag, kind }) => `${name}${tag === name ? '' : ` = ${tag}`}${kind === 'text' ? '' : ` (${kind})`}`).join(', ')}.`,
          );
        }
      else {
        const rows = classes.map((each) => [
          each.name,
          each.title,
          each.areasAsPoints ? 'point' : each.shapes.join(', '),
          String(each.importance),
          each.rules.map((rule) => rule.name).join(', '),
        ]);
        const head = ['class', 'title', 'geometry', 'importance', 'sub-classes'];
        for (const line of textTable(head, rows, [false, false, false, true, false], 72))
          output.line(`  ${line}`);
      }
    });
};
