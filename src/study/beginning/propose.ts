import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { recogniseRows, rowFindings } from '../../core/table/row-kinds.ts';
import { type Figure, figureOf, words } from './figures.ts';
import { bestKeys, hasAreas, type KeyMatch } from './key-match.ts';

/** A layer or table of a file that a study is to be made of. */
export interface Given {
  /** As the study names the file. */
  file: string;
  /** Name of the source that holds it; undefined for a file in the study folder. */
  from?: string;
  table: Layer | Table;
  /** True when the file holds others as well. */
  several: boolean;
}

interface Dataset extends Given {
  name: string;
  /** Rows that are totals stand among those of units. */
  totals: boolean;
}

/** A proposed study, and what it was made from, in sentences. */
export interface Proposal {
  text: string;
  notes: string[];
}

/** Names of datasets: letters and digits, each once. */
function named(all: readonly Given[]): string[] {
  const taken = new Set<string>();
  return all.map(({ table }) => {
    const base =
      table.name
        .toLowerCase()
        .split(/[^\p{L}\p{N}]+/u)
        .filter((part) => part !== '')
        .join('_') || 'layer';
    let name = base;
    if (taken.has(name) && !isLayer(table)) name = `${base}_table`;
    for (let k = 2; taken.has(name); k++) name = `${base}_${k}`;
    taken.add(name);
    return name;
  });
}

async function hasTotals(table: Table): Promise<boolean> {
  return rowFindings(table, await recogniseRows(table)).some(({ code }) => code === 'row-total');
}

interface Joined {
  table: Dataset;
  match: KeyMatch;
}

/**
 * Writes a study for files as they are: the areas, the tables that fit them with the keys by which they do, one figure, one
 * map. `sources` are folders outside of the study folder, by name.
 */
export async function proposeStudy(
  title: string,
  given: readonly Given[],
  sources: Readonly<Record<string, string>>,
): Promise<Proposal> {
  const names = named(given);
  const all: Dataset[] = [];
  for (const [k, each] of given.entries())
    all.push({
      ...each,
      name: names[k],
      totals: !isLayer(each.table) && (await hasTotals(each.table)),
    });
  const notes: string[] = [];
  const layers = all.filter(({ table }) => isLayer(table));
  const tables = all.filter(({ table }) => !isLayer(table));
  const areas = layers.filter(({ table }) => hasAreas(table as Layer));
  // The units are the areas that most tables fit.
  let units: Dataset | undefined = areas[0];
  let joins: Joined[] = [];
  for (const layer of areas) {
    const own: Joined[] = [];
    for (const table of tables) {
      const match = await bestKeys(layer.table, table.table);
      if (match !== null) own.push({ table, match });
    }
    if (own.length > joins.length) [units, joins] = [layer, own];
  }
  for (const { table, match } of joins)
    notes.push(
      `${table.name} fits ${units!.name} by ${match.layerField} = ${match.tableField}: ${match.matched} of ${match.all}${match.repair === null ? '' : `, with “repair: ${match.repair}”`}.`,
    );
  for (const table of tables)
    if (!joins.some((each) => each.table === table))
      notes.push(
        `${table.name} fits no layer by any field; say by which with a step “join: ${table.name}” and “on: LAYER_FIELD = TABLE_FIELD”.`,
      );
  for (const { name, totals } of tables)
    if (totals) notes.push(`${name} has rows that are totals and no units; they are left out.`);
  const drawn = units === undefined ? null : await figureFor(units, joins);
  if (drawn !== null) notes.push(`The map shows ${drawn.figure.name}, since ${drawn.figure.reason}.`);
  else notes.push('No figure was found that could be mapped; the study brings the layers together.');
  for (const { name, table } of layers)
    if ((table as Layer).crs === null)
      notes.push(
        `${name} does not say its CRS: write it under gather → ${name}; “isomeric locate” helps to find it.`,
      );
  return { text: studyText(title, all, units, joins, drawn, sources), notes };
}

/** A field of the layer itself, or of the first table that has a figure. */
async function figureFor(
  units: Dataset,
  joins: readonly Joined[],
): Promise<{ figure: Figure; of: Dataset } | null> {
  for (const { table, match } of joins) {
    const figure = await figureOf(table.table, new Set([match.tableField]));
    if (figure !== null) return { figure, of: table };
  }
  const figure = await figureOf(units.table, new Set());
  return figure === null ? null : { figure, of: units };
}

/** A text as YAML takes it: with quotes where it needs them. */
const yamlText = (text: string) =>
  /^[\p{L}][^:#'"[\]{},&*!|>%@`\n]*$/u.test(text) &&
  text.trim() === text &&
  !/^(true|false|null|yes|no)$/i.test(text)
    ? text
    : `'${text.replaceAll("'", "''")}'`;

function studyText(
  title: string,
  all: readonly Dataset[],
  units: Dataset | undefined,
  joins: readonly Joined[],
  drawn: { figure: Figure; of: Dataset } | null,
  sources: Readonly<Record<string, string>>,
): string {
  const lines: string[] = [
    '# yaml-language-server: $schema=./study.schema.json',
    `study: ${yamlText(title)}`,
    '',
  ];
  const say = (...more: string[]) => lines.push(...more);
  const first = units ?? all.find(({ table }) => isLayer(table)) ?? all[0];
  say(
    '# The study area: all of a layer. Some units of it instead: units: { of: LAYER, by: FIELD, code: [CODES] }',
    'area:',
    `  layer: ${first.name}`,
    '',
    '# One CRS for all that is prepared: a code (EPSG:32626), or the best for the area, for a purpose.',
    `crs: ${drawn?.figure.expression?.startsWith('density') ? 'best for densities' : 'best'}`,
    '',
  );
  if (Object.keys(sources).length > 0) {
    say('# Folders outside of this one.', 'sources:');
    for (const [name, at] of Object.entries(sources))
      say(`  ${name}:`, '    kind: files', `    at: ${yamlText(at)}`);
    say('');
  }
  say('# What there is. A citation stands on every map and in the report.', 'gather:');
  for (const { name, file, from, table, several, totals } of all) {
    say(`  ${name}:`);
    if (from !== undefined) say(`    from: ${from}`);
    say(`    file: ${yamlText(file)}`);
    if (several) say(`    layer: ${yamlText(table.name)}`);
    if (totals) say('    rows: without totals');
    if (isLayer(table) && table.crs === null)
      say(
        '    # It does not say its CRS, and none is ever assumed: take the # away and write the right one.',
        '    # crs: EPSG:…',
      );
    say('    # citation: Office, year, title.');
  }
  say('', '# What is done to each layer, step by step. What stands here is delivered.', 'prepare:');
  const others = all.filter((each) => isLayer(each.table) && each !== units);
  if (units !== undefined) {
    const steps = unitSteps(joins, drawn?.figure);
    say(`  ${units.name}:`, ...steps);
  }
  for (const { name } of others) say(`  ${name}:`, '    - clip: area');
  if (units === undefined && others.length === 0) say(`  ${first.name}: []`);
  if (units !== undefined) say(...checks(units, joins, drawn?.figure));
  if (drawn !== null && units !== undefined) say(...mapLines(units, others, drawn.figure));
  return `${lines.join('\n')}\n`;
}

function unitSteps(joins: readonly Joined[], figure: Figure | undefined): string[] {
  const steps: string[] = ['    - clip: area'];
  const pair = (name: string) => (/^[\p{L}_][\p{L}\p{N}_ ]*$/u.test(name) ? name : `"${name}"`);
  for (const { table, match } of joins) {
    const on = `${pair(match.layerField)} = ${pair(match.tableField)}`;
    steps.push(
      `    - join: ${table.name}`,
      `      on: ${on.includes('"') ? `'${on.replaceAll("'", "''")}'` : on}`,
    );
    if (match.repair !== null) steps.push(`      repair: ${yamlText(match.repair)}`);
    if (match.many)
      steps.push(
        `      # ${table.name} has several rows of one key: first, last, sum, mean, list or rows (a feature for each)`,
        '      many: first',
      );
  }
  if (figure?.expression !== undefined) {
    const expression = figure.expression.includes('"') ? `'${figure.expression}'` : figure.expression;
    steps.push('    - compute:', `        ${figure.name}: ${expression}`);
  }
  return steps;
}

function checks(units: Dataset, joins: readonly Joined[], figure: Figure | undefined): string[] {
  const asked = ['valid'];
  if (joins.length > 0) asked.push(`'key: ${joins[0].match.layerField.replaceAll("'", "''")}'`);
  if (figure?.expression?.startsWith('share')) asked.push(`${figure.name} between 0 and 100`);
  return [
    '',
    '# What must hold: valid geometry, keys that are there once, conditions.',
    'check:',
    `  ${units.name}: [${asked.join(', ')}]`,
  ];
}

function mapLines(units: Dataset, others: readonly Dataset[], figure: Figure): string[] {
  const over = others.filter(({ table }) => !hasAreas(table as Layer)).map(({ name }) => name);
  return [
    '',
    '# Readable titles of fields and layers.',
    'titles:',
    `  ${/^[\p{L}_]/u.test(figure.name) ? figure.name : `'${figure.name}'`}:`,
    `    title: ${yamlText(figure.title)}`,
    ...(figure.unit === undefined ? [] : [`    unit: ${yamlText(figure.unit)}`]),
    '',
    '# Maps. Classes: 5 natural, 4 quantile, 6 equal, or limits by hand. Colours: lagoon, amber, ember, heather, night, grey.',
    'draw:',
    '  first:',
    `    title: ${yamlText(figure.title)}`,
    `    layer: ${units.name}`,
    `    colour by: ${yamlText(figure.name)}`,
    '    classes: 5 natural',
    '    colours: lagoon',
    ...(over.length === 0 ? [] : [`    over: [${over.join(', ')}]`]),
  ];
}

/** `wards.geojson` → `Wards` */
export const titleOf = (name: string): string => words(name);
