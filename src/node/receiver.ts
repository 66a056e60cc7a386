import { execFile } from 'node:child_process';
import { open, stat } from 'node:fs/promises';
import { connect } from 'node:net';
import { promisify } from 'node:util';
import { dictionary } from '../core/dictionary.ts';
import { IsomericError } from '../core/errors.ts';

/** Bits a second of a line by the standard (NMEA 0183, section 2.1). */
const usualSpeed = 4800;

/** What the machine says of a device, in words, and what helps. */
const refusals: Readonly<Record<string, readonly [words: string, advice: string]>> = dictionary({
  ENOENT: ['there is no such device', 'Look whether the receiver is connected, and under which name.'],
  EACCES: ['it may not be read', 'Ask to be let at serial lines (the group dialout, mostly).'],
  EPERM: ['it may not be read', 'Ask to be let at serial lines (the group dialout, mostly).'],
  EBUSY: ['another program holds it', 'End the other program.'],
  EISDIR: ['it is a folder', 'Name the folder alone, without “serial:”.'],
  ECONNREFUSED: ['nothing listens there', 'Look whether the receiver, or what passes it on, is switched on.'],
  ENOTFOUND: ['nobody knows that name', 'Look how the machine is called.'],
  EHOSTUNREACH: ['there is no way to it', 'Look whether both are on one network.'],
  ETIMEDOUT: ['it does not answer', 'Look whether both are on one network.'],
});

function refused(address: string, error: unknown): unknown {
  const code = (error as NodeJS.ErrnoException).code ?? '';
  if (!Object.hasOwn(refusals, code)) return error;
  const [words, advice] = refusals[code];
  return new IsomericError('receiver-unreachable', `The receiver cannot be reached: ${words} (${code}).`, {
    place: { file: address },
    advice,
  });
}

/** What a device sends: `tcp://host:port`, or `serial:/dev/ttyUSB0`, with the speed of the line behind it: `serial:/dev/ttyUSB0 at 9600`. */
export async function listenTo(address: string): Promise<AsyncIterable<Uint8Array>> {
  try {
    return /^tcp:/i.test(address) ? await overNetwork(address) : await overLine(address);
  } catch (error) {
    throw refused(address, error);
  }
}

async function overNetwork(address: string): Promise<AsyncIterable<Uint8Array>> {
  const url = URL.canParse(address) ? new URL(address) : null;
  if (url === null || url.port === '' || url.hostname === '')
    throw new IsomericError('receiver-address', `“${address}” is no address of a receiver.`, {
      advice: 'Write tcp://HOST:PORT.',
      blame: 'usage',
      wrong: address,
    });
  const socket = connect({ host: url.hostname.replace(/^\[|\]$/g, ''), port: Number(url.port) });
  await new Promise<void>((resolve, reject) => {
    socket.once('connect', () => resolve());
    socket.once('error', reject);
    socket.setTimeout(10_000, () => {
      socket.destroy(Object.assign(new Error('no answer'), { code: 'ETIMEDOUT' }));
    });
  });
  socket.setTimeout(0);
  return received(socket, () => socket.destroy(), address);
}

async function overLine(address: string): Promise<AsyncIterable<Uint8Array>> {
  const [, path, speed] = /^serial:(.+?)(?: at (\d{1,7}))?$/i.exec(address) ?? [];
  if (path === undefined)
    throw new IsomericError('receiver-address', `“${address}” is no address of a receiver.`, {
      advice: 'Write serial:/dev/ttyUSB0, or serial:/dev/ttyUSB0 at 9600.',
      blame: 'usage',
      wrong: address,
    });
  const found = await stat(path);
  if (found.isCharacterDevice()) await setLine(path, Number(speed ?? usualSpeed), address);
  const file = await open(path, 'r');
  const stream = file.createReadStream({ highWaterMark: 4096 });
  return received(stream, () => stream.destroy(), address);
}

/** Sets a serial line to raw bytes at a speed; what is no line at all (a test’s pipe, /dev/null) stays as it is. */
async function setLine(path: string, speed: number, address: string): Promise<void> {
  const option = process.platform === 'darwin' ? '-f' : '-F';
  try {
    await promisify(execFile)('stty', [option, path, String(speed), 'raw', '-echo']);
  } catch (error) {
    const { code, stderr } = error as { code?: unknown; stderr?: string };
    if (code === 'ENOENT' || /Inappropriate ioctl|not a typewriter/i.test(stderr ?? '')) return;
    throw new IsomericError('receiver-line', `The line cannot be set to ${speed} bits a second.`, {
      place: { file: address },
      advice: 'Speeds are 4800, 9600, 38400 or 115200, mostly; the manual of the receiver says which.',
      cause: error,
    });
  }
}

/** What the machine says when a line breaks while it is listened to. */
const broken = new Set(['ECONNRESET', 'EPIPE', 'EIO', 'ENODEV', 'ENXIO', 'ETIMEDOUT']);

/** The bytes as they come. */
async function* received(
  stream: AsyncIterable<unknown>,
  stop: () => void,
  address: string,
): AsyncGenerator<Uint8Array> {
  try {
    for await (const chunk of stream) yield chunk as Uint8Array;
  } catch (error) {
    if (!broken.has((error as NodeJS.ErrnoException).code ?? '')) throw error;
    throw new IsomericError('receiver-broken', 'The line to the receiver broke.', {
      place: { file: address },
      advice: 'Look whether it is still connected, and run again.',
      cause: error,
    });
  } finally {
    stop();
  }
}
