import { parseTimestamp } from '../../core/table/time.ts';

/** What a camera wrote beside a picture (Exif 2.32, CIPA DC-008): numbers are NaN, texts null where nothing was. */
export interface PhotoNotes {
  lon: number;
  lat: number;
  /** Metres; above sea level, below it where negative. */
  height: number;
  /** Milliseconds since 1970 in UTC: of the satellites, else of the clock where its zone is told. */
  time: number;
  /** True where the satellites told the time. */
  timeOfSatellites: boolean;
  /** `2024-06-14T09:30:15` as the clock of the camera stood. */
  clock: string | null;
  /** `-02:00`, where the camera tells the zone of its clock. */
  zone: string | null;
  /** Where it looked, degrees from north. */
  direction: number;
  /** `T`: true north, `M`: magnetic north. */
  directionOf: string | null;
  /** Standard error of the position in metres. */
  error: number;
  dilution: number;
  satellites: string | null;
  datum: string | null;
  description: string | null;
  make: string | null;
  model: string | null;
  width: number;
  rows: number;
  orientation: number;
}

/** Bytes of one value by type (TIFF 6.0, section 2; Exif 2.32, section 4.6.2). */
const sizes = [0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8];
const mostEntries = 512;

interface Entry {
  type: number;
  count: number;
  at: number;
}

/** A TIFF structure in memory, as it stands in an Exif segment. Whatever lies outside of it is not there. */
class Directory {
  readonly entries = new Map<number, Entry>();
  private readonly view: DataView;
  private readonly little: boolean;

  constructor(view: DataView, little: boolean, at: number) {
    this.view = view;
    this.little = little;
    if (at + 2 > view.byteLength) return;
    const count = Math.min(view.getUint16(at, little), mostEntries);
    for (let k = 0; k < count; k++) {
      const p = at + 2 + 12 * k;
      if (p + 12 > view.byteLength) return;
      const type = view.getUint16(p + 2, little);
      const number = view.getUint32(p + 4, little);
      const length = (sizes[type] ?? 0) * number;
      if (length === 0) continue;
      const where = length <= 4 ? p + 8 : view.getUint32(p + 8, little);
      if (where + length <= view.byteLength)
        this.entries.set(view.getUint16(p, little), { type, count: number, at: where });
    }
  }

  text(tag: number): string | null {
    const entry = this.entries.get(tag);
    if (entry === undefined || (entry.type !== 2 && entry.type !== 7 && entry.type !== 1)) return null;
    const bytes = new Uint8Array(
      this.view.buffer,
      this.view.byteOffset + entry.at,
      Math.min(entry.count, 4096),
    );
    const end = bytes.indexOf(0);
    const text = new TextDecoder().decode(end < 0 ? bytes : bytes.subarray(0, end)).trim();
    return text === '' ? null : text;
  }

  /** Value k as a number; NaN where there is none. */
  number(tag: number, k = 0): number {
    const entry = this.entries.get(tag);
    if (entry === undefined || k >= entry.count) return Number.NaN;
    const { view, little } = this;
    const at = entry.at + k * sizes[entry.type];
    switch (entry.type) {
      case 1:
      case 7:
        return view.getUint8(at);
      case 3:
        return view.getUint16(at, little);
      case 4:
        return view.getUint32(at, little);
      case 5:
        return quotient(view.getUint32(at, little), view.getUint32(at + 4, little));
      case 9:
        return view.getInt32(at, little);
      case 10:
        return quotient(view.getInt32(at, little), view.getInt32(at + 4, little));
      default:
        return Number.NaN;
    }
  }

  below(tag: number): Directory | null {
    const at = this.number(tag);
    return Number.isNaN(at) ? null : new Directory(this.view, this.little, at);
  }
}

const quotient = (above: number, below: number) => (below === 0 ? Number.NaN : above / below);

/** Degrees, minutes and seconds with their side; NaN where they are none. */
function angle(gps: Directory, tag: number, side: string | null, most: number): number {
  const degrees = gps.number(tag, 0);
  const minutes = gps.number(tag, 1);
  const seconds = gps.number(tag, 2);
  const value =
    degrees + (Number.isNaN(minutes) ? 0 : minutes / 60) + (Number.isNaN(seconds) ? 0 : seconds / 3600);
  if (!(value <= most) || side === null) return Number.NaN;
  return /^[SW]/i.test(side) ? -value : value;
}

/** `2024:06:14 09:30:15` → `2024-06-14T09:30:15`; null where it is no time. */
function clockFrom(text: string | null, part: string | null): string | null {
  const found = /^(\d{4}):(\d{2}):(\d{2}) (\d{2}):(\d{2}):(\d{2})/.exec(text ?? '');
  if (found === null) return null;
  const clock = `${found[1]}-${found[2]}-${found[3]}T${found[4]}:${found[5]}:${found[6]}${/^\d{1,3}$/.test(part ?? '') ? `.${part}` : ''}`;
  return Number.isNaN(parseTimestamp(`${clock}Z`)) ? null : clock;
}

function satelliteTime(gps: Directory): number {
  const date = /^(\d{4}):(\d{2}):(\d{2})$/.exec(gps.text(0x1d) ?? '');
  const [hour, minute, second] = [gps.number(7, 0), gps.number(7, 1), gps.number(7, 2)];
  if (date === null || Number.isNaN(hour + minute + second)) return Number.NaN;
  const midnight = parseTimestamp(`${date[1]}-${date[2]}-${date[3]}T00:00:00Z`);
  return midnight + Math.round(((hour * 60 + minute) * 60 + second) * 1000);
}

/** Where the TIFF structure of the Exif segment begins and ends; null where there is none. */
function segmentOf(bytes: Uint8Array): { from: number; to: number } | null {
  if (bytes[0] !== 0xff || bytes[1] !== 0xd8) return null;
  for (let at = 2; at + 4 <= bytes.length && bytes[at] === 0xff; ) {
    const marker = bytes[at + 1];
    const length = (bytes[at + 2] << 8) | bytes[at + 3];
    // Where the picture itself begins, no segment follows.
    if (marker === 0xda || length < 2) return null;
    const isExif =
      marker === 0xe1 &&
      bytes[at + 4] === 0x45 &&
      bytes[at + 5] === 0x78 &&
      bytes[at + 6] === 0x69 &&
      bytes[at + 7] === 0x66;
    if (isExif) return { from: at + 10, to: Math.min(bytes.length, at + 2 + length) };
    at += 2 + length;
  }
  return null;
}

/** Reads what a camera wrote into a JPEG; null where there is no Exif segment. @param bytes its first bytes, 128 KiB or more */
export function photoNotes(bytes: Uint8Array): PhotoNotes | null {
  const segment = segmentOf(bytes);
  if (segment === null || segment.to - segment.from < 8) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset + segment.from, segment.to - segment.from);
  const order = view.getUint16(0);
  if (order !== 0x4949 && order !== 0x4d4d) return null;
  const little = order === 0x4949;
  const first = new Directory(view, little, view.getUint32(4, little));
  const exif = first.below(0x8769);
  const gps = first.below(0x8825);
  const clock = clockFrom(exif?.text(0x9003) ?? first.text(0x132), exif?.text(0x9291) ?? null);
  const offset = exif?.text(0x9011) ?? exif?.text(0x9010) ?? null;
  const zone = offset !== null && /^[+-]\d{2}:\d{2}$/.test(offset) ? offset : null;
  const told = gps === null ? Number.NaN : satelliteTime(gps);
  const byClock = clock === null || zone === null ? Number.NaN : parseTimestamp(`${clock}${zone}`);
  const lat = gps === null ? Number.NaN : angle(gps, 2, gps.text(1), 90);
  const lon = gps === null ? Number.NaN : angle(gps, 4, gps.text(3), 180);
  const placed = !Number.isNaN(lat + lon) && gps?.text(9) !== 'V';
  const height = gps?.number(6) ?? Number.NaN;
  return {
    lon: placed ? lon : Number.NaN,
    lat: placed ? lat : Number.NaN,
    height: gps?.number(5) === 1 ? -height : height,
    time: Number.isNaN(told) ? byClock : told,
    timeOfSatellites: !Number.isNaN(told),
    clock,
    zone,
    direction: gps?.number(0x11) ?? Number.NaN,
    directionOf: gps?.text(0x10) ?? null,
    error: gps?.number(0x1f) ?? Number.NaN,
    dilution: gps?.number(0x0b) ?? Number.NaN,
    satellites: gps?.text(8) ?? null,
    datum: gps?.text(0x12) ?? null,
    description: first.text(0x10e),
    make: first.text(0x10f),
    model: first.text(0x110),
    width: exif?.number(0xa002) ?? Number.NaN,
    rows: exif?.number(0xa003) ?? Number.NaN,
    orientation: first.number(0x112),
  };
}
