import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { folderStore, nodeFetch } from '../src/node/index.ts';
import { Credentials, HostGate, protocolOf, type TransferContext } from '../src/sources/index.ts';
import { beside, type Measured } from './measure.ts';

async function serve(): Promise<{ child: ChildProcess; address: string }> {
  const child = spawn(process.execPath, [fileURLToPath(new URL('page-server.js', import.meta.url))], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const [port] = (await once(child.stdout!.setEncoding('utf8'), 'data')) as [string];
  return { child, address: `http://127.0.0.1:${port.trim()}` };
}

function context(folder: string, address: string): TransferContext {
  const sleep = (milliseconds: number) => new Promise<void>((resolve) => setTimeout(resolve, milliseconds));
  return {
    store: folderStore(folder),
    fetch: nodeFetch,
    now: () => new Date().toISOString(),
    sleep,
    earlier: new Map(),
    continuing: new Set(),
    claims: new Map(),
    keep: async () => {},
    credentials: new Credentials(address),
    hosts: new HostGate(sleep),
    meter: { bytes: 0, features: 0 },
    progress: () => {},
    note: () => {},
    aside: () => {},
    documents: new Map(),
    patience: 30_000,
    tries: 1,
    longestWait: 0,
    longestOrder: 0,
  };
}

/** 100,000 features in 100 pages: gathered (kept, checked, checksummed), beside the bare fetch and JSON.parse of them. */
export async function pagingLine(): Promise<Measured> {
  const { child, address } = await serve();
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-paging-'));
  let bytes = 0;
  try {
    const first = `${address}/collections/houses/items?limit=1000`;
    const measured = await beside(
      'Paging features',
      '',
      1.3,
      'fetch and JSON.parse',
      async () => {
        let url: string | undefined = first;
        bytes = 0;
        while (url !== undefined) {
          const text: string = await (await fetch(url)).text();
          bytes += text.length;
          const page = JSON.parse(text) as { links: { rel: string; href: string }[] };
          const next = page.links.find(({ rel }) => rel === 'next')?.href;
          url = next === undefined ? undefined : new URL(next, url).toString();
        }
      },
      async () => {
        rmSync(folder, { recursive: true, force: true });
        const order = {
          name: 'houses',
          source: 'office',
          address: `${address}/`,
          wanted: { pageSize: 1000 },
          traits: {},
        };
        await protocolOf('features')!.gather([order], context(folder, address));
      },
      5,
    );
    return { ...measured, size: `100,000 features, ${(bytes / 1e6).toFixed(0)} MB` };
  } finally {
    child.kill();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Memory that a download of 1 GB adds to a process that has loaded everything, as the system counts it. */
export async function downloadLine(): Promise<string> {
  const { child, address } = await serve();
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-download-'));
  try {
    const library = (path: string) => new URL(`../src/${path}`, import.meta.url).href;
    const peak = (download: boolean) => {
      const script = join(folder, 'download.mjs');
      writeFileSync(
        script,
        `import { folderStore, nodeFetch } from '${library('node/index.js')}';
import { Credentials, HostGate, transfer } from '${library('sources/index.js')}';
import { readFileSync } from 'node:fs';
const context = { store: folderStore('${folder}'), fetch: nodeFetch, now: () => new Date().toISOString(), sleep: async () => {}, earlier: new Map(), continuing: new Set(), claims: new Map(), keep: async () => {}, credentials: new Credentials('${address}'), hosts: new HostGate(async () => {}), meter: { bytes: 0, features: 0 }, progress() {}, note() {}, aside() {}, documents: new Map(), patience: 30000, tries: 1, longestWait: 0, longestOrder: 0 };
const from = performance.now();
if (${download}) await transfer({ what: 'large', datasets: ['large'], url: '${address}/large.bin', path: 'gathered/large.bin', plain: true }, context);
process.stdout.write(/VmHWM:\\s+(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1] + ' ' + (performance.now() - from));
process.exit(0);`,
      );
      const [kilobytes, milliseconds] = execFileSync(process.execPath, [script], { encoding: 'utf8' })
        .split(' ')
        .map(Number);
      return { megabytes: kilobytes / 1024, seconds: milliseconds / 1000 };
    };
    const nothing = peak(false);
    const all = peak(true);
    const added = all.megabytes - nothing.megabytes;
    return `Download                1 GB in ${all.seconds.toFixed(1)} s, kept and checksummed, adds ${added.toFixed(0)} MB of memory, asked < 50${added < 50 ? '' : '  NOT MET'}`;
  } finally {
    child.kill();
    rmSync(folder, { recursive: true, force: true });
  }
}
