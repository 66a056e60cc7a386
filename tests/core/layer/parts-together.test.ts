import { describe, expect, it } from 'vitest';
import { concatenate, rowsOf } from '../../../src/core/index.ts';
import { exchangeAxes } from '../../../src/core/layer/exchange-axes.ts';
import type { Layer, Table } from '../../../src/core/layer/layer.ts';
import { sideBySide } from '../../../src/core/layer/side-by-side.ts';
import { onceById } from '../../../src/core/layer/verbs/unique.ts';
import { openSource, sourceFromBytes } from '../../../src/formats/index.ts';
import { idsOf, verticesOf } from '../../support/study-folder.ts';

async function opened(text: string, name: string): Promise<Layer | Table> {
  const source = sourceFromBytes(new TextEncoder().encode(text), name);
  const [{ table }] = await openSource(source, { around: null, path: name, capabilities: {} });
  return table;
}

const points = (...features: [id: string | null, x: number, y: number][]) =>
  opened(
    JSON.stringify({
      type: 'FeatureCollection',
      features: features.map(([id, x, y]) => ({
        type: 'Feature',
        ...(id === null ? {} : { id }),
        properties: { n: 1 },
        geometry: { type: 'Point', coordinates: [x, y] },
      })),
    }),
    'p.geojson',
  ) as Promise<Layer>;

async function allRows(table: Table): Promise<Record<string, unknown>[]> {
  const rows: Record<string, unknown>[] = [];
  for await (const row of rowsOf(table)) rows.push(row);
  return rows;
}

describe('pieces that share features', () => {
  it('keep each once; one that comes in two shapes is told, and the first counts', async () => {
    const layer = onceById(
      concatenate('p', [await points(['a', 1, 2], ['b', 3, 4]), await points(['b', 3, 4], ['a', 1, 2.5])]),
    );
    expect(await idsOf(layer)).toEqual(['a', 'b']);
    expect(await verticesOf(layer)).toEqual([1, 2, 3, 4]);
    const [account] = layer.accounts;
    expect(account.sentence).toBe('Once: 4 p in; 2 kept, 2 left out that came before with the same id.');
    expect(account.findings).toMatchObject([{ code: 'feature-unlike', severity: 'warning', feature: 'a' }]);
  });

  it('leave features without an id of their own alone, and say nothing where nothing came twice', async () => {
    const layer = onceById(concatenate('p', [await points([null, 1, 2]), await points([null, 1, 2])]));
    expect(await verticesOf(layer)).toEqual([1, 2, 1, 2]);
    expect(layer.accounts[0]).toMatchObject({ closed: true, sentence: '', findings: [] });
  });
});

describe('columns that came in pieces', () => {
  const csv = (text: string) => opened(text, 't.csv');

  it('are put together by their keys, whatever order the rows have', async () => {
    const table = sideBySide(
      't',
      [await csv('k,l,a\n01,x,1\n02,y,2\n'), await csv('l,k,b\ny,02,20\nx,01,\n')],
      ['k', 'l'],
    );
    expect(await allRows(table)).toEqual([
      { k: '01', l: 'x', a: 1, b: null },
      { k: '02', l: 'y', a: 2, b: 20 },
    ]);
  });

  it.each([
    ['a row that is only in the first', 'k,a\n1,5\n2,6\n', 'k,b\n1,7\n', /in one answer and not in another/],
    ['a row that is only in the second', 'k,a\n1,5\n', 'k,b\n1,7\n2,8\n', /has rows that another has not/],
    ['two rows of the same key', 'k,a\n1,5\n', 'k,b\n1,7\n1,8\n', /Two rows have the same k/],
  ])('%s is an error', async (_, first, second, words) => {
    const table = sideBySide('t', [await csv(first), await csv(second)], ['k']);
    await expect(allRows(table)).rejects.toMatchObject({
      code: 'parts-unlike',
      message: expect.stringMatching(words) as string,
    });
  });

  it('a key that a part has not is told before anything is read', async () => {
    const [a, b] = [await csv('k,a\n1,5\n'), await csv('m,b\n1,7\n')];
    expect(() => sideBySide('t', [a, b], ['k'])).toThrow(/no field “k”/);
  });
});

describe('coordinates as [north, east]', () => {
  it('become [east, north], and twice exchanged they are what they were', async () => {
    const layer = await points(['a', 45.5, -29.75], ['b', 46, -30]);
    expect(await verticesOf(exchangeAxes(layer))).toEqual([-29.75, 45.5, -30, 46]);
    expect(await verticesOf(exchangeAxes(exchangeAxes(layer)))).toEqual(await verticesOf(layer));
  });
});
