import { type Document, isAlias, isScalar, type Node, type Pair, visit, type YAMLMap } from 'yaml';
import { cutByComma, type TextMistake, withoutComment } from './yaml-mistakes.ts';

/** What can be read, but never is what its writer meant. */
export function yamlTraps(document: Document.Parsed, text: string): TextMistake[] {
  const mistakes: TextMistake[] = [];
  const anchors = new Set<string>();
  visit(document, {
    Node(_, node) {
      if (!isAlias(node) && node.anchor !== undefined) anchors.add(node.anchor);
    },
    Alias(_, node) {
      if (!anchors.has(node.source)) mistakes.push(beginsWith(node, `*${node.source}`));
    },
    Scalar(_, node) {
      if (node.anchor !== undefined && node.source === '') mistakes.push(anchored(node, text));
    },
    Map(_, map) {
      mistakes.push(...twice(map, text));
      if (map.flow === true) mistakes.push(...cutInBraces(map, text));
      else mistakes.push(...dashes(map));
    },
  });
  return mistakes;
}

/** Keys that stand twice in one part. */
function twice(map: YAMLMap, text: string): TextMistake[] {
  const first = new Map<string, number>();
  const mistakes: TextMistake[] = [];
  for (const { key } of map.items) {
    if (!isScalar(key) || !key.range) continue;
    const name = String(key.value);
    const [at] = key.range;
    const before = first.get(name);
    if (before === undefined) first.set(name, at);
    else
      mistakes.push({
        at,
        words: `“${name}” stands twice in the same part (first in line ${text.slice(0, before).split('\n').length}).`,
        advice: 'Keep one of them, or give one another name.',
      });
  }
  return mistakes;
}

const beginsWith = (node: Node, written: string): TextMistake => ({
  at: node.range![0],
  words: `“${written}” stands for what is called “&${written.slice(1)}”, and nothing above is.`,
  advice: `If it is a text, put it in quotes: "${written}".`,
});

function anchored(node: Node, text: string): TextMistake {
  const at = text.lastIndexOf('&', node.range![0]);
  const end = text.indexOf('\n', at);
  const written = text.slice(at, end < 0 ? undefined : end).trim();
  return {
    at,
    words: `“${written}” gives a name to a value, and there is none.`,
    advice: `If it is a text, put it in quotes: "${written}".`,
  };
}

const sourceOf = (node: unknown, text: string) => {
  const range = (node as Node | null)?.range;
  return range ? text.slice(range[0], range[1]) : '';
};

/** `{ x: share(a, b) }`: the comma ends the value, and what stands behind it becomes a key without one. */
function cutInBraces(map: YAMLMap, text: string): TextMistake[] {
  const mistakes: TextMistake[] = [];
  for (let k = 0; k < map.items.length; k++) {
    const pair = map.items[k] as Pair<Node, Node | null>;
    if (sourceOf(pair.value, text) !== '') continue;
    const key = sourceOf(pair.key, text);
    const tight = /^([^\s:]+):(\S.*)$/.exec(key);
    if (tight !== null) {
      mistakes.push({
        at: pair.key.range![0],
        words: `A blank is missing behind the colon of “${key}”.`,
        advice: `Write “${tight[1]}: ${tight[2]}”.`,
      });
      continue;
    }
    // A key that ends with a colon of its own is blank on purpose.
    if (k === 0 || /^\s*:/.test(text.slice(pair.key.range![1]))) continue;
    let from = k - 1;
    const noValue = (each: Pair) => sourceOf(each.value, text) === '';
    while (from > 0 && noValue(map.items[from])) from--;
    if (mistakes.some(({ at }) => at === (map.items[from].value as Node | null)?.range?.[0])) continue;
    const before = map.items[from] as Pair<Node, Node | null>;
    let to = k;
    while (to + 1 < map.items.length && noValue(map.items[to + 1])) to++;
    const start = before.value?.range?.[0] ?? before.key.range![0];
    const written = text.slice(start, (map.items[to].key as Node).range![1]).replace(/\s+/g, ' ');
    const name = sourceOf(before.key, text);
    mistakes.push(cutByComma(start, written, name));
    k = to;
  }
  return mistakes;
}

/** `-b: 1` is a key that begins with a dash, not an entry of a list. */
function dashes(map: YAMLMap): TextMistake[] {
  return map.items
    .filter(({ key }) => isScalar(key) && key.type === 'PLAIN' && /^-\S/.test(String(key.value)))
    .map(({ key }) => ({
      at: (key as Node).range![0],
      words: 'A blank is missing behind the dash.',
      advice: `Write “- ${String((key as { value: unknown }).value).slice(1)}: …”.`,
    }));
}

const blankNames: Readonly<Record<string, string>> = {
  '\u00a0': 'non-breaking blank',
  '\u200b': 'blank without width',
};

/** Blanks that look like plain ones where YAML wants plain ones: before a key, in it, behind a colon or a dash. */
export function strangeBlanks(text: string): TextMistake[] {
  const mistakes: TextMistake[] = [];
  let start = 0;
  for (const line of text.split('\n')) {
    const bare = withoutComment(line);
    const before = /^[\s\u200b]*(?:- ?)*[^'"“:]*:?[\s\u200b]?/.exec(bare)?.[0] ?? '';
    const at = before.search(/[\u00a0\u2000-\u200b\u202f\u205f\u3000\ufeff]/);
    if (at >= 0 && !(start === 0 && line[0] === '\ufeff' && at === 0))
      mistakes.push({
        at: start + at,
        words: `A ${blankNames[line[at]] ?? 'strange blank'} stands here, which only looks like a plain one.`,
        advice: 'Write a plain blank.',
      });
    start += line.length + 1;
  }
  return mistakes;
}
