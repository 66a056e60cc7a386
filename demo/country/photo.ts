/** What the camera of the demo writes into a picture. */
export interface Shot {
  /** Milliseconds since 1970. */
  time: number;
  note: string;
  place: { lon: number; lat: number; height: number; direction: number } | null;
  /** Zone of its clock, two hours behind UTC; null where it does not say so. */
  zone: string | null;
}

/** A grey picture of 8 × 8 pixels (ITU-T T.81): one table of each kind, one block without detail. */
function greyPicture(): number[] {
  const quantisation = [0xff, 0xdb, 0, 67, 0, ...Array.from({ length: 64 }, () => 16)];
  const frame = [0xff, 0xc0, 0, 11, 8, 0, 8, 0, 8, 1, 1, 0x11, 0];
  const huffman = (kind: number) => [0xff, 0xc4, 0, 20, kind, 1, ...Array.from({ length: 15 }, () => 0), 0];
  const scan = [0xff, 0xda, 0, 8, 1, 1, 0, 0, 63, 0, 0x3f];
  return [...quantisation, ...frame, ...huffman(0), ...huffman(0x10), ...scan, 0xff, 0xd9];
}

type Value = { tag: number; type: number; count: number; bytes: number[] };

const two = (value: number) => [value >> 8, value & 255];
const four = (value: number) => [
  (value >>> 24) & 255,
  (value >>> 16) & 255,
  (value >>> 8) & 255,
  value & 255,
];
const ascii = (tag: number, text: string): Value => {
  const bytes = [...new TextEncoder().encode(`${text}\0`)];
  return { tag, type: 2, count: bytes.length, bytes };
};
const rationals = (tag: number, values: readonly (readonly [number, number])[]): Value => ({
  tag,
  type: 5,
  count: values.length,
  bytes: values.flatMap(([above, below]) => [...four(above), ...four(below)]),
});
const long = (tag: number, value: number): Value => ({ tag, type: 4, count: 1, bytes: four(value) });
const short = (tag: number, value: number): Value => ({
  tag,
  type: 3,
  count: 1,
  bytes: [...two(value), 0, 0],
});

/** A directory at a place of the TIFF structure (TIFF 6.0, section 2), with its values behind it. */
function directory(values: readonly Value[], at: number): number[] {
  let free = at + 2 + 12 * values.length + 4;
  const entries: number[] = [];
  const behind: number[] = [];
  for (const { tag, type, count, bytes } of values) {
    entries.push(...two(tag), ...two(type), ...four(count));
    if (bytes.length <= 4) entries.push(...bytes, ...Array.from({ length: 4 - bytes.length }, () => 0));
    else {
      entries.push(...four(free));
      const padded = bytes.length % 2 === 0 ? bytes : [...bytes, 0];
      behind.push(...padded);
      free += padded.length;
    }
  }
  return [...two(values.length), ...entries, ...four(0), ...behind];
}

const angle = (value: number): (readonly [number, number])[] => {
  const size = Math.abs(value);
  const degrees = Math.floor(size);
  const minutes = Math.floor((size - degrees) * 60);
  return [
    [degrees, 1],
    [minutes, 1],
    [Math.round(((size - degrees) * 60 - minutes) * 60 * 10_000), 10_000],
  ];
};

/** A JPEG with what a camera writes beside a picture (Exif 2.32). */
export function cameraPicture({ time, note, place, zone }: Shot): Uint8Array {
  const local = new Date(time - 7_200_000).toISOString();
  const clock = `${local.slice(0, 10).replaceAll('-', ':')} ${local.slice(11, 19)}`;
  const utc = new Date(time).toISOString();
  const exif = [ascii(0x9003, clock), ...(zone === null ? [] : [ascii(0x9011, zone)])];
  const gps =
    place === null
      ? null
      : [
          ascii(1, place.lat < 0 ? 'S' : 'N'),
          rationals(2, angle(place.lat)),
          ascii(3, place.lon < 0 ? 'W' : 'E'),
          rationals(4, angle(place.lon)),
          rationals(6, [[Math.round(place.height * 10), 10]]),
          rationals(7, [
            [Number(utc.slice(11, 13)), 1],
            [Number(utc.slice(14, 16)), 1],
            [Number(utc.slice(17, 19)), 1],
          ]),
          ascii(0x10, 'T'),
          rationals(0x11, [[place.direction, 1]]),
          ascii(0x12, 'WGS-84'),
          ascii(0x1d, utc.slice(0, 10).replaceAll('-', ':')),
        ];
  const first = (exifAt: number, gpsAt: number) => [
    ascii(0x10e, note),
    ascii(0x10f, 'Teskaria'),
    ascii(0x110, 'Field camera'),
    short(0x112, 1),
    long(0x8769, exifAt),
    ...(gps === null ? [] : [long(0x8825, gpsAt)]),
  ];
  const exifAt = 8 + directory(first(0, 0), 8).length;
  const gpsAt = exifAt + directory(exif, exifAt).length;
  const tiff = [
    0x4d,
    0x4d,
    0,
    42,
    ...four(8),
    ...directory(first(exifAt, gpsAt), 8),
    ...directory(exif, exifAt),
    ...(gps === null ? [] : directory(gps, gpsAt)),
  ];
  const segment = [0x45, 0x78, 0x69, 0x66, 0, 0, ...tiff];
  return Uint8Array.from([0xff, 0xd8, 0xff, 0xe1, ...two(segment.length + 2), ...segment, ...greyPicture()]);
}
