import { isCollection, isMap, isScalar, type LineCounter, type Node, type Pair, type YAMLMap } from 'yaml';
import type { Wrong } from '../../core/errors.ts';

/** Where something stands in a file of settings: lines and columns count from one. */
export interface Position {
  file: string;
  line: number;
  column: number;
}

/** Way to a value: keys of maps, numbers of lists from zero. */
export type Path = readonly PropertyKey[];

/** Finds where values were written. */
export class Places {
  readonly file: string;
  private readonly text: string;
  private readonly root: Node | null;
  private readonly lines: LineCounter;
  /** The pairs of each map by name: a part of thousands of keys is searched once, not once a key. */
  private readonly pairs = new WeakMap<YAMLMap, Map<string, Pair>>();

  constructor(file: string, text: string, root: Node | null, lines: LineCounter) {
    this.file = file;
    this.text = text;
    this.root = root;
    this.lines = lines;
  }

  /** The position of a character of the text. */
  at(offset: number): Position {
    const { line, col } = this.lines.linePos(offset);
    return { file: this.file, line, column: col };
  }

  /** Where the key of a value stands; that of the nearest that is there where it is missing. */
  key(path: Path): Position {
    return this.at(this.found(path).key);
  }

  /** Where a value stands: itself when it is on the line of its key, else its key. With what is wrong in it: that. */
  value(path: Path, wrong?: Wrong): Position {
    const { node, key, whole } = this.found(path);
    if (wrong !== undefined && whole) {
      const word = this.within(node, key, wrong);
      if (word !== undefined) return this.at(word);
    }
    const inline = isScalar(node)
      ? node.range![1] > node.range![0]
      : isCollection(node) && node.flow === true;
    return this.at(whole && inline && node?.range ? node.range[0] : key);
  }

  /** The value as it is written, quotes and all; undefined where there is none. */
  source(path: Path): string | undefined {
    const { node, whole } = this.found(path);
    if (!whole || !node?.range) return undefined;
    return this.text.slice(node.range[0], node.range[1]);
  }

  /** The comment that begins right behind the key of a blank value: what was meant as its value. */
  commentBehind(path: Path): string | undefined {
    const { key, whole } = this.found(path);
    const line = this.text.slice(key, (this.text.indexOf('\n', key) + 1 || this.text.length + 1) - 1);
    const rest = line.slice(line.indexOf(':') + 1).trim();
    return whole && rest.startsWith('#') ? rest.split(' ')[0] : undefined;
  }

  private found(path: Path): { node: Node | null; key: number; whole: boolean } {
    let node = this.root;
    let key = node?.range?.[0] ?? 0;
    for (const part of path) {
      if (isMap(node)) {
        const pair = this.pairsOf(node as YAMLMap).get(String(part));
        if (pair === undefined) return { node, key, whole: false };
        key = (pair.key as Node).range?.[0] ?? key;
        node = pair.value as Node | null;
      } else if (isCollection(node)) {
        node = (node.items[Number(part)] as Node | undefined) ?? null;
        if (node === null) return { node, key, whole: false };
        key = node.range?.[0] ?? key;
      } else return { node, key, whole: false };
    }
    return { node, key, whole: true };
  }

  private pairsOf(map: YAMLMap): Map<string, Pair> {
    let pairs = this.pairs.get(map);
    if (pairs === undefined) {
      pairs = new Map();
      for (const pair of map.items) {
        const name = String(isScalar(pair.key) ? pair.key.value : pair.key);
        if (!pairs.has(name)) pairs.set(name, pair);
      }
      this.pairs.set(map, pairs);
    }
    return pairs;
  }

  /** The character at which the mistake begins, where the wrong text stands in the source of the value (or in its key). */
  private within(node: Node | null, key: number, { text, at }: Wrong): number | undefined {
    const from = Math.min(key, node?.range?.[0] ?? key);
    const source = this.text.slice(from, node?.range?.[1] ?? this.text.indexOf('\n', from));
    const whole = wordIn(source, text);
    if (whole >= 0) return from + whole + at;
    // Quotes and line ends change how a text is written: then the word at the place is looked for.
    const word = /^[\p{L}\p{N}_.]+|^\S/u.exec(text.slice(at))?.[0];
    const found = word === undefined ? -1 : wordIn(source, word);
    return found < 0 ? undefined : from + found;
  }
}

/** Where a text stands in another, not as a part of a longer word. */
function wordIn(source: string, text: string): number {
  if (text === '') return -1;
  const inWord = (c: string | undefined) => c !== undefined && /[\p{L}\p{N}_]/u.test(c);
  for (let at = source.indexOf(text); at >= 0; at = source.indexOf(text, at + 1)) {
    const end = at + text.length;
    const cutBefore = inWord(text[0]) && inWord(source[at - 1]);
    const cutBehind = inWord(text.at(-1)) && inWord(source[end]);
    if (!cutBefore && !cutBehind) return at;
  }
  return -1;
}
