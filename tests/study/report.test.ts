import { describe, expect, it } from 'vitest';
import { findingText, makeOutput, textTable } from '../../src/cli/output.ts';
import {
  AreaIndex,
  Batch,
  ColumnBuilder,
  crsByEpsg,
  type Field,
  geometriesFrom,
  type Layer,
  layerOf,
  looksLikeCount,
  shade,
  shadingWords,
  tableOf,
  textColumn,
} from '../../src/core/index.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { loadStudy } from '../../src/study/file/load.ts';
import { slug } from '../../src/study/handing-on/deliver.ts';
import { dataDictionary, dictionaryText, kindWords } from '../../src/study/handing-on/dictionary.ts';
import { citations } from '../../src/study/handing-on/draw.ts';
import { reportHtml } from '../../src/study/handing-on/report.ts';
import { Ledger } from '../../src/study/ledger/ledger.ts';

const hostile = `<script>alert("x")</script> & 'co'`;
const square = geometriesFrom([
  {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [10, 0],
        [10, 10],
        [0, 0],
      ],
    ],
  },
]);

function numbers(values: (number | null)[], type: 'integer' | 'real' = 'real') {
  const builder = new ColumnBuilder(type);
  for (const value of values) value === null ? builder.null() : builder.number(value);
  return builder.finish();
}

describe('report', () => {
  const fields: Field[] = [
    { name: hostile, type: 'text', title: hostile, unit: hostile, description: hostile },
  ];
  const layer: Layer = layerOf({
    name: hostile,
    schema: fields,
    crs: crsByEpsg(32626),
    kinds: ['Polygon'],
    batches: [new Batch({ length: 1, first: 0, geometry: square, columns: [textColumn([hostile])] })],
  });

  it('shows whatever it is given as text, never as markup', async () => {
    const ledger = new Ledger();
    ledger.receipts.set('x', {
      kind: 'file',
      datasets: ['x'],
      role: 'data',
      what: hostile,
      path: 'x',
      url: `http://x.test/${hostile}`,
      at: '2026-01-01T00:00:00.000Z',
      bytes: 1234567,
      sha256: 'abc',
      citation: hostile,
      licence: hostile,
    });
    ledger.steps.push({
      kind: 'step',
      layer: hostile,
      verb: 'Clip',
      at: '',
      counts: {},
      sentence: hostile,
      notes: [hostile],
    });
    const html = reportHtml({
      study: {
        ...loadStudy('study: x\narea: { layer: a }\ncrs: EPSG:4326\ngather: { a: { file: a.geojson } }\n'),
        study: hostile,
      },
      area: {
        area: new AreaIndex(square),
        crs: crsByEpsg(32626)!,
        words: `Area: ${hostile}.`,
        name: hostile,
        notes: [],
        core: new AreaIndex(square),
        degrees: undefined,
      },
      layers: [layer],
      maps: [],
      findings: [
        {
          code: 'x',
          severity: 'error',
          layer: hostile,
          feature: hostile,
          at: [1, 2],
          words: hostile,
          repair: hostile,
        },
      ],
      dictionary: await dataDictionary([layer]),
      ledger,
    });
    expect(html).not.toContain('<script>');
    expect(html.match(/&lt;script&gt;/g)!.length).toBeGreaterThan(12);
    expect(html).toContain('1,234,567');
    expect(html).toContain('No map was asked for.');
  });

  it('has a dictionary of every field with counts and an example, safe in a CSV', async () => {
    const table = tableOf({
      name: 't',
      schema: [
        { name: 'a', type: 'text' },
        { name: 'n', type: 'real', title: 'Number, with comma', unit: '%' },
      ],
      batches: [
        new Batch({
          length: 3,
          first: 0,
          geometry: null,
          columns: [textColumn([null, 'x "y"', 'z']), numbers([1.5, null, null])],
        }),
      ],
    });
    const rows = await dataDictionary([table]);
    expect(rows).toMatchObject([
      { field: 'a', filled: 2, blank: 1, example: 'x "y"' },
      { field: 'n', filled: 1, blank: 2, example: '1.5', unit: '%' },
    ]);
    expect(dictionaryText(rows)).toBe(
      'layer,field,type,title,unit,description,code,universe,table,margin,filled,blank,reasons,example\r\nt,a,text,,,,,,,,2,1,,"x ""y"""\r\nt,n,real,"Number, with comma",%,,,,,,1,2,,1.5\r\n',
    );
    expect(kindWords(table)).toBe('table');
    expect(kindWords(layer)).toBe('areas');
    expect(kindWords({ ...layer, kinds: ['Point', 'Polygon'] } as Layer)).toBe('mixed geometry');
  });

  it('makes file names of titles', () => {
    expect(slug('Flood refuges on the Ombrey Flats')).toBe('flood-refuges-on-the-ombrey-flats');
    expect(slug('  Çal: “Ü”! ')).toBe('cal-u');
    expect(slug('???')).toBe('study');
  });
});

describe('maps', () => {
  const batch = (values: (number | null)[], type: 'integer' | 'real' = 'real') =>
    new Batch({ length: values.length, first: 0, geometry: null, columns: [numbers(values, type)] });

  it('count the features of each class over all batches, those without a value apart', () => {
    const shading = shade([batch([1, 2, 3]), batch([null, 10, 11])], 0, '2 natural', 'amber');
    expect(shading.counts).toEqual([3, 2]);
    expect(shading.withoutValue).toBe(1);
    expect(shading.classOf.map((own) => [...own])).toEqual([
      [0, 0, 0],
      [-1, 1, 1],
    ]);
    expect(shadingWords(shading, 'wards')).toBe('2 classes, natural breaks; number of wards at the right.');
    expect(() => shade([batch([1])], 0, '2 natural', 'rainbow')).toThrowError(/no colours “rainbow”/);
  });

  it('notice a count where a rate is wanted', () => {
    expect(looksLikeCount([batch([120, 3400], 'integer')], 0)).toBe(true);
    expect(looksLikeCount([batch([12.5, 34])], 0)).toBe(false);
    expect(looksLikeCount([batch([1, 2, 3], 'integer')], 0)).toBe(false);
  });

  it('draw an area without any value without failing', () => {
    expect(shade([batch([null, null])], 0, '5 natural', 'lagoon')).toMatchObject({
      counts: [],
      withoutValue: 2,
    });
  });

  it('cite the sources of a layer and of the tables joined to it, once each', () => {
    const study = loadStudy(
      'study: x\narea: { layer: a }\ncrs: EPSG:4326\nsources: { o: { kind: features, at: "http://x.test/" }, s: { kind: files, at: "http://x.test/" } }\ngather:\n  a: { from: o }\n  b: { from: o }\n  t: { from: s, file: t.csv }\n  again: { same as: b }\nprepare:\n  a:\n    - join: t\n      on: k = k\n',
    );
    const ledger = new Ledger();
    const receipt = (what: string, path: string, citation: string) =>
      ledger.receipts.set(path, {
        kind: 'file',
        datasets: ['x'],
        role: 'data',
        what,
        path,
        url: '',
        at: '',
        bytes: 0,
        sha256: '',
        citation,
      });
    receipt('o/a', 'gathered/o/a/page-0001.geojson', 'A.');
    receipt('o/a', 'gathered/o/a/page-0002.geojson', 'A.');
    receipt('o/b', 'gathered/o/b/page-0001.geojson', 'B.');
    receipt('s/t.csv', 'gathered/s/t.csv', 'T.');
    const dataset = (name: string, source: string, paths: string[]) =>
      ledger.datasets.set(name, { kind: 'dataset', name, source, state: 'done', at: '', request: {}, paths });
    dataset('a', 'o', ['gathered/o/a/page-0001.geojson', 'gathered/o/a/page-0002.geojson']);
    dataset('b', 'o', ['gathered/o/b/page-0001.geojson']);
    dataset('t', 's', ['gathered/s/t.csv']);
    expect(citations(study, ledger, new Set(['a']))).toEqual(['A.', 'T.']);
    // Another reading of the same files is cited like them, wherever they lie.
    expect(citations(study, ledger, new Set(['again']))).toEqual(['B.']);
  });
});

describe('the study folder', () => {
  it('cannot be left by a path', async () => {
    const { store, open } = nodeMachine('/tmp/isomeric-no-such-study');
    await expect(store.open('../secret')).rejects.toMatchObject({ code: 'path-outside' });
    expect(() => open('/etc/passwd')).toThrowError(
      expect.objectContaining({ code: 'path-outside' }) as Error,
    );
    await expect(store.open('not-there')).resolves.toBeNull();
  });
});

describe('what is printed', () => {
  it('stands in aligned columns, numbers to the right, long values cut', () => {
    expect(
      textTable(
        ['name', 'n'],
        [
          ['a', '1'],
          ['bbb', '22'],
        ],
        [false, true],
      ),
    ).toEqual(['name   n', 'a      1', 'bbb   22']);
    expect(textTable(['x'], [['abcdefgh']], [false], 5)).toEqual(['x', 'abcd…']);
  });

  it('tells a finding with where, what and the repair', () => {
    const output = makeOutput({ colour: false });
    expect(
      findingText(output, {
        code: 'c',
        severity: 'warning',
        layer: 'wards',
        feature: 7,
        at: [1.5, 2],
        words: 'Bad.',
        repair: 'mend it',
      }),
    ).toBe('warning wards, feature 7, at 1.5, 2: Bad. Repair: mend it.');
    expect(findingText(output, { code: 'c', severity: 'note', words: 'Only words.' })).toBe(
      'note    Only words.',
    );
  });
});
