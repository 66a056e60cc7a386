import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { SentenceRecord } from '../../formats/nmea/record.ts';
import { SentenceReader } from '../../formats/nmea/sentences.ts';
import type { Meter } from '../transfer/context.ts';

/** Seconds without a word, and in all, after which a receiver is not listened to any longer. */
export const usualQuiet = 10;
export const usualListening = 600;

/** How long a receiver is listened to, and who is told. */
export interface Listening {
  /** Seconds. */
  quietAfter?: number;
  listenFor?: number;
  meter: Meter;
  progress(): void;
  note(words: string): void;
}

type Ended = 'quiet' | 'long' | 'broken' | null;

/** Is the address that of a device that sends, and not of a folder? */
export const isStream = (address: string): boolean => /^(tcp:\/\/|serial:)/i.test(address);

/** The next chunk, or why no more is waited for. */
async function nextIn(
  next: Promise<IteratorResult<Uint8Array>>,
  quiet: number,
  left: number,
): Promise<IteratorResult<Uint8Array> | Ended> {
  let timer: ReturnType<typeof setTimeout> | undefined;
  const wait = Math.min(quiet, left);
  const silence = new Promise<Ended>((resolve) => {
    timer = setTimeout(() => resolve(left < quiet ? 'long' : 'quiet'), wait * 1000);
  });
  try {
    return await Promise.race([next, silence]);
  } finally {
    clearTimeout(timer);
  }
}

/**
 * Listens to what a receiver sends until it ends, goes silent or has been listened to for long enough; hands on the bytes as they
 * come. What it has sent so far is counted; that it went silent is told, and is no error once something came.
 *
 * @throws IsomericError `receiver-silent` where nothing came at all
 */
export async function* listened(
  stream: AsyncIterable<Uint8Array>,
  what: string,
  { quietAfter = usualQuiet, listenFor = usualListening, meter, progress, note }: Listening,
): AsyncGenerator<Uint8Array> {
  let waypoints = 0;
  let positions = 0;
  const record = new SentenceRecord({
    position: () => positions++,
    lost() {},
    waypoint: () => waypoints++,
    route() {},
  });
  const reader = new SentenceReader((formatter, fields) => record.take(formatter, fields));
  const chunks = stream[Symbol.asyncIterator]();
  const until = performance.now() + listenFor * 1000;
  let ended: Ended = null;
  let bytes = 0;
  try {
    for (;;) {
      const left = Math.max(0, (until - performance.now()) / 1000);
      const next = await nextIn(chunks.next(), quietAfter, left).catch((error: unknown): Ended => {
        // What came before a line broke is whole up to there.
        if (bytes === 0 || !(error instanceof IsomericError)) throw error;
        return 'broken';
      });
      if (next === null || typeof next === 'string') {
        ended = next;
        break;
      }
      if (next.done === true) break;
      bytes += next.value.length;
      reader.push(next.value);
      meter.bytes = bytes;
      meter.features = waypoints + positions;
      meter.state = `${counted(waypoints, 'waypoint', 'waypoints')}, ${counted(positions, 'position', 'positions')}`;
      progress();
      yield next.value;
    }
  } finally {
    // A device that sends no more may not answer either: nobody waits for it.
    void Promise.resolve(chunks.return?.()).catch(() => {});
  }
  reader.end();
  record.end();
  if (reader.counts.all === 0)
    throw new IsomericError(
      'receiver-silent',
      bytes === 0
        ? `${what} sent nothing${ended === 'quiet' ? ` within ${grouped(quietAfter)} s` : ''}.`
        : `${what} sent ${grouped(bytes)} bytes, and no sentence (NMEA 0183) among them.`,
      {
        advice:
          bytes === 0
            ? 'Look whether it is switched on, and set to send sentences (NMEA 0183).'
            : 'Look whether the speed of the line is that of the receiver: “serial:/dev/ttyUSB0 at 9600”.',
      },
    );
  const came = `${counted(reader.counts.all, 'sentence', 'sentences')} with ${counted(waypoints, 'waypoint', 'waypoints')} and ${counted(positions, 'position', 'positions')}`;
  if (ended === 'quiet')
    note(`${what} went silent for ${grouped(quietAfter)} s; what came until then is kept: ${came}.`);
  else if (ended === 'broken') note(`The line to ${what} broke; what came until then is kept: ${came}.`);
  else if (ended === 'long')
    note(`${what} was listened to for ${grouped(listenFor)} s (“listen for” says how long); ${came} came.`);
}
