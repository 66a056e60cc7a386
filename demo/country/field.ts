import { degrees } from './grid.ts';
import { cameraPicture } from './photo.ts';
import { seeded, seedOf } from './random.ts';
import { flats, type Point } from './units.ts';

/** One recorded position. */
interface Spot {
  at: Point;
  /** Milliseconds since 1970. */
  time: number;
  height: number;
  hdop: number;
  satellites: number;
}

const day = (text: string) => Date.parse(`${text}Z`);

/** A walk from corner to corner at a pace, a position every five seconds; the hand that holds the receiver shakes. */
function walk(name: string, corners: readonly Point[], start: number, pace: number, every = 5): Spot[] {
  const own = seeded(seedOf('walk', name));
  const spots: Spot[] = [];
  let time = start;
  const [first] = corners;
  let [x, y] = first;
  for (const corner of corners.slice(1)) {
    for (;;) {
      const [dx, dy] = [corner[0] - x, corner[1] - y];
      const left = Math.hypot(dx, dy);
      if (left < pace * every) break;
      const step = pace * every * (0.85 + 0.3 * own());
      x += (dx / left) * step + (own() - 0.5) * 1.6;
      y += (dy / left) * step + (own() - 0.5) * 1.6;
      time += every * 1000;
      spots.push(spotAt([x, y], time, own));
    }
  }
  return spots;
}

const spotAt = (at: Point, time: number, own: () => number): Spot => ({
  at,
  time,
  height: Math.round((3.2 + 0.9 * own()) * 10) / 10,
  hdop: Math.round((0.8 + 1.6 * own()) * 10) / 10,
  satellites: 7 + Math.floor(5 * own()),
});

/** A stand of so many seconds at the end of what was walked. */
function stand(spots: Spot[], seconds: number, name: string): Spot[] {
  const own = seeded(seedOf('stand', name));
  const last = spots[spots.length - 1];
  const standing: Spot[] = [];
  for (let s = 5; s <= seconds; s += 5)
    standing.push(
      spotAt([last.at[0] + 4 * (own() - 0.5), last.at[1] + 4 * (own() - 0.5)], last.time + 1000 * s, own),
    );
  return [...spots, ...standing];
}

const wardOf = (k: number) => flats[k % flats.length].centre;
const between = (a: Point, b: Point, share: number): Point => [
  a[0] + (b[0] - a[0]) * share,
  a[1] + (b[1] - a[1]) * share,
];

const [west, middle, east] = [wardOf(0), wardOf(3), wardOf(7)];

/** The walk along the left bank: two segments, a stand at a weir, a jump under the bridge. */
function leftBank(): Spot[][] {
  const start = day('2024-06-14T11:05:00');
  const first = stand(
    walk('left bank', [west, between(west, middle, 0.28), between(west, middle, 0.5)].map(near), start, 1.35),
    240,
    'weir',
  );
  const jumped = first[Math.floor(first.length / 3)];
  jumped.at = [jumped.at[0] + 640, jumped.at[1] - 410];
  jumped.hdop = 9.6;
  jumped.satellites = 4;
  const begin = first[first.length - 1];
  const second = walk(
    'left bank on',
    [begin.at, between(begin.at, east, 0.12)],
    begin.time + 9 * 60_000,
    1.25,
  );
  return [first, second];
}

const near = (point: Point): Point => [
  west[0] + (point[0] - west[0]) * 0.3,
  west[1] + (point[1] - west[1]) * 0.3,
];

const gpxHead =
  '<?xml version="1.0" encoding="UTF-8"?>\n<gpx version="1.1" creator="Receiver of Teskaria (simulated)" xmlns="http://www.topografix.com/GPX/1/1">\n';

/** Time as the receiver writes it: two hours behind UTC, which it says. */
const localTime = (time: number) => `${new Date(time - 7_200_000).toISOString().slice(0, 19)}-02:00`;
const utcTime = (time: number) => new Date(time).toISOString().replace('.000Z', 'Z');

function trackPoint({ at, time, height, hdop, satellites }: Spot): string {
  const [lon, lat] = degrees(at);
  return `<trkpt lat="${lat}" lon="${lon}"><ele>${height}</ele><time>${utcTime(time)}</time><fix>3d</fix><sat>${satellites}</sat><hdop>${hdop}</hdop></trkpt>`;
}

function track(name: string, note: string, segments: readonly (readonly Spot[])[]): string {
  const parts = segments.map((spots) => `<trkseg>\n${spots.map(trackPoint).join('\n')}\n</trkseg>`);
  return `<trk><name>${name}</name><desc>${note}</desc><type>walk</type>\n${parts.join('\n')}\n</trk>\n`;
}

const gpx = (inner: string) => `${gpxHead}${inner}</gpx>\n`;

/** Culverts and gates as waypoints: one culvert was skipped, one stands in the file twice. */
export function inspections(): string {
  const own = seeded(seedOf('inspections'));
  let text = '';
  const states = ['clear', 'clear', 'half blocked', 'clear', 'blocked', 'flap stuck'];
  for (let n = 1; n <= 48; n++) {
    if (n === 17) continue;
    const a = wardOf(Math.floor(n / 5));
    const at = between(a, wardOf(Math.floor(n / 5) + 1), (n % 5) / 5);
    const [lon, lat] = degrees([at[0] + 300 * (own() - 0.5), at[1] + 300 * (own() - 0.5)]);
    const state = states[Math.floor(states.length * own())];
    const time = day(n <= 30 ? '2024-06-14T12:00:00' : '2024-06-15T10:00:00') + n * 7 * 60_000;
    text += `<wpt lat="${lat}" lon="${lon}"><ele>${(2 + own()).toFixed(1)}</ele><time>${localTime(time)}</time><name>CUL-${String(n).padStart(3, '0')}</name><cmt>${state}</cmt><desc>Pipe ${300 + 150 * Math.floor(4 * own())} mm, ${state}</desc><sym>${state === 'clear' ? 'green flag' : 'red flag'}</sym><type>culvert</type><fix>3d</fix><sat>${7 + Math.floor(5 * own())}</sat><hdop>${(0.8 + own()).toFixed(1)}</hdop></wpt>\n`;
  }
  for (let n = 1; n <= 6; n++) {
    const [lon, lat] = degrees(between(wardOf(n), wardOf(n + 2), 0.4));
    text += `<wpt lat="${lat}" lon="${lon}"><ele>2.4</ele><time>${localTime(day('2024-06-15T16:00:00') + n * 600_000)}</time><name>GATE ${n}</name><desc>Sluice gate</desc><sym>gate</sym><type>gate</type></wpt>\n`;
  }
  return gpx(text);
}

/** Tracks of the first day; an archive of the receiver holds them again. */
export function firstDay(): string {
  return gpx(track('Omber, left bank', 'From the pumping station eastwards', leftBank()));
}

/** Tracks of the second day. */
export function secondDay(): string {
  const begin = between(middle, east, 0.1);
  const wall = stand(
    walk('sea wall', [begin, [begin[0] + 900, begin[1] - 350]], day('2024-06-15T09:20:00'), 1.4),
    90,
    'sea wall',
  );
  const drive = walk('drive', [begin, [begin[0] + 4200, begin[1] + 1500]], day('2024-06-15T14:00:00'), 9.5);
  return gpx(
    track('Sea wall', 'Crest and outer foot', [wall]) + track('Drive to the gates', 'By car', [drive]),
  );
}

function angle(value: number, sides: string, width: number): string {
  const size = Math.abs(value);
  const whole = Math.floor(size);
  const minutes = ((size - whole) * 60).toFixed(4).padStart(7, '0');
  return `${String(whole).padStart(width, '0')}${minutes},${value < 0 ? sides[1] : sides[0]}`;
}

function sentence(body: string): string {
  let sum = 0;
  for (const c of body) sum ^= c.charCodeAt(0);
  return `$${body}*${sum.toString(16).toUpperCase().padStart(2, '0')}\r\n`;
}

/** What a receiver without a memory for files sends over its line: waypoints, then positions every two seconds. */
export function sentences(): string {
  const own = seeded(seedOf('sentences'));
  const lines: string[] = [];
  for (let n = 1; n <= 9; n++) {
    const [lon, lat] = degrees(between(wardOf(2), wardOf(6), n / 10));
    lines.push(sentence(`GPWPL,${angle(lat, 'NS', 2)},${angle(lon, 'EW', 3)},SLUICE${n}`));
  }
  const start = between(wardOf(2), wardOf(6), 0.1);
  const spots = walk(
    'dike',
    [start, [start[0] + 420, start[1] + 260], [start[0] + 700, start[1] + 210]],
    day('2024-06-16T08:30:00'),
    1.4,
    2,
  );
  spots.forEach((spot, k) => {
    const [lon, lat] = degrees(spot.at);
    const now = new Date(spot.time).toISOString();
    const clock = `${now.slice(11, 19).replaceAll(':', '')}.00`;
    const date = `${now.slice(8, 10)}${now.slice(5, 7)}${now.slice(2, 4)}`;
    const place = `${angle(lat, 'NS', 2)},${angle(lon, 'EW', 3)}`;
    // Under the road bridge it sees nothing of the sky.
    const lost = k >= 120 && k < 128;
    lines.push(
      sentence(
        `GPGGA,${clock},${lost ? ',,,' : place},${lost ? 0 : 1},${String(spot.satellites).padStart(2, '0')},${spot.hdop},${lost ? '' : spot.height},M,52.1,M,,`,
      ),
    );
    lines.push(
      sentence(
        `GPGSA,A,${lost ? 1 : 3},04,05,09,12,16,22,25,,,,,,${(spot.hdop * 1.6).toFixed(1)},${spot.hdop},${(spot.hdop * 1.2).toFixed(1)}`,
      ),
    );
    lines.push(
      sentence(
        `GPRMC,${clock},${lost ? 'V' : 'A'},${lost ? ',,,' : place},${(2.4 + own()).toFixed(1)},${(60 + 20 * own()).toFixed(1)},${date},,,A`,
      ),
    );
  });
  // The line is bad: a sign is another one, a sentence is cut.
  lines[40] = lines[40].replace(',M,', ',N,');
  lines[200] = `${lines[200].slice(0, 31)}\r\n`;
  lines[333] = lines[333].replace('$GP', '$G#');
  return lines.join('');
}

/** Photos of the walk: some cameras know where they are, others only what time it is. */
export function photos(): Record<string, Uint8Array> {
  const [first] = leftBank();
  const spotOf = (share: number) => first[Math.floor(share * (first.length - 1))];
  const files: Record<string, Uint8Array> = {};
  const take = (name: string, share: number, how: 'placed' | 'zone' | 'clock', note: string) => {
    const { at, time, height } = spotOf(share);
    const [lon, lat] = degrees(how === 'placed' ? [at[0] + 3, at[1] - 2] : at);
    files[name] = cameraPicture({
      time,
      note,
      place: how === 'placed' ? { lon, lat, height, direction: Math.round(360 * share) } : null,
      zone: how === 'clock' ? null : '-02:00',
    });
  };
  take('weir-01.jpg', 0.96, 'placed', 'Weir, upper side');
  take('weir-02.jpg', 0.99, 'zone', 'Weir, lower side');
  take('bank-01.jpg', 0.2, 'zone', 'Bank, grass cut');
  take('bank-02.jpg', 0.55, 'placed', 'Bank, crack of 2 m');
  take('bank-03.jpg', 0.7, 'clock', 'Bank, rabbit holes');
  return files;
}
