import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { changedSettings } from '../../src/formats/settings/change.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { keyExamples } from '../../src/study/file/examples.ts';
import { loadStudy, runStudy, studyJsonSchema } from '../../src/study/index.ts';
import { ownStudyFolder, ownStudyText } from '../support/own-study.ts';

interface Part {
  description?: string;
  properties?: Record<string, Part>;
  additionalProperties?: Part | boolean;
  anyOf?: Part[];
}

/** All keys of the schema by their paths, with what they say. */
function keys(part: Part, path: string[] = []): { path: string; description: string | undefined }[] {
  return (part.anyOf ?? [part]).flatMap((each) => [
    ...Object.entries(each.properties ?? {}).flatMap(([key, inner]) => {
      const own = [...path, key];
      const description = inner.description ?? inner.anyOf?.find((form) => form.description)?.description;
      return [{ path: own.join('.'), description }, ...keys(inner, own)];
    }),
    ...(typeof each.additionalProperties === 'object' ? keys(each.additionalProperties, [...path, '*']) : []),
  ]);
}

/** Parts that only hold others. */
const holders = new Set([
  'area',
  'sources',
  'catalogues',
  'gather',
  'prepare',
  'check',
  'margins',
  'titles',
  'draw',
  'deliver',
]);
const all = keys(studyJsonSchema() as Part).filter(
  ({ path }) => !holders.has(path) && !path.startsWith('prepare.') && !/^check\.\*\./.test(path),
);

describe('the page of the study file', () => {
  it('has an example and says something for every key, and no other', () => {
    expect(all.filter(({ description }) => !description).map(({ path }) => path)).toEqual([]);
    const known = new Set(all.map(({ path }) => path));
    expect([...known].filter((path) => !(path in keyExamples))).toEqual([]);
    expect(Object.keys(keyExamples).filter((path) => !known.has(path) && !path.endsWith('.*'))).toEqual([]);
    const page = readFileSync(new URL('../../docs/study-file.md', import.meta.url), 'utf8');
    for (const example of Object.values(keyExamples)) expect(page).toContain(example.replaceAll('|', '\\|'));
  });
});

const names: Record<string, string> = {
  sources: 'office',
  catalogues: 'open',
  gather: 'housing',
  draw: 'cars',
  titles: 'no_car_share',
  check: 'wards',
};

/** What must stand beside some keys. */
const beside: Record<string, Record<string, unknown>> = {
  'sources.office.key': { variable: 'V', header: 'x-key' },
  'sources.office.account': { user: 'U', password: 'P' },
  'catalogues.open.key': { variable: 'V', header: 'x-key' },
  'catalogues.open.account': { user: 'U', password: 'P' },
  'gather.housing.levels.wards': { units: 'districts' },
};

/** The area that some keys stand in. */
const areaBeside: Record<string, Record<string, unknown>> = {
  'area.layer': {},
  'area.together': {},
  'area.sheets': { sheets: { of: 'teskaria', code: 'TG03' } },
  'area.polygon': {},
  'area.box': { box: { west: -30, south: 45, east: -29, north: 46 } },
  'area.in crs': { box: { west: 270_000, south: 5_035_000, east: 295_000, north: 5_070_000 } },
  'area.where': { layer: 'wards' },
  'area.point': { radius: '2 km' },
  'area.radius': { point: [-29.85, 45.55] },
  'area.place': { radius: '2 km', place: { of: 'wards', name: 'Old Town' } },
};

/** The study of one's own with an example in it. */
function withExample(path: string, example: string): string {
  const value = parse(example) as Record<string, unknown>;
  const [key] = Object.keys(value);
  const parts = path.split('.').slice(0, -1);
  const at = parts.map((part, k) => (part !== '*' ? part : k === 1 ? names[parts[0]] : 'wards'));
  const changes: { path: string[]; value: unknown }[] = [
    { path: ['gather', 'districts'], value: { file: 'wards.geojson' } },
    { path: ['prepare', 'roads'], value: [] },
    { path: ['gather', 'roads'], value: { file: 'wards.geojson' } },
  ];
  const area = areaBeside[path.split('.').slice(0, 2).join('.')];
  if (area !== undefined) changes.push({ path: ['area'], value: area });
  if (path.startsWith('catalogues'))
    changes.push({
      path: ['catalogues'],
      value: { open: { kind: 'records', at: 'https://catalogue.example/' } },
    });
  if (path.startsWith('area.on sheets.'))
    changes.push({ path: ['area', 'on sheets'], value: { of: 'teskaria', level: '20k' } });
  if (path.startsWith('gather.*.by sheet'))
    changes.push(
      { path: ['gather', 'housing'], value: { from: 'office', file: 'housing-{sheet}.csv' } },
      { path: ['gather', 'housing', 'by sheet'], value: { of: 'teskaria', level: '20k' } },
    );
  if (path === 'area.place.code') changes.push({ path: ['area', 'place'], value: { of: 'wards' } });
  if (path === 'gather.*.levels' || path.startsWith('gather.*.levels.'))
    changes.push({ path: ['gather', 'housing', 'on'], value: 'code = AREA' });
  if (path === 'gather.*.on')
    changes.push({ path: ['gather', 'housing', 'levels'], value: { wards: { units: 'districts' } } });
  if (/^gather\.\*\.(scheme|geometry|tags)$/.test(path))
    changes.push({ path: ['gather', 'housing', 'class'], value: 'roads' });
  // Tracks that are wanted as both are two layers; a dataset that others rest on is not made of them.
  if (path === 'gather.*.as')
    return ownStudyText.replace('prepare:', '  walks: { from: office, tracks: all, as: both }\n\nprepare:');
  if (/levels|\.on$/.test(path))
    changes.push(
      { path: ['prepare'], value: { wards: [] } },
      { path: ['check'], value: {} },
      { path: ['draw'], value: {} },
    );
  const parent = beside[at.join('.')];
  if (parent !== undefined) {
    const { header, ...others } = parent;
    changes.push({ path: at, value: key === 'parameter' || header === undefined ? others : parent });
  }
  return changedSettings(ownStudyText, [...changes, { path: [...at, key], value: value[key] }]);
}

describe('each example of the page', () => {
  it.each(Object.entries(keyExamples))('%s can be read in a study', (path, example) => {
    expect(() => loadStudy(withExample(path, example))).not.toThrow();
  });

  // Those that need no service and no file but those that are there.
  const runs = Object.entries(keyExamples).filter(([path]) =>
    /^(study|crs|area\.(box.*|layer|point|polygon|radius|in crs|margin|together|without|sheets.*)|gather\.\*\.(file|where|vintage|citation|licence|marks|header rows)|check\.\*|margins.*|titles.*|draw\.\*\.(?!classes).*|deliver.*)$/.test(
      path,
    ),
  );
  it('and most of them run', async () => {
    expect(runs.length).toBeGreaterThan(28);
    for (const [path, example] of runs) {
      const folder = ownStudyFolder();
      try {
        let text = withExample(path, example);
        // “sure” needs a margin, two rows of header a table that has them.
        if (path === 'check.*') text = text.replace(/\n *- *['"]?sure: share['"]?/, '');
        if (path === 'gather.*.header rows') text = text.replace('header rows: 2', 'header rows: 1');
        writeFileSync(join(folder, 'study.yaml'), text);
        // Pictures take most of the time, and show nothing of a key.
        const machine = { ...nodeMachine(folder), png: async () => new Uint8Array() };
        const { delivered } = await runStudy(machine);
        expect(delivered.length, path).toBeGreaterThan(4);
      } finally {
        rmSync(folder, { recursive: true });
      }
    }
  });
});
