import { IsomericError } from '../errors.ts';
import { spellingDistance } from '../nearest.ts';
import { cellAlong, groupOf } from './cells.ts';
import { codeOf } from './codes.ts';
import { foldCode, Labels } from './labels.ts';
import { squaresCalled } from './projected-squares.ts';
import type { Cell, MapSheet, SheetLevel } from './scheme.ts';
import type { SheetScheme } from './sheet-scheme.ts';
import type { LabelKind } from './templates.ts';

/** Codes longer than this are none. */
const longest = 100;
/** Sheets that a part of a code may stand for. */
const mostSheets = 100_000;

/** What a text stands for: one sheet, or all those whose codes begin so. */
export interface CodeRead {
  readonly sheets: readonly MapSheet[];
  /** True where the text was only the beginning of codes. */
  readonly partial: boolean;
  /** The code as it is written, where it was written otherwise. */
  readonly instead?: string;
}

/** How far reading has come along a code. */
interface State {
  readonly at: number;
  /** Cells of the levels above. */
  readonly above: readonly Cell[];
  readonly column?: number;
  readonly row?: number;
  /** Names of squares, whose numbers depend on where they lie. */
  readonly columnName?: string;
  readonly rowName?: string;
  /** Columns from the west and rows from the north of a quad-tree. */
  readonly columns?: number;
  readonly rows?: number;
}

/** Where reading could not go on, and what would have to come there. */
interface Stop {
  at: number;
  expected: Set<string>;
  /** All was read, and yet there is no such cell. */
  missing: boolean;
}

const noStop = (): Stop => ({ at: -1, expected: new Set(), missing: false });

type Separators = 'as written' | 'any' | 'none';

const separator = /[-\s_./,:]/;

/** Reads codes of one scheme. */
export class CodeReader {
  private readonly labels = new Map<string, Labels>();
  private stop = noStop();

  constructor(private readonly scheme: SheetScheme) {}

  /**
   * The sheets that a code stands for. Letter case, accents and zeros in front do not matter; other separators, or none, are read
   * where only one sheet can be meant. The beginning of codes stands for all of them.
   *
   * @throws IsomericError `sheet-unknown` with the nearest right code
   */
  read(code: string): CodeRead {
    const text = foldCode(code.trim());
    if (text === '' || text.length > longest) throw this.unknown(code);
    this.stop = noStop();
    for (const separators of ['as written', 'any', 'none'] as const) {
      const all = this.whole(text, separators);
      // What is written just so counts, also where it could be another one written shortly.
      const exact = all.filter((sheet) => foldCode(codeOf(this.scheme, sheet)) === text);
      const found = exact.length === 1 ? exact : all;
      if (found.length === 1) {
        const own = codeOf(this.scheme, found[0]);
        return { sheets: found, partial: false, ...(own === code ? {} : { instead: own }) };
      }
      if (found.length > 1) throw this.ambiguous(code, found);
      const begun = separators === 'none' ? [] : this.begun(text, separators);
      if (begun.length > 0) return { sheets: begun, partial: true };
    }
    throw this.unknown(code);
  }

  private whole(text: string, separators: Separators): MapSheet[] {
    const given = separators === 'none' ? text.replace(new RegExp(separator, 'g'), '') : text;
    const found = new Map<string, MapSheet>();
    this.scheme.levels.forEach((own, level) => {
      for (const state of this.walk(level, [{ at: 0, above: [] }], given, separators, true))
        if (state.at === given.length) {
          const paths = this.pathsOf(own, state);
          if (paths.length === 0) this.halt(state.at, null);
          for (const path of paths) {
            const sheet = this.scheme.sheet(level, path);
            found.set(`${level} ${JSON.stringify(sheet.path)}`, sheet);
          }
        } else this.halt(state.at, 'nothing');
    });
    return [...found.values()];
  }

  /** Sheets whose codes begin so: of the first level that has such codes. */
  private begun(text: string, separators: Separators): MapSheet[] {
    const given = text.replace(/[-\s_./,:]+$/, '');
    for (let level = 0; level < this.scheme.levels.length; level++) {
      const { tokens } = this.scheme.levels[level].code;
      if (tokens.some(({ kind }) => kind.startsWith('all'))) continue;
      for (let end = tokens.length - 1; end > 0; end--) {
        const kind = tokens[end - 1].kind;
        if (kind === 'literal' || kind === 'parent') continue;
        const found = this.steps(level, tokens.slice(0, end), given, separators).filter(
          ({ at }) => at === given.length,
        );
        const sheets = found.flatMap((state) => this.sheetsLike(level, state));
        if (sheets.length > 0) return sheets;
      }
    }
    return [];
  }

  private steps(
    level: number,
    tokens: SheetLevel['code']['tokens'],
    given: string,
    separators: Separators,
  ): State[] {
    return this.along(level, tokens, [{ at: 0, above: [] }], given, separators, false);
  }

  /** Sheets of a level that agree with what is known of their codes. */
  private sheetsLike(level: number, state: State): MapSheet[] {
    const own = this.scheme.levels[level];
    const found = new Map<string, MapSheet>();
    const add = (path: readonly Cell[]) => {
      if (cellAlong(this.scheme.levels, this.scheme.chains[level], path) === null && own.kind !== 'squares')
        return;
      const sheet = this.scheme.sheet(level, path);
      found.set(JSON.stringify(sheet.path), sheet);
      if (found.size > mostSheets)
        throw new IsomericError(
          'sheet-too-many',
          'That is the beginning of more sheets than anybody wants.',
          {
            blame: 'usage',
          },
        );
    };
    if (own.kind === 'squares')
      for (const cell of squaresCalled(
        own,
        this.scheme.squaresOf(own, state.above),
        state.above[state.above.length - 1].column,
        state.columnName ?? null,
        state.rowName ?? null,
      ))
        add([...state.above, cell]);
    else {
      const [columns, rows] =
        own.kind === 'grid' ? [own.columns.labels.length, own.rows.labels.length] : [own.columns, own.rows];
      for (let row = state.row ?? 0; row < (state.row === undefined ? rows : state.row + 1); row++)
        for (
          let column = state.column ?? 0;
          column < (state.column === undefined ? columns : state.column + 1);
          column++
        )
          add([...state.above, { column, row }]);
    }
    return [...found.values()];
  }

  /** @param last the level whose code this is, not one that it begins with */
  private walk(level: number, states: State[], text: string, separators: Separators, last: boolean): State[] {
    const { tokens, optional } = this.scheme.levels[level].code;
    const found = this.along(level, tokens, states, text, separators, last);
    if (optional === null || !last) return found;
    const short = tokens.filter((_, k) => k < optional[0] || k >= optional[1]);
    const own = this.scheme.levels[level];
    const rows = this.along(level, short, states, text, separators, last).filter((state) => {
      if (own.kind !== 'grid' || state.row === undefined) return false;
      const box = cellAlong(this.scheme.levels, this.scheme.chains[level], [
        ...state.above,
        { column: 0, row: state.row },
      ]);
      if (box === null) return false;
      const { first, end } = groupOf(own, box, 0);
      return end - first === own.columns.labels.length;
    });
    return [...found, ...rows.map((state) => ({ ...state, column: 0 }))];
  }

  private along(
    level: number,
    tokens: SheetLevel['code']['tokens'],
    begin: State[],
    text: string,
    separators: Separators,
    last: boolean,
  ): State[] {
    const own = this.scheme.levels[level];
    let states = begin;
    for (const token of tokens) {
      const next: State[] = [];
      for (const state of states) {
        if (token.kind === 'literal') {
          const end = this.literal(token.text, text, state.at, separators);
          if (end >= 0) next.push({ ...state, at: end });
          else this.halt(state.at, `“${token.text}”`);
        } else if (token.kind === 'parent') {
          if (own.kind === 'grid') continue;
          for (const above of this.walk(own.of, [state], text, separators, false))
            for (const path of this.pathsOf(this.scheme.levels[own.of], above))
              next.push({ at: above.at, above: path });
        } else if (token.kind === 'all columns' || token.kind === 'all rows') {
          const digits = /^\d{1,9}/.exec(text.slice(state.at, state.at + 9))?.[0];
          const value = Number(digits);
          if (digits === undefined || value >= token.count)
            this.halt(state.at, `a number from 0 to ${token.count - 1}`);
          else
            next.push({
              ...state,
              at: state.at + digits.length,
              [token.kind === 'all columns' ? 'columns' : 'rows']: value,
            });
        } else next.push(...this.named(level, token.kind, state, text, separators, last));
      }
      states = next;
    }
    return states;
  }

  /** Names of columns, rows or cells at a place. */
  private named(
    level: number,
    kind: LabelKind,
    state: State,
    text: string,
    separators: Separators,
    last: boolean,
  ): State[] {
    const own = this.scheme.levels[level];
    const labels = this.labelsOf(level, kind);
    const next: State[] = [];
    for (const [number, end] of labels.at(text, state.at, separators === 'none')) {
      const more: Partial<State> =
        own.kind === 'squares'
          ? { [kind === 'row' ? 'rowName' : 'columnName']: labels.labels[number] }
          : kind === 'number' && own.kind === 'division'
            ? { column: number % own.columns, row: Math.floor(number / own.columns) }
            : { [kind]: number };
      // Cells that are joined are called by all their names: “31,32”, “A,B”.
      let at = end;
      if (last && kind !== 'row' && own.kind !== 'squares' && own.joins.length > 0)
        for (let k = number + 1; text[at] === ','; k++) {
          const following = [...labels.at(text, at + 1, false)].find(([other]) => other === k);
          if (following === undefined) break;
          at = following[1];
        }
      next.push({ ...state, ...more, at });
    }
    if (next.length === 0) this.halt(state.at, labels.words);
    return next;
  }

  private literal(literal: string, text: string, at: number, separators: Separators): number {
    const folded = foldCode(literal);
    if (separators === 'as written') return text.startsWith(folded, at) ? at + folded.length : -1;
    const bare = folded.replace(new RegExp(separator, 'g'), '');
    let place = at;
    if (separators === 'any') {
      if (bare.length < folded.length) {
        const before = place;
        while (place < text.length && separator.test(text[place])) place++;
        if (place === before) return -1;
      }
    }
    return text.startsWith(bare, place) ? place + bare.length : -1;
  }

  /** The cells that a state that has come to its end stands for: none, one, or of squares some. */
  private pathsOf(own: SheetLevel, state: State): (readonly Cell[])[] {
    if (own.kind === 'squares')
      return squaresCalled(
        own,
        this.scheme.squaresOf(own, state.above),
        state.above[state.above.length - 1].column,
        state.columnName ?? null,
        state.rowName ?? null,
      ).map((cell) => [...state.above, cell]);
    if (state.columns !== undefined && state.rows !== undefined) {
      const depth = this.scheme.chains[this.scheme.levels.indexOf(own)].length - 1;
      const path: Cell[] = [{ column: 0, row: 0 }];
      for (let k = depth - 1; k >= 0; k--)
        path.push({
          column: Math.floor(state.columns / 2 ** k) % 2,
          row: 1 - (Math.floor(state.rows / 2 ** k) % 2),
        });
      return [path];
    }
    const { column = 0, row = 0 } = state;
    const path = [...state.above, { column, row }];
    const exists = cellAlong(this.scheme.levels, this.scheme.chains[this.scheme.levels.indexOf(own)], path);
    return exists === null ? [] : [path];
  }

  private labelsOf(level: number, kind: LabelKind): Labels {
    const key = `${level} ${kind}`;
    let found = this.labels.get(key);
    if (found === undefined) {
      const own = this.scheme.levels[level];
      found = new Labels(
        own.kind === 'squares'
          ? (kind === 'row' ? own.rowLetters : own.columnLetters).labels
          : own.kind === 'grid'
            ? (kind === 'row' ? own.rows : own.columns).labels
            : kind === 'number'
              ? own.numbers
              : kind === 'row'
                ? own.rowLabels
                : own.columnLabels,
      );
      this.labels.set(key, found);
    }
    return found;
  }

  private halt(at: number, expected: string | null): void {
    if (at > this.stop.at) this.stop = { ...noStop(), at };
    if (at < this.stop.at) return;
    if (expected === null) this.stop.missing = true;
    else this.stop.expected.add(expected);
  }

  private ambiguous(code: string, found: readonly MapSheet[]): IsomericError {
    const codes = found.slice(0, 6).map((sheet) => codeOf(this.scheme, sheet));
    return new IsomericError(
      'sheet-ambiguous',
      `“${code}” may be several sheets of ${this.scheme.rules.title}: ${codes.join(', ')}.`,
      { advice: 'Write the code in full.', blame: 'usage', wrong: code },
    );
  }

  private unknown(code: string): IsomericError {
    const given = code.trim().slice(0, longest);
    const { at, expected, missing } = this.stop;
    const after = at > 0 ? `after “${given.slice(0, at)}” comes` : 'its codes begin with';
    const words = [...expected].filter((each) => each !== 'nothing' || expected.size === 1).join(', or ');
    const why = missing
      ? ': there is no such cell in it'
      : words === '' || given === ''
        ? ''
        : `: ${after} ${words}${words === 'nothing' ? ' more' : ''}`;
    const near = given === '' || code.length > longest ? null : this.nearest(foldCode(given));
    return new IsomericError('sheet-unknown', `“${given}” is no sheet of ${this.scheme.rules.title}${why}.`, {
      advice:
        near === null
          ? 'isomeric sheets SCHEME shows how its codes are written.'
          : `The nearest right code is ${near}.`,
      blame: 'usage',
      wrong: code,
    });
  }

  /** The right code that is nearest to a wrong one. */
  nearest(text: string): string | null {
    let best: string | null = null;
    let least = Number.POSITIVE_INFINITY;
    for (let level = 0; level < this.scheme.levels.length; level++) {
      const made = this.mended(level, text, 0);
      if (made === null) continue;
      const code = codeOf(this.scheme, this.scheme.sheet(level, made.path));
      const folded = foldCode(code);
      // Of two that are as near, the one that is as long.
      const distance = spellingDistance(folded, text) + 0.4 * Math.abs(folded.length - text.length);
      if (distance < least) {
        least = distance;
        best = code;
      }
    }
    return best;
  }

  /** Reads a wrong code token by token, the nearest name in place of each that is wrong. */
  private mended(level: number, text: string, from: number): { path: readonly Cell[]; at: number } | null {
    const own = this.scheme.levels[level];
    let at = from;
    let state: State = { at: 0, above: [] };
    for (const token of own.code.tokens) {
      while (token.kind !== 'literal' && separator.test(text[at] ?? '')) at++;
      if (token.kind === 'literal') {
        if (text.startsWith(foldCode(token.text), at)) at += token.text.length;
      } else if (token.kind === 'parent') {
        const above = own.kind === 'grid' ? null : this.mended(own.of, text, at);
        if (above === null) return null;
        at = above.at;
        state = { ...state, above: above.path };
      } else if (token.kind === 'all columns' || token.kind === 'all rows') {
        const digits = /^\d+/.exec(text.slice(at))?.[0] ?? '0';
        at += digits.length;
        const value = Math.min(Number(digits), token.count - 1);
        state = { ...state, [token.kind === 'all columns' ? 'columns' : 'rows']: value };
      } else {
        const labels = this.labelsOf(level, token.kind);
        const most = Math.max(...labels.labels.map((label) => label.length));
        const right = [...labels.at(text, at, true), ...labels.at(text, at, false)][0];
        const run = (labels.numeric ? /^\d+/ : /^[^-\s_./,:]+/).exec(text.slice(at))?.[0] ?? '';
        const wrong = labels.numeric ? run : run.slice(0, most);
        const number = right?.[0] ?? labels.nearest(wrong);
        at = right?.[1] ?? at + wrong.length;
        if (own.kind === 'squares')
          state = { ...state, [token.kind === 'row' ? 'rowName' : 'columnName']: labels.labels[number] };
        else if (token.kind === 'number' && own.kind === 'division')
          state = { ...state, column: number % own.columns, row: Math.floor(number / own.columns) };
        else state = { ...state, [token.kind]: number };
      }
    }
    let paths = this.pathsOf(own, state);
    if (paths.length === 0 && own.kind === 'squares')
      paths = this.pathsOf(own, { ...state, rowName: undefined });
    if (paths.length === 0 && own.kind === 'squares')
      paths = this.pathsOf(own, { ...state, rowName: undefined, columnName: undefined });
    // A cell that does not exist: the next one in its row.
    if (own.kind === 'grid')
      for (let step = 1; paths.length === 0 && step < own.columns.labels.length; step++)
        for (const column of [(state.column ?? 0) - step, (state.column ?? 0) + step])
          if (paths.length === 0 && column >= 0 && column < own.columns.labels.length)
            paths = this.pathsOf(own, { ...state, column });
    return paths.length === 0 ? null : { path: paths[0], at };
  }
}
