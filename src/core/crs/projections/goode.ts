import { worldParameters } from './parameters.ts';
import { type Method, type MethodParameters, nowhere, pointwise } from './projection.ts';
import { mollweideParallels as mollweide } from './pseudocylindrical.ts';

const degrees = Math.PI / 180;

/** Where sinusoidal and Mollweide have parallels of one length (Goode 1925): 40°44′11.8″. */
const seam = (40 + 44 / 60 + 11.8 / 3600) * degrees;
/** What Mollweide's parallels are shifted by, so that the two meet. */
const lift = seam - mollweide.height(mollweide.parameter(seam));

/** A lobe: west, east and its own meridian, degrees from the map's. */
type Lobe = readonly [west: number, east: number, middle: number];

/** Parts of the globe that the interrupted maps show in one piece: west, south, east, north in degrees from the meridian. */
export const lobes = new Map<string, readonly (readonly [number, number, number, number])[]>();

function homolosine(
  name: string,
  title: string,
  wkt1: string,
  north: readonly Lobe[],
  south: readonly Lobe[],
): Method {
  lobes.set(name, [
    ...north.map(([west, east]) => [west, 0, east, 90] as const),
    ...south.map(([west, east]) => [west, -90, east, 0] as const),
  ]);
  const of = (lambda: number, among: readonly Lobe[]) =>
    among.find(([, east]) => lambda <= east * degrees) ?? among[among.length - 1];
  return {
    name,
    title,
    wkt1,
    parameters: worldParameters,
    keeps: 'areas',
    spherical: true,
    make(ellipsoid, p: MethodParameters) {
      const { a } = ellipsoid;
      return pointwise(
        p,
        (lambda, phi, out) => {
          const middle = of(lambda, phi < 0 ? south : north)[2] * degrees;
          const inner = Math.abs(phi) <= seam;
          const theta = inner ? 0 : mollweide.parameter(phi);
          const width = inner ? Math.cos(phi) : mollweide.width(theta);
          out[0] = a * (middle + (lambda - middle) * width);
          out[1] = a * (inner ? phi : mollweide.height(theta) + (phi < 0 ? -lift : lift));
        },
        (x, y, out) => {
          const v = y / a;
          let width: number;
          if (Math.abs(v) <= seam) {
            out[1] = v;
            width = Math.cos(v);
          } else {
            const theta = mollweide.parameterAt(v - (v < 0 ? -lift : lift));
            if (Number.isNaN(theta)) return nowhere(out);
            out[1] = mollweide.latitude(theta);
            width = mollweide.width(theta);
          }
          const lobe = of(x / a, v < 0 ? south : north);
          const middle = lobe[2] * degrees;
          const lambda = width < 1e-15 ? middle : middle + (x / a - middle) / width;
          // Between two lobes there is nothing.
          if (!(lambda >= lobe[0] * degrees - 1e-9 && lambda <= lobe[1] * degrees + 1e-9))
            return nowhere(out);
          out[0] = lambda;
        },
      );
    },
  };
}

/** Goode's homolosine, interrupted over the oceans (Goode 1925; Snyder & Voxland 1989, p. 66). */
export const goodeLand = homolosine(
  'goode-homolosine',
  'Interrupted Goode Homolosine',
  'Interrupted_Goode_Homolosine',
  [
    [-180, -40, -100],
    [-40, 180, 30],
  ],
  [
    [-180, -100, -160],
    [-100, -20, -60],
    [-20, 80, 20],
    [80, 180, 140],
  ],
);

/** The same, interrupted over the land. */
export const goodeOcean = homolosine(
  'goode-homolosine-ocean',
  'Interrupted Goode Homolosine Ocean',
  'Interrupted_Goode_Homolosine_Ocean',
  [
    [-180, -90, -140],
    [-90, 60, -10],
    [60, 180, 130],
  ],
  [
    [-180, -60, -110],
    [-60, 90, 20],
    [90, 180, 150],
  ],
);
