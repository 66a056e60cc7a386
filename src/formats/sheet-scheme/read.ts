import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import { Labels } from '../../core/sheets/labels.ts';
import { numbering, romanNumber } from '../../core/sheets/numbering.ts';
import type {
  Axis,
  Cycle,
  DivisionLevel,
  Exception,
  GridLevel,
  SheetLevel,
  SquaresLevel,
} from '../../core/sheets/scheme.ts';
import { SheetScheme } from '../../core/sheets/sheet-scheme.ts';
import { readTemplate, type Template } from '../../core/sheets/templates.ts';
import type { Places } from '../settings/places.ts';
import { readSettings } from '../settings/read-settings.ts';
import { type LabelRule, type SheetSchemeFile, sheetSchemeSchema } from './schema.ts';

type LevelFile = SheetSchemeFile['levels'][number];
type AxisFile = NonNullable<LevelFile['grid']>['columns'];

/** Cells in a division, at most. */
const mostCells = 100_000;

/** What a mistake is about: a part of a level. */
class Mistake {
  constructor(
    readonly words: string,
    readonly part: readonly (string | number)[],
    readonly advice?: string,
  ) {}
}

function refuse(words: string, part: readonly (string | number)[], advice?: string): never {
  throw new Mistake(words, part, advice);
}

/** `n` names by a rule; those of degrees by the edges that they begin at. */
function labelsBy(rule: LabelRule, n: number, part: readonly string[], edges?: Float64Array): string[] {
  const all: string[] = [];
  if ('numbers' in rule) {
    for (let k = 0; k < n; k++) all.push(String(rule.numbers.from + k).padStart(rule.numbers.digits, '0'));
  } else if ('letters' in rule) {
    const [first, last] = [rule.letters.codePointAt(0)!, rule.letters.codePointAt(2)!];
    for (let code = first; code <= last; code++) {
      const letter = String.fromCodePoint(code);
      if (!rule.without.toUpperCase().includes(letter.toUpperCase())) all.push(letter);
    }
  } else if ('list' in rule) all.push(...rule.list);
  else if ('roman' in rule) for (let k = 1; k <= n; k++) all.push(romanNumber(k));
  else
    for (let k = 0; k < n; k++) {
      const { positive, negative, digits } = rule.degrees;
      const edge = edges![k];
      if (!Number.isInteger(edge)) refuse(`an edge at ${edge} has no name in whole degrees`, part);
      all.push(`${edge < 0 ? negative : positive}${String(Math.abs(edge)).padStart(digits, '0')}`);
    }
  if (all.length < n)
    refuse(`there are ${n} of them, and only ${all.length} names`, part, 'Give more names, or fewer cells.');
  return all.slice(0, n);
}

/** No two may be called alike: codes would lead to two places. */
function distinct(labels: readonly string[], part: readonly string[]): readonly string[] {
  const folded = new Labels(labels);
  const seen = new Set<string>();
  for (const label of folded.labels) {
    const key = label.toUpperCase();
    if (seen.has(key))
      refuse(`“${label}” stands twice among the names`, part, 'Letter case does not tell codes apart.');
    seen.add(key);
  }
  return labels;
}

function axisOf(file: AxisFile, positive: string, part: readonly string[]): Axis {
  const forward = file.grow === positive;
  const edges =
    file.edges ??
    Array.from({ length: file.count! + 1 }, (_, k) => file.from! + (forward ? k : -k) * file.size!);
  for (let k = 1; k < edges.length; k++)
    if (forward ? !(edges[k] > edges[k - 1]) : !(edges[k] < edges[k - 1]))
      refuse(`the edges do not grow to the ${file.grow}: ${edges[k]} comes after ${edges[k - 1]}`, [
        ...part,
        'edges',
      ]);
  const n = edges.length - 1;
  const growing = Float64Array.from(forward ? edges : edges.toReversed());
  if ('degrees' in file.label)
    return {
      edges: growing,
      labels: distinct(labelsBy(file.label, n, [...part, 'label'], growing), [...part, 'label']),
    };
  const labels = labelsBy(file.label, n, [...part, 'label']);
  return { edges: growing, labels: distinct(forward ? labels : labels.reverse(), [...part, 'label']) };
}

interface Common {
  name: string;
  title: string;
  scale?: number;
  code: Template;
}

function gridOf(file: NonNullable<LevelFile['grid']>, common: Common): GridLevel {
  const columns = axisOf(file.columns as AxisFile, 'east', ['grid', 'columns']);
  const rows = axisOf(file.rows as AxisFile, 'north', ['grid', 'rows']);
  const exceptions = file.exceptions.map((each, k): Exception => {
    const column = columns.labels.indexOf(each.column);
    const row = rows.labels.indexOf(each.row);
    if (column < 0 || row < 0)
      refuse(`there is no ${column < 0 ? `column “${each.column}”` : `row “${each.row}”`}`, [
        'grid',
        'exceptions',
        k,
      ]);
    const { west, east } = each;
    if ((west === undefined) !== (east === undefined))
      refuse('west and east go together', ['grid', 'exceptions', k]);
    return west === undefined ? { column, row } : { column, row, sides: [west, east!] };
  });
  return { kind: 'grid', ...common, columns, rows, joins: sorted(file.joined), exceptions };
}

const sorted = <T extends { beyond: number }>(joins: readonly T[]) =>
  joins.toSorted((a, b) => a.beyond - b.beyond);

function divisionOf(file: NonNullable<LevelFile['divide']>, of: number, common: Common): DivisionLevel {
  const { columns, rows, number, label } = file;
  if (columns * rows > mostCells)
    refuse(`${columns * rows} cells are more than a code can tell apart here`, ['divide']);
  const wants = (kind: string) => common.code.tokens.some((token) => token.kind === kind);
  if (wants('number') && label === undefined)
    refuse('codes hold {number}, and no “label” says what numbers look like', ['divide']);
  if (wants('row') && file.row === undefined)
    refuse('codes hold {row}, and no “row” says what rows are called', ['divide']);
  if (wants('column') && file.column === undefined)
    refuse('codes hold {column}, and no “column” says what columns are called', ['divide']);
  if (number === 'quadrants' && (columns !== 2 || rows !== 2))
    refuse('quadrants are two columns and two rows', ['divide', 'number']);
  let numbers: readonly string[] = [];
  if (label !== undefined) {
    const order = numbering(columns, rows, {
      by: number ?? 'plain',
      start: file.start,
      along: file.along,
      turn: file.turn,
    });
    if (number === 'tens' && (file.along === 'rows' ? columns : rows) > 10)
      refuse('more than ten in a line cannot be counted by tens', ['divide', 'number']);
    const labels = labelsBy(label, Math.max(...order) + 1, ['divide', 'label']);
    numbers = distinct(
      Array.from(order, (k) => labels[k]),
      ['divide', 'label'],
    );
  }
  const along = (own: typeof file.row | typeof file.column, n: number, part: string) => {
    if (own === undefined) return [];
    const labels = labelsBy(own.label, n, ['divide', part, 'label']);
    return distinct(own.grow === 'south' || own.grow === 'west' ? labels.reverse() : labels, [
      'divide',
      part,
      'label',
    ]);
  };
  return {
    kind: 'division',
    ...common,
    of,
    columns,
    rows,
    numbers,
    columnLabels: along(file.column, columns, 'column'),
    rowLabels: along(file.row, rows, 'row'),
    joins: sorted(file.joined),
  };
}

function squaresOf(
  file: NonNullable<LevelFile['squares']>,
  of: number,
  above: SheetLevel,
  common: Common,
): SquaresLevel {
  if (above.kind !== 'grid') refuse('squares lie within the cells of a grid', ['squares']);
  const cycle = (own: typeof file.row, part: string): Cycle => ({
    labels: labelsBy(own.label, lettersIn(own.label), ['squares', part, 'label']),
    starts: own.starts,
  });
  return {
    kind: 'squares',
    ...common,
    of,
    size: file.size,
    crsOf: (column, row) =>
      crsFromText(
        (above.rows.edges[row] >= 0 ? file.crs.north : file.crs.south).replace(
          '{column}',
          above.columns.labels[column],
        ),
      ),
    columnLetters: cycle(file.column, 'column'),
    rowLetters: cycle(file.row, 'row'),
    joins: [],
  };
}

function lettersIn({ letters, without }: { letters: string; without: string }): number {
  let n = 0;
  for (let code = letters.codePointAt(0)!; code <= letters.codePointAt(2)!; code++)
    if (!without.toUpperCase().includes(String.fromCodePoint(code).toUpperCase())) n++;
  return n;
}

/** The levels of a quad-tree: one tile, then four of each. */
function treeOf(file: LevelFile, first: number): SheetLevel[] {
  const { west, south, east, north, depth } = file['quad-tree']!;
  const levels: SheetLevel[] = [];
  for (let z = 0; z <= depth; z++) {
    const count = 2 ** z;
    const code: Template = {
      text: `${z}/column/row`,
      tokens: [
        { kind: 'literal', text: `${z}/` },
        { kind: 'all columns', count },
        { kind: 'literal', text: '/' },
        { kind: 'all rows', count },
      ],
      optional: null,
    };
    const common = { name: `${file.name}${z}`, title: `${file.title ?? file.name} ${z}`, code, joins: [] };
    if (z === 0)
      levels.push({
        kind: 'grid',
        ...common,
        columns: { edges: Float64Array.of(west, east), labels: ['0'] },
        rows: { edges: Float64Array.of(south, north), labels: ['0'] },
        exceptions: [],
      });
    else
      levels.push({
        kind: 'division',
        ...common,
        of: first + z - 1,
        columns: 2,
        rows: 2,
        numbers: [],
        columnLabels: [],
        rowLabels: [],
      });
  }
  return levels;
}

/**
 * Makes a scheme of what its file says.
 *
 * @throws IsomericError `sheet-scheme-value` with the place in the file
 */
export function schemeFrom(value: SheetSchemeFile, places: Places | null = null): SheetScheme {
  const crs = crsFromText(value.crs);
  const levels: SheetLevel[] = [];
  value.levels.forEach((file, k) => {
    try {
      levels.push(...levelsOf(file, levels));
    } catch (error) {
      if (!(error instanceof Mistake)) throw error;
      throw new IsomericError('sheet-scheme-value', `In the level ${file.name}, ${error.words}.`, {
        place: places?.value(['levels', k, ...error.part]),
        advice: error.advice,
        blame: 'usage',
      });
    }
  });
  const projected = value.levels.findIndex((level) => level.squares !== undefined);
  if (projected >= 0 && crs.kind !== 'geographic')
    throw new IsomericError(
      'sheet-scheme-value',
      'Squares lie within the cells of a grid in degrees, and the CRS is a projected one.',
      {
        place: places?.value(['levels', projected, 'squares']),
        blame: 'usage',
      },
    );
  const round = roundOf(crs, levels);
  return new SheetScheme({ title: value.sheets, crs, round, levels });
}

/** The halves of the globe in degrees, and of the web projection in metres. */
const wholeWidths: readonly (readonly [Crs['kind'], number])[] = [
  ['geographic', 180],
  ['projected', 20_037_508.342789244],
];

function roundOf(crs: Crs, levels: readonly SheetLevel[]): [number, number] | null {
  const grid = levels.find((level) => level.kind === 'grid');
  if (grid === undefined) return null;
  const { edges } = grid.columns;
  const [west, east] = [edges[0], edges[edges.length - 1]];
  const whole = wholeWidths.some(
    ([kind, half]) =>
      kind === crs.kind &&
      west === -half &&
      east === half &&
      (kind === 'geographic' || crs.code === 'EPSG:3857'),
  );
  return whole ? [west, east] : null;
}

function levelsOf(file: LevelFile, before: readonly SheetLevel[]): SheetLevel[] {
  const { name, scale } = file;
  if (before.some((level) => level.name === name)) refuse('there is a level of that name already', ['name']);
  if (file['quad-tree'] !== undefined) {
    const { west, south, east, north } = file['quad-tree'];
    if (!(west < east && south < north))
      refuse('west lies west of east, and south south of north', ['quad-tree']);
    return treeOf(file, before.length);
  }
  const common: Common = {
    name,
    title: file.title ?? name,
    code: readTemplate(file.code!),
    ...(scale === undefined ? {} : { scale }),
  };
  if (file.grid !== undefined) {
    if (common.code.tokens.some(({ kind }) => kind === 'parent' || kind === 'number'))
      refuse('codes of a grid are made of {row} and {column}', ['code']);
    return [gridOf(file.grid, common)];
  }
  const of = file.of === undefined ? before.length - 1 : before.findIndex((level) => level.name === file.of);
  if (of < 0)
    refuse(
      file.of === undefined
        ? 'nothing is divided: the first level is a grid'
        : `there is no level “${file.of}” before it`,
      ['of'],
    );
  if (!common.code.tokens.some(({ kind }) => kind === 'parent'))
    refuse('codes must hold that of the sheet above: {parent}', ['code']);
  if (before[of].kind === 'squares') refuse('squares cannot be divided', ['of']);
  return [
    file.divide !== undefined
      ? divisionOf(file.divide, of, common)
      : squaresOf(file.squares!, of, before[of], common),
  ];
}

/** Reads a sheet scheme from its JSON (or YAML); mistakes are told with line and column. */
export function readSheetScheme(text: string, file: string): SheetScheme {
  const { value, places } = readSettings(text, file, {
    what: 'sheet-scheme',
    schema: sheetSchemeSchema,
    begin: 'Begin one with “isomeric sheets NAME --out FILE”, where NAME is one that comes with Isomeric.',
  });
  return schemeFrom(value, places);
}
