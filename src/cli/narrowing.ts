import { grouped } from '../core/account.ts';
import type {
  CatalogueAnswer,
  CatalogueIndex,
  CatalogueQuery,
  FacetValue,
} from '../core/catalogue/catalogue-index.ts';
import { type CatalogueEntry, entryName } from '../core/catalogue/entry.ts';
import type { FacetName } from '../core/catalogue/facets.ts';
import type { Colours } from './terminal.ts';

/** A key that was pressed: a letter, or a name like `up`, `return`, `escape`. */
export interface Key {
  name: string;
  /** The sign that it stands for, when it is one. */
  sign?: string;
  control?: boolean;
}

/** What pressing a key came to: the screen again, an entry that was picked, or the end. */
export type Pressed = { kind: 'screen' } | { kind: 'pick'; entry: CatalogueEntry } | { kind: 'end' };

/** A line that can be stood on. */
type Row =
  | { kind: 'result'; entry: CatalogueEntry }
  | { kind: 'facet'; facet: FacetName }
  | { kind: 'value'; facet: FacetName; value: FacetValue };

/** Values of a facet that are shown when it is open. */
const mostValues = 200;

/** The state of searching with the keyboard: words that are typed, facets that are opened, values that are chosen. */
export class Narrowing {
  words: string;
  readonly chosen: Partial<Record<FacetName, string[]>>;
  private side: 'results' | 'facets' = 'results';
  private at = { results: 0, facets: 0 };
  private open: FacetName | null = null;
  private answer: CatalogueAnswer;
  /** What is going on in the background, in a line. */
  status = '';

  constructor(
    private index: CatalogueIndex,
    private readonly given: CatalogueQuery,
  ) {
    this.words = given.words ?? '';
    this.chosen = Object.fromEntries(
      Object.entries(given.facets ?? {}).map(([name, values]) => [name, [...values]]),
    );
    this.answer = this.search();
  }

  /** What has come since is searched, too. */
  renew(index: CatalogueIndex): void {
    this.index = index;
    this.answer = this.search();
  }

  get count(): number {
    return this.answer.count;
  }

  private search(): CatalogueAnswer {
    return this.index.search({ ...this.given, words: this.words, facets: this.chosen }, 100);
  }

  private rows(side: 'results' | 'facets'): Row[] {
    if (side === 'results')
      return this.answer.best.map((i) => ({ kind: 'result', entry: this.index.entries[i] }));
    return this.answer.facets.flatMap(({ name, values }): Row[] =>
      values.length === 0
        ? []
        : [
            { kind: 'facet', facet: name },
            ...(this.open === name
              ? values.slice(0, mostValues).map((value): Row => ({ kind: 'value', facet: name, value }))
              : []),
          ],
    );
  }

  /** Takes one key. */
  press(key: Key): Pressed {
    if (key.control === true && (key.name === 'c' || key.name === 'd')) return { kind: 'end' };
    const rows = this.rows(this.side);
    const here = Math.min(this.at[this.side], Math.max(0, rows.length - 1));
    switch (key.name) {
      case 'up':
        this.at[this.side] = Math.max(0, here - 1);
        break;
      case 'down':
        this.at[this.side] = Math.min(rows.length - 1, here + 1);
        break;
      case 'pageup':
        this.at[this.side] = Math.max(0, here - 10);
        break;
      case 'pagedown':
        this.at[this.side] = Math.max(0, Math.min(rows.length - 1, here + 10));
        break;
      case 'tab':
      case 'left':
      case 'right':
        this.side =
          key.name === 'left'
            ? 'facets'
            : key.name === 'right'
              ? 'results'
              : this.side === 'results'
                ? 'facets'
                : 'results';
        break;
      case 'return':
        return this.enter(rows[here]);
      case 'escape':
        return this.back();
      case 'backspace':
        this.words = [...this.words].slice(0, -1).join('');
        this.anew();
        break;
      default:
        if (key.sign !== undefined && key.control !== true) {
          this.words += key.sign;
          this.anew();
        }
    }
    return { kind: 'screen' };
  }

  private enter(row: Row | undefined): Pressed {
    if (row === undefined) return { kind: 'screen' };
    if (row.kind === 'result') return { kind: 'pick', entry: row.entry };
    if (row.kind === 'facet') {
      this.open = this.open === row.facet ? null : row.facet;
      return { kind: 'screen' };
    }
    const { facet, value } = row;
    const before = this.chosen[facet] ?? [];
    this.chosen[facet] = value.chosen
      ? before.filter((each) => each.toLowerCase() !== value.value.toLowerCase())
      : [...before, value.value];
    const place = this.at.facets;
    this.anew();
    this.at.facets = place;
    return { kind: 'screen' };
  }

  /** One step back: what is open is closed, then the last choice is given up, then the words, then it ends. */
  private back(): Pressed {
    if (this.open !== null) {
      this.open = null;
      this.at.facets = 0;
      return { kind: 'screen' };
    }
    const last = Object.entries(this.chosen)
      .filter(([, values]) => values.length > 0)
      .pop();
    if (last !== undefined) delete this.chosen[last[0] as FacetName];
    else if (this.words !== '') this.words = '';
    else return { kind: 'end' };
    this.anew();
    return { kind: 'screen' };
  }

  private anew(): void {
    this.answer = this.search();
    this.at = { results: 0, facets: Math.min(this.at.facets, Math.max(0, this.rows('facets').length - 1)) };
  }

  /** The screen as lines, none longer than `width`. */
  lines(width: number, height: number, colours: Colours): string[] {
    const left = Math.max(24, Math.min(38, Math.floor(width * 0.34)));
    const right = Math.max(10, width - left - 3);
    const body = Math.max(4, height - 6);
    const facets = this.facetLines(left, body, colours);
    const results = this.resultLines(right, body, colours);
    const lines = [
      `${colours.bold('Find')} ${this.words}${colours.cyan('▏')}`,
      fitted(
        `${grouped(this.answer.count)} of ${grouped(this.index.entries.length)}${this.chosenWords()}${this.status === '' ? '' : `  ${this.status}`}`,
        width,
      ),
      '─'.repeat(Math.max(1, width)),
    ];
    for (let k = 0; k < body; k++) {
      const [text, length] = facets[k] ?? ['', 0];
      lines.push(`${text}${' '.repeat(Math.max(0, left - length))} │ ${results[k] ?? ''}`);
    }
    lines.push('─'.repeat(Math.max(1, width)));
    lines.push(
      colours.dim(
        fitted('type words · ↑↓ move · Tab sides · Enter open, choose, pick · Esc back · Ctrl+C end', width),
      ),
    );
    return lines;
  }

  private chosenWords(): string {
    const told = Object.entries(this.chosen).filter(([, values]) => values.length > 0);
    return told.length === 0
      ? ''
      : ` · ${told.map(([name, values]) => `${name}: ${values.join(' or ')}`).join(' · ')}`;
  }

  private facetLines(width: number, height: number, colours: Colours): [string, number][] {
    const rows = this.rows('facets');
    const here = Math.min(this.at.facets, Math.max(0, rows.length - 1));
    const first = firstShown(here, rows.length, height);
    return rows.slice(first, first + height).map((row, k): [string, number] => {
      const active = this.side === 'facets' && first + k === here;
      const mark = active ? '›' : ' ';
      if (row.kind === 'facet') {
        const values = this.answer.facets.find(({ name }) => name === row.facet)!.values;
        const text = fitted(
          `${mark}${this.open === row.facet ? '▾' : '▸'} ${row.facet} ${values.length}`,
          width,
        );
        return [active ? colours.cyan(text) : colours.bold(text), text.length];
      }
      if (row.kind !== 'value') return ['', 0];
      const { value, count, chosen, loosen } = row.value;
      const tail =
        count === 0
          ? `0${loosen === undefined ? '' : ` (but for ${loosen.what}: ${grouped(loosen.count)})`}`
          : grouped(count);
      const text = fitted(`${mark}  ${chosen ? '●' : '○'} ${value}  ${tail}`, width);
      return [active ? colours.cyan(text) : count === 0 ? colours.dim(text) : text, text.length];
    });
  }

  private resultLines(width: number, height: number, colours: Colours): string[] {
    const rows = this.rows('results');
    if (rows.length === 0) {
      const ways = this.answer.loosen.slice(0, height - 2);
      return [
        'Nothing meets all of it.',
        ...ways.map(({ what, count }) => fitted(`Without ${what}: ${grouped(count)}.`, width)),
      ];
    }
    const here = Math.min(this.at.results, rows.length - 1);
    const shown = Math.max(1, Math.floor(height / 2));
    const first = firstShown(here, rows.length, shown);
    return rows.slice(first, first + shown).flatMap((row, k) => {
      if (row.kind !== 'result') return [];
      const active = this.side === 'results' && first + k === here;
      const { entry } = row;
      const title = fitted(`${active ? '› ' : '  '}${entry.title}`, width);
      const about = fitted(`    ${factsOf(entry).join(' · ')}`, width);
      return [
        active ? colours.cyan(title) : entry.dead === undefined ? colours.bold(title) : colours.dim(title),
        colours.dim(about),
      ];
    });
  }
}

/** The first line that is shown so that the one stood on is in sight. */
function firstShown(here: number, all: number, height: number): number {
  return Math.max(0, Math.min(here - Math.floor(height / 2), all - height));
}

function fitted(text: string, width: number): string {
  const bare = [...text.replace(/[\r\n\t]+/g, ' ')];
  return bare.length <= width ? bare.join('') : `${bare.slice(0, Math.max(0, width - 1)).join('')}…`;
}

/** What there is to say of an entry in a line. */
export function factsOf(entry: CatalogueEntry): string[] {
  const { holds, levels, years, dead } = entry;
  return [
    entryName(entry),
    holds,
    ...(years === undefined
      ? []
      : [years.length > 3 ? `${years[0]}–${years[years.length - 1]}` : years.join(', ')]),
    ...(levels === undefined ? [] : [levels.join(', ')]),
    ...(entry.breakdowns === undefined ? [] : [`by ${entry.breakdowns.join(', ')}`]),
    ...(entry.universe === undefined ? [] : [`of ${entry.universe}`]),
    ...(dead === undefined ? [] : [`dead end: ${dead}`]),
  ];
}
