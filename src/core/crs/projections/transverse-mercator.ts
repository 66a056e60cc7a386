import { conformalLatitude, conformalSeries } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { sumSines } from '../latitude-series.ts';
import { falseOrigin, latitude, longitude, named, optional, scale } from './parameters.ts';
import { type Method, type MethodParameters, type Projection, pole, wrapped } from './projection.ts';

/** Krüger's series to n⁶ (Karney 2011, eqs. 12, 14, 35, 36): [A / a, α₁ … α₆, β₁ … β₆]. */
function kruegerSeries(n: number): { scale: number; alpha: Float64Array; beta: Float64Array } {
  const poly = (from: number, ...c: number[]) =>
    c.reduceRight((sum, value) => sum * n + value, 0) * n ** from;
  const alpha = Float64Array.of(
    poly(1, 1 / 2, -2 / 3, 5 / 16, 41 / 180, -127 / 288, 7891 / 37800),
    poly(2, 13 / 48, -3 / 5, 557 / 1440, 281 / 630, -1983433 / 1935360),
    poly(3, 61 / 240, -103 / 140, 15061 / 26880, 167603 / 181440),
    poly(4, 49561 / 161280, -179 / 168, 6601661 / 7257600),
    poly(5, 34729 / 80640, -3418889 / 1995840),
    poly(6, 212378941 / 319334400),
  );
  const beta = Float64Array.of(
    poly(1, 1 / 2, -2 / 3, 37 / 96, -1 / 360, -81 / 512, 96199 / 604800),
    poly(2, 1 / 48, 1 / 15, -437 / 1440, 46 / 105, -1118711 / 3870720),
    poly(3, 17 / 480, -37 / 840, -209 / 4480, 5569 / 90720),
    poly(4, 4397 / 161280, -11 / 504, -830251 / 7257600),
    poly(5, 4583 / 161280, -108847 / 3991680),
    poly(6, 20648693 / 638668800),
  );
  return { scale: poly(0, 1, 0, 1 / 4, 0, 1 / 64, 0, 1 / 256) / (1 + n), alpha, beta };
}

/**
 * Greatest η′ that is computed: there the series' first term left out is 0.3 mm on the earth's ellipsoids (nanometres at
 * 35° from the meridian). On the equator this is 64.8° from the central meridian.
 */
const reach = 1.5;
const reachTanh = Math.tanh(reach);
/** Greatest ξ: on the other side of a pole, as far as points are brought there. */
const farthest = (112 * Math.PI) / 180;
/** Latitude from which points beyond the pole, more than 90° from the meridian, have a place too. */
const nearPole = (69 * Math.PI) / 180;

/**
 * Transverse Mercator by Krüger's series (Karney 2011, "Transverse Mercator with an accuracy of a few nanometers").
 * Trigonometry is kept to six calls a point: sums of angles and double angles are made algebraically.
 */
function kruegerProjection(ellipsoid: Ellipsoid, p: MethodParameters): Projection {
  const n = ellipsoid.f / (2 - ellipsoid.f);
  const { scale, alpha, beta } = kruegerSeries(n);
  const { toConformal, toGeodetic } = conformalSeries(ellipsoid);
  const radius = p.scaleFactor * ellipsoid.a * scale;
  const origin = originNorthing();
  const { centralMeridian, falseEasting, falseNorthing } = p;

  function originNorthing(): number {
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const xi =
      Math.abs(p.latitudeOfOrigin) === Math.PI / 2
        ? p.latitudeOfOrigin
        : conformalLatitude(p.latitudeOfOrigin, e);
    return radius * (xi + sumSines(alpha, Math.sin(xi), Math.cos(xi)));
  }

  return {
    forward(xy, from, count) {
      const [a1, a2, a3, a4, a5, a6] = alpha;
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const lambda = wrapped(xy[k] - centralMeridian);
        const phi = xy[k + 1];
        const sp = Math.sin(phi);
        const cp = Math.cos(phi);
        // χ = φ + δ with small δ: its sine and cosine from those of φ.
        const d = sumSines(toConformal, sp, cp);
        const d2 = d * d;
        const sd = d * (1 - (d2 / 6) * (1 - d2 / 20));
        const cd = 1 - (d2 / 2) * (1 - (d2 / 12) * (1 - d2 / 30));
        const sc = sp * cd + cp * sd;
        const cc = cp * cd - sp * sd;
        const sl = Math.sin(lambda);
        const cl = Math.cos(lambda);
        const u = cc * cl;
        const w = cc * sl;
        if (
          !(w <= reachTanh && w >= -reachTanh && phi <= pole && phi >= -pole) ||
          (cl < 0 && phi < nearPole && phi > -nearPole)
        ) {
          xy[k] = NaN;
          xy[k + 1] = NaN;
          continue;
        }
        // sin 2ξ′, cos 2ξ′, sinh 2η′, cosh 2η′ without further calls.
        const h2 = sc * sc + u * u;
        // sin(ξ′ − χ) is small near the central meridian: then series take the place of two slow calls.
        const inverse = 1 / h2;
        const t = sc * cc * (1 - cl) * Math.sqrt(inverse);
        let xi: number;
        let eta: number;
        if (w < 0.1 && w > -0.1 && t < 0.04 && t > -0.04 && cl > 0) {
          const t2 = t * t;
          const w2 = w * w;
          xi =
            phi +
            d +
            t * (1 + t2 * (1 / 6 + t2 * (3 / 40 + t2 * (15 / 336 + t2 * (105 / 3456 + (t2 * 945) / 42240)))));
          eta =
            w *
            (1 +
              w2 *
                (1 / 3 +
                  w2 * (1 / 5 + w2 * (1 / 7 + w2 * (1 / 9 + w2 * (1 / 11 + w2 * (1 / 13 + w2 / 15)))))));
        } else {
          xi = Math.atan2(sc, u);
          eta = 0.5 * Math.log((1 + w) / (1 - w));
        }
        const s2 = 2 * sc * u * inverse;
        const c2 = (u - sc) * (u + sc) * inverse;
        const sh2 = 2 * w * inverse;
        const ch2 = (1 + w * w) * inverse;
        // Clenshaw's recurrence for Σ αₖ sin 2k(ξ′ + iη′) (complex).
        const zr = 2 * c2 * ch2;
        const zi = -2 * s2 * sh2;
        let yr = a6;
        let yi = 0;
        let pr = zr * yr + a5;
        let pi = zi * yr;
        let qr = zr * pr - zi * pi - yr + a4;
        let qi = zr * pi + zi * pr - yi;
        yr = zr * qr - zi * qi - pr + a3;
        yi = zr * qi + zi * qr - pi;
        pr = zr * yr - zi * yi - qr + a2;
        pi = zr * yi + zi * yr - qi;
        qr = zr * pr - zi * pi - yr + a1;
        qi = zr * pi + zi * pr - yi;
        const fr = s2 * ch2;
        const fi = c2 * sh2;
        xy[k] = radius * (eta + fr * qi + fi * qr) + falseEasting;
        xy[k + 1] = radius * (xi + fr * qr - fi * qi) - origin + falseNorthing;
      }
    },
    inverse(xy, from, count) {
      const [b1, b2, b3, b4, b5, b6] = beta;
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const eta = (xy[k] - falseEasting) / radius;
        const xi = (xy[k + 1] - falseNorthing + origin) / radius;
        if (!(eta <= reach && eta >= -reach && xi < farthest && xi > -farthest)) {
          xy[k] = NaN;
          xy[k + 1] = NaN;
          continue;
        }
        const sx = Math.sin(xi);
        const cx = Math.cos(xi);
        const ex = Math.exp(eta);
        const she = 0.5 * (ex - 1 / ex);
        const che = 0.5 * (ex + 1 / ex);
        const s2 = 2 * sx * cx;
        const c2 = (cx - sx) * (cx + sx);
        const sh2 = 2 * she * che;
        const ch2 = 1 + 2 * she * she;
        const zr = 2 * c2 * ch2;
        const zi = -2 * s2 * sh2;
        let yr = b6;
        let yi = 0;
        let pr = zr * yr + b5;
        let pi = zi * yr;
        let qr = zr * pr - zi * pi - yr + b4;
        let qi = zr * pi + zi * pr - yi;
        yr = zr * qr - zi * qi - pr + b3;
        yi = zr * qi + zi * qr - pi;
        pr = zr * yr - zi * yi - qr + b2;
        pi = zr * yi + zi * yr - qi;
        qr = zr * pr - zi * pi - yr + b1;
        qi = zr * pi + zi * pr - yi;
        const fr = s2 * ch2;
        const fi = c2 * sh2;
        const dx = fr * qr - fi * qi;
        const de = fr * qi + fi * qr;
        const sdx = Math.sin(dx);
        const cdx = Math.cos(dx);
        const sxp = sx * cdx - cx * sdx;
        const cxp = cx * cdx + sx * sdx;
        const shd = de * (1 + ((de * de) / 6) * (1 + ((de * de) / 20) * (1 + (de * de) / 42)));
        const chd = Math.sqrt(1 + shd * shd);
        const shp = she * chd - che * shd;
        const rho = Math.hypot(shp, cxp);
        const chi = Math.atan2(sxp, rho);
        const size = Math.hypot(sxp, rho);
        const phi = chi + sumSines(toGeodetic, sxp / size, rho / size);
        xy[k] = wrapped(Math.atan2(shp, cxp) + centralMeridian);
        xy[k + 1] = phi;
      }
    },
  };
}

const parameters = [latitude, longitude, scale, ...falseOrigin];

/** Transverse Mercator, Gauss–Krüger (EPSG Guidance Note 7-2, 3.5.3.1). */
export const transverseMercator: Method = {
  name: 'transverse-mercator',
  epsg: 9807,
  title: 'Transverse Mercator',
  wkt1: 'Transverse_Mercator',
  aliases: ['Gauss_Kruger', 'Transverse_Mercator_Complex'],
  parameters,
  keeps: 'angles',
  make: kruegerProjection,
};

/**
 * Transverse Mercator counted westwards and southwards (EPSG Guidance Note 7-2, 3.5.3.2): memory holds −W and −S, so that
 * east is to the right and north is up.
 */
export const transverseMercatorSouth: Method = {
  name: 'transverse-mercator-south',
  epsg: 9808,
  title: 'Transverse Mercator (South Orientated)',
  wkt1: 'Transverse_Mercator_South_Orientated',
  aliases: ['Transverse_Mercator_South_Oriented'],
  parameters,
  keeps: 'angles',
  make: (ellipsoid, p) =>
    kruegerProjection(ellipsoid, {
      ...p,
      falseEasting: 0 - p.falseEasting,
      falseNorthing: 0 - p.falseNorthing,
    }),
};

/**
 * Transverse Mercator in zones of equal width, the number of the zone in the millions of the easting (EPSG Guidance Note
 * 7-2, 3.5.3.3).
 */
export const transverseMercatorZoned: Method = {
  name: 'transverse-mercator-zoned',
  epsg: 9824,
  title: 'Transverse Mercator Zoned Grid System',
  wkt1: 'Transverse_Mercator_Zoned_Grid_System',
  parameters: [
    latitude,
    named('centralMeridian', 'initial_longitude', 'Initial longitude'),
    named('zoneWidth', 'zone_width', 'Zone width'),
    optional(scale, 1),
    ...falseOrigin,
  ],
  keeps: 'angles',
  make(ellipsoid, p) {
    const zone = kruegerProjection(ellipsoid, { ...p, centralMeridian: 0 });
    const zones = Math.round((2 * Math.PI) / p.zoneWidth);
    const middle = (number: number) => p.centralMeridian + (number - 0.5) * p.zoneWidth;
    return {
      forward(xy, from, count) {
        for (let k = from; k < from + count; k++) {
          const beyond = wrapped(xy[2 * k] - p.centralMeridian - Math.PI) + Math.PI;
          const number = Math.min(zones, Math.floor(beyond / p.zoneWidth) + 1);
          xy[2 * k] -= middle(number);
          zone.forward(xy, k, 1);
          xy[2 * k] += number * 1e6;
        }
      },
      inverse(xy, from, count) {
        for (let k = from; k < from + count; k++) {
          const number = Math.floor(xy[2 * k] / 1e6);
          if (!(number >= 1 && number <= zones)) {
            xy[2 * k] = NaN;
            continue;
          }
          xy[2 * k] -= number * 1e6;
          zone.inverse(xy, k, 1);
          xy[2 * k] = wrapped(xy[2 * k] + middle(number));
        }
      },
    };
  },
};
