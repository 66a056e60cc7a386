import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rowsOf } from '../../src/core/index.ts';
import { sourceFromBytes } from '../../src/formats/bytes/byte-source.ts';
import { openSentences } from '../../src/formats/nmea/read.ts';
import { checksumOf, looksLikeSentences, SentenceReader } from '../../src/formats/nmea/sentences.ts';
import { formatOf } from '../../src/formats/register.ts';

const bytes = (text: string) => new TextEncoder().encode(text);
const sentence = (body: string) =>
  `$${body}*${checksumOf(body).toString(16).toUpperCase().padStart(2, '0')}\r\n`;

async function open(text: string) {
  const layers = await openSentences(sourceFromBytes(bytes(text), 'record.nmea'));
  const rows: Record<string, Record<string, unknown>[]> = {};
  for (const layer of layers) {
    rows[layer.name] = [];
    for await (const row of rowsOf(layer)) rows[layer.name].push(row);
  }
  // A record of one position has no line, and says so.
  const findings = layers.flatMap((layer) => layer.findings).filter(({ code }) => code !== 'segment-short');
  return { layers, rows, findings };
}

async function places(text: string, name: string): Promise<[number, number, number][]> {
  const { layers } = await open(text);
  const found: [number, number, number][] = [];
  for await (const { geometry } of layers.find((layer) => layer.name === name)!.batches())
    for (let v = 0; v < geometry!.vertexCount; v++)
      found.push([geometry!.xy[2 * v], geometry!.xy[2 * v + 1], geometry!.z?.[v] ?? Number.NaN]);
  return found;
}

/** The sentences by which the standard is explained everywhere. */
const explained =
  '$GPGGA,123519,4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,*47\r\n' +
  '$GPGSA,A,3,04,05,,09,12,,,24,,,,,2.5,1.3,2.1*39\r\n' +
  '$GPRMC,123519,A,4807.038,N,01131.000,E,022.4,084.4,230394,003.1,W*6A\r\n';

describe('sentences of a receiver (NMEA 0183)', () => {
  it('puts the sentences of one moment together', async () => {
    const { rows, findings } = await open(explained);
    expect(findings).toEqual([]);
    expect(rows.track_points).toEqual([
      {
        track: 1,
        track_name: '1994-03-23T12:35Z',
        segment: 1,
        point: 1,
        time: '1994-03-23T12:35:19Z',
        quality: 'autonomous',
        fix: '3d',
        sat: 8,
        hdop: 1.3,
        vdop: 2.1,
        pdop: 2.5,
        geoidheight: 46.9,
        speed: 11.5236,
        course: 84.4,
        magvar: 356.9,
      },
    ]);
    expect(await places(explained, 'track_points')).toEqual([[11 + 31 / 60, 48 + 7.038 / 60, 545.4]]);
  });

  it('verifies checksums, and counts what is broken with the reason', async () => {
    const good = sentence('GPGLL,4530.000,N,02950.000,W,101500,A');
    const text =
      explained +
      good.replace('4530', '4531') +
      `${good.slice(0, 20)}\r\n` +
      sentence('GPGLL,9530.000,N,02950.000,W,101501,A') +
      sentence('GPRMC,101502,A,4530.0,N,02950.0,W,1,2,320624,,') +
      'noise, without a beginning\r\n' +
      '$GPGLL,4530.000,N,$GPGLL,4530.000,N,02950.000,W,101503,A*00\r\n';
    const { findings } = await open(text);
    expect(findings.find(({ code }) => code === 'sentences-broken')?.words).toBe(
      'record.nmea: 7 of 10 sentences are broken and were left out: 2 with a wrong checksum, 3 cut short and 2 with values that cannot be.',
    );
  });

  it('refuses a record of which nothing is whole', async () => {
    await expect(open('$GPGGA,1*00\r\n$GPGGA,2*00\r\n')).rejects.toMatchObject({ code: 'sentences-damaged' });
  });

  it('takes sentences without checksums where none has one, and says so', async () => {
    const plain = explained.replace(/\*../g, '');
    const { rows, findings } = await open(plain);
    expect(rows.track_points).toHaveLength(1);
    expect(findings.map(({ code }) => code)).toEqual(['sentences-unchecked']);
  });

  it('ends a segment where the position was lost, and a track after half an hour', async () => {
    const at = (clock: string, status = 'A') =>
      sentence(`GPRMC,${clock},${status},4530.000,N,02950.000,W,1.0,90.0,140624,,`);
    const { rows, findings } = await open(
      at('100000') + at('100010') + at('100020', 'V') + at('100030') + at('100200') + at('110000'),
    );
    expect(rows.track_points.map(({ track, segment }) => [track, segment])).toEqual([
      [1, 1],
      [1, 1],
      [1, 2],
      [1, 3],
      [2, 1],
    ]);
    expect(rows.tracks.map(({ name, segments, points }) => [name, segments, points])).toEqual([
      ['2024-06-14T10:00Z', 3, 4],
      ['2024-06-14T11:00Z', 1, 1],
    ]);
    expect(findings.map(({ code }) => code)).toContain('positions-lost');
  });

  it('knows the date before it was told, and after midnight', async () => {
    const gga = (clock: string) =>
      sentence(`GNGGA,${clock},4530.000,N,02950.000,W,4,12,0.7,3.1,M,52.1,M,1.0,0031`);
    const { rows } = await open(gga('235950') + sentence('GPZDA,235958,14,06,2024,02,00') + gga('000004'));
    expect(rows.track_points.map(({ time }) => time)).toEqual([
      '2024-06-14T23:59:50Z',
      '2024-06-15T00:00:04Z',
    ]);
    expect(rows.track_points[0]).toMatchObject({
      zone: '-02:00',
      quality: 'fixed ambiguities',
      ageofdgpsdata: 1,
      dgpsid: 31,
    });
  });

  it('says that there is no date where nobody tells it', async () => {
    const { rows, findings } = await open(
      sentence('GPGGA,101500,4530.0,N,02950.0,W,1,08,0.9,3.2,M,52.1,M,,'),
    );
    expect(rows.track_points[0]).toMatchObject({ clock: '10:15:00Z' });
    expect(findings.map(({ code }) => code)).toEqual(['date-missing']);
  });

  it('reads waypoints, and routes over them', async () => {
    const text =
      sentence('GPWPL,4530.000,N,02950.000,W,A1') +
      sentence('GPWPL,4531.500,N,02949.000,W,B 2') +
      sentence('GPRTE,2,1,c,Round,A1') +
      sentence('GPRTE,2,2,c,Round,B 2,C3');
    const { rows, findings } = await open(text);
    expect(rows.waypoints).toEqual([{ name: 'A1' }, { name: 'B 2' }]);
    expect(rows.routes).toEqual([{ name: 'Round', points: 3 }]);
    expect(await places(text, 'routes')).toHaveLength(2);
    expect(findings.map(({ code }) => code)).toEqual(['route-points-unknown']);
  });

  it('takes standard errors, and passes over makers’ own sentences and those of ships', async () => {
    const text =
      `\\s:box*4E\\${explained}` +
      sentence('GPGST,123519,1.2,,,,0.8,0.6,2.4') +
      sentence('PXXX,1,2') +
      '!AIVDM,1,1,,A,13HOI:0P0000VOHLCnHQKwvL05Ip,0*23\r\n';
    const { rows, findings } = await open(text);
    expect(rows.track_points[0]).toMatchObject({ error_north: 0.8, error_east: 0.6, error_height: 2.4 });
    expect(findings).toEqual([]);
  });

  it('is recognised by its contents, also where the record begins within a sentence', async () => {
    const started = `${explained.slice(30)}${explained}`;
    expect(looksLikeSentences(bytes(started))).toBe(true);
    expect((await formatOf(sourceFromBytes(bytes(started), 'x.log')))?.name).toBe('nmea');
    expect(looksLikeSentences(bytes('price,$\n1,$2\n3,$4\n'))).toBe(false);
  });

  it('finds the same sentences however the stream is cut', () => {
    const text = bytes(
      explained + explained.replace('4807', '4808') + sentence('GPWPL,4530.000,N,02950.000,W,A1'),
    );
    const read = (cuts: readonly number[]) => {
      const found: string[] = [];
      const reader = new SentenceReader(
        (formatter, fields) => found.push(`${formatter} ${fields.join()}`) > 0,
      );
      let from = 0;
      for (const cut of [...cuts].sort((a, b) => a - b).concat(text.length)) {
        reader.push(text.subarray(from, cut));
        from = Math.max(from, cut);
      }
      reader.end();
      return { found, counts: reader.counts };
    };
    const whole = read([]);
    expect(whole.counts).toMatchObject({ all: 7, checksum: 1 });
    fc.assert(
      fc.property(fc.array(fc.nat(text.length), { maxLength: 12 }), (cuts) => {
        expect(read(cuts)).toEqual(whole);
      }),
    );
  });

  it('survives any bytes, and takes none of them for a sentence', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 4000 }), (noise) => {
        let taken = 0;
        const reader = new SentenceReader(() => ++taken > 0);
        reader.push(noise);
        reader.push(bytes(`\r\n${sentence('GPWPL,4530.000,N,02950.000,W,A1')}`));
        reader.end();
        expect(taken).toBeGreaterThanOrEqual(1);
        expect(reader.counts.all).toBeGreaterThanOrEqual(taken);
      }),
    );
  });
});
