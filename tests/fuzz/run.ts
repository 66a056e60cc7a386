/**
 * Damages files of every format in every way that is known here and reads them, for so many minutes:
 * `npm run fuzz -- --minutes 30 --seed 7`. Each input is read in a process of its own kind, with limits of time and memory.
 * What goes wrong is shrunk and kept in `tests/fuzz-cases/`, where the tests find it.
 */
import { type ChildProcess, fork } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { caseOf, damageOf, type FuzzCase, type Told } from './cases.ts';
import { allSamples } from './samples.ts';

const { values } = parseArgs({
  options: {
    minutes: { type: 'string', default: '10' },
    seed: { type: 'string', default: String(Date.now() % 2 ** 31) },
    only: { type: 'string' },
    workers: { type: 'string', default: '2' },
    dry: { type: 'boolean', default: false },
  },
});
const seed = Number(values.seed);
const until = Date.now() + Number(values.minutes) * 60_000;
/** A reading that takes longer hangs; one that takes more memory than this takes too much. */
const longest = 10_000;
const mostMegabytes = 700;
const batch = 200;

const folder = mkdtempSync(join(tmpdir(), 'isomeric-fuzz-'));
process.on('exit', () => rmSync(folder, { recursive: true, force: true }));
const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const kept = fileURLToPath(new URL('../fuzz-cases', import.meta.url));
const samples = (await allSamples(data, folder))
  .filter((name) => values.only === undefined || name.includes(values.only))
  .map((name) => ({ name, weight: Math.min(1, 20_000 / statSync(join(folder, name)).size) }));
const load = (name: string) => new Uint8Array(readFileSync(join(folder, name)));

interface Count {
  inputs: number;
  read: number;
  refused: number;
  guarded: number;
}
const counts = new Map<string, Count>();
const codes = new Map<string, number>();
const causes = new Map<string, { times: number; example: string }>();
const bad: { what: string; one: FuzzCase; words: string }[] = [];
let slowest = 0;
let largest = 0;
let inputs = 0;
let next = 0;

function note(one: FuzzCase, told: Extract<Told, { outcome: unknown }>): void {
  const { outcome } = told;
  inputs++;
  const count = counts.get(one.sample) ?? { inputs: 0, read: 0, refused: 0, guarded: 0 };
  counts.set(one.sample, count);
  count.inputs++;
  slowest = Math.max(slowest, told.seconds);
  largest = Math.max(largest, told.peak);
  if (outcome.kind === 'read') count.read++;
  if (outcome.kind === 'refused') {
    count.refused++;
    codes.set(outcome.code, (codes.get(outcome.code) ?? 0) + 1);
    if (outcome.code === 'file-damaged') {
      count.guarded++;
      const frames = outcome.cause.split('\n');
      const key = `${frames[0].slice(0, 90)} ${(frames.find((line) => line.includes('/src/')) ?? '').trim().replace(/^.*\/src\//, 'src/')}`;
      const known = causes.get(key) ?? { times: 0, example: `${one.sample} #${one.number}` };
      known.times++;
      causes.set(key, known);
    }
  }
  if (outcome.kind === 'foreign') bad.push({ what: 'foreign', one, words: outcome.words });
  if (told.wrong !== '') bad.push({ what: 'checksum', one, words: told.wrong });
  if (outcome.kind === 'read' && outcome.rows > 10 * told.bytes + 20_000)
    bad.push({ what: 'rows', one, words: `${outcome.rows} rows of ${told.bytes} bytes` });
  if (told.grown > mostMegabytes) bad.push({ what: 'memory', one, words: `${told.grown.toFixed(0)} MB` });
  if (told.seconds * 1000 > longest) bad.push({ what: 'slow', one, words: `${told.seconds.toFixed(1)} s` });
}

function start(): ChildProcess {
  return fork(fileURLToPath(new URL('./worker.ts', import.meta.url)), [folder], {
    execArgv: ['--import', 'tsx', '--max-old-space-size=1500'],
    stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
  });
}

/** Runs cases in one process until `give` has none left; a hang or death is noted, and another process goes on. */
async function work(give: () => FuzzCase[]): Promise<void> {
  for (;;) {
    let cases: FuzzCase[] = [];
    let left: FuzzCase[] = [];
    const child = start();
    let stderr = '';
    child.stderr!.on('data', (chunk: Buffer) => {
      stderr = (stderr + chunk.toString()).slice(-2000);
    });
    let at = -1;
    let since = Date.now();
    const ended = await new Promise<boolean>((resolve) => {
      const watch = setInterval(() => {
        if (at >= 0 && Date.now() - since > longest + 2000) child.kill('SIGKILL');
      }, 1000);
      child.on('message', (told: Told) => {
        if ('at' in told) {
          at = told.at;
          since = Date.now();
        } else if ('outcome' in told) {
          at = -1;
          left = left.filter((one) => one.number !== told.number);
          note(cases.find((one) => one.number === told.number)!, told);
        } else if ('stray' in told)
          bad.push({
            what: 'stray',
            one: cases.find((one) => one.number === at) ?? cases[0],
            words: told.stray,
          });
        else {
          cases = give();
          left = [...cases];
          if (cases.length === 0) {
            child.kill();
            clearInterval(watch);
            resolve(true);
          } else child.send(cases);
        }
      });
      child.on('exit', () => {
        clearInterval(watch);
        resolve(false);
      });
    });
    if (ended) return;
    const one = cases.find(({ number }) => number === at);
    if (one !== undefined) {
      inputs++;
      const hung = Date.now() - since > longest;
      bad.push({ what: hung ? 'hang' : 'death', one, words: hung ? 'more than 10 s' : stderr.slice(-400) });
    }
    const rest = left.filter((each) => each.number !== at);
    const before = give;
    let first = true;
    give = () => {
      if (!first) return before();
      first = false;
      return rest.length > 0 ? rest : before();
    };
  }
}

const give = () => {
  if (Date.now() > until) return [];
  const cases = Array.from({ length: batch }, (_, k) => caseOf(seed, next + k, samples));
  next += batch;
  return cases;
};
const timer = setInterval(() => {
  process.stderr.write(`\r${inputs.toLocaleString('en')} inputs, ${bad.length} of them bad `);
}, 5000);
await Promise.all(Array.from({ length: Number(values.workers) }, () => work(give)));
clearInterval(timer);

/** Does a case still go wrong in the same way? */
async function stillBad(one: FuzzCase, what: string): Promise<boolean> {
  const before = bad.length;
  let given = false;
  await work(() => {
    if (given) return [];
    given = true;
    return [one];
  });
  return bad.splice(before).some((each) => each.what === what);
}

/** Takes damages away as long as the case goes wrong without them, and keeps what is left. */
async function keep({ what, one }: { what: string; one: FuzzCase }): Promise<string> {
  let { recipe } = one;
  for (let k = recipe.length - 1; k >= 0 && recipe.length > 1; k--) {
    const fewer = recipe.filter((_, n) => n !== k);
    if (await stillBad({ ...one, recipe: fewer }, what)) recipe = fewer;
  }
  const bytes = damageOf({ ...one, recipe }, load);
  mkdirSync(kept, { recursive: true });
  const name = `${what}-${seed}-${one.number}-${one.sample}`;
  if (bytes.length < 300_000) writeFileSync(join(kept, name), bytes);
  return `${name} (${recipe.map(([kind]) => kind).join(', ')})`;
}

const seen = new Set<string>();
const lines: string[] = [];
for (const each of [...bad]) {
  const key = `${each.what} ${each.one.sample} ${each.words.split('\n', 2).join(' ').slice(0, 120)}`;
  if (seen.has(key) || seen.size > 60) continue;
  seen.add(key);
  lines.push(
    `  ${each.what}: ${!values.dry ? await keep(each) : `${each.one.sample} #${each.one.number}`}\n    ${each.words.split('\n').slice(0, 4).join('\n    ')}`,
  );
}
const number = (n: number) => n.toLocaleString('en');
const of = (what: string) => bad.filter((each) => each.what === what).length;
console.log(
  `\nFuzz: ${number(inputs)} damaged inputs of ${samples.length} samples, seed ${seed}; ${number([...counts.values()].reduce((sum, { read }) => sum + read, 0))} read, ${number([...counts.values()].reduce((sum, { refused }) => sum + refused, 0))} refused.`,
);
console.log(
  `${of('hang') + of('slow')} took more than 10 s, ${of('death')} ended the process, ${of('foreign') + of('stray')} errors that are not ours, ${of('checksum')} read though a checksum says damaged, ${of('memory')} took more than ${mostMegabytes} MB, ${of('rows')} gave more rows than bytes; the slowest took ${slowest.toFixed(1)} s, the largest process ${largest.toFixed(0)} MB.`,
);
console.log(
  `Codes: ${[...codes]
    .sort((a, b) => b[1] - a[1])
    .map(([code, n]) => `${code} ${number(n)}`)
    .join(', ')}.`,
);
if (causes.size > 0) {
  console.log('What the guard caught:');
  for (const [key, { times, example }] of [...causes].sort((a, b) => b[1].times - a[1].times).slice(0, 40))
    console.log(`  ${number(times)} × ${key} (${example})`);
}
for (const line of lines) console.log(line);
process.exit(bad.length > 0 ? 1 : 0);
