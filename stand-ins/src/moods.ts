import { gzipSync } from 'node:zlib';
import { withCors } from './cors.ts';
import type { Answer, Service } from './service.ts';

/** Ways in which a stand-in can be told to have a bad day. */
export const moods = {
  well: 'behaves',
  busy: 'answers 503 and asks to come back in a second',
  'busy until': 'answers 503 and asks to come back at a time of day',
  'busy for hours': 'answers 429 and asks to come back in two hours',
  flaky: 'answers 503 every other time',
  refused: 'answers 403, with a reason',
  broken: 'answers 500',
  exception: 'answers 200 with an exception report',
  html: 'answers 200 with a web page',
  silent: 'never answers',
  slow: 'sends a little at a time',
  cut: 'closes the connection in the middle of an answer',
  half: 'ends in the middle of an answer as if that were all',
  'gzip damaged': 'packs its answers and damages them',
  'gzip cut': 'packs its answers and leaves out their ends',
  loop: 'lets the pages lead back to the first one',
  shifting: 'lets every page begin a little before the end of the one before',
  'no next': 'leaves out the links to the pages that follow',
  restless: 'lets every page begin a little after the end of the one before',
  dripping: 'sends a byte a second',
  'cut once': 'ends an answer in the middle the first time, and sends a web page the second time',
  'bad links': 'sends links that are no addresses',
  'archive damaged': 'sends archives whose files are damaged inside',
  'redirect loop': 'redirects in a circle',
  'redirect away': 'redirects to the same service at another host, key and all',
  changing: 'gives every answer another ETag',
  forgetful: 'throws the results of orders away at once',
  failing: 'lets every order fail',
} as const;
export type Mood = keyof typeof moods;

/** Bytes and milliseconds of the drops in which a slow service sends. */
const drop = { bytes: 16_384, pause: 20 };

const sleep = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));

/** Where the next page begins, on good days and bad. */
export function nextStart(mood: Mood | undefined, from: number, size: number): number {
  if (mood === 'loop') return 0;
  if (mood === 'shifting') return from + Math.max(1, size - 2);
  return from + size + (mood === 'restless' ? 1 : 0);
}

/** Takes the answer out of the service's hands, headers and all. */
function takeOver(reply: Answer, headers: Record<string, string>, status = 200) {
  const own: Record<string, string> = {};
  for (const [name, value] of Object.entries(reply.getHeaders()))
    if (value !== undefined && name !== 'content-length') own[name] = String(value);
  reply.hijack();
  reply.raw.writeHead(status, { ...own, ...headers });
  return reply.raw;
}

/**
 * Makes a server behave as its mood says. The mood is asked at every request, so tests can change it; `POST /mood` with
 * the name as its text changes it too, where `set` is given.
 */
export function withMood(server: Service, mood: () => Mood, set?: (mood: Mood) => void): void {
  let asked = 0;
  const times = new Map<string, number>();
  withCors(server);
  if (set !== undefined) {
    server.post('/mood', async (request, reply) => {
      const wanted = String(request.body ?? '').trim();
      if (!(wanted in moods)) return reply.code(400).send({ title: 'No such mood', moods });
      set(wanted as Mood);
      return { mood: wanted, means: moods[wanted as Mood] };
    });
  }
  const left = (url: string) => url === '/' || url === '/mood';
  server.beforeRoutes(async (request, reply) => {
    if (left(request.url)) return;
    const { host } = request;
    switch (mood()) {
      case 'busy':
        return reply.code(503).header('retry-after', '1').type('text/plain').send('Too many visitors today.');
      case 'busy until':
        return reply
          .code(503)
          .header('retry-after', new Date(Date.now() + 1500).toUTCString())
          .type('text/plain')
          .send('Too many visitors today.');
      case 'busy for hours':
        return reply
          .code(429)
          .header('retry-after', '7200')
          .type('text/plain')
          .send('Your share of today is used up.');
      case 'flaky':
        if (asked++ % 2 === 0)
          return reply.code(503).header('retry-after', '0').type('text/plain').send('Not just now.');
        return;
      case 'refused':
        return reply
          .code(403)
          .type('application/problem+json')
          .send({ title: 'No entry', detail: 'The account has ended.' });
      case 'broken':
        return reply.code(500).type('text/plain').send('Something broke.');
      case 'exception':
        return reply
          .type('text/xml')
          .send(
            '<?xml version="1.0"?><ows:ExceptionReport xmlns:ows="http://www.opengis.net/ows/1.1" version="2.0.0"><ows:Exception exceptionCode="NoApplicableCode"><ows:ExceptionText>The database is asleep.</ows:ExceptionText></ows:Exception></ows:ExceptionReport>',
          );
      case 'html':
        return reply
          .type('text/html')
          .send('<!doctype html><title>Maintenance</title><p>We will be back soon.</p>');
      case 'redirect loop':
        return reply
          .code(302)
          .header('location', `http://${host}/again?from=${asked++ % 2}`)
          .send();
      case 'redirect away':
        if (host.startsWith('127.0.0.1'))
          return reply
            .code(307)
            .header('location', `http://${host.replace('127.0.0.1', 'localhost')}${request.url}`)
            .send();
        return;
      case 'silent':
        await new Promise(() => {});
    }
  });
  server.beforeSending(async (request, reply, payload) => {
    if (left(request.url) || reply.statusCode !== 200) return payload;
    if (typeof payload !== 'string' && !(payload instanceof Uint8Array)) return payload;
    const bytes = Buffer.from(payload as string);
    const half = bytes.subarray(0, Math.floor(bytes.length / 2));
    switch (mood()) {
      case 'slow': {
        const raw = takeOver(reply, { 'content-length': String(bytes.length) });
        for (let at = 0; at < bytes.length && !raw.destroyed; at += drop.bytes) {
          raw.write(bytes.subarray(at, at + drop.bytes));
          await sleep(drop.pause);
        }
        raw.end();
        return payload;
      }
      case 'cut': {
        const raw = takeOver(reply, { 'content-length': String(bytes.length) });
        raw.write(half);
        setTimeout(() => raw.destroy(), 30);
        return payload;
      }
      case 'half':
        takeOver(reply, {}).end(half);
        return payload;
      case 'gzip damaged':
      case 'gzip cut': {
        const packed = gzipSync(bytes);
        const end = mood() === 'gzip cut' ? packed.length - 20 : packed.length;
        if (mood() === 'gzip damaged') packed[Math.floor(packed.length / 2)] ^= 0xff;
        takeOver(reply, { 'content-encoding': 'gzip', 'content-length': String(end) }).end(
          packed.subarray(0, end),
        );
        return payload;
      }
      case 'dripping': {
        const raw = takeOver(reply, { 'content-length': String(bytes.length) });
        for (let at = 0; at < bytes.length && !raw.destroyed; at++) {
          raw.write(bytes.subarray(at, at + 1));
          await sleep(1000);
        }
        raw.end();
        return payload;
      }
      case 'cut once': {
        const asking = `${request.method} ${request.url} ${String(JSON.stringify(request.body))}`;
        const before = times.get(asking) ?? 0;
        times.set(asking, before + 1);
        if (before > 1) return payload;
        if (before === 1)
          takeOver(reply, { 'content-type': 'text/html' }).end('<!doctype html><p>One moment.</p>');
        else takeOver(reply, {}).end(half);
        return payload;
      }
      case 'bad links':
        return bytes[0] === 0x7b || bytes[0] === 0x3c
          ? String(payload)
              .replace(/"(href|url)":"http[^"]*"/g, '"$1":"http://["')
              .replace(/ (next|xlink:href)="http[^"]*"/g, ' $1="http://["')
          : payload;
      case 'archive damaged':
        if (bytes.subarray(0, 2).toString() !== 'PK') return payload;
        // Behind the header of the first file, in its packed bytes; the provider does not know of it.
        for (const name of ['repr-digest', 'content-digest', 'digest']) reply.removeHeader(name);
        bytes[60 + (bytes.readUInt16LE(26) % 64)] ^= 0x55;
        return bytes;
      case 'changing':
        reply.header('etag', `"${Date.now()}-${asked++}"`);
        return payload;
      default:
        return payload;
    }
  });
}
