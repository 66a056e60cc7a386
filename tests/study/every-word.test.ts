import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { isScalar, parseDocument, type Scalar, visit } from 'yaml';
import { IsomericError } from '../../src/core/index.ts';
import { loadStudy } from '../../src/study/index.ts';
import { demoFolder } from '../support/demo-study.ts';

const text = readFileSync(join(demoFolder, 'study.yaml'), 'utf8');

/** Parts below which keys are names that the author gives. */
const named = /^(sources|gather|prepare|check|titles|draw)$/;
const free = /^(compute|choose|levels|parameters|inputs|marks|classify)$/;

interface Word {
  word: string;
  at: number;
  kind: 'key' | 'name' | 'value';
  path: string[];
}

/** All words of the demo's study: keys of the schema, names, and values. */
function words(): Word[] {
  const found: Word[] = [];
  const document = parseDocument(text);
  visit(document, {
    Scalar(key, node: Scalar, ancestors) {
      if (typeof node.value !== 'string' || !node.range) return;
      const path = ancestors.flatMap((each) => {
        const own = each as unknown as { key?: unknown };
        return isScalar(own.key) ? [String(own.key.value)] : [];
      });
      const above = key === 'key' ? path.slice(0, -1) : path;
      const isName = (above.length === 1 && named.test(above[0])) || above.some((part) => free.test(part));
      found.push({
        word: node.value,
        at: node.range[0],
        kind: key !== 'key' ? 'value' : isName ? 'name' : 'key',
        path: above,
      });
    },
  });
  return found;
}

/** Two letters in the middle exchanged, or one more where that changes nothing. */
function misspelt(word: string): string {
  const middle = Math.floor(word.length / 2);
  const swapped = `${word.slice(0, middle - 1)}${word[middle]}${word[middle - 1]}${word.slice(middle + 1)}`;
  return swapped === word || word.length < 3 ? `${word}x` : swapped;
}

function mistakeAt(at: number, word: string): { error: IsomericError | null; line: number; column: number } {
  const changed = `${text.slice(0, at)}${misspelt(word)}${text.slice(at + word.length)}`;
  const before = text.slice(0, at).split('\n');
  let error: IsomericError | null = null;
  try {
    loadStudy(changed);
  } catch (raised) {
    expect(raised).toBeInstanceOf(IsomericError);
    error = raised as IsomericError;
  }
  return { error, line: before.length, column: before.at(-1)!.length + 1 };
}

describe('a slip in any word of the demo’s study', () => {
  const all = words();
  // Each key once in each part of the study that has it: “from” stands thirty times alike.
  const keys = [
    ...new Map(
      all
        // Nothing names a catalogue: it may be called anything.
        .filter(({ kind, path }) => kind === 'key' && !(path[0] === 'catalogues' && path.length === 1))
        .map((each) => [`${each.path[0]} ${each.path.length} ${each.word}`, each]),
    ).values(),
  ];

  it('in a key is told at its place, with the right word', () => {
    expect(keys.length).toBeGreaterThan(60);
    for (const { word, at } of keys) {
      const { error, line, column } = mistakeAt(at, word);
      const told = [error, ...(error?.failures ?? [])].find((each) => each?.place.line === line);
      expect([word, line, told?.place.line, told?.place.column]).toEqual([word, line, line, column]);
      expect(told?.advice, word).toContain(`“${word}”`);
    }
  });

  it('in a name that another part says is told where it is said, or where it is given', () => {
    // Datasets and sources that something else names.
    const names = new Set(
      all
        .filter(
          ({ kind, path, word }) =>
            kind === 'value' &&
            /^[a-z_-]+$/.test(word) &&
            /^(from|join|of|layer|over|under|tally|units)$/.test(path.at(-1) ?? ''),
        )
        .map(({ word }) => word),
    );
    const given = all.filter(
      ({ kind, word, path }) =>
        kind === 'name' && names.has(word) && /^(sources|gather)$/.test(path.at(-1) ?? ''),
    );
    expect(given.length).toBeGreaterThan(15);
    for (const { word, at } of given) {
      const { error } = mistakeAt(at, word);
      expect(error?.sentence, word).toContain(`“${word}”`);
      for (const { place } of [error!, ...error!.failures]) expect(place.line).toBeGreaterThan(0);
    }
  });

  it('in a value of few words is told at its place, or is a text that anything may be', () => {
    const few = all.filter(
      ({ kind, path }) =>
        kind === 'value' &&
        /^(kind|from|join|colours|classes|on|same as|geometry|rows|repair|clip|keep)$/.test(
          path.at(-1) ?? '',
        ),
    );
    expect(few.length).toBeGreaterThan(60);
    for (const { word, at, path } of few) {
      // A field may have any name.
      if (path.at(-1) === 'on' || path.includes('widen')) continue;
      const { error, line, column } = mistakeAt(at, word);
      expect([word, error?.place.line], error?.sentence).toEqual([word, line]);
      expect(error!.place.column).toBeGreaterThanOrEqual(column);
      expect(error!.place.column).toBeLessThanOrEqual(column + word.length);
    }
  });
});
