import { createHash } from 'node:crypto';
import { cpSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { demoAddresses } from '../../src/cli/commands/demo.ts';
import { type Mood, moods, offices, type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { demoFolder } from '../support/demo-study.ts';
import { patient } from '../support/http-service.ts';
import { StudyFolder } from '../support/study-folder.ts';

/** A dataset of every kind of source, around a part of the flats. */
const gather = `gather:
  wards: { from: boundary-office }
  borders: { from: boundary-wfs, collection: wards }
  housing: { from: statistics-office, file: HOUSING.csv }
  mobility: { from: statistics-packs, file: MOBILITY-2024.zip }
  residents: { from: statistics-sdmx, table: RESIDENTS, choose: { SEX: F } }
  households: { from: statistics-cubes, table: HOUSEHOLDS }
  cars: { from: statistics-rows, table: CARS, columns: [CAR_001, CAR_002] }
  streets: { from: map-regions, region: ombrey, class: roads }
  omber: { from: map-database, object: relation/7001, class: waterways }
  pumps: { from: order-desk }
`;
const all = [...gather.matchAll(/^ {2}(\w+):/gm)].map(([, name]) => name);
const source = readFileSync(join(demoFolder, 'study.yaml'), 'utf8');
const sources = source.slice(source.indexOf('sources:'), source.indexOf('gather:'));
const area = 'area: { box: { west: -29.9, south: 45.48, east: -29.8, north: 45.53 } }';

let data: string;
let services: StandIns;
let mood: Mood = 'well';
let wanted: Map<string, string>;

beforeAll(async () => {
  data = mkdtempSync(join(tmpdir(), 'isomeric-offices-'));
  cpSync(join(demoFolder, 'data'), data, { recursive: true });
  services = await startStandIns({
    data,
    pageSize: 3,
    moods: Object.fromEntries(offices.map((office) => [office, () => mood])),
    desk: { takes: 10, now: Date.now },
  });
  const study = new StudyFolder().write(`${sources}${gather}`, area);
  await study.gather({ addresses: demoAddresses(services) });
  wanted = contents(study);
  study.end();
  expect(wanted.size).toBeGreaterThan(13);
});
afterAll(async () => {
  await services.close();
  rmSync(data, { recursive: true, force: true });
});

const contents = (study: StudyFolder) =>
  new Map(
    study.files('gathered').map((path) => [
      path,
      createHash('sha256')
        .update(readFileSync(join(study.folder, path)))
        .digest('hex'),
    ]),
  );

/** What each dataset fails with on such a day; none: it comes all the same. */
const troubles: Record<Mood, RegExp | null> = {
  well: null,
  busy: /asks to come back later \(503\)\. It says: “Too many visitors today”/,
  'busy until': /asks to come back later \(503\)/,
  'busy for hours': /asks to come back later \(429\)\. It says: “Your share of today is used up”/,
  flaky: null,
  refused: /does not let us in \(403\)\. It says: “No entry: The account has ended”/,
  broken: /the service fails \(500\)\. It says: “Something broke”/,
  exception: /instead of data: “The database is asleep”/,
  html: /answered with a web page instead of data/,
  silent: /no answer for \d+ seconds?/,
  slow: null,
  cut: /cut after [\d,]+ of [\d,]+ bytes|cut after/,
  half: /in the middle|no JSON|SHA-256 ought|no XML|no whole/,
  'gzip damaged': /packed answer is damaged or cut short/,
  'gzip cut': /packed answer is damaged or cut short/,
  loop: null,
  shifting: null,
  'no next': null,
  restless: null,
  dripping: /only [\d,]+ bytes came in/,
  'cut once': null,
  'bad links': null,
  'archive damaged': null,
  'redirect loop': /redirects in a circle/,
  'redirect away': null,
  changing: null,
  forgetful: null,
  failing: null,
};
/** What only some of them fail with. */
const own: Partial<Record<Mood, [names: string[], words: RegExp]>> = {
  loop: [['wards', 'borders'], /lead in a circle/],
  'no next': [['wards'], /features were announced, and 3 came; the service leads to no more, asked twice/],
  restless: [['wards', 'borders'], /features were announced, and [\d,]+ came; .* asked twice/],
  'bad links': [['wards', 'borders', 'pumps'], /link that is no address/],
  'archive damaged': [['mobility'], /archive that came is damaged inside/],
  // Their key and account are not sent to another host.
  'redirect away': [['mobility', 'cars'], /does not let us in/],
  forgetful: [['pumps'], /results are not there any more/],
  failing: [['pumps'], /The survey of this area is locked by another user/],
};

describe('a day on which every service', () => {
  it.each(Object.entries(moods))(
    '%s (%s): is told in plain words, loses nothing, and is made good by the next run',
    async (name) => {
      const today = name as Mood;
      const study = new StudyFolder().write(`${sources}${gather}`, area);
      try {
        mood = today;
        const options = {
          addresses: demoAddresses(services),
          tries: today === 'cut once' ? 4 : 1,
          // How soon silence and slowness are given up.
          patience: { silent: 300, dripping: 3000 }[today as string] ?? patient,
        };
        const common = troubles[today];
        const [few, words] = own[today] ?? [[], null];
        const failing = common !== null ? all : few;
        const going = study.gather(options);
        if (failing.length === 0) await going;
        else
          await expect(going).rejects.toMatchObject({
            code: expect.stringMatching(/^(source|order)-/) as string,
          });
        const lost = study.said.filter((line) => line.includes('could not be gathered'));
        expect(lost.flatMap((line) => line.slice(0, line.indexOf(' could')).split(', ')).sort()).toEqual(
          [...failing].sort(),
        );
        for (const line of lost) expect(line).toMatch(common ?? words!);
        // Nothing half-received lies among what was gathered; pages that name other addresses differ.
        for (const [path, sum] of contents(study))
          if (
            !/terms/.test(path) &&
            !['shifting', 'loop', 'redirect away', 'no next', 'restless', 'bad links'].includes(today)
          )
            expect(sum, path).toBe(wanted.get(path));
        mood = 'well';
        await study.gather({ ...options, patience: patient });
        // Pages that came whole on the bad day stay as they came, and so do terms, whose end nobody can see.
        const asCame = ['redirect away', 'no next', 'cut once'].includes(today);
        if (asCame) expect([...contents(study).keys()]).toEqual([...wanted.keys()]);
        else expect(contents(study)).toEqual(wanted);
        expect(study.files('incoming')).toEqual([]);
      } finally {
        mood = 'well';
        study.end();
      }
    },
  );
});
