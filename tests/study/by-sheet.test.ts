import { afterAll, describe, expect, it } from 'vitest';
import { runStudy } from '../../src/study/index.ts';
import { closeServices, service } from '../support/http-service.ts';
import { StudyFolder } from '../support/study-folder.ts';

afterAll(closeServices);

const square = (code: string, x: number, y: number, side: number) => ({
  type: 'Feature',
  properties: { code },
  geometry: {
    type: 'Polygon',
    coordinates: [
      [
        [x, y],
        [x + side, y],
        [x + side, y + side],
        [x, y + side],
        [x, y],
      ],
    ],
  },
});

/** Three of the four sheets of an area; a field lies across two of them. */
async function provider(): Promise<{ address: string; asked: string[] }> {
  const asked: string[] = [];
  const files: Record<string, unknown[]> = {
    'blocks-N45W030-NW.geojson': [square('a', -29.9, 45.6, 0.1), square('b', -29.6, 45.6, 0.1)],
    'blocks-N45W030-NE.geojson': [square('b', -29.5, 45.6, 0.1)],
    'blocks-N45W030-SW.geojson': [square('c', -29.9, 45.2, 0.1)],
  };
  const address = await service((request, response) => {
    const name = request.url!.slice(1);
    asked.push(name);
    const found = files[name];
    if (found === undefined) response.writeHead(404).end();
    else
      response
        .writeHead(200, { 'content-type': 'application/geo+json' })
        .end(JSON.stringify({ type: 'FeatureCollection', features: found }));
  });
  return { address, asked };
}

const body = (address: string, more = '') => `sources:
  office: { kind: files, at: "${address}/", licence: open, citation: Office. }
gather:
  blocks:
    from: office
    file: "blocks-{sheet}.geojson"
    by sheet: { of: quadrangles, level: 30min${more} }
prepare:
  blocks: [{ clip: area }]
`;
const area = 'area: { box: [-29.95, 45.15, -29.05, 45.95] }';

describe('files by map sheet', () => {
  it('are gathered for the sheets of the area; those that are not there are told, and cut features are one again', async () => {
    const { address, asked } = await provider();
    const study = new StudyFolder().write(body(address, ', join: key, by: [code]'), area);
    const result = await runStudy(study.machine());
    expect([...new Set(asked)].sort()).toEqual(
      ['NE', 'NW', 'SE', 'SW'].map((each) => `blocks-N45W030-${each}.geojson`),
    );
    const missing = result.findings.filter(({ code }) => code === 'sheet-missing');
    expect(missing.map(({ words }) => words)).toEqual([
      '1 sheet of 4 that the area lies on has no file at office: N45W030-SE.',
    ]);
    const rows = await study.rows('blocks');
    expect(rows.map((row) => row.code).sort()).toEqual(['a', 'b', 'c']);
    expect(study.said.join('\n')).toContain('Gather: blocks from office; 3 files');
    study.end();
  });

  it('none of which is there are an error with the way out', async () => {
    const { address } = await provider();
    const study = new StudyFolder().write(body(address).replace('blocks-{sheet}', 'other-{sheet}'), area);
    await expect(runStudy(study.machine())).rejects.toMatchObject({ code: 'sheets-missing' });
    study.end();
  });

  it('are told when the study is read: a file without {sheet}, {sheet} without a scheme, no source', async () => {
    const { address } = await provider();
    for (const [from, to] of [
      ['blocks-{sheet}', 'blocks'],
      ['    by sheet: { of: quadrangles, level: 30min }\n', ''],
      ['    from: office\n', ''],
    ]) {
      const study = new StudyFolder().write(body(address).replace(from, to), area);
      await expect(runStudy(study.machine())).rejects.toThrow(/“by sheet” goes with/);
      study.end();
    }
  });

  it('of a level that the scheme does not have are told at their place', async () => {
    const { address } = await provider();
    const study = new StudyFolder().write(body(address).replace('30min', '31min'), area);
    await expect(runStudy(study.machine())).rejects.toMatchObject({
      code: 'sheet-level-unknown',
      written: { line: 10 },
    });
    study.end();
  });
});
