import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cameraPicture } from '../../demo/country/photo.ts';
import { rowsOf } from '../../src/core/index.ts';
import { sourceFromBytes } from '../../src/formats/bytes/byte-source.ts';
import { photoNotes } from '../../src/formats/photo/exif.ts';
import { openPhoto } from '../../src/formats/photo/read.ts';
import { formatOf } from '../../src/formats/register.ts';
import { demoFolder } from '../support/demo-study.ts';

const photos = join(demoFolder, 'data', 'receiver', 'photos');
const file = (name: string) => readFileSync(join(photos, name));

describe('photos (Exif)', () => {
  it('gives what a camera wrote: place, time of the satellites, direction', async () => {
    const layer = await openPhoto(sourceFromBytes(file('weir-01.jpg'), 'photos/weir-01.jpg'));
    const rows: Record<string, unknown>[] = [];
    for await (const row of rowsOf(layer)) rows.push(row);
    expect(rows).toEqual([
      {
        photo: 'weir-01.jpg',
        time: '2024-06-14T11:32:40Z',
        zone: '-02:00',
        clock: '2024-06-14T09:32:40',
        direction: 346,
        accuracy: null,
        hdop: null,
        sat: null,
        desc: 'Weir, upper side',
        camera: 'Teskaria Field camera',
      },
    ]);
    expect(layer.findings).toEqual([]);
  });

  it('takes the clock with its zone where no satellite told the time, and no time where there is no zone', () => {
    const zone = photoNotes(file('weir-02.jpg'))!;
    expect(zone).toMatchObject({ zone: '-02:00', timeOfSatellites: false, lat: Number.NaN });
    expect(new Date(zone.time).toISOString().slice(0, 10)).toBe('2024-06-14');
    const clock = photoNotes(file('bank-03.jpg'))!;
    expect(clock.clock).toBe('2024-06-14T09:25:10');
    expect(clock.time).toBeNaN();
  });

  it('is a layer only where the camera knew where it stood', async () => {
    const format = async (bytes: Uint8Array) => (await formatOf(sourceFromBytes(bytes, 'a.jpg')))?.name;
    expect(await format(file('weir-01.jpg'))).toBe('photo');
    expect(await format(file('weir-02.jpg'))).toBeUndefined();
    await expect(
      openPhoto(sourceFromBytes(Uint8Array.from([0xff, 0xd8, 0xff, 0xd9]), 'a.jpg')),
    ).rejects.toMatchObject({ code: 'photo-unreadable' });
  });

  it('finds the place again that was written, to a few centimetres', () => {
    const degrees = (most: number) => fc.double({ min: -most, max: most, noNaN: true });
    fc.assert(
      fc.property(degrees(180), degrees(90), (lon, lat) => {
        const notes = photoNotes(
          cameraPicture({
            time: 1_718_350_000_000,
            note: 'x',
            zone: null,
            place: { lon, lat, height: 2, direction: 10 },
          }),
        )!;
        expect(Math.abs(notes.lon - lon)).toBeLessThan(2e-8);
        expect(Math.abs(notes.lat - lat)).toBeLessThan(2e-8);
        expect(notes.time).toBe(1_718_350_000_000);
      }),
    );
  });

  it('reads a damaged photo without harm', () => {
    const whole = file('weir-01.jpg');
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(whole.length - 1), fc.nat(255)), { maxLength: 12 }),
        fc.nat(whole.length),
        (changes, length) => {
          const bytes = Uint8Array.from(whole);
          for (const [at, value] of changes) bytes[at] = value;
          const notes = photoNotes(bytes.subarray(0, length));
          if (notes !== null && !Number.isNaN(notes.lat)) expect(Math.abs(notes.lat)).toBeLessThanOrEqual(90);
        },
      ),
    );
  });
});
