import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { isLayer } from '../../src/core/index.ts';
import { nodeMachine, openPath } from '../../src/node/index.ts';
import { citationItems, contradictions, licencesText } from '../../src/study/handing-on/citations.ts';
import { knownLicence, obligationWords } from '../../src/study/handing-on/licences.ts';
import type { Provenance } from '../../src/study/handing-on/provenance.ts';
import { runStudy, silentReporter } from '../../src/study/index.ts';
import { ownStudyFolder, ownStudyText } from '../support/own-study.ts';

const folders: string[] = [];
afterEach(() => {
  for (const folder of folders.splice(0)) rmSync(folder, { recursive: true, force: true });
});

const text = `${ownStudyText.slice(0, ownStudyText.indexOf('draw:'))}deliver:
  layers: [geopackage, geojson]
  crs: { wards: EPSG:4326 }
  bag: true
`
  .replace(
    'file: wards.geojson',
    'file: wards.geojson\n    citation: "Boundary Office of Teskaria (2024): Wards."\n    licence: CC BY-SA 4.0',
  )
  .replace(
    'file: housing.csv',
    'file: housing.csv\n    citation: "Statistics Office (2023): Cars."\n    licence: ODbL 1.0',
  );

async function delivered(clock = '2026-06-01T12:00:00.000Z'): Promise<string> {
  const folder = ownStudyFolder(text);
  folders.push(folder);
  await runStudy({ ...nodeMachine(folder, silentReporter), now: () => clock });
  return folder;
}

const read = (folder: string, name: string) => readFileSync(join(folder, 'delivered', name), 'utf8');

describe('what is handed on', () => {
  it('cites as a list and as CSL-JSON', async () => {
    const folder = await delivered();
    expect(JSON.parse(read(folder, 'citations.json'))).toEqual([
      {
        id: 'wards',
        type: 'dataset',
        title: 'Wards',
        author: [{ literal: 'Boundary Office of Teskaria' }],
        publisher: 'Boundary Office of Teskaria',
        issued: { 'date-parts': [[2024]] },
        accessed: { 'date-parts': [[2026, 6, 1]] },
        license: 'CC BY-SA 4.0',
      },
      expect.objectContaining({ id: 'housing', title: 'Cars', issued: { 'date-parts': [[2023]] } }),
    ]);
    expect(read(folder, 'citations.txt')).toContain(
      'Boundary Office of Teskaria (2024): Wards.\n  Received 2026-06-01.',
    );
  });

  it('says what licences ask, and where two of them contradict each other', async () => {
    const licences = read(await delivered(), 'licences.txt');
    expect(licences).toContain('CC BY-SA 4.0\n  For: wards.\n  In these layers: wards.\n');
    expect(licences).toContain(obligationWords['share alike']);
    expect(licences).toContain('wards: it rests on data under CC BY-SA 4.0 and ODbL 1.0');
  });

  it('knows the licences that everybody uses, and no other', () => {
    const asks = (name: string) => knownLicence(name)?.asks ?? null;
    expect(asks('CC0 1.0')).toEqual([]);
    expect(asks('https://creativecommons.org/licenses/by/4.0/')).toEqual(['attribution', 'state changes']);
    expect(asks('CC-BY-NC-SA-4.0')).toContain('no commerce');
    expect(asks('Open Database License (ODbL) v1.0')).toEqual(['attribution', 'share alike']);
    expect(asks('Teskaria Open Boundaries Licence 2.0')).toBeNull();
  });

  it('asks nobody to be named for what asks nothing, and tells what has no licence', () => {
    const one = (more: Partial<Provenance>): Provenance => ({
      sources: ['office'],
      datasets: ['wards'],
      citation: 'Office.',
      licence: null,
      asks: null,
      attribution: 'Office.',
      url: 'https://office.example/wards',
      received: '2026-06-01T00:00:00.000Z',
      layers: ['wards'],
      ...more,
    });
    const free = licencesText([one({ licence: 'CC0', asks: [] })], obligationWords);
    expect(free).toContain('Nobody asks to be named.');
    expect(licencesText([one({})], obligationWords)).toContain('Without a licence nothing may be handed on');
    expect(
      contradictions([
        one({ licence: 'A', asks: ['share alike'] }),
        one({ licence: 'A', asks: ['share alike'] }),
      ]),
    ).toEqual([]);
    const [item, second] = citationItems([one({ citation: null }), one({ citation: 'A map (of sorts)' })]);
    expect(item).toMatchObject({
      id: 'office',
      note: 'The study gives no citation.',
      URL: 'https://office.example/wards',
    });
    expect(second).toMatchObject({ id: 'office-2', title: 'A map (of sorts)' });
  });

  it('writes methods from what each step told of itself', async () => {
    const folder = await delivered();
    const methods = read(folder, 'methods.md');
    const ledger = readFileSync(join(folder, 'ledger.jsonl'), 'utf8');
    const sentences = ledger
      .split('\n')
      .filter((line) => line.startsWith('{"kind":"step"'))
      .map((line) => JSON.parse(line) as { verb: string; sentence: string });
    expect(sentences.length).toBeGreaterThan(3);
    for (const { verb, sentence } of sentences)
      if (verb !== 'Write') expect(methods.replaceAll('\\', '')).toContain(sentence);
    expect(methods).toContain('# How “Cars in Ombrey” was made');
    expect(methods).toContain('no\\_car\\_share between 0 and 100');
  });

  it('delivers a layer in the CRS that is asked for, in every format, and prepares it in that of the study', async () => {
    const folder = await delivered();
    const crsOf = async (path: string) => {
      const [{ table }] = await openPath(join(folder, path));
      return isLayer(table) ? table.crs?.code : undefined;
    };
    expect(await crsOf('prepared/layers.gpkg')).toBe('EPSG:32626');
    expect(await crsOf('delivered/cars-in-ombrey.gpkg')).toBe('EPSG:4326');
  });

  it('packs all of it as a bag that other programs verify', async () => {
    const folder = await delivered();
    const into = mkdtempSync(join(tmpdir(), 'isomeric-bag-'));
    folders.push(into);
    expect(
      spawnSync('python3', ['-m', 'zipfile', '-e', join(folder, 'delivered/cars-in-ombrey.zip'), into])
        .status,
    ).toBe(0);
    const bag = join(into, 'cars-in-ombrey');
    for (const manifest of ['manifest-sha256.txt', 'tagmanifest-sha256.txt'])
      expect(spawnSync('sha256sum', ['--strict', '-c', manifest], { cwd: bag }).status, manifest).toBe(0);
    expect(readFileSync(join(bag, 'bagit.txt'), 'utf8')).toBe(
      'BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n',
    );
    const payload = readdirSync(join(bag, 'data'), { recursive: true, withFileTypes: true }).filter((entry) =>
      entry.isFile(),
    );
    const octets = payload.reduce(
      (sum, entry) => sum + readFileSync(join(entry.parentPath, entry.name)).length,
      0,
    );
    expect(readFileSync(join(bag, 'bag-info.txt'), 'utf8')).toContain(
      `Payload-Oxum: ${octets}.${payload.length}\n`,
    );
    expect(payload.map((entry) => entry.name)).toEqual(
      expect.arrayContaining(['report.html', 'methods.md', 'ledger.jsonl']),
    );
  });

  it('delivers the same bytes in another folder, and but for the times of receipt at another hour', async () => {
    const sums = (folder: string) =>
      new Map(
        readdirSync(join(folder, 'delivered'), { recursive: true, withFileTypes: true })
          .filter((entry) => entry.isFile())
          .map((entry) => {
            const path = join(entry.parentPath, entry.name);
            return [
              relative(folder, path),
              createHash('sha256').update(readFileSync(path)).digest('hex'),
            ] as const;
          }),
      );
    const one = sums(await delivered());
    expect(sums(await delivered())).toEqual(one);
    const later = sums(await delivered('2027-01-02T03:04:05.000Z'));
    const other = [...one].filter(([path, sum]) => later.get(path) !== sum).map(([path]) => path);
    // What says when something was received, and the archive that holds it.
    expect(other.sort()).toEqual(
      [
        'cars-in-ombrey.zip',
        'citations.json',
        'citations.txt',
        'ledger.jsonl',
        'methods.md',
        'report.html',
      ].map((name) => `delivered/${name}`),
    );
  });

  it('refuses a CRS for a layer that there is not', async () => {
    const folder = ownStudyFolder(text.replace('crs: { wards:', 'crs: { wardes:'));
    folders.push(folder);
    await expect(runStudy(nodeMachine(folder, silentReporter))).rejects.toMatchObject({
      code: 'study-unknown-name',
    });
  });
});
