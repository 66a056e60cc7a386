import { isMap, isScalar, parse, parseDocument, stringify } from 'yaml';
import {
  type CatalogueEntry,
  entryName,
  formatsOf,
  type Way,
  withoutLastSlash,
} from '../../core/catalogue/entry.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { bareWords } from '../../core/plain-text.ts';
import { changedSettings } from '../../formats/settings/change.ts';
import { loadStudy } from '../file/load.ts';

/** The lines of a study for an entry: its source, when it is not there yet, and its dataset. */
export interface StudyLines {
  source: { name: string; value: Record<string, unknown>; known: boolean };
  dataset: { name: string; value: Record<string, unknown> };
}

/** Formats in the order in which they are best for work. */
const preferred = [
  'OGC API – Features',
  'WFS',
  'SDMX',
  'JSON-stat',
  'geopackage',
  'geoparquet',
  'flatgeobuf',
  'geojson',
  'shapefile',
  'csv',
  'workbook',
  'map extract',
];

/**
 * The way that an entry is fetched by: that of a format, or the best one.
 *
 * @throws IsomericError `entry-dead`, `entry-format`
 */
export function wayOf(entry: CatalogueEntry, format?: string): Way {
  const alive = entry.ways.filter(({ dead, source }) => dead === undefined && source !== undefined);
  if (alive.length === 0)
    throw new IsomericError(
      'entry-dead',
      `${entryName(entry)} cannot be fetched: ${entry.dead ?? entry.ways[0]?.dead ?? 'nothing says how'}.`,
      { advice: 'Look for the same title at another source, or of another year.', blame: 'usage' },
    );
  if (format !== undefined) {
    const found = alive.find((way) => way.format.toLowerCase() === format.toLowerCase());
    if (found !== undefined) return found;
    throw new IsomericError('entry-format', `${entryName(entry)} does not come as ${format}.`, {
      advice: suggest(format, formatsOf(entry)),
      blame: 'usage',
      wrong: format,
    });
  }
  const rank = ({ format: own }: Way) => {
    const at = preferred.indexOf(own);
    return at < 0 ? preferred.length : at;
  };
  return [...alive].sort((a, b) => rank(a) - rank(b))[0];
}

/** A name that studies can have: letters, digits and _. */
function nameFrom(text: string, taken: ReadonlySet<string>, fallback: string): string {
  const words = bareWords(text);
  let bare = '';
  for (const word of words) {
    if (bare !== '' && bare.length + word.length > 32) break;
    bare += `${bare === '' ? '' : '_'}${word}`;
  }
  bare = bare.replace(/(_(by|and|of|the|in|with|for|to))+$/, '');
  if (!/^\p{L}/u.test(bare)) bare = bare === '' ? fallback : `${fallback}_${bare}`;
  let name = bare;
  for (let n = 2; taken.has(name); n++) name = `${bare}_${n}`;
  return name;
}

/** What a study that has these parts already would write for an entry. */
export function linesFor(
  entry: CatalogueEntry,
  study: { sources: Record<string, { kind?: unknown; at?: unknown }>; gather: Record<string, unknown> },
  format?: string,
  wanted?: string,
): StudyLines {
  const way = wayOf(entry, format);
  const source = way.source!;
  const known = Object.entries(study.sources).find(
    ([, told]) => told.kind === source.kind && sameAddress(String(told.at), source.at),
  );
  const taken = new Set(Object.keys(study.sources));
  const host = URL.canParse(source.at) ? new URL(source.at).hostname.split('.').slice(0, -1).join(' ') : '';
  const sourceName = known?.[0] ?? nameFrom(entry.provider ?? host, taken, source.kind.replace(/-/g, '_'));
  const years = entry.years ?? [];
  const dataset: Record<string, unknown> = { ...way.dataset };
  // Several vintages under one title: that of the year is what is meant.
  const vintage = years.length === 1 ? { vintage: Number(years[0]) } : {};
  const citation =
    entry.provider === undefined
      ? {}
      : {
          citation: `${entry.provider}${years.length > 0 ? ` (${years[years.length - 1]})` : ''}: ${entry.title}.`,
        };
  const licence = entry.licence === undefined ? {} : { licence: entry.licence };
  const name =
    wanted ??
    nameFrom(
      typeof dataset.collection === 'string' ? dataset.collection : entry.title,
      new Set(Object.keys(study.gather)),
      'data',
    );
  return {
    source: { name: sourceName, value: { ...source }, known: known !== undefined },
    dataset: {
      name,
      value: {
        from: sourceName,
        ...dataset,
        ...(source.kind === 'features' || source.kind === 'wfs' ? {} : vintage),
        ...citation,
        ...licence,
      },
    },
  };
}

const sameAddress = (a: string, b: string) => withoutLastSlash(a) === withoutLastSlash(b);

const flow = (value: Record<string, unknown>) =>
  stringify(value, { collectionStyle: 'flow', flowCollectionPadding: true, lineWidth: 0 }).trim();

/** Lines as they stand in a study file. */
export function linesText({ source, dataset }: StudyLines): string {
  const lines = source.known ? [] : ['sources:', `  ${source.name}: ${flow(source.value)}`];
  return [...lines, 'gather:', `  ${dataset.name}: ${flow(dataset.value)}`].join('\n');
}

/**
 * A study's text with the lines for an entry. All else stays as it was, to the last byte: comments, order, blanks.
 *
 * @throws IsomericError `entry-there` when the dataset is in it already
 */
export function withLines(text: string, lines: StudyLines): string {
  const study = parse(text) as { gather?: Record<string, unknown> } | null;
  if (study?.gather !== undefined && study.gather !== null && lines.dataset.name in study.gather)
    throw new IsomericError('entry-there', `The study has a dataset “${lines.dataset.name}” already.`, {
      advice: 'Give it another name with --as.',
      blame: 'usage',
    });
  let made = text;
  if (!lines.source.known) made = inserted(made, 'sources', lines.source.name, lines.source.value, 'gather');
  made = inserted(made, 'gather', lines.dataset.name, lines.dataset.value, 'prepare');
  // What cannot be read any more would be a mistake here, not of who wrote the study.
  loadStudy(made);
  return made;
}

/** Puts one more key at the end of a part of the file; a part that is not there is begun before another one, or at the end. */
function inserted(
  text: string,
  part: string,
  name: string,
  value: Record<string, unknown>,
  before: string,
): string {
  const document = parseDocument(text, { prettyErrors: false, logLevel: 'error' });
  if (document.errors.length > 0 || !isMap(document.contents))
    return changedSettings(text, [{ path: [part, name], value }]);
  const pairs = document.contents.items;
  const own = pairs.find(({ key }) => isScalar(key) && key.value === part);
  if (own === undefined) {
    const next = pairs.find(({ key }) => isScalar(key) && key.value === before);
    const at =
      next !== undefined && isScalar(next.key) && next.key.range
        ? lineStart(text, commentsBefore(text, next.key.range[0]))
        : text.length;
    const gap = at === text.length && !text.endsWith('\n') ? '\n' : '';
    return `${text.slice(0, at)}${gap}${part}:\n  ${name}: ${flow(value)}\n\n${text.slice(at)}`.replace(
      /\n\n$/,
      '\n',
    );
  }
  const map = own.value;
  if (!isMap(map) || map.flow === true || map.items.length === 0 || !map.range)
    return changedSettings(text, [{ path: [part, name], value }]);
  const last = map.items[map.items.length - 1];
  const key = isScalar(map.items[0].key) ? map.items[0].key.range?.[0] : undefined;
  const end = (last.value as { range?: [number, number, number] } | null)?.range?.[1];
  if (key === undefined || end === undefined) return changedSettings(text, [{ path: [part, name], value }]);
  const indent = ' '.repeat(key - lineStart(text, key));
  // Behind what stands on the line of the last value: a comment belongs to it.
  const lineEnd = text.indexOf('\n', Math.max(0, end - 1));
  const at = lineEnd < 0 ? text.length : lineEnd + 1;
  const gap = lineEnd < 0 ? '\n' : '';
  return `${text.slice(0, at)}${gap}${indent}${name}: ${flow(value)}\n${text.slice(at)}`;
}

const lineStart = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1;

/** Where the comments right above a key begin. */
function commentsBefore(text: string, at: number): number {
  let start = lineStart(text, at);
  while (start > 0) {
    const previous = lineStart(text, start - 1);
    if (!text.slice(previous, start).trimStart().startsWith('#')) break;
    start = previous;
  }
  return start;
}
