import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';

/**
 * Adds the positions of a `coordinates` text (`lon,lat[,alt] lon,lat[,alt] …`; spaces after commas are borne) to the
 * last ring of a builder. Returns how many; −1 when the text is none.
 */
export function addCoordinates(text: string, builder: GeometryMaker): number {
  let at = 0;
  let count = 0;
  const n = text.length;
  const space = () => {
    while (at < n && text.charCodeAt(at) <= 32) at++;
  };
  const number = (): number => {
    const from = at;
    while (at < n) {
      const c = text.charCodeAt(at);
      // digits + - . e E
      if ((c >= 48 && c <= 57) || c === 43 || c === 45 || c === 46 || c === 101 || c === 69) at++;
      else break;
    }
    return from === at ? NaN : Number(text.slice(from, at));
  };
  for (;;) {
    space();
    if (at >= n) return count;
    const x = number();
    space();
    if (text[at] !== ',') return -1;
    at++;
    space();
    const y = number();
    if (Number.isNaN(x) || Number.isNaN(y)) return -1;
    builder.vertex(x, y);
    count++;
    const before = at;
    space();
    if (text[at] === ',') {
      at++;
      space();
      const z = number();
      if (!Number.isNaN(z)) builder.height(z);
    } else at = before;
  }
}
