import { authalicLatitude } from '../auxiliary-latitudes.ts';
import { worldParameters } from './parameters.ts';
import { type Method, nowhere, pointwise } from './projection.ts';
import { solveOdd } from './pseudocylindrical.ts';

const [a1, a2, a3, a4] = [1.340264, -0.081106, 0.000893, 0.003796];
const root3 = Math.sqrt(3);
const highest = Math.PI / 3;

const height = (t: number) => {
  const t2 = t * t;
  const t6 = t2 * t2 * t2;
  return t * (a1 + a2 * t2 + t6 * (a3 + a4 * t2));
};
const slope = (t: number) => {
  const t2 = t * t;
  const t6 = t2 * t2 * t2;
  return a1 + 3 * a2 * t2 + t6 * (7 * a3 + 9 * a4 * t2);
};

/** Equal Earth on the ellipsoid (EPSG Guidance Note 7-2, 3.4.5; Šavrič, Patterson & Jenny 2018). */
export const equalEarth: Method = {
  name: 'equal-earth',
  epsg: 1078,
  title: 'Equal Earth',
  wkt1: 'Equal_Earth',
  parameters: worldParameters,
  keeps: 'areas',
  make(ellipsoid, p) {
    const authalic = authalicLatitude(ellipsoid);
    const r = authalic.radius;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const theta = Math.asin((root3 / 2) * authalic.sine(Math.sin(phi)));
        out[0] = (2 * root3 * r * lambda * Math.cos(theta)) / (3 * slope(theta));
        out[1] = r * height(theta);
      },
      (x, y, out) => {
        const theta = solveOdd(height, y / r, highest);
        if (Number.isNaN(theta)) return nowhere(out);
        const sine = Math.max(-1, Math.min(1, (2 * Math.sin(theta)) / root3));
        out[0] = (3 * x * slope(theta)) / (2 * root3 * r * Math.cos(theta));
        out[1] = authalic.latitude(sine, Math.sqrt((1 - sine) * (1 + sine)));
      },
    );
  },
};
