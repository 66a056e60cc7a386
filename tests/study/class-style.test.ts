import { describe, expect, test } from 'vitest';
import type { SchemeClass } from '../../src/core/class-scheme/scheme.ts';
import { Batch, type GeometryObject, geometriesFrom, textColumn } from '../../src/core/index.ts';
import { loadScheme, schemeJsonSchema, thematicScheme } from '../../src/formats/index.ts';
import { classLayers } from '../../src/study/handing-on/class-style.ts';
import { demoStudy } from '../support/demo-study.ts';

const line = (y: number): GeometryObject => ({
  type: 'LineString',
  coordinates: [
    [0, y],
    [10, y],
  ],
});

function batchOf(objects: GeometryObject[], subclasses: (string | null)[]): Batch {
  return new Batch({
    length: objects.length,
    first: 0,
    geometry: geometriesFrom(objects),
    columns: [textColumn(subclasses)],
  });
}

const schema = [{ name: 'subclass', type: 'text' }] as const;
const classNamed = (name: string): SchemeClass =>
  thematicScheme().classes.find((each) => each.name === name) as SchemeClass;

describe('map features drawn as their scheme says', () => {
  test('each sub-class in its style, the least important below, one entry for all', () => {
    const batches = [
      batchOf([line(1), line(2)], ['main', 'path']),
      batchOf([line(3), line(4)], ['main', 'unheard of']),
    ];
    const layers = classLayers('Roads', 'line', schema, batches, classNamed('roads'))!;
    expect(
      layers.map(({ title, silent, geometries, stroke }) => [
        title,
        silent,
        geometries.reduce((n, each) => n + each.length, 0),
        stroke,
      ]),
    ).toEqual([
      ['Roads', true, 1, '#6b6a66'],
      ['Footways, paths and cycleways', true, 1, '#a1795b'],
      ['Main roads', true, 2, '#8f6a2f'],
      // The legend shows the most important one.
      ['Roads', undefined, 0, '#8f6a2f'],
    ]);
    // 2.2 points are 2.93 units of a sheet with 96 to the inch.
    expect(layers[2].width).toBeCloseTo((2.2 * 96) / 72, 12);
  });

  test('points by their size, areas by their fill; without sub-classes nothing', () => {
    const point: GeometryObject = { type: 'Point', coordinates: [1, 1] };
    const [places] = classLayers(
      'Halls',
      'point',
      schema,
      [batchOf([point], ['refuge'])],
      classNamed('places'),
    )!;
    expect(places).toMatchObject({ fill: '#b3261e', stroke: '#ffffff', width: (9 / 2) * (96 / 72) });
    const area: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 0],
        ],
      ],
    };
    const [lakes] = classLayers('Lakes', 'area', schema, [batchOf([area], ['lake'])], classNamed('water'))!;
    expect(lakes).toMatchObject({ fill: '#a9cbe0', stroke: '#2f74a8' });
    expect(
      classLayers('Lakes', 'area', [{ name: 'name', type: 'text' }], [], classNamed('water')),
    ).toBeNull();
  });

  test('own styles of a rule go before those of its class', () => {
    const scheme = loadScheme(
      `scheme: Own
classes:
  ways:
    geometry: [line]
    style: { stroke: "#112233", width: 1 }
    rules:
      - { name: wide, where: "a = 'b'", style: { width: 4 } }
`,
      'own.yaml',
    );
    expect(scheme.classes[0].rules[0].style).toEqual({ stroke: '#112233', width: 4 });
    const [wide] = classLayers('Ways', 'line', schema, [batchOf([line(1)], ['wide'])], scheme.classes[0])!;
    expect(wide).toMatchObject({ stroke: '#112233', width: 4 * (96 / 72) });
    const schemaOfSchemes = schemeJsonSchema() as { properties: Record<string, unknown> };
    expect(Object.keys(schemaOfSchemes.properties)).toEqual(['scheme', 'classes']);
  });

  test('the map of the demo draws main roads over paths, and names the source of what was counted', async () => {
    const study = await demoStudy();
    try {
      await study.run();
      const { readFile } = await import('node:fs/promises');
      const svg = await readFile(`${study.folder}/delivered/maps/at-risk.svg`, 'utf8');
      const main = svg.lastIndexOf('stroke="#8f6a2f"', svg.indexOf('Roads for vehicles'));
      const track = svg.indexOf('stroke="#6b6a66"');
      expect(track).toBeGreaterThan(0);
      expect(main).toBeGreaterThan(track);
      expect(svg).toContain('Assembly points and shelters');
      expect(svg).toContain('Open Map Data Teskaria, region Ombrey, 30 June 2024.');
    } finally {
      await study.end();
    }
  });
});
