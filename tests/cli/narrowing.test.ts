import { describe, expect, it } from 'vitest';
import { Narrowing } from '../../src/cli/narrowing.ts';
import { plain } from '../../src/cli/terminal.ts';
import { CatalogueIndex } from '../../src/core/catalogue/catalogue-index.ts';
import type { CatalogueEntry } from '../../src/core/catalogue/entry.ts';

const entry = (id: string, title: string, more: Partial<CatalogueEntry> = {}): CatalogueEntry => ({
  source: 'office',
  id,
  title,
  holds: 'table',
  ways: [{ format: 'csv' }],
  ...more,
});
const index = new CatalogueIndex([
  entry('a', 'Residents by sex', { years: ['2024'], levels: ['ward'] }),
  entry('b', 'Residents by age', { years: ['2019'], levels: ['district'] }),
  entry('c', 'Households', { years: ['2024'], levels: ['district'] }),
]);

const typed = (screen: Narrowing, text: string) => {
  for (const sign of text) screen.press({ name: '', sign });
};
const keys = (screen: Narrowing, ...names: string[]) => names.map((name) => screen.press({ name }));
const shown = (screen: Narrowing, width = 100, height = 30) => screen.lines(width, height, plain).join('\n');

describe('narrowing down with the keyboard', () => {
  it('takes words as they are typed, and gives them back', () => {
    const screen = new Narrowing(index, {});
    expect(screen.count).toBe(3);
    typed(screen, 'residents');
    expect(screen.count).toBe(2);
    expect(shown(screen)).toContain('Find residents');
    keys(screen, ...Array.from({ length: 9 }, () => 'backspace'));
    expect(screen.count).toBe(3);
  });

  it('opens facets, chooses values, and shows what each would leave before it is chosen', () => {
    const screen = new Narrowing(index, { words: 'residents' });
    // level is the first facet that has values.
    keys(screen, 'tab', 'return');
    expect(shown(screen)).toContain('▾ level 2');
    expect(shown(screen)).toContain('○ ward  1');
    keys(screen, 'down', 'return');
    expect(shown(screen)).toMatch(/● district {2}1/);
    expect(shown(screen)).toContain('1 of 3 · level: district');
    // The other year would leave nothing now: what to give up for it is told.
    keys(screen, 'escape');
    keys(screen, 'down', 'return');
    expect(shown(screen)).toContain('○ 2024  0 (but for');
    // One choice after the other is given up again.
    keys(screen, 'escape', 'escape');
    expect(screen.count).toBe(2);
    keys(screen, 'escape');
    expect(screen.count).toBe(3);
    expect(keys(screen, 'escape')[0]).toEqual({ kind: 'end' });
  });

  it('picks a result', () => {
    const screen = new Narrowing(index, { words: 'residents' });
    const [, picked] = keys(screen, 'down', 'return');
    expect(picked).toMatchObject({ kind: 'pick', entry: { id: 'b' } });
  });

  it('says what stands in the way when nothing is left', () => {
    const screen = new Narrowing(index, { words: 'households', facets: { level: ['ward'] } });
    expect(shown(screen)).toContain('Nothing meets all of it.');
    expect(shown(screen)).toContain('Without level: 1.');
  });

  it('searches what has come in the background', () => {
    const screen = new Narrowing(new CatalogueIndex([]), { words: 'residents' });
    expect(screen.count).toBe(0);
    screen.status = 'office 20 of 40 …';
    expect(shown(screen)).toContain('office 20 of 40 …');
    screen.renew(index);
    expect(screen.count).toBe(2);
  });

  it('fits windows of any size', () => {
    const screen = new Narrowing(index, {});
    for (const [width, height] of [
      [40, 8],
      [80, 24],
      [200, 60],
      [1, 1],
    ]) {
      const lines = screen.lines(width, height, plain);
      if (width >= 40) for (const line of lines) expect([...line].length).toBeLessThanOrEqual(width + 1);
      if (height >= 10) expect(lines.length).toBeLessThanOrEqual(height);
    }
    expect(
      keys(screen, 'pagedown', 'pageup', 'left', 'right', 'up', 'down').every(
        ({ kind }) => kind === 'screen',
      ),
    ).toBe(true);
    expect(screen.press({ name: 'c', control: true })).toEqual({ kind: 'end' });
  });
});
