import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { IsomericError } from '../../src/core/index.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { loadStudy, runStudy } from '../../src/study/index.ts';
import { ownStudyFolder, ownStudyText } from '../support/own-study.ts';
import { atTheData, inTheText, type MistakeMade } from './mistakes.ts';

/** The study with the mistake, and the line and column of its mark; those that only leave something out have none. */
function made([what, from, to]: MistakeMade): { text: string; line?: number; column?: number } {
  expect(ownStudyText.split(from).length, `“${from}” stands once for: ${what}`).toBe(2);
  const marked = ownStudyText.replace(from, () => to);
  const at = marked.indexOf('¦');
  if (at < 0) return { text: marked };
  const before = marked.slice(0, at).split('\n');
  return { text: marked.replace('¦', ''), line: before.length, column: before.at(-1)!.length + 1 };
}

const raisedBy = async (work: () => unknown): Promise<IsomericError> => {
  try {
    await work();
  } catch (error) {
    expect(error).toBeInstanceOf(IsomericError);
    return error as IsomericError;
  }
  throw new Error('No mistake was told.');
};

function expectTold(
  error: IsomericError,
  { line, column }: { line?: number; column?: number },
  cure: string,
) {
  const { sentence } = error;
  expect(sentence).toContain(cure);
  const place = error.written ?? error.place;
  expect(place.file).toBe('study.yaml');
  expect(place.line).toBeGreaterThan(0);
  if (line !== undefined) expect([sentence, place.line, place.column]).toEqual([sentence, line, column]);
}

describe('a mistake in the text of a study', () => {
  it.each(inTheText)('%s', async (...mistake) => {
    const { text, ...at } = made(mistake);
    const error = await raisedBy(() => loadStudy(text));
    expectTold(error, at, mistake[3]);
    expect(error.blame).toBe('usage');
    expect(error.sentence).not.toMatch(
      /implicit|flow|mapping|scalar|YAML|[Ii]nvalid input|undefined|anchor|alias/,
    );
  });
});

describe('a mistake that shows at the data', () => {
  it.each(atTheData)('%s', async (...mistake) => {
    const { text, ...at } = made(mistake);
    const folder = ownStudyFolder(text);
    try {
      const error = await raisedBy(() => runStudy(nodeMachine(folder)));
      expectTold(error, at, mistake[3]);
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});

describe('a study that is no text of one', () => {
  const bytes = (text: string, encoding: 'utf16le' | 'latin1' | 'utf8') => Buffer.from(text, encoding);
  it.each<[string, Buffer, RegExp]>([
    ['UTF-16', bytes(`\ufeff${ownStudyText}`, 'utf16le'), /UTF-16. Save it as UTF-8/],
    ['UTF-16 without a mark', bytes(ownStudyText, 'utf16le'), /UTF-16/],
    ['an old code page', bytes(ownStudyText.replace('Ombrey', 'Ombr\u00e9y'), 'latin1'), /line 1: A letter/],
    ['nothing', bytes('', 'utf8'), /The file is empty. Begin one with/],
    ['only comments', bytes('# nothing yet\n', 'utf8'), /The file is empty/],
    ['a list', bytes('- wards\n- housing\n', 'utf8'), /made of keys with values, and this is a list/],
    ['one text', bytes('wards\n', 'utf8'), /and this is one text/],
  ])('%s', async (_, content, words) => {
    const folder = ownStudyFolder();
    try {
      writeFileSync(join(folder, 'study.yaml'), content);
      const error = await raisedBy(() => runStudy(nodeMachine(folder)));
      expect(error.sentence).toMatch(words);
      expect([error.place.file, error.blame]).toEqual(['study.yaml', 'usage']);
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});

it('tells all mistakes at once, words before values before what is missing, three in full', () => {
  const text = ownStudyText
    .replace('classes: 3 quantile', 'classes: 3 quantil')
    .replace('colour by: no_car_share', 'color by: no_car_share')
    .replace('    title: Households without a car\n    layer', '    layer')
    .replace("'0202'", '0202');
  let raised: unknown;
  try {
    loadStudy(text);
  } catch (error) {
    raised = error;
  }
  const { failures, sentence, code } = raised as IsomericError;
  expect(code).toBe('study-unknown-word');
  expect(failures.map((each) => each.code)).toEqual([
    'study-unknown-word',
    'study-code-number',
    'class-method',
    'study-missing',
  ]);
  expect(failures.map(({ place }) => place.line)).toEqual([43, 6, 44, 41]);
  expect(sentence.split('\n')).toHaveLength(4);
  expect(sentence).toMatch(/… and 1 more mistake\.$/);
});

it('has no mistake itself', async () => {
  const folder = ownStudyFolder();
  try {
    const { findings, delivered } = await runStudy(nodeMachine(folder));
    expect(findings.filter(({ severity }) => severity !== 'note')).toEqual([]);
    expect(delivered).toContain('delivered/maps/cars.png');
  } finally {
    rmSync(folder, { recursive: true });
  }
});
