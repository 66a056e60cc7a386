import type { Pair } from './projection.ts';

/** Where a point lies as seen from a centre on the unit sphere: towards east, north and up. */
export interface About {
  /** Writes (east, north, up) of (λ from the centre, latitude), as sine and cosine of the latitude. */
  see(lambda: number, sine: number, cosine: number, seen: Float64Array): void;
  /** (λ, latitude) of (east, north, up), which need not be of length 1. */
  find(east: number, north: number, up: number, out: Pair): void;
}

/** The sphere turned so that a point of latitude `centre` is on top. */
export function about(centre: number): About {
  const s0 = Math.sin(centre);
  const c0 = Math.abs(centre) === Math.PI / 2 ? 0 : Math.cos(centre);
  return {
    see(lambda, sine, cosine, seen) {
      const ahead = cosine * Math.cos(lambda);
      seen[0] = cosine * Math.sin(lambda);
      seen[1] = c0 * sine - s0 * ahead;
      seen[2] = s0 * sine + c0 * ahead;
    },
    find(east, north, up, out) {
      const ahead = c0 * up - s0 * north;
      out[0] = Math.atan2(east, ahead);
      out[1] = Math.atan2(s0 * up + c0 * north, Math.hypot(east, ahead));
    },
  };
}
