import { daysOf } from '../../core/table/time.ts';

const dayLength = 86_400_000;
const knot = 1852 / 3600;

/** One position with all that was said of it: numbers are NaN, texts null where nothing was. */
export interface Fix {
  lon: number;
  lat: number;
  /** Metres above mean sea level. */
  height: number;
  /** Milliseconds since midnight UTC. */
  clock: number;
  /** Days since 1970-01-01. */
  day: number;
  quality: string | null;
  fix: string | null;
  numbers: Record<FixNumber, number>;
}

/** Figures of a position, in the order of their columns. */
export const fixNumbers = [
  'sat',
  'hdop',
  'vdop',
  'pdop',
  'geoidheight',
  'ageofdgpsdata',
  'dgpsid',
  'speed',
  'course',
  'magvar',
  'error_east',
  'error_north',
  'error_height',
] as const;
/** Name of such a figure. */
export type FixNumber = (typeof fixNumbers)[number];

/** Words for the quality of a fix (NMEA 0183, GGA, field 6). */
const qualities = [
  'none',
  'autonomous',
  'differential',
  'precise',
  'fixed ambiguities',
  'float ambiguities',
  'estimated',
  'entered by hand',
  'simulated',
];

/** A number as sentences write it; NaN where there is none, null where it is something else. */
function figure(text: string | undefined): number | null {
  if (text === undefined || text === '') return Number.NaN;
  return /^[-+]?\d{0,12}(\.\d{0,12})?$/.test(text) && /\d/.test(text) ? Number(text) : null;
}

/** `4530.250,N` → 45.504166…; NaN where it is blank, null where it is no place. */
function degrees(text: string | undefined, side: string | undefined, most: number): number | null {
  if (text === undefined || text === '') return Number.NaN;
  const value = figure(text);
  if (value === null || value < 0 || side === undefined || !/^[NSEW]$/.test(side)) return null;
  // Taken apart as they are written: a difference of doubles would lose digits of the minutes.
  const dot = text.indexOf('.') < 0 ? text.length : text.indexOf('.');
  const whole = Number(text.slice(0, Math.max(0, dot - 2)));
  const minutes = Number(text.slice(Math.max(0, dot - 2)));
  const found = whole + minutes / 60;
  if (minutes >= 60 || found > most) return null;
  return side === 'S' || side === 'W' ? -found : found;
}

/** `093015.20` → milliseconds of the day; NaN where it is blank, null where it is no time. */
function clockOf(text: string | undefined): number | null {
  if (text === undefined || text === '') return Number.NaN;
  const found = /^(\d{2})(\d{2})(\d{2})(\.\d{1,9})?$/.exec(text);
  if (found === null) return null;
  const [, hour, minute, second, part = '0'] = found;
  if (+hour > 23 || +minute > 59 || +second > 60) return null;
  return ((+hour * 60 + +minute) * 60 + +second) * 1000 + Math.round(Number(part) * 1000);
}

function blankFix(): Fix {
  const numbers = {} as Record<FixNumber, number>;
  for (const name of fixNumbers) numbers[name] = Number.NaN;
  return {
    lon: Number.NaN,
    lat: Number.NaN,
    height: Number.NaN,
    clock: Number.NaN,
    day: Number.NaN,
    quality: null,
    fix: null,
    numbers,
  };
}

/** Who is told of what the sentences say. */
export interface RecordHandler {
  /** A moment with a position. */
  position(fix: Fix): void;
  /** A moment without one: the receiver saw too little of the sky. */
  lost(): void;
  waypoint(name: string, lon: number, lat: number): void;
  /** A route with the names of its waypoints, in their order. */
  route(name: string, points: readonly string[]): void;
}

/**
 * Puts sentences together to moments: those of one time belong to one position (NMEA 0183, section 6.2). Feed it with
 * `take`, end with `end`.
 */
export class SentenceRecord {
  private readonly handler: RecordHandler;
  private now = blankFix();
  /** Did a sentence of this moment say that there is no position? */
  private nothing = false;
  private begun = false;
  private day = Number.NaN;
  private lastClock = Number.NaN;
  private routeName = '';
  private routePoints: string[] = [];
  /** The day that was told first; what came before belongs to it. */
  firstDay = Number.NaN;
  /** `-02:00` as ZDA tells it; null where nobody does. */
  zone: string | null = null;

  /** @param firstDay where it is known from an earlier reading */
  constructor(handler: RecordHandler, firstDay = Number.NaN) {
    this.handler = handler;
    this.day = firstDay;
  }

  /** One whole sentence; false where its values cannot be. */
  take(formatter: string, f: readonly string[]): boolean {
    switch (formatter) {
      case 'GGA':
        return this.moment(f[1], () => this.gga(f));
      case 'GNS':
        return this.moment(f[1], () => this.gns(f));
      case 'RMC':
        return this.moment(f[1], () => this.rmc(f));
      case 'GLL':
        return this.moment(f[5], () => this.gll(f));
      case 'GST':
        return this.moment(f[1], () => this.put({ error_north: f[6], error_east: f[7], error_height: f[8] }));
      case 'ZDA':
        return this.moment(f[1], () => this.zda(f));
      case 'GSA':
        if (f[2] === '2' || f[2] === '3') this.now.fix ??= `${f[2]}d`;
        return this.put({ pdop: f[15], hdop: f[16], vdop: f[17] });
      case 'VTG':
        return this.motion(f[5], f[1]);
      case 'WPL':
        return this.waypoint(f);
      case 'RTE':
        return this.route(f);
      default:
        return true;
    }
  }

  /** Ends the record. */
  end(): void {
    this.close();
    this.closeRoute();
  }

  /** A sentence with a time: another time than that of the moment ends it. */
  private moment(text: string | undefined, then: () => boolean): boolean {
    const clock = clockOf(text);
    if (clock === null) return false;
    if (!Number.isNaN(clock)) {
      if (this.begun && this.now.clock !== clock) this.close();
      if (!this.begun) {
        // Past midnight, where only some sentences tell the date.
        if (clock < this.lastClock - dayLength / 2 && !Number.isNaN(this.day)) this.day++;
        this.now.clock = clock;
        this.lastClock = clock;
        this.begun = true;
      }
    }
    return then();
  }

  private close(): void {
    if (!this.begun) return;
    const { now } = this;
    now.day = this.day;
    if (this.nothing || Number.isNaN(now.lat) || Number.isNaN(now.lon)) this.handler.lost();
    else this.handler.position(now);
    this.now = blankFix();
    this.nothing = false;
    this.begun = false;
  }

  private put(values: Partial<Record<FixNumber, string | undefined>>): boolean {
    const found: [FixNumber, number][] = [];
    for (const [name, text] of Object.entries(values) as [FixNumber, string | undefined][]) {
      const value = figure(text);
      if (value === null) return false;
      if (!Number.isNaN(value)) found.push([name, value]);
    }
    for (const [name, value] of found) this.now.numbers[name] = value;
    return true;
  }

  private place(lat?: string, ns?: string, lon?: string, ew?: string): boolean {
    const north = degrees(lat, ns, 90);
    const east = degrees(lon, ew, 180);
    if (north === null || east === null) return false;
    if (!Number.isNaN(north)) this.now.lat = north;
    if (!Number.isNaN(east)) this.now.lon = east;
    return true;
  }

  private height(text: string | undefined): boolean {
    const value = figure(text);
    if (value === null) return false;
    if (!Number.isNaN(value)) this.now.height = value;
    return true;
  }

  private gga(f: readonly string[]): boolean {
    const quality = /^\d$/.test(f[6] ?? '') ? Number(f[6]) : Number.NaN;
    if (Number.isNaN(quality) && (f[6] ?? '') !== '') return false;
    if (quality === 0) this.nothing = true;
    if (!this.place(f[2], f[3], f[4], f[5]) || !this.height(f[9])) return false;
    this.now.quality = qualities[quality] ?? null;
    if (quality === 2) this.now.fix = 'dgps';
    else if (quality === 3) this.now.fix = 'pps';
    return this.put({ sat: f[7], hdop: f[8], geoidheight: f[11], ageofdgpsdata: f[13], dgpsid: f[14] });
  }

  private gns(f: readonly string[]): boolean {
    // A letter for each system; N says that it gives no position.
    if (/^N+$/.test(f[6] ?? '')) this.nothing = true;
    if (!this.place(f[2], f[3], f[4], f[5]) || !this.height(f[9])) return false;
    return this.put({ sat: f[7], hdop: f[8], geoidheight: f[10], ageofdgpsdata: f[11], dgpsid: f[12] });
  }

  private rmc(f: readonly string[]): boolean {
    if (f[2] === 'V') this.nothing = true;
    const date = /^(\d{2})(\d{2})(\d{2})$/.exec(f[9] ?? '');
    if (date !== null) {
      const year = +date[3] + (+date[3] >= 80 ? 1900 : 2000);
      if (!this.dated(daysOf(year, +date[2], +date[1]))) return false;
    } else if ((f[9] ?? '') !== '') return false;
    if (!this.place(f[3], f[4], f[5], f[6]) || !this.motion(f[7], f[8])) return false;
    const variation = figure(f[10]);
    if (variation === null) return false;
    if (!Number.isNaN(variation))
      this.now.numbers.magvar = f[11] === 'W' ? (360 - variation) % 360 : variation;
    return true;
  }

  private gll(f: readonly string[]): boolean {
    if (f[6] === 'V') this.nothing = true;
    return this.place(f[1], f[2], f[3], f[4]);
  }

  private zda(f: readonly string[]): boolean {
    const [day, month, year] = [figure(f[2]), figure(f[3]), figure(f[4])];
    if (day === null || month === null || year === null) return false;
    if (!Number.isNaN(day + month + year) && !this.dated(daysOf(year, month, day))) return false;
    const hours = figure(f[5]);
    const minutes = figure(f[6]);
    if (hours === null || minutes === null) return false;
    // What is added to local time to get UTC (NMEA 0183, ZDA): the other way round than in ISO 8601.
    if (!Number.isNaN(hours) && (hours !== 0 || Math.abs(minutes) > 0)) {
      const two = (value: number) => String(Math.abs(value)).padStart(2, '0');
      this.zone = `${f[5].startsWith('-') ? '+' : '-'}${two(hours)}:${two(minutes || 0)}`;
    }
    return true;
  }

  private dated(day: number): boolean {
    if (Number.isNaN(day)) return false;
    if (Number.isNaN(this.firstDay)) this.firstDay = day;
    this.day = day;
    return true;
  }

  /** Speed in knots and course: kept as metres a second and degrees. */
  private motion(speed: string | undefined, course: string | undefined): boolean {
    const knots = figure(speed);
    const heading = figure(course);
    if (knots === null || heading === null) return false;
    if (!Number.isNaN(knots)) this.now.numbers.speed = Number((knots * knot).toFixed(4));
    if (!Number.isNaN(heading)) this.now.numbers.course = heading;
    return true;
  }

  private waypoint(f: readonly string[]): boolean {
    const lat = degrees(f[1], f[2], 90);
    const lon = degrees(f[3], f[4], 180);
    if (lat === null || lon === null || Number.isNaN(lat + lon)) return false;
    this.handler.waypoint(f[5] ?? '', lon, lat);
    return true;
  }

  private route(f: readonly string[]): boolean {
    if (!/^\d+$/.test(f[1] ?? '') || !/^\d+$/.test(f[2] ?? '')) return false;
    // A long route comes in several sentences.
    if (f[2] === '1') this.closeRoute();
    this.routeName = f[4] ?? '';
    this.routePoints.push(...f.slice(5).filter((name) => name !== ''));
    if (f[2] === f[1]) this.closeRoute();
    return true;
  }

  private closeRoute(): void {
    if (this.routePoints.length > 0) this.handler.route(this.routeName, this.routePoints);
    this.routePoints = [];
  }
}
