import { spawn } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { nodeMachine, openPath } from '../../src/node/index.ts';
import { runStudy, silentReporter } from '../../src/study/index.ts';
import { type LineMood, ReceiverLine } from '../../stand-ins/src/index.ts';
import { commandIn } from '../support/command.ts';
import { demoFolder } from '../support/demo-study.ts';

const data = join(demoFolder, 'data');
const receiver = join(data, 'receiver');
const sentences = join(data, 'receiver-line', 'sentences.nmea');

let folder: string;
let run: ReturnType<typeof commandIn>;
let mood: LineMood = 'well';
let line: ReceiverLine;
let address: string;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-receiver-'));
  run = commandIn(folder);
  line = new ReceiverLine({ file: sentences, mood: () => mood });
  address = await line.listen();
});

afterEach(() => {
  mood = 'well';
});

afterAll(async () => {
  await line.close();
  rmSync(folder, { recursive: true, force: true });
});

async function layers(file: string): Promise<Record<string, number>> {
  const opened = await openPath(join(folder, file));
  return Object.fromEntries(opened.map(({ table }) => [table.name, table.count ?? -1]));
}

describe('isomeric field', () => {
  it('lists what a receiver holds, without taking anything', async () => {
    const { code, out } = await run('field', receiver);
    expect(code).toBe(0);
    expect(out).toContain('CUL-001 to CUL-048  47; 17 is missing');
    expect(out).toMatch(/3 tracks, one of them a second time in another file/);
    expect(out).toMatch(/Omber, left bank\s+2024-06-14 11:05\s+12:01\s+4\.99 km\s+569\s+2/);
    expect(out).toContain('5 photos, 2 with a position');
    const { tracks, waypoints } = JSON.parse((await run('field', receiver, '--json')).out);
    expect(waypoints).toHaveLength(53);
    expect(tracks.filter(({ again }: { again: boolean }) => again)).toHaveLength(1);
  });

  it('takes a run of waypoints and a track: in the grid, with motion, lines, stops, photos along', async () => {
    const { code, out, told } = await run(
      ...['field', receiver, '--waypoints', 'CUL-001 to CUL-048', '--tracks', 'Omber, left bank'],
      ...['--photos', 'all', '--zone', '-02:00', '--crs', join(data, 'teskaria-grid.wkt')],
      ...['--fastest', '4', '--drop', 'jumps', '--record', 'kept', '--out', 'field.gpkg'],
    );
    expect(code).toBe(0);
    expect(told).toContain('47 are there, 1 is not: CUL-017');
    expect(await layers('field.gpkg')).toEqual({
      waypoints: 47,
      track_points: 568,
      tracks: 1,
      legs: 2,
      stops: 1,
      photos: 5,
    });
    expect(out).toContain(
      'Motion: 569 points in; 1 that jumped dropped, 568 kept, 2 legs, 1 stop, 1 gap, 1 jump.',
    );
    expect(out).toContain('2 with a place of their own, 3 placed on track_points by time.');
    // What was recorded stays as it was, in the CRS of the receiver.
    expect(readFileSync(join(folder, 'kept', 'inspections.gpx'))).toEqual(
      readFileSync(join(receiver, 'inspections.gpx')),
    );
    const { out: rows } = await run(
      ...['rows', 'field.gpkg', '--layer', 'waypoints', '--where', "name = 'CUL-002'", '--json'],
    );
    const [row] = JSON.parse(rows).rows;
    expect(row).toMatchObject({
      longitude: -29.9415262,
      latitude: 45.4819116,
      zone: '-02:00',
      accuracy: 7.5,
    });
    expect(row.time).toBe('2024-06-14T12:14:00Z');
    expect(row.easting).toBeGreaterThan(204_000);
  });

  it('takes what was recorded on a day, in the zone of the day', async () => {
    await run('field', receiver, '--days', '2024-06-15', '--out', 'day.gpkg');
    expect(await layers('day.gpkg')).toMatchObject({ waypoints: 24, tracks: 2, track_points: 250 });
    const none = await run('field', receiver, '--days', '2020-01-01', '--out', 'none.gpkg');
    expect([none.code, none.told]).toEqual([2, expect.stringContaining('Nothing was recorded')]);
  });

  it('never takes the whole receiver unasked, and says which names are near', async () => {
    const missed = await run('field', receiver, '--waypoints', 'CULL-001 to CULL-048', '--out', 'no.gpkg');
    expect(missed.code).toBe(2);
    expect(missed.told).toContain('Did you mean “CUL-001 to CUL-048”?');
    const out = await run('field', receiver, '--all');
    expect([out.code, out.told]).toEqual([2, expect.stringContaining('--out field.gpkg')]);
  });

  it('loses nothing else by a file that was cut short when the power ended', async () => {
    const broken = join(folder, 'broken');
    cpSync(receiver, broken, { recursive: true });
    const whole = readFileSync(join(receiver, 'walks-2024-06-14.gpx'));
    writeFileSync(join(broken, 'current.gpx'), whole.subarray(0, 20_000));
    const { code, out } = await run('field', broken);
    expect(code).toBe(0);
    expect(out).toContain('CUL-001 to CUL-048  47; 17 is missing');
    expect(out).toMatch(/A file of the receiver cannot be read and was left out: .*current\.gpx, line 147/);
    const taken = await run('field', broken, '--waypoints', 'GATE 1', '--out', 'gate.gpkg');
    expect([taken.code, taken.out]).toEqual([0, expect.stringContaining('cannot be read and was left out')]);
    const alone = join(folder, 'alone');
    cpSync(join(broken, 'current.gpx'), join(alone, 'current.gpx'));
    const nothing = await run('field', alone);
    expect([nothing.code, nothing.told]).toEqual([3, expect.stringContaining('not well-formed')]);
  });

  it('keeps what came over a line that went silent, and says so', async () => {
    mood = 'stalls';
    const { code, told, out } = await run(
      ...[
        'field',
        address,
        '--waypoints',
        'all',
        '--tracks',
        'all',
        '--quiet-after',
        '0.5',
        '--out',
        'line.gpkg',
      ],
    );
    expect(code).toBe(0);
    expect(told).toContain(
      'went silent for 0.5 s; what came until then is kept: 424 sentences with 9 waypoints',
    );
    expect(await layers('line.gpkg')).toMatchObject({ waypoints: 9, track_points: 130 });
    const kept = readFileSync(join(folder, 'line-record', 'record.nmea'));
    expect(kept.equals(readFileSync(sentences).subarray(0, kept.length))).toBe(true);
    expect(out).toMatch(/2 of 424 sentences are broken|3 of 424 sentences are broken/);
  });

  it('keeps what came over a line that broke; of one that says nothing there is nothing', async () => {
    mood = 'breaks';
    const broke = await run('field', address, '--quiet-after', '5');
    expect([broke.code, broke.told]).toEqual([
      0,
      expect.stringContaining('broke; what came until then is kept'),
    ]);
    mood = 'silent';
    const silent = await run('field', address, '--quiet-after', '0.3');
    expect([silent.code, silent.told]).toEqual([3, expect.stringContaining('sent nothing within 0.3 s')]);
    const nobody = await run('field', 'tcp://127.0.0.1:9');
    expect([nobody.code, nobody.told]).toEqual([3, expect.stringContaining('nothing listens there')]);
  });

  it('listens to a serial device', async () => {
    const pipe = join(folder, 'line');
    await new Promise((resolve) => spawn('mkfifo', [pipe]).on('close', resolve));
    const feeder = spawn('sh', ['-c', `cat ${JSON.stringify(sentences)} > ${JSON.stringify(pipe)}`]);
    const { code, out } = await run('field', `serial:${pipe}`);
    feeder.kill();
    expect(code).toBe(0);
    expect(out).toContain('SLUICE1 to SLUICE9  9');
    expect((await run('field', 'serial:/dev/none-of-that-name')).told).toContain('there is no such device');
  });
});

function ownStudy(text: string, files: Readonly<Record<string, string>>) {
  const own = mkdtempSync(join(tmpdir(), 'isomeric-own-'));
  for (const [name, content] of Object.entries({ 'study.yaml': text, ...files }))
    writeFileSync(join(own, name), content);
  return {
    folder: own,
    async run() {
      const said: string[] = [];
      const say = (words: string) => void said.push(words);
      const result = await runStudy(nodeMachine(own, { ...silentReporter, say, note: say }));
      return { said, result };
    },
    async end() {
      rmSync(own, { recursive: true, force: true });
    },
  };
}

describe('a receiver in a study', () => {
  const text = (at: string, more = '') => `study: Field
area: { box: { west: -30.2, south: 45.35, east: -29.3, north: 45.8 } }
crs: teskaria-grid.wkt
sources:
  receiver: { kind: receiver, at: "${at}", quiet after: 1 }
gather:
  culverts: { from: receiver, waypoints: [SLUICE1 to SLUICE9, CUL-001 to CUL-048] }
  walks: { from: receiver, tracks: all, as: both${more} }
prepare:
  culverts: []
  walks_points: [{ motion: { fastest: 4 } }]
  walks_lines: []
`;
  const crs = { 'teskaria-grid.wkt': readFileSync(join(data, 'teskaria-grid.wkt'), 'utf8') };

  it('gathers only files that hold something chosen, and takes them anew only when they changed', async () => {
    const mounted = join(folder, 'mounted');
    cpSync(receiver, mounted, { recursive: true });
    writeFileSync(join(mounted, 'notes.txt'), 'nothing of the kind');
    const study = ownStudy(text(mounted), crs);
    try {
      const { said } = await study.run();
      expect(said.join('\n')).toMatch(
        /Gather: culverts, walks_points, walks_lines from receiver; 3 files, .* received\./,
      );
      expect(said.join('\n')).toContain('1 is not: CUL-017');
      expect(said.join('\n')).toContain('Motion: 819 points in');
      const again = await study.run();
      expect(again.said.join('\n')).toContain('unchanged since the last run');
    } finally {
      await study.end();
    }
  });

  it('tells a damaged file of the receiver as an error, and gathers the others', async () => {
    const mounted = join(folder, 'damaged');
    cpSync(receiver, mounted, { recursive: true });
    writeFileSync(join(mounted, 'zz.gpx'), '<?xml version="1.0"?><gpx version="1.1"><wpt lat="45"');
    const study = ownStudy(text(mounted), crs);
    try {
      const { result } = await study.run();
      expect(result.findings.filter(({ code }) => code === 'record-damaged')).toHaveLength(1);
      expect(result.delivered.length).toBeGreaterThan(4);
    } finally {
      await study.end();
    }
  });

  it('listens once, and keeps what came', async () => {
    const study = ownStudy(text(address), crs);
    try {
      const first = await study.run();
      expect(first.said.join('\n')).toMatch(/from receiver; 1 file, 52,515 bytes, received/);
      mood = 'silent';
      const again = await study.run();
      expect(again.said.join('\n')).toMatch(/kept as received on/);
    } finally {
      await study.end();
    }
  });

  it('finds its folder from another one, too', async () => {
    const study = ownStudy(text('mounted'), crs);
    cpSync(receiver, join(study.folder, 'mounted'), { recursive: true });
    try {
      const other = await commandIn(study.folder)('run', '.', '--into', 'other', '--only', 'gather');
      expect([other.code, other.out]).toEqual([
        0,
        expect.stringMatching(/walks_lines from receiver; 3 files/),
      ]);
    } finally {
      await study.end();
    }
  });

  it('says what is missing in a study that chooses nothing', async () => {
    const study = ownStudy(
      text(receiver).replace(', waypoints: [SLUICE1 to SLUICE9, CUL-001 to CUL-048]', ''),
      crs,
    );
    try {
      await expect(study.run()).rejects.toMatchObject({
        code: 'receiver-choice',
      });
    } finally {
      await study.end();
    }
  });
});
