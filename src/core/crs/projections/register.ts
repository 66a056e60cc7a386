import { lambertConic1, lambertConic2, lambertConicBelgium } from './lambert-conic.ts';
import { mercatorA, mercatorB, webMercator } from './mercator.ts';
import type { Method } from './projection.ts';
import { transverseMercator } from './transverse-mercator.ts';

/** All projection methods. A new one is one file and one line here. */
export const methods: readonly Method[] = [
  transverseMercator,
  lambertConic1,
  lambertConic2,
  lambertConicBelgium,
  mercatorA,
  mercatorB,
  webMercator,
];

const plain = (name: string) => name.toLowerCase().replace(/[^a-z0-9]/g, '');

export function methodNamed(name: string): Method | undefined {
  return methods.find((method) => method.name === name);
}

/** The method that a WKT 1 text means. */
export function methodFromWkt(name: string): Method | undefined {
  const wanted = plain(name);
  return methods.find((method) => method.wktNames.some((known) => plain(known) === wanted));
}
