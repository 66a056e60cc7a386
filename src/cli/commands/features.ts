import { basename } from 'node:path';
import type { Command } from 'commander';
import {
  type Account,
  type AreaIndex,
  type Box,
  type ClassScheme,
  clipLayer,
  crsLabel,
  degreesOfArea,
  type Figures,
  type Finding,
  figuresBy,
  grouped,
  IsomericError,
  innerPoints,
  type Layer,
  reprojectLayer,
  type SchemeColumn,
  sameCrs,
  wgs84,
} from '../../core/index.ts';
import type { TakenApart } from '../../formats/osm/classes/take-apart.ts';
import type { MapExtract } from '../../formats/osm/reading/primitives.ts';
import { nodeCapabilities, openExtractFile } from '../../node/index.ts';
import { areaArgument } from '../areas.ts';
import { watched } from '../finish.ts';
import { crsArgument } from '../opening.ts';
import {
  type Output,
  printAccounts,
  printFindings,
  printingReporter,
  printJson,
  textTable,
} from '../output.ts';
import { type Settled, settleOutput, tellReplaced, withReplace } from '../outputs.ts';
import { saveMany } from '../save-many.ts';
import { schemeArgument } from '../schemes.ts';
import { type AddCommand, numberOption, outputOf, wholeAboveZero } from './command.ts';

interface FeaturesOptions {
  replace?: boolean;
  scheme?: string;
  class?: string;
  area?: string;
  areaLayer?: string;
  areaWhere?: string;
  box?: string;
  whole?: boolean;
  where?: string;
  name?: string;
  object?: string;
  tags?: string;
  points?: boolean;
  editors?: boolean;
  figures?: boolean;
  crs?: string;
  most: string;
  out?: string;
}

/** `west, south, east, north` in degrees. */
function boxOption(text: string): Box {
  const sides = text.split(',').map((part) => (part.trim() === '' ? Number.NaN : Number(part)));
  const longitudes = sides.length === 4 && Math.abs(sides[0]) <= 180 && Math.abs(sides[2]) <= 180;
  if (longitudes && sides.every(Number.isFinite) && sides[1] <= sides[3]) return sides as Box;
  throw new IsomericError('box-words', `“${text}” is no box.`, {
    advice:
      'Write west, south, east, north in degrees: --box=-30.2,45.4,-29.9,45.6. Across the antimeridian west is greater than east.',
    blame: 'usage',
  });
}

/** What the features are cut to, and its box in degrees, which the reading is limited to. */
async function cropOf(
  options: FeaturesOptions,
  layer: Pick<Layer, 'name' | 'crs'>,
): Promise<{ area: AreaIndex | null; note?: string; box?: Box }> {
  const box = options.box === undefined ? undefined : boxOption(options.box);
  if (options.area === undefined) return { area: null, box };
  const whole = await areaArgument(options.area, options.areaLayer, options.areaWhere);
  const { index: area, note } = await whole.in(layer);
  return { area, note, box: box ?? degreesOfArea(area, layer.crs!) };
}

const listed = (text: string | undefined) => text?.split(',').map((part) => part.trim());

/** `lanes, width` → columns of text. */
function tagColumns(text: string | undefined): SchemeColumn[] {
  return (listed(text) ?? []).map((tag) => ({
    name: tag.replace(/[^\p{L}\p{N}_]+/gu, '_'),
    tag,
    kind: 'text',
  }));
}

/** Layers in the CRS that is wanted, cut to the area. */
function finished(
  layers: readonly Layer[],
  crs: Layer['crs'],
  crop: { area: AreaIndex | null; note?: string },
  options: FeaturesOptions,
): Layer[] {
  return layers.map((layer) => {
    let result = crs === null || sameCrs(layer.crs!, crs) ? layer : reprojectLayer(layer, crs);
    if (crop.area !== null)
      result = clipLayer(result, crop.area, { mode: options.whole ? 'whole' : 'cut', note: crop.note });
    return result;
  });
}

export const addFeatures: AddCommand = (program) => {
  const command = program
    .command('features')
    .description('take a map extract apart: one layer a class and geometry kind')
    .argument('<extract>', 'OSM XML or PBF, also packed with gzip or bzip2')
    .option('--scheme <path>', 'a class scheme; “isomeric scheme” shows the one that is used when left out')
    .option('--class <names>', 'only these classes, separated by commas')
    .option(
      '--where <cql2>',
      "no scheme, but one rule over tags: \"amenity = 'school' AND geometry = 'point'\"",
    )
    .option('--name <name>', 'with --where: what to call the layer', 'found')
    .option('--object <name>', 'one object with its parts: way/123')
    .option(
      '--area <area>',
      'the area that features are cut to: a layer, a folder with a study, WKT, or words as in a study',
    )
    .option('--area-layer <name>', 'which layer of the area file')
    .option('--area-where <cql2>', 'only these features of the area file')
    .option('--whole', 'keep whole what reaches across the border of the area')
    .option('--box <w,s,e,n>', 'only features that meet this box in degrees')
    .option('--tags <keys>', 'tags that become columns of every layer, separated by commas')
    .option('--points', 'areas become points inside them')
    .option('--editors', 'with change set and name of the editor')
    .option('--figures', 'count, length and area of every sub-class, measured on the ellipsoid')
    .option('--crs <crs>', 'the CRS wanted; longitudes and latitudes on WGS 84 when left out')
    .option('--most <number>', 'so many tags of unclassified objects at most', '15')
    .option('--out <path>', 'where to save; nothing is saved when left out')
    .action(async (path: string, options: FeaturesOptions, own: Command) => {
      const output = outputOf(own);
      const settled =
        options.out === undefined
          ? null
          : await settleOutput(options.out, [path, options.area ?? path], options);
      const given = [options.scheme ?? options.class, options.where, options.object].filter(
        (each) => each !== undefined,
      );
      if (given.length > 1)
        throw new IsomericError(
          'options-clash',
          'Only one of classes, --where and --object can be asked for.',
          {
            blame: 'usage',
          },
        );
      const extract = await openExtractFile(path);
      if (options.object !== undefined) await showObject(extract, options, output, settled);
      else await showClasses(extract, options, output, settled);
    });
  withReplace(command);
};

async function showClasses(
  extract: MapExtract,
  options: FeaturesOptions,
  output: Output,
  settled: Settled | null,
): Promise<void> {
  const most = numberOption('most', options.most, wholeAboveZero);
  // Loaded when needed: other commands need not wait for them.
  const { schemeOfRule, takeApart } = await import('../../formats/osm/classes/take-apart.ts');
  const scheme: ClassScheme =
    options.where === undefined
      ? await schemeArgument(options.scheme)
      : schemeOfRule(options.where, options.name);
  const crs = options.crs === undefined ? null : await crsArgument(options.crs);
  const crop = await cropOf(options, { name: 'the extract', crs: crs ?? wgs84() });
  const taken = await takeApart(extract, scheme, {
    classes: options.where === undefined ? listed(options.class) : scheme.classes.map((each) => each.name),
    box: crop.box,
    tags: tagColumns(options.tags),
    editors: options.editors,
    scratch: nodeCapabilities.scratch,
  });
  const shaped = options.points === true ? taken.layers.map(innerPoints) : taken.layers;
  const layers = finished(shaped, crs, crop, options);
  const written = await saved(layers, options, output, settled);
  const figures = options.figures === true ? await figuresOf(layers) : null;
  const accounts = [taken.account, ...layers.flatMap((layer) => layer.accounts), ...written].filter(
    (account) => account.closed,
  );
  const findings = [
    ...taken.findings.map((finding) => ({ ...finding, layer: finding.layer ?? basename(extract.name) })),
    ...layers.flatMap((layer) =>
      layer.findings.map((finding) => ({ ...finding, layer: finding.layer ?? layer.name })),
    ),
  ];
  if (output.json) {
    const { classCounts, unclassified, unclassifiedObjects, several } = taken;
    printJson({
      out: options.out,
      accounts,
      classCounts,
      figures,
      several,
      unclassifiedObjects,
      unclassified,
      findings,
    });
    return;
  }
  printAccounts(output, withoutRepeatedNotes(accounts));
  if (figures === null) printCounts(output, taken, scheme);
  else printFigures(output, figures, scheme);
  printUnclassified(output, taken, most);
  if (findings.length > 0) output.line('');
  printFindings(output, findings);
}

async function saved(
  layers: readonly Layer[],
  options: FeaturesOptions,
  output: Output,
  settled: Settled | null,
): Promise<Account[]> {
  if (options.out === undefined || settled === null) return [];
  if (layers.length === 0)
    throw new IsomericError(
      'nothing-found',
      'There is no feature of what was asked for, so nothing was saved.',
      {
        advice: 'See what there is with “isomeric tags EXTRACT”.',
        blame: 'usage',
      },
    );
  const progress = printingReporter(output);
  try {
    const written = await saveMany(
      layers.map((layer) => watched(layer, progress)),
      options.out,
      settled,
    );
    tellReplaced(written, settled);
    return written;
  } finally {
    progress.stop();
  }
}

interface LayerFigures extends Figures {
  layer: string;
}

async function figuresOf(layers: readonly Layer[]): Promise<LayerFigures[]> {
  const all: LayerFigures[] = [];
  for (const layer of layers)
    for (const figures of await figuresBy(layer, 'subclass')) all.push({ layer: layer.name, ...figures });
  return all;
}

/** What the extract holds of every class, by sub-class and geometry. */
function printCounts(output: Output, taken: TakenApart, scheme: ClassScheme): void {
  const rows: string[][] = [];
  for (const each of scheme.classes)
    for (const rule of each.rules) {
      const own = taken.classCounts.filter(
        (count) => count.class === each.name && count.subclass === rule.name,
      );
      if (own.length === 0) continue;
      const of = (shape: string) => own.find((count) => count.shape === shape)?.count ?? 0;
      rows.push([
        each.name,
        rule.name,
        rule.title,
        ...['point', 'line', 'area'].map((shape) => (of(shape) === 0 ? '' : grouped(of(shape)))),
      ]);
    }
  if (rows.length === 0) return;
  output.line('');
  const head = ['class', 'sub-class', 'title', 'points', 'lines', 'areas'];
  for (const line of textTable(head, withoutRepeats(rows), [false, false, false, true, true, true], 40))
    output.line(`  ${line}`);
}

/** What is said of every layer alike is said once. */
function withoutRepeatedNotes(accounts: readonly Account[]): Account[] {
  const told = new Set<string>();
  return accounts.map((account) => ({
    ...account,
    notes: account.notes.filter((note) => !told.has(note) && told.add(note)),
  }));
}

/** A name that stands above already is left out. */
function withoutRepeats(rows: readonly string[][]): string[][] {
  return rows.map((row, k) => (k > 0 && rows[k - 1][0] === row[0] ? ['', ...row.slice(1)] : [...row]));
}

/** What is in the layers, as they are saved, by layer and in the order of the rules. */
function printFigures(output: Output, figures: readonly LayerFigures[], scheme: ClassScheme): void {
  const measure = (value: number) => {
    if (value === 0) return '';
    const [whole, fraction] = value.toFixed(value < 10 ? 3 : 1).split('.');
    return `${grouped(Number(whole))}.${fraction}`;
  };
  const rules = scheme.classes.flatMap((each) => each.rules.map((rule) => ({ of: each.name, ...rule })));
  const ruleOf = ({ layer, value }: LayerFigures) =>
    rules.findIndex(
      ({ of, name }) =>
        name === value &&
        (layer === of || (/^_(points|lines|areas)$/.test(layer.slice(of.length)) && layer.startsWith(of))),
    );
  const layers = [...new Set(figures.map(({ layer }) => layer))];
  const sorted = [...figures].sort(
    (a, b) => layers.indexOf(a.layer) - layers.indexOf(b.layer) || ruleOf(a) - ruleOf(b),
  );
  const rows = sorted.map((each) => [
    each.layer,
    each.value ?? '',
    rules[ruleOf(each)]?.title ?? '',
    grouped(each.count),
    measure(each.kilometres),
    measure(each.squareKilometres),
  ]);
  output.line('');
  const head = ['layer', 'sub-class', 'title', 'features', 'km', 'km²'];
  for (const line of textTable(head, withoutRepeats(rows), [false, false, false, true, true, true], 40))
    output.line(`  ${line}`);
}

function printUnclassified(output: Output, taken: TakenApart, most: number): void {
  if (taken.unclassifiedObjects === 0) return;
  const { unclassified } = taken;
  output.line(
    `\nUnclassified: ${grouped(taken.unclassifiedObjects)} objects are of no class. Their tags, most frequent first:`,
  );
  const rows = unclassified
    .slice(0, most)
    .map(({ key, value, count, kinds }) => [
      value === '' ? `${key} = (various)` : `${key} = ${value}`,
      ...[count, kinds.node, kinds.way, kinds.relation].map(grouped),
    ]);
  const head = ['tag', 'objects', 'nodes', 'ways', 'relations'];
  for (const line of textTable(head, rows, [false, true, true, true, true], 48)) output.line(`  ${line}`);
  if (unclassified.length > most)
    output.line(
      output.colours.dim(
        `  … and ${grouped(unclassified.length - most)} more tags (--most ${unclassified.length} shows all).`,
      ),
    );
}

async function showObject(
  extract: MapExtract,
  options: FeaturesOptions,
  output: Output,
  settled: Settled | null,
): Promise<void> {
  const crs = options.crs === undefined ? null : await crsArgument(options.crs);
  const { oneObject, parseObjectName } = await import('../../formats/osm/assembling/one-object.ts');
  const found = await oneObject(extract, parseObjectName(options.object!));
  const layers = finished(found.layers, crs, { area: null }, options);
  const written = await saved(layers, options, output, settled);
  const accounts = [...layers.flatMap((layer) => layer.accounts), ...written].filter(
    (account) => account.closed,
  );
  const findings: Finding[] = found.findings.map((finding) => ({
    ...finding,
    layer: basename(extract.name),
  }));
  const { tags, members, missing, memberOf } = found;
  if (output.json) {
    printJson({
      out: options.out,
      object: options.object,
      tags,
      members,
      missing,
      memberOf,
      accounts,
      findings,
    });
    return;
  }
  const parts = found.layers.filter((layer) => layer.name.startsWith('parts_'));
  output.line(
    `Object: ${options.object}; ${grouped(members)} parts listed${parts.length === 0 ? '' : `, ${parts.map((layer) => `${grouped(layer.count ?? 0)} as ${layer.name}`).join(', ')}`}${missing.length === 0 ? '' : `, ${grouped(missing.length)} not in the extract`}.`,
  );
  for (const [key, value] of Object.entries(tags)) output.line(`  ${key} = ${value}`);
  if (memberOf.length > 0) output.line(`  part of ${memberOf.join(', ')}`);
  if (missing.length > 0)
    output.line(
      `  not in the extract: ${missing.slice(0, 12).join(', ')}${missing.length > 12 ? ` and ${grouped(missing.length - 12)} more` : ''}`,
    );
  if (found.layers.length === 0) output.line('  It has no shape of its own here.');
  else if (crs !== null) output.line(`  in ${crsLabel(crs)}`);
  printAccounts(output, accounts);
  printFindings(output, findings);
}
