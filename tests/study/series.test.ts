import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { command, commandIn } from '../support/command.ts';

/** A country of square wards in rows of twenty, each with a few wells. */
function country(count: number): { wards: string; wells: string; figures: string } {
  const wards: string[] = [];
  const wells: string[] = [];
  const figures = ['code,persons'];
  for (let k = 0; k < count; k++) {
    const code = `W${String(k + 1).padStart(3, '0')}`;
    const [x, y] = [-30 + 0.01 * (k % 20), 45 + 0.01 * Math.floor(k / 20)];
    const ring = [
      [x, y],
      [x + 0.01, y],
      [x + 0.01, y + 0.01],
      [x, y + 0.01],
      [x, y],
    ];
    wards.push(
      JSON.stringify({
        type: 'Feature',
        properties: { code, name: `Ward ${k + 1}` },
        geometry: { type: 'Polygon', coordinates: [ring] },
      }),
    );
    for (let n = 0; n <= k % 4; n++)
      wells.push(
        JSON.stringify({
          type: 'Feature',
          properties: { well: `${code}-${n}` },
          geometry: { type: 'Point', coordinates: [x + 0.002 * (n + 1), y + 0.005] },
        }),
      );
    // One ward has no row: a join that meets nothing stops its study.
    if (k !== 5) figures.push(`${code},${100 + k}`);
  }
  const collection = (features: readonly string[]) =>
    `{"type":"FeatureCollection","features":[${features.join(',\n')}]}`;
  return { wards: collection(wards), wells: collection(wells), figures: `${figures.join('\n')}\n` };
}

const text = `study: Wells of the wards
area: { layer: wards }
crs: EPSG:32626
gather:
  wards: { file: wards.geojson }
  wells: { file: wells.geojson }
  figures: { file: figures.csv }
prepare:
  wards:
    - clip: area
    - join: figures
      on: code = code
      columns: [persons]
  wells: [clip: area]
deliver: { pages: [] }
`;

function put(folder: string, count: number): void {
  const { wards, wells, figures } = country(count);
  writeFileSync(join(folder, 'study.yaml'), text);
  writeFileSync(join(folder, 'wards.geojson'), wards);
  writeFileSync(join(folder, 'wells.geojson'), wells);
  writeFileSync(join(folder, 'figures.csv'), figures);
}

let folder: string;
let run: ReturnType<typeof commandIn>;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-series-'));
  run = commandIn(folder);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('isomeric run --each', () => {
  it('runs the study for each unit, sums up, and loses none for one that fails', async () => {
    put(folder, 12);
    const { code, out } = await run(
      'run',
      '.',
      '--each',
      'wards',
      '--figure',
      'residents = sum(persons) of wards',
    );
    expect(code).toBe(3);
    expect(out).toContain('Each: 12 units in; 11 made, 0 unchanged, 1 failed.');
    expect(out).toMatch(/W006: .*found a row in figures/);
    const summary = readFileSync(join(folder, 'each/wards/summary.csv'), 'utf8').split(/\r?\n/);
    expect(summary[0]).toContain(
      'code,name,state,trouble,residents,layers,features,n_wards,n_wells,errors,warnings',
    );
    expect(summary[3]).toMatch(/^W003,Ward 3,done,,102,2,/);
    expect(summary[6]).toMatch(/^W006,Ward 6,failed,/);
    expect(existsSync(join(folder, 'each/wards/W001/delivered/wells-of-the-wards.gpkg'))).toBe(true);
    expect(existsSync(join(folder, 'each/wards/summary.svg'))).toBe(true);
    // A ward of its own: wells of its neighbours are outside.
    expect((await run('look', 'each/wards/W004/delivered/wells-of-the-wards.gpkg')).out).toMatch(
      /wells\s+geopackage\n\s+4 (multi-)?points/,
    );
  }, 120_000);

  it('makes anew what rests on a change, and nothing where there is none', async () => {
    const figures = readFileSync(join(folder, 'figures.csv'), 'utf8');
    writeFileSync(join(folder, 'figures.csv'), figures.replace('W012,111', 'W012,999').concat('W006,50\n'));
    const { code, out } = await run(
      'run',
      '.',
      '--each',
      'wards',
      '--figure',
      'residents = sum(persons) of wards',
      '--json',
    );
    expect(code).toBe(0);
    const { outcomes } = JSON.parse(out) as {
      outcomes: { code: string; state: string; figures: Record<string, number> }[];
    };
    expect(outcomes.map(({ state }) => state)).toEqual(Array.from({ length: 12 }, () => 'done'));
    expect(outcomes[11].figures.residents).toBe(999);
    const again = await run('run', '.', '--each', 'wards', '--json');
    expect(
      (JSON.parse(again.out) as { outcomes: { state: string }[] }).outcomes.every(
        ({ state }) => state === 'unchanged',
      ),
    ).toBe(true);
  }, 120_000);

  it('says what is wrong with what is asked', async () => {
    expect((await run('run', '.', '--each', 'wardes')).told).toContain('Did you mean “wards”?');
    expect((await run('run', '.', '--each', 'figures')).told).toContain('has no geometry');
    expect((await run('run', '.', '--each', 'wards', '--figure', 'sum(persons)')).told).toContain(
      'is no figure of a unit',
    );
  });

  it('holds no more for two hundred units than for twenty', () => {
    const peaks = [20, 200].map((count) => {
      const own = mkdtempSync(join(tmpdir(), 'isomeric-series-'));
      try {
        put(own, count);
        // A program of its own, that says what it held at most.
        const program = join(own, 'measured.mjs');
        writeFileSync(
          program,
          `process.on('exit', () => console.error('peak ' + process.resourceUsage().maxRSS));\nawait import(${JSON.stringify(command)});\n`,
        );
        const { stdout, stderr } = spawnSync(
          process.execPath,
          [program, 'run', own, '--each', 'wards', '--json'],
          {
            encoding: 'utf8',
            maxBuffer: 1 << 26,
          },
        );
        const { outcomes } = JSON.parse(stdout) as { outcomes: { state: string }[] };
        expect(outcomes).toHaveLength(count);
        expect(outcomes.filter(({ state }) => state === 'failed')).toHaveLength(1);
        return Number(/peak (\d+)/.exec(stderr)?.[1]);
      } finally {
        rmSync(own, { recursive: true, force: true });
      }
    });
    expect(peaks[0]).toBeGreaterThan(0);
    // Kilobytes: ten times the units, hardly more memory.
    expect(peaks[1] - peaks[0], `peaks of ${peaks.join(' and ')} KB`).toBeLessThan(400_000);
  }, 600_000);
});
