import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { ClassRules } from '../../../src/core/class-scheme/rules.ts';
import { tagValue } from '../../../src/core/class-scheme/scheme.ts';
import { parseExpression } from '../../../src/core/index.ts';
import { fieldsIn, neededFields } from '../../../src/core/table/cql2/needs.ts';
import {
  loadScheme,
  schemeOfRule,
  takeApart,
  thematicScheme,
  thematicText,
} from '../../../src/formats/index.ts';
import { Drawing, featuresOf, type Position, xmlExtract } from '../../support/extract-made.ts';

const text = (rules: string, more = '') => `scheme: Own
classes:
  halls:
    geometry: [point, area]
${more}    rules:
${rules}`;

describe('class schemes', () => {
  test('what is shipped is thematic.yaml, and holds the classes of thematic work', () => {
    expect(thematicText).toBe(readFileSync('src/formats/class-scheme/thematic.yaml', 'utf8'));
    const names = thematicScheme().classes.map((each) => each.name);
    expect(names).toEqual([
      'settlements',
      'buildings',
      'roads',
      'railways',
      'waterways',
      'water',
      'land_use',
      'nature',
      'places',
      'transport_stops',
      'boundaries',
      'barriers',
    ]);
    for (const each of thematicScheme().classes) {
      expect(each.rules.every((rule) => rule.importance >= 0 && rule.importance <= 100)).toBe(true);
      expect(Object.keys(each.style).length).toBeGreaterThan(0);
      expect(new Set(each.rules.map((rule) => rule.name)).size).toBe(each.rules.length);
    }
  });

  const objects: [Record<string, string>, string, string, string[]][] = [
    [{ place: 'village', population: '340' }, 'node', 'point', ['settlements village']],
    [
      { building: 'school', amenity: 'school' },
      'way',
      'area',
      ['buildings public', 'land_use institution', 'places education'],
    ],
    [{ building: 'no' }, 'way', 'area', ['buildings none']],
    [{ building: 'anything' }, 'way', 'area', ['buildings other']],
    [{ highway: 'trunk_link' }, 'way', 'line', ['roads trunk']],
    [{ highway: 'bus_stop' }, 'node', 'point', ['transport_stops bus']],
    [{ railway: 'station' }, 'node', 'point', ['transport_stops rail']],
    [{ railway: 'abandoned' }, 'way', 'line', ['railways out_of_use']],
    [{ natural: 'water', water: 'river' }, 'relation', 'area', ['water river']],
    [{ landuse: 'basin' }, 'way', 'area', ['water reservoir']],
    [{ amenity: 'shelter', shelter_type: 'public_transport' }, 'node', 'point', []],
    [{ amenity: 'shelter' }, 'node', 'point', ['places refuge']],
    [{ shop: 'vacant' }, 'node', 'point', []],
    [{ shop: 'bakery' }, 'node', 'point', ['places supply']],
    [{ boundary: 'administrative', admin_level: '6' }, 'relation', 'area', ['boundaries district']],
    [{ boundary: 'administrative' }, 'relation', 'area', ['boundaries unlevelled']],
    [{ man_made: 'dyke' }, 'way', 'line', ['barriers embankment']],
    [{ embankment: 'yes', highway: 'primary' }, 'way', 'line', ['roads main']],
    [{ flood_mark: 'yes' }, 'node', 'point', []],
  ];
  test.each(objects)('%j as %s %s is %j', (tags, object, geometry, expected) => {
    const scheme = thematicScheme();
    const rules = new ClassRules(scheme);
    rules.object = object;
    rules.geometry = geometry;
    rules.keys.forEach((key, k) => {
      rules.values[k] = tags[key] ?? null;
    });
    const found = scheme.classes.flatMap((each, c) => {
      const r = rules.match(c);
      const holds = each.shapes.includes(geometry as never) || (each.areasAsPoints && geometry === 'area');
      return r < 0 || !holds ? [] : [`${each.name} ${each.rules[r].name}`];
    });
    expect(found).toEqual(expected);
  });

  test('rules are asked in order, only where a tag that they need is there', () => {
    const scheme = loadScheme(
      text(`      - { name: refuge, where: "hall = 'refuge' AND geometry = 'point'" }
      - { name: hall, where: hall IS NOT NULL }
      - { name: any, where: object = 'relation' }`),
      'own.yaml',
    );
    const rules = new ClassRules(scheme);
    const ask = (hall: string | null, geometry = 'point', object = 'node') => {
      rules.values[rules.keys.indexOf('hall')] = hall;
      rules.geometry = geometry;
      rules.object = object;
      return rules.match(0);
    };
    expect(ask('refuge')).toBe(0);
    expect(ask('refuge', 'area')).toBe(1);
    expect(ask(null)).toBe(-1);
    expect(ask(null, 'area', 'relation')).toBe(2);
  });

  const mistakes: [string, string, string, RegExp][] = [
    [
      'an unknown word',
      text(`      - { name: a, where: "x = 'y'", wher: "x = 1" }`),
      'scheme-unknown-word',
      /“wher”/,
    ],
    [
      'a rule that is no expression',
      text('      - { name: a, where: "hall = " }'),
      'expression-syntax',
      /halls → a/,
    ],
    ['a rule that is no condition', text('      - { name: a, where: hall }'), 'scheme-rule', /halls → a/],
    [
      'a number where tags are text',
      text('      - { name: a, where: floors > 3 }'),
      'expression-type',
      /text/,
    ],
    [
      'a column that every layer has',
      text('      - { name: a, where: "hall = \'a\'" }', '    columns: { id: text }\n'),
      'scheme-value',
      /“id”/,
    ],
    [
      'a colour that is none',
      text('      - { name: a, where: "hall = \'a\'" }', '    style: { fill: red }\n'),
      'scheme-value',
      /colour/,
    ],
    ['no YAML', 'scheme: [', 'scheme-syntax', /“\[” is not closed/],
    ['nothing', '', 'scheme-syntax', /empty/],
  ];
  test.each(mistakes)('%s is told with its place', (_, yaml, code, words) => {
    let error: { code: string; sentence: string; place: { line?: number } } | undefined;
    try {
      loadScheme(yaml, 'own.yaml');
    } catch (failure) {
      error = failure as never;
    }
    expect(error).toMatchObject({ code, place: { file: 'own.yaml', line: expect.any(Number) } });
    expect(error!.sentence).toMatch(words);
  });

  test('values of tags: numbers with their units, nothing guessed', () => {
    expect(tagValue('1,234', 'integer')).toBe(1234);
    expect(tagValue('3;4', 'integer')).toBeUndefined();
    expect(tagValue('two', 'integer')).toBeUndefined();
    expect(tagValue('3.5', 'integer')).toBeUndefined();
    expect(tagValue('12 m', 'metres')).toBe(12);
    expect(tagValue('1.5 km', 'metres')).toBe(1500);
    expect(tagValue(`6'3"`, 'metres')).toBeCloseTo(1.905, 12);
    expect(tagValue('12 elephants', 'metres')).toBeUndefined();
    expect(tagValue('30 mph', 'kilometres per hour')).toBeCloseTo(48.28032, 9);
    expect(tagValue('walk', 'kilometres per hour')).toBeUndefined();
    expect(tagValue('yes', 'yes or no')).toBe(true);
    expect(tagValue('limited', 'yes or no')).toBeUndefined();
  });

  test('a rule on the fly makes layers; mixed kinds are split', async () => {
    const drawing = new Drawing();
    const square: Position[] = [
      [0, 0],
      [0.01, 0],
      [0.01, 0.01],
      [0, 0.01],
      [0, 0],
    ];
    drawing.node([0.5, 0.5], { hall: 'refuge', name: 'North' });
    drawing.way(square, { hall: 'refuge', building: 'yes' });
    drawing.way(square.slice(0, 3), { hall: 'refuge' });
    const extract = await xmlExtract(drawing.objects);
    const { layers } = await takeApart(extract, schemeOfRule("hall = 'refuge'", 'halls'), {
      classes: ['halls'],
    });
    expect(layers.map(({ name, kinds, count }) => [name, kinds, count])).toEqual([
      ['halls_points', ['Point'], 1],
      ['halls_lines', ['LineString'], 1],
      ['halls_areas', ['Polygon'], 1],
    ]);
    const asPoints = await takeApart(extract, schemeOfRule("hall = 'refuge'", 'halls', ['point']), {
      classes: ['halls'],
      areasAsPoints: true,
    });
    const { halls } = await featuresOf(asPoints.layers);
    expect(halls.map((row) => (row.geometry as { type: string }).type)).toEqual(['Point', 'Point']);
  });
});

describe('what an expression needs', () => {
  test('worked examples', () => {
    const needs = (words: string) => {
      const set = neededFields(parseExpression(words));
      return set === null ? null : [...set].sort();
    };
    expect(needs("a = 'x' AND b IN ('y')")).toEqual(['a']);
    expect(needs("a = 'x' OR b LIKE 'y%'")).toEqual(['a', 'b']);
    expect(needs("a IS NOT NULL AND NOT (b = 'x')")).toEqual(['a']);
    expect(needs("a IS NULL OR b = 'x'")).toBeNull();
    expect(needs("NOT (a = 'x' OR b = 'y')")).toBeNull();
    expect([...fieldsIn(parseExpression("number(a) BETWEEN 1 AND 3 AND CASEI(b) = 'x'"))].sort()).toEqual([
      'a',
      'b',
    ]);
  });

  test('where a rule is true, one of its needed tags is there', () => {
    const leaf = fc.oneof(
      fc.constantFrom(
        "a = 'x'",
        "b <> 'x'",
        "a IN ('x','y')",
        "b LIKE 'x%'",
        'a IS NULL',
        'b IS NOT NULL',
        'a = b',
      ),
    );
    const { rule } = fc.letrec((tie) => ({
      rule: fc.oneof(
        { maxDepth: 3 },
        leaf,
        fc
          .tuple(tie('rule'), fc.constantFrom('AND', 'OR'), tie('rule'))
          .map(([p, op, q]) => `(${p} ${op} ${q})`),
        tie('rule').map((p) => `(NOT ${p})`),
      ),
    })) as { rule: fc.Arbitrary<string> };
    const value = fc.constantFrom('x', 'y', null);
    fc.assert(
      fc.property(rule, value, value, (where, a, b) => {
        const scheme = schemeOfRule(where);
        const rules = new ClassRules(scheme);
        const values: Record<string, string | null> = { a, b };
        rules.keys.forEach((key, k) => {
          rules.values[k] = values[key];
        });
        const matched = rules.match(0) === 0;
        // The same without the shortcut: a rule that is always asked.
        const whole = new ClassRules(schemeOfRule(`(${where}) OR (zz IS NOT NULL AND zz IS NULL)`));
        whole.keys.forEach((key, k) => {
          whole.values[k] = values[key] ?? null;
        });
        expect(matched).toBe(whole.match(0) === 0);
      }),
      { numRuns: 500 },
    );
  });
});
