import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { wgs84 } from '../../../src/core/crs/registry.ts';
import { type MotionLimits, motionOf, type Positions, usualLimits } from '../../../src/core/field/motion.ts';
import { geodesicRuler } from '../../../src/core/geometry/geodesic-ruler.ts';
import { planarRuler } from '../../../src/core/geometry/ruler.ts';
import { rowsOf } from '../../../src/core/index.ts';
import type { Layer } from '../../../src/core/layer/layer.ts';
import { placeAlong } from '../../../src/core/layer/verbs/along.ts';
import { layerMotion } from '../../../src/core/layer/verbs/motion.ts';
import { sourceFromBytes } from '../../../src/formats/bytes/byte-source.ts';
import { openGeojson } from '../../../src/formats/geojson/read.ts';

type Spot = [x: number, y: number, seconds: number, run?: number, height?: number];

function positions(spots: readonly Spot[], track = 1): Positions {
  return {
    length: spots.length,
    xy: Float64Array.from(spots.flatMap((spot) => spot.slice(0, 2) as number[])),
    height: Float64Array.from(spots.map((spot) => spot[4] ?? Number.NaN)),
    time: Float64Array.from(spots.map(([, , seconds]) => seconds * 1000)),
    run: Uint32Array.from(spots.map((spot) => spot[3] ?? 1)),
    track: new Uint32Array(spots.length).fill(track),
  };
}

const follow = (spots: readonly Spot[], limits: Partial<MotionLimits> = {}) =>
  motionOf(positions(spots), planarRuler(), { ...usualLimits, ...limits });

describe('motion', () => {
  it('gives distance, time, speed, heading and climb from point to point', () => {
    const found = follow([
      [0, 0, 0, 1, 10],
      [30, 40, 10, 1, 12],
      [30, 0, 20, 1, 9],
    ]);
    expect([...found.distance]).toEqual([Number.NaN, 50, 40]);
    expect([...found.speed]).toEqual([Number.NaN, 5, 4]);
    expect(found.heading[1]).toBeCloseTo((Math.atan2(30, 40) * 180) / Math.PI, 10);
    expect(found.heading[2]).toBe(180);
    expect([...found.climb]).toEqual([Number.NaN, 2, -3]);
    expect([...found.along]).toEqual([0, 50, 90]);
    expect([...found.elapsed]).toEqual([0, 10, 20]);
  });

  it('heads the way that a geodesic begins', () => {
    const ruler = geodesicRuler(wgs84());
    const found = motionOf(
      positions([
        [-29.9, 45.5, 0],
        [-29.899, 45.5007, 30],
      ]),
      ruler,
      usualLimits,
    );
    // Going so far in that direction along the ellipsoid leads there: an identity of its two geodesic problems.
    const into = new Float64Array(2);
    const heading = (found.heading[1] * Math.PI) / 180;
    ruler.away(-29.9, 45.5, Math.sin(heading), Math.cos(heading), found.distance[1], into);
    expect(Math.abs(into[0] + 29.899)).toBeLessThan(2e-8);
    expect(Math.abs(into[1] - 45.5007)).toBeLessThan(2e-8);
  });

  it('passes over a position that jumped, and measures from the last that did not', () => {
    const found = follow(
      [
        [0, 0, 0],
        [10, 0, 10],
        [900, 400, 20],
        [30, 0, 30],
        [40, 0, 40],
      ],
      { fastest: 4 },
    );
    expect([...found.jump]).toEqual([0, 0, 1, 0, 0]);
    expect(found.distance[3]).toBe(20);
    expect(found.seconds[3]).toBe(20);
    expect(found.along[4]).toBe(40);
    expect(found.counts.jumps).toBe(1);
  });

  it('takes the first position for the one that jumped where all others agree', () => {
    const found = follow(
      [
        [5000, 0, 0],
        [10, 0, 10],
        [20, 0, 20],
        [30, 0, 30],
      ],
      { fastest: 4 },
    );
    expect([...found.jump]).toEqual([1, 0, 0, 0]);
    expect(found.along[3]).toBe(20);
  });

  it('ends a leg at segments and at long pauses, and measures nothing across them', () => {
    const found = follow([
      [0, 0, 0],
      [10, 0, 10],
      [500, 0, 200],
      [510, 0, 210],
      [520, 0, 220, 2],
    ]);
    expect([...found.leg]).toEqual([1, 1, 2, 2, 3]);
    expect(found.counts.gaps).toBe(2);
    expect(found.along[4]).toBe(20);
    expect(found.distance[2]).toBeNaN();
  });

  it('finds where it stood', () => {
    const standing: Spot[] = Array.from({ length: 20 }, (_, k) => [100 + (k % 3), k % 2, 100 + 5 * k]);
    const walking: Spot[] = Array.from({ length: 20 }, (_, k) => [5 * k, 0, 5 * k]);
    const on: Spot[] = Array.from({ length: 10 }, (_, k) => [100 + 8 * (k + 1), 0, 200 + 5 * k]);
    const found = follow([...walking, ...standing, ...on], { stopWithin: 6, stopFor: 60 });
    expect(found.counts.stops).toBe(1);
    expect(found.stop[25]).toBe(1);
    expect(found.stop[5]).toBe(0);
    expect(found.stop[45]).toBe(0);
  });

  it('keeps its sums whatever it is given', () => {
    const spot = fc.tuple(
      fc.integer({ min: -2000, max: 2000 }),
      fc.integer({ min: -2000, max: 2000 }),
      fc.oneof(fc.integer({ min: 0, max: 4000 }), fc.constant(Number.NaN)),
      fc.integer({ min: 1, max: 3 }),
    );
    fc.assert(
      fc.property(fc.array(spot, { maxLength: 60 }), (spots) => {
        const found = follow(spots as Spot[], { fastest: 10 });
        let sum = 0;
        let jumps = 0;
        for (let k = 0; k < spots.length; k++) {
          if (found.jump[k] === 1) {
            jumps++;
            expect(found.distance[k]).toBeNaN();
            expect(found.stop[k]).toBe(0);
            continue;
          }
          sum += found.distance[k] || 0;
          expect(found.along[k]).toBeCloseTo(sum, 6);
        }
        expect(found.counts.jumps).toBe(jumps);
        // What is not told as a jump is not faster than the limit within a leg, but where it went on from a jump.
        const stops = new Set(found.stop);
        stops.delete(0);
        expect(stops.size).toBe(found.counts.stops);
      }),
    );
  });
});

async function layer(features: readonly object[], name = 'points'): Promise<Layer> {
  const text = JSON.stringify({ type: 'FeatureCollection', features });
  return (await openGeojson(sourceFromBytes(new TextEncoder().encode(text), `${name}.geojson`)))[0];
}

const point = (lon: number, lat: number, properties: object) => ({
  type: 'Feature',
  geometry: { type: 'Point', coordinates: [lon, lat] },
  properties,
});

async function rows(table: { batches: unknown }): Promise<Record<string, unknown>[]> {
  const found: Record<string, unknown>[] = [];
  for await (const row of rowsOf(table as never)) found.push(row);
  return found;
}

describe('the verbs motion and along', () => {
  const minute = (n: number) => `2024-06-14T09:${String(n).padStart(2, '0')}:00Z`;
  const track = () =>
    layer([
      point(0, 0, { time: minute(0), track: 1 }),
      point(0.001, 0, { time: minute(1), track: 1 }),
      point(0.002, 0, { time: minute(2), track: 1 }),
      point(1, 1, { time: minute(20), track: 2 }),
      point(1.001, 1, { time: minute(21), track: 2 }),
    ]);

  it('makes lines of legs, with the track that they are of', async () => {
    const lines = await layerMotion(await track(), { give: 'lines' });
    const found = await rows(lines);
    expect(found.map((row) => [row.track, row.points, row.seconds])).toEqual([
      [1, 3, 120],
      [2, 2, 60],
    ]);
    expect(found[0].distance).toBeCloseTo(222.639, 2);
    expect(lines.accounts.at(-1)?.sentence).toBe('Motion: 5 points in; 2 legs as lines, 0 jumps left out.');
  });

  it('puts rows with times on the track, and tells where it was not recorded', async () => {
    const photos = await layer([
      { type: 'Feature', geometry: null, properties: { photo: 'a', time: '2024-06-14T09:00:30Z' } },
      { type: 'Feature', geometry: null, properties: { photo: 'b', time: '2024-06-14T09:10:00Z' } },
      point(0.0012, 0, { photo: 'c', time: minute(1) }),
    ]);
    const placed = await placeAlong(photos, await track());
    const found = await rows(placed);
    expect(found.map((row) => row.placed)).toEqual(['the track', null, 'its own']);
    expect(found[2].track_metres).toBeCloseTo(22.264, 2);
    let x = Number.NaN;
    for await (const batch of placed.batches()) x = batch.geometry!.xy[0];
    expect(x).toBeCloseTo(0.0005, 12);
    expect(placed.accounts.at(-1)?.counts).toMatchObject({ in: 3, own: 1, track: 1, outside: 1 });
  });

  it('takes the clock of a camera back by what it is ahead', async () => {
    const photos = await layer([
      { type: 'Feature', geometry: null, properties: { photo: 'a', time: '2024-06-14T09:11:00Z' } },
    ]);
    const [row] = await rows(await placeAlong(photos, await track(), { ahead: 600 }));
    expect(row).toMatchObject({ placed: 'the track', track_seconds: 0 });
  });

  it('refuses what has no times, and limits that find nothing', async () => {
    const plain = await layer([point(0, 0, { time: 'morning' })]);
    await expect(rows(await layerMotion(plain))).rejects.toMatchObject({ code: 'motion-times' });
    await expect(layerMotion(await layer([point(0, 0, { time: 7 })]))).rejects.toMatchObject({
      code: 'motion-times',
    });
    await expect(layerMotion(await track(), { fastest: 0 })).rejects.toMatchObject({ code: 'motion-limit' });
    await expect(rows(await placeAlong(await track(), plain))).rejects.toMatchObject({
      code: 'motion-times',
    });
  });
});
