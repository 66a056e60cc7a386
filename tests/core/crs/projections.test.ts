import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { datumStep } from '../../../src/core/crs/datum-step.ts';
import { distortionAt } from '../../../src/core/crs/distortion.ts';
import { fromGeocentric, toGeocentric } from '../../../src/core/crs/geocentric.ts';
import {
  crsByEpsg,
  crsByNumber,
  crsLabel,
  type GeographicCrs,
  methodNamed,
  methods,
  type ProjectedCrs,
  registryCodes,
  transformer,
} from '../../../src/core/index.ts';
import { degreesUnder } from '../../truth/frames.ts';
import { type Example, examples } from '../../truth/guidance-examples.ts';

const degree = Math.PI / 180;
function crsOf({ code, method, definition }: Example): ProjectedCrs {
  if (code !== undefined) return crsByEpsg(code) as ProjectedCrs;
  const [a, inverse] = definition!.ellipsoid;
  const base: GeographicCrs = {
    kind: 'geographic',
    name: 'own',
    datum: 'Own_of_the_example',
    ellipsoid: { name: 'own', a, f: 1 / inverse },
    primeMeridian: 0,
    unit: degree,
    unitName: 'degree',
    shift: null,
  };
  const { parameters, unit = 1 } = definition!;
  return { kind: 'projected', name: 'own', base, method, parameters, unit, unitName: 'own' };
}

/** One CRS of every method: from the registry where it has one, else of the examples. */
const ofMethods = new Map<string, ProjectedCrs>();
const projected = registryCodes()
  .map((code) => crsByNumber(code)!)
  .filter((crs): crs is ProjectedCrs => crs.kind === 'projected');
for (const crs of projected) if (!ofMethods.has(crs.method)) ofMethods.set(crs.method, crs);
for (const example of examples)
  if (!ofMethods.has(example.method)) ofMethods.set(example.method, crsOf(example));

describe('the worked examples of the guidance note', () => {
  it.each(examples.map((each) => [each.method, each] as const))('%s', (method, example) => {
    const crs = crsOf(example);
    expect(crs.method).toBe(method);
    const base = degreesUnder(crs, example.meridian);
    const xy = Float64Array.of(example.longitude, example.latitude);
    transformer(base, crs).transform(xy);
    // As many digits as are printed.
    const off = 0.6 * 10 ** -example.digits;
    expect(Math.abs(xy[0] - example.easting), `easting ${xy[0]}`).toBeLessThan(off);
    expect(Math.abs(xy[1] - example.northing), `northing ${xy[1]}`).toBeLessThan(off);
    transformer(crs, base).transform(xy);
    expect(xy[0]).toBeCloseTo(example.longitude, 9);
    expect(xy[1]).toBeCloseTo(example.latitude, 9);
  });
});

/** The middle of where a method's CRS is used, and the spread that is looked at. */
function placesOf(crs: ProjectedCrs): [number, number][] {
  const [west, south, e, north] = crs.area ?? [-20, 20, 20, 60];
  const east = e < west ? e + 360 : e;
  const places: [number, number][] = [];
  for (const u of [0.23, 0.51, 0.78])
    for (const v of [0.27, 0.52, 0.74]) {
      const latitude = Math.max(-80, Math.min(80, south + v * (north - south)));
      places.push([west + u * (east - west), latitude]);
    }
  return places;
}

describe('what a method keeps', () => {
  const of = (keeps: string) =>
    methods.filter((method) => method.keeps === keeps && ofMethods.has(method.name)).map(({ name }) => name);

  it.each(of('angles'))('%s keeps angles', (name) => {
    const crs = ofMethods.get(name)!;
    const at = distortionAt(spherical(crs));
    const found = placesOf(crs)
      .map(([lon, lat]) => at(lon, lat))
      .filter((each) => each !== null);
    expect(found.length).toBeGreaterThan(2);
    // The map grid of New Zealand keeps them to the digits of its coefficients.
    const most = name === 'new-zealand-map-grid' ? 1e-4 : 5e-6;
    for (const each of found) expect(each.angle, `${each.longitude}, ${each.latitude}`).toBeLessThan(most);
  });

  it.each(of('areas'))('%s keeps areas', (name) => {
    const crs = ofMethods.get(name)!;
    const at = distortionAt(spherical(crs));
    const found = placesOf(crs)
      .map(([lon, lat]) => at(lon, lat))
      .filter((each) => each !== null);
    expect(found.length).toBeGreaterThan(2);
    const [first] = found;
    for (const each of found) expect(each.areaScale / first.areaScale, `${each.longitude}`).toBeCloseTo(1, 6);
  });

  it('the gnomonic shows great circles as straight lines, the equidistant true distances from the centre', () => {
    const gnomonic = spherical(ofMethods.get('gnomonic')!);
    const through = transformer(degreesUnder(gnomonic), gnomonic);
    // Three points of one great circle: one halfway between the others, as vectors.
    const place = (lon: number, lat: number) => [
      Math.cos(lat * degree) * Math.cos(lon * degree),
      Math.cos(lat * degree) * Math.sin(lon * degree),
      Math.sin(lat * degree),
    ];
    const [a, b] = [place(10, 60), place(80, 40)];
    const middle = a.map((v, k) => v + b[k]);
    const xy = Float64Array.of(
      10,
      60,
      80,
      40,
      Math.atan2(middle[1], middle[0]) / degree,
      Math.atan2(middle[2], Math.hypot(middle[0], middle[1])) / degree,
    );
    through.transform(xy);
    const cross = (xy[2] - xy[0]) * (xy[5] - xy[1]) - (xy[3] - xy[1]) * (xy[4] - xy[0]);
    expect(Math.abs(cross) / Math.hypot(xy[2] - xy[0], xy[3] - xy[1])).toBeLessThan(1e-6);
  });
});

/** Methods of the sphere are looked at on it: angles and areas on the ellipsoid are another matter. */
function spherical(crs: ProjectedCrs): ProjectedCrs {
  if (methodNamed(crs.method)!.spherical !== true) return crs;
  const ellipsoid = { name: 'sphere', a: crs.base.ellipsoid.a, f: 0 };
  return { ...crs, code: undefined, base: { ...crs.base, code: undefined, ellipsoid } };
}

/** Complex numbers for the check of the Transverse Mercator. */
type C = [re: number, im: number];
const mul = ([a, b]: C, [c, d]: C): C => [a * c - b * d, a * d + b * c];
const div = ([a, b]: C, [c, d]: C): C => {
  const s = c * c + d * d;
  return [(a * c + b * d) / s, (b * c - a * d) / s];
};
const sinC = ([a, b]: C): C => [Math.sin(a) * Math.cosh(b), Math.cos(a) * Math.sinh(b)];
const cosC = ([a, b]: C): C => [Math.cos(a) * Math.cosh(b), -Math.sin(a) * Math.sinh(b)];
const logC = ([a, b]: C): C => [Math.log(Math.hypot(a, b)), Math.atan2(b, a)];
const atanhC = (z: C): C => {
  const [re, im] = logC(div([1 + z[0], z[1]], [1 - z[0], -z[1]]));
  return [re / 2, im / 2];
};

/**
 * Transverse Mercator without a series: the meridian's length as a function of the isometric latitude, continued to complex
 * numbers (conformal, and true along the meridian: there is only one such function). Gauss–Legendre in the complex plane.
 */
function transverseMercator(lambda: number, phi: number, a: number, f: number): [x: number, y: number] {
  const e2 = f * (2 - f);
  const e = Math.sqrt(e2);
  const isometric = (z: C): C => {
    const s = sinC(z);
    const [r, i] = atanhC(s);
    const [p, q] = atanhC([e * s[0], e * s[1]]);
    return [r - e * p, i - e * q];
  };
  const wanted: C = [isometric([phi, 0])[0], lambda];
  // Newton: dψ/dφ = (1 − e²) / ((1 − e² sin² φ) cos φ). On the sphere φ = asin(tanh(ψ + iλ)) is near.
  let z: C = (() => {
    const [p, l] = wanted;
    const below = Math.cosh(2 * p) + Math.cos(2 * l);
    const t: C = [Math.sinh(2 * p) / below, Math.sin(2 * l) / below];
    // asin t = −i log(i t + √(1 − t²))
    const [u, v] = mul(t, t);
    const root: C = (() => {
      const [lr, li] = logC([1 - u, -v]);
      const m = Math.exp(lr / 2);
      return [m * Math.cos(li / 2), m * Math.sin(li / 2)];
    })();
    const [lr, li] = logC([root[0] - t[1], root[1] + t[0]]);
    return [li, -lr];
  })();
  for (let step = 0; step < 50; step++) {
    const now = isometric(z);
    const s = sinC(z);
    const s2 = mul(s, s);
    const slope = div([1 - e2, 0], mul([1 - e2 * s2[0], -e2 * s2[1]], cosC(z)));
    const change = div([now[0] - wanted[0], now[1] - wanted[1]], slope);
    z = [z[0] - change[0], z[1] - change[1]];
    if (Math.hypot(...change) < 1e-16) break;
  }
  // ∫₀^z a (1 − e²) (1 − e² sin² t)^(−3/2) dt along the straight way, Simpson's rule with many steps.
  const pieces = 400;
  let sum: C = [0, 0];
  const value = (t: C): C => {
    const s2 = mul(sinC(t), sinC(t));
    const [lr, li] = logC([1 - e2 * s2[0], -e2 * s2[1]]);
    const m = Math.exp(-1.5 * lr);
    return [m * Math.cos(-1.5 * li), m * Math.sin(-1.5 * li)];
  };
  for (let k = 0; k <= pieces; k++) {
    const weight = k === 0 || k === pieces ? 1 : k % 2 === 1 ? 4 : 2;
    const [r, i] = value([(z[0] * k) / pieces, (z[1] * k) / pieces]);
    sum = [sum[0] + weight * r, sum[1] + weight * i];
  }
  const whole = mul(z, sum);
  const scale = (a * (1 - e2)) / (3 * pieces);
  return [whole[1] * scale, whole[0] * scale];
}

describe('the Transverse Mercator far from its meridian', () => {
  const crs: ProjectedCrs = {
    kind: 'projected',
    name: 'own',
    base: crsByEpsg(4326) as GeographicCrs,
    method: 'transverse-mercator',
    parameters: {
      latitudeOfOrigin: 0,
      centralMeridian: 0,
      scaleFactor: 1,
      falseEasting: 0,
      falseNorthing: 0,
    },
    unit: 1,
    unitName: 'metre',
  };
  const there = transformer(crs.base, crs);

  it.each([
    [3, 45],
    [30, 10],
    [55, 0],
    [62, 0],
    [64.5, 0],
    [75, 50],
    [85, 70],
  ])('%i° east, %i° north is exact to a millimetre', (lon, lat) => {
    const xy = Float64Array.of(lon, lat);
    there.transform(xy);
    const [x, y] = transverseMercator(lon * degree, lat * degree, 6378137, 1 / 298.257223563);
    expect(Math.abs(xy[0] - x)).toBeLessThan(1e-3);
    expect(Math.abs(xy[1] - y)).toBeLessThan(1e-3);
  });

  it.each([
    [75, 0],
    [89, 10],
    [140, 20],
    [180, 0],
  ])('%i° east, %i° north is refused', (lon, lat) => {
    const xy = Float64Array.of(lon, lat);
    expect(there.transform(xy)).toBe(1);
    expect(xy[0]).toBeNaN();
  });
});

describe('domains', () => {
  const all = [...ofMethods.values()];

  it('no method takes a latitude beyond 90, and no inverse gives a place that is none', () => {
    for (const crs of all) {
      const there = transformer(degreesUnder(crs), crs);
      const back = transformer(crs, degreesUnder(crs));
      for (const [lon, lat] of [
        [500_000, 4_500_000],
        [10, 90.5],
        [10, -95],
        [Number.NaN, 4],
        [4, Number.POSITIVE_INFINITY],
      ]) {
        const xy = Float64Array.of(lon, lat);
        expect(there.transform(xy), `${crs.method} ${lon} ${lat}`).toBe(1);
        expect([...xy]).toEqual([Number.NaN, Number.NaN]);
      }
      for (const [x, y] of [
        [1e279, 1e279],
        [-1e12, 3e11],
        [1e8, -1e8],
        [Number.NaN, 1],
        [0, Number.NEGATIVE_INFINITY],
        [3e7, 2e6],
      ]) {
        const xy = Float64Array.of(x, y);
        back.transform(xy);
        if (Number.isNaN(xy[0])) continue;
        expect(Math.abs(xy[0]), `${crs.method} from ${x}, ${y}`).toBeLessThanOrEqual(180 + 1e-9);
        expect(Math.abs(xy[1]), `${crs.method} from ${x}, ${y}`).toBeLessThanOrEqual(90 + 1e-9);
      }
    }
  });

  it('any coordinates come back as a place or as none, and what comes back goes there again', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...all),
        fc.double({ min: -3e7, max: 3e7, noNaN: true }),
        fc.double({ min: -3e7, max: 3e7, noNaN: true }),
        (crs, x, y) => {
          const frame = degreesUnder(crs);
          const xy = Float64Array.of(x, y);
          transformer(crs, frame).transform(xy);
          if (Number.isNaN(xy[0])) return;
          expect(Math.abs(xy[0])).toBeLessThanOrEqual(180 + 1e-9);
          expect(Math.abs(xy[1])).toBeLessThanOrEqual(90 + 1e-9);
        },
      ),
      { numRuns: 3000 },
    );
  });

  it('degrees that are none are refused between geographic CRSs too, on one datum and on two', () => {
    for (const [from, to] of [
      [4326, 4258],
      [4326, 4277],
      [4807, 4275],
      [4269, 4326],
    ]) {
      const xy = Float64Array.of(500_000, 4_500_000, 2, 48);
      expect(transformer(crsByEpsg(from)!, crsByEpsg(to)!).transform(xy)).toBe(1);
      expect(xy[0]).toBeNaN();
      expect(xy[2]).not.toBeNaN();
    }
  });
});

describe('round trips', () => {
  it('of random places in the area of use of every projected CRS of the registry', () => {
    let seed = 20_261_130;
    const random = () => {
      seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
      return seed / 2_147_483_648;
    };
    const bad: string[] = [];
    const without = new Map<string, number>();
    for (const crs of projected) {
      const frame = degreesUnder(crs);
      const there = transformer(frame, crs);
      const back = transformer(crs, frame);
      const [west, south, e, north] = crs.area ?? [-180, -90, 180, 90];
      const east = e < west ? e + 360 : e;
      for (let k = 0; k < 4; k++) {
        const lon = west + random() * (east - west);
        const lat = Math.max(-89.5, Math.min(89.5, south + random() * (north - south)));
        const xy = Float64Array.of(lon, lat);
        if (there.transform(xy) > 0) {
          without.set(crs.method, (without.get(crs.method) ?? 0) + 1);
          continue;
        }
        back.transform(xy);
        const turn = ((xy[0] - lon + 900) % 360) - 180;
        const off = Math.hypot(turn * Math.cos(lat * degree), xy[1] - lat);
        if (!(off < 1e-9) && !/geostationary|polyconic/.test(crs.method))
          bad.push(`${crsLabel(crs)} at ${lon}, ${lat}: ${off}`);
      }
    }
    expect(bad).toEqual([]);
    // Only views of a hemisphere, and one series of the world, do not show all of what they are said to be used for.
    expect([...without.keys()].sort()).toEqual(
      [...without.keys()]
        .filter((name) => /perspective|orthographic|geostationary|cassini/.test(name))
        .sort(),
    );
  });
});

describe('the step between two datums', () => {
  it('agrees with the way over geocentric coordinates to a micrometre, anywhere', () => {
    const pairs = [
      [4277, 4326],
      [4314, 4258],
      [4688, 4326],
      [4289, 4230],
      [4247, 4326],
    ].map(([a, b]) => [crsByEpsg(a) as GeographicCrs, crsByEpsg(b) as GeographicCrs] as const);
    fc.assert(
      fc.property(
        fc.constantFrom(...pairs),
        fc.double({ min: -Math.PI, max: Math.PI, noNaN: true }),
        fc.double({ min: -1.57, max: 1.57, noNaN: true }),
        ([a, b], lambda, phi) => {
          const xy = Float64Array.of(lambda, phi);
          datumStep(a, b)(xy, 0, 1);
          const turned = shifted(toGeocentric(a.ellipsoid, lambda, phi), a, 1);
          const [l, p] = fromGeocentric(b.ellipsoid, ...shifted(turned, b, -1));
          const dl = xy[0] - l - 2 * Math.PI * Math.round((xy[0] - l) / (2 * Math.PI));
          expect(Math.hypot(dl * Math.cos(phi), xy[1] - p) * 6.4e6).toBeLessThan(1e-6);
        },
      ),
    );
  });

  it('goes the long way for a shift that no datum has', () => {
    const own = { ...(crsByEpsg(4326) as GeographicCrs), code: undefined, datum: 'Own', name: 'Own' };
    own.shift = { ...own.shift!, tx: 900_000, ty: -400_000, tz: 250_000, rz: 3000 };
    const xy = Float64Array.of(0.3, 0.8);
    datumStep(own, crsByEpsg(4326) as GeographicCrs)(xy, 0, 1);
    const [l, p] = fromGeocentric(own.ellipsoid, ...shifted(toGeocentric(own.ellipsoid, 0.3, 0.8), own, 1));
    expect(xy[0]).toBeCloseTo(l, 12);
    expect(xy[1]).toBeCloseTo(p, 12);
  });

  it('takes ellipsoids that differ by a tenth of a millimetre as they are', () => {
    const xy = Float64Array.of(10, 45);
    transformer(crsByEpsg(4258)!, crsByEpsg(4326)!).transform(xy);
    // Δφ = Δf sin 2φ: 0.105 mm at 45°.
    const moved = (xy[1] - 45) * degree * 6.37e6;
    expect(Math.abs(moved - (1 / 298.257223563 - 1 / 298.257222101) * 6.37e6)).toBeLessThan(1e-6);
    expect(xy[0]).toBe(10);
  });
});

/** The seven parameters written out, about their pivot, one way or by iteration the other (GN 7-2, 4.3.3). */
function shifted(
  [x, y, z]: readonly [number, number, number],
  { shift }: GeographicCrs,
  direction: 1 | -1,
): [number, number, number] {
  const { tx, ty, tz, rx, ry, rz, ppm, pivot = [0, 0, 0] } = shift!;
  const second = degree / 3600;
  const m = 1 + ppm * 1e-6;
  const [px, py, pz] = pivot;
  const apply = (u: number, v: number, w: number): [number, number, number] => [
    m * (u - px - rz * second * (v - py) + ry * second * (w - pz)) + px + tx,
    m * (rz * second * (u - px) + v - py - rx * second * (w - pz)) + py + ty,
    m * (-ry * second * (u - px) + rx * second * (v - py) + w - pz) + pz + tz,
  ];
  if (direction === 1) return apply(x, y, z);
  let at: [number, number, number] = [x, y, z];
  for (let k = 0; k < 40; k++) {
    const [u, v, w] = apply(...at);
    at = [at[0] + x - u, at[1] + y - v, at[2] + z - w];
  }
  return at;
}
